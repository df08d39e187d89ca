// Two states of a sheet side by side, in step; a held key shows each in the other's place.

import { Stage } from "./stage.js";
import { LOST, shown } from "./words.js";

const panes = [...document.querySelectorAll(".pane")];
const messages = document.getElementById("messages");
let stages = [];

function say(text) {
  messages.textContent = text;
}

const says = {
  lost: (error) => say(error?.said || LOST),
  shown: () => messages.replaceChildren(),
  drafted: () => {},
  sketched: () => {},
  zoomed: (scale) => {
    document.getElementById("zoom").textContent = `${shown(100 * scale, scale < 0.1 ? 1 : 0)} %`;
  },
};

function readSheet({ dataset }) {
  return {
    address: dataset.address,
    head: dataset.head,
    width: Number(dataset.width),
    height: Number(dataset.height),
    measured: dataset.way !== "original",
    tone: dataset.tone,
    as: dataset.way,
  };
}

stages = panes.map((pane) => {
  const [canvas, over] = pane.querySelectorAll("canvas");
  return new Stage(canvas, over, readSheet(pane), says);
});

// What one shows is what the other shows: the same place at the same size.
function move(stage) {
  const { scale, left, top } = stage.viewport;
  for (const other of stages) {
    if (other !== stage) Object.assign(other.viewport, { scale, left, top, fitted: false });
    other.moved();
  }
}

let isFlipped = false;
function flip(on) {
  if (on === isFlipped) return;
  isFlipped = on;
  const [first, second] = stages;
  for (const name of ["frame", "originalFrame", "sheet", "blotter"]) [first[name], second[name]] = [second[name], first[name]];
  const words = panes.map((pane) => pane.querySelector("[data-words]"));
  [words[0].textContent, words[1].textContent] = [words[1].textContent, words[0].textContent];
  stages.forEach((stage) => stage.moved());
}

const ARROWS = { ArrowLeft: [64, 0], ArrowRight: [-64, 0], ArrowUp: [0, 64], ArrowDown: [0, -64] };
const down = new Map();
for (const stage of stages) {
  const { canvas, viewport } = stage;
  canvas.addEventListener("wheel", (event) => {
    event.preventDefault();
    const { x, y } = stage.sample(event);
    const lines = event.deltaMode === 1 ? event.deltaY * 16 : event.deltaY;
    viewport.zoomAt(x, y, Math.exp(-Math.max(-240, Math.min(240, lines)) / 400));
    move(stage);
  }, { passive: false });
  canvas.addEventListener("pointerdown", (event) => {
    canvas.setPointerCapture(event.pointerId);
    down.set(event.pointerId, stage.sample(event));
  });
  canvas.addEventListener("pointermove", (event) => {
    const before = down.get(event.pointerId);
    if (!before) return;
    const now = stage.sample(event);
    down.set(event.pointerId, now);
    const [other] = [...down].filter(([id]) => id !== event.pointerId).map(([, at]) => at);
    if (other) {
      const was = Math.hypot(before.x - other.x, before.y - other.y);
      viewport.zoomAt((now.x + other.x) / 2, (now.y + other.y) / 2, Math.hypot(now.x - other.x, now.y - other.y) / Math.max(1, was));
    } else {
      viewport.pan(now.x - before.x, now.y - before.y);
    }
    move(stage);
  });
  for (const name of ["pointerup", "pointercancel"]) canvas.addEventListener(name, (event) => down.delete(event.pointerId));
  canvas.addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    if (event.key in ARROWS) viewport.pan(...ARROWS[event.key]);
    else if (["+", "=", "-"].includes(event.key)) viewport.zoomAt(viewport.width / 2, viewport.height / 2, event.key === "-" ? 1 / 1.5 : 1.5);
    else if (event.key.toLowerCase() === "x") {
      flip(true);
      return;
    } else return;
    event.preventDefault();
    move(stage);
  });
  canvas.addEventListener("keyup", (event) => event.key.toLowerCase() === "x" && flip(false));
  canvas.addEventListener("blur", () => flip(false));
}

document.getElementById("whole").addEventListener("click", () => {
  stages[0].viewport.showWhole();
  move(stages[0]);
});
document.getElementById("pixels").addEventListener("click", () => {
  const { viewport } = stages[0];
  const middle = viewport.toPicture(viewport.width / 2, viewport.height / 2);
  viewport.lookAt(middle.x, middle.y, 1);
  move(stages[0]);
});
const hold = document.getElementById("flip");
for (const [name, on] of [["pointerdown", true], ["pointerup", false], ["pointerleave", false], ["pointercancel", false], ["blur", false]]) {
  hold.addEventListener(name, () => flip(on));
}
hold.addEventListener("keydown", (event) => (event.key === " " || event.key === "Enter") && flip(true));
hold.addEventListener("keyup", () => flip(false));
document.getElementById("ways").addEventListener("change", ({ currentTarget }) => currentTarget.requestSubmit());
