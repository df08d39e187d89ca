// A scene's page: puts stage, hand, stack and ledger together and keeps them in step with the server.

import { Exporting } from "./exporting.js";
import { Late } from "./late.js";
import { byId, keepScroll, offer, restoreScroll, say, undoByKeys } from "./page.js";
import { Hand } from "./scene/hand.js";
import { Side } from "./scene/side.js";
import { SceneStage } from "./scene/stage.js";
import { Strip } from "./scene/strip.js";
import { AGAIN, LOST, _, shown } from "./words.js";

const HEAD_EVERY_MS = 4000;
const PROGRESS_EVERY_MS = 400;

// What the page says of its scene; `inHand` are the cuts that are in hand.
const scene = {
  get inHand() {
    return this.keys.map((key) => this.held.find((cut) => cut.key === key)).filter(Boolean);
  },
};
function readScene() {
  const data = byId("scene-data").dataset;
  Object.assign(scene, {
    address: data.address,
    head: data.head,
    look: data.look,
    width: Number(data.width),
    height: Number(data.height),
    keys: data.keys.split(",").filter(Boolean).map(Number),
    isReady: data.ready === "1",
    unit: data.unit,
    mm: Number(data.mm),
    held: JSON.parse(data.held),
  });
}
readScene();

let isLost = false;
const says = {
  lost: (error) => {
    if (error?.said) {
      say(error.said);
      return;
    }
    if (!isLost) say(LOST);
    isLost = true;
  },
  shown: () => {
    if (isLost) byId("messages").replaceChildren();
    isLost = false;
    clearInterval(waiting);
    // all is cut now: where each cut's figure is can be said
    if (!scene.isReady) loadWhenCalm();
  },
  zoomed: (scale) => {
    byId("zoom").textContent = `${shown(100 * scale, scale < 0.1 ? 1 : 0)} %`;
  },
};

// While cuts are being made, the line below the stage says how far that has come.
let waiting = null;
function tellProgress() {
  clearInterval(waiting);
  if (scene.isReady) return;
  waiting = setInterval(async () => {
    const answer = await fetch(`${scene.address}progress`).then((response) => response.json()).catch(() => ({ share: null }));
    if (answer.share !== null && !stage.drag) acts.say(_("Cutting the pictures of this scene"), _("%(share)s % done; the scene shows when all are there", { share: Math.round(100 * answer.share) }));
  }, PROGRESS_EVERY_MS);
}

// The ledger is not loaded anew under a person who is writing in it, or pressing something.
let isPressing = false;
document.addEventListener("pointerdown", () => (isPressing = true), true);
for (const name of ["pointerup", "pointercancel"]) document.addEventListener(name, () => (isPressing = false), true);
let calm = null;
function loadWhenCalm() {
  clearTimeout(calm);
  const again = () => {
    calm = setTimeout(loadWhenCalm, PROGRESS_EVERY_MS);
  };
  const field = document.activeElement;
  const writes = field?.matches("#ledger input, #ledger select") && field.value !== (field.defaultValue ?? field.value);
  if (writes || isPressing || changing) again();
  else loadLedger().then(() => scene.isReady || again()); // where something newer went first
}

let changing = 0;
const acts = {
  scene,
  say: (verb, detail) => {
    byId("verb").textContent = verb;
    byId("detail").textContent = detail;
  },
  length: (px) => `${scene.unit === "mm" ? shown(px * scene.mm, 1) : shown(px, Number.isInteger(px) ? 0 : 1)} ${scene.unit}`,
  spot: (place) => strip.show(place),
  // Takes cuts in hand: their sentence opens.
  take: (keys) => {
    scene.keys = keys;
    stage.paint();
    loadLedger(keys.length ? `cut:${keys.join(",")}` : "");
  },
  post,
};

// Loads the ledger; what a person asked for meanwhile brings a newer one, and goes first.
let loads = 0;
async function loadLedger(open = byId("open-now").value) {
  loads += 1;
  const own = loads;
  try {
    const response = await fetch(`${scene.address}ledger?open=${encodeURIComponent(open)}`, { headers: { "HX-Request": "true" } });
    const ledger = await response.text();
    if (own !== loads || changing || !response.ok) return;
    swapLedger(ledger);
  } catch {
    says.lost();
  }
}

function swapLedger(ledger) {
  const target = byId("ledger");
  keepParts();
  window.htmx.swap(target, ledger, { swapStyle: "outerHTML", settleDelay: 0 }, { eventInfo: { target } });
}

// Changes wait for one another: each is made from the state that the one before it left.
let line = Promise.resolve();
function post(path, values) {
  changing += 1;
  loads += 1;
  const sent = line.then(() => send(path, values)).finally(() => (changing -= 1));
  line = sent.catch(() => null);
  return sent;
}

async function send(path, values) {
  const open = scene.keys.length ? `cut:${scene.keys.join(",")}` : byId("open-now").value;
  try {
    const response = await fetch(`${scene.address}${path}`, {
      method: "POST",
      headers: { Accept: "application/json", "Content-Type": "application/json", "X-CSRFToken": document.body.dataset.token },
      body: JSON.stringify({ open, ...values, seen: scene.head }),
    });
    const answer = await response.json();
    if (response.ok) {
      swapLedger(answer.ledger);
      return;
    }
    stage.putBack();
    say([answer.message, answer.hint].filter(Boolean).join(" "), document.querySelector(answer.place) ?? byId("messages"));
    if (answer.isBehind) setTimeout(() => offerAgain(() => post(path, values))); // once this one has ended
  } catch {
    stage.putBack();
    says.lost();
  }
}

// A change that came too late is refused, and may be made again on what is newest by one click.
function offerAgain(act) {
  const loaded = loadLedger();
  offer(AGAIN, () => loaded.then(act));
}
let refused = null;
document.body.addEventListener("htmx:beforeSwap", (event) => {
  if (event.detail.xhr?.status === 409) refused = event.detail.requestConfig;
});
document.body.addEventListener("sheet:behind", () => {
  const order = refused;
  offerAgain(() => {
    const given = order.formData ? Object.fromEntries(order.formData.entries()) : order.parameters;
    window.htmx.ajax("POST", order.path, { target: "#ledger", swap: "outerHTML", source: "#ledger", values: { ...given, seen: scene.head } });
  });
});

const stage = new SceneStage(byId("stage"), byId("overlay"), scene, says);
const strip = new Strip(byId("proof"), stage, says);
const hand = new Hand(stage, acts);
new Side(byId("side"), acts);
const rims = new Late("rims-said");
byId("ledger").parentElement.addEventListener("click", (event) => {
  const phrase = event.target.closest("[data-box]");
  if (!phrase) return;
  const [left, top, right, bottom] = phrase.dataset.box.split(" ").map(Number);
  stage.viewport.lookAt((left + right) / 2, (top + bottom) / 2, Math.max(1, stage.viewport.scale));
  stage.moved();
  strip.show({ x: (left + right) / 2, y: (top + bottom) / 2 });
});
const exporting = new Exporting(scene, say);
exporting.offerCopy();

// The ledger was swapped: a change, an undo, another sentence, or a cut that is made now.
function follow() {
  const { look, isReady, head } = scene;
  readScene();
  stage.resetSize();
  const isOther = look !== scene.look || isReady !== scene.isReady;
  if (stage.drag?.waits) {
    if (head === scene.head) stage.putBack();
    else stage.drag.waits = scene.look;
  }
  if (isOther || !stage.frame) stage.ask();
  tellProgress();
  rims.follow();
  stage.paint();
  if (isOther) strip.show();
  if (!stage.drag) hand.sayHere(null, "");
  exporting.offerCopy();
  if (focused) byId("side").querySelector(`[data-key="${focused}"]`)?.focus();
}
let focused = null;
let opened = { step: "", folds: [] };
// a change leaves the open part as it was: where it was scrolled to, and which folds were open
function keepParts() {
  keepScroll();
  focused = document.activeElement?.closest("button.edge")?.dataset.key ?? null;
  const part = document.querySelector(".part");
  if (part) opened = { step: part.closest(".step").id, folds: [...part.querySelectorAll("details")].map((fold) => fold.open) };
}
document.body.addEventListener("htmx:beforeSwap", (event) => event.detail.target?.id === "ledger" && keepParts());
document.body.addEventListener("htmx:afterSwap", ({ detail }) => {
  const part = document.querySelector(".part");
  if (part?.closest(".step").id === opened.step) {
    [...part.querySelectorAll("details")].forEach((fold, number) => (fold.open ||= opened.folds[number] ?? false));
  }
  restoreScroll();
  if (detail.target.classList?.contains("said")) detail.target.scrollIntoView({ block: "nearest" });
});
document.body.addEventListener("htmx:afterSettle", follow);
document.body.addEventListener("htmx:sendError", () => says.lost());
document.body.addEventListener("htmx:beforeRequest", () => {
  changing += 1;
  loads += 1;
});
document.body.addEventListener("htmx:afterRequest", () => (changing -= 1));

// Whether another tab changed the scene, or somebody a picture on its bench.
async function askHead() {
  const { head, look } = scene;
  if (changing) return;
  let answer;
  try {
    const response = await fetch(`${scene.address}head`, { headers: { Accept: "application/json" } });
    answer = await response.json();
    if (!response.ok) {
      say([answer.message, answer.hint].filter(Boolean).join(" "));
      return;
    }
  } catch {
    says.lost();
    return;
  }
  const wasLost = isLost;
  says.shown();
  if (changing || scene.head !== head || scene.look !== look) return;
  if (String(answer.head) !== head) say(_("This scene was changed in another tab. Nothing is lost: this page now shows the newest state, and the history has all of them."));
  if (String(answer.head) !== head || answer.look !== look || wasLost) loadWhenCalm();
}
tellProgress();
rims.follow();
setInterval(() => !document.hidden && askHead(), HEAD_EVERY_MS);
document.addEventListener("visibilitychange", () => !document.hidden && askHead());

byId("whole").addEventListener("click", () => {
  stage.viewport.showWhole();
  stage.moved();
});
byId("pixels").addEventListener("click", () => {
  const { viewport } = stage;
  const [cut] = scene.inHand;
  const middle = cut?.corners.length ? { x: cut.corners.reduce((sum, [x]) => sum + x / 4, 0), y: cut.corners.reduce((sum, [, y]) => sum + y / 4, 0) } : viewport.toPicture(viewport.width / 2, viewport.height / 2);
  viewport.lookAt(middle.x, middle.y, 1);
  stage.moved();
});
byId("rims").addEventListener("click", (event) => {
  const on = byId("proof").hidden;
  byId("proof").hidden = !on;
  byId("side").hidden = on;
  event.target.setAttribute("aria-pressed", String(on));
  strip.show();
});
byId("dark").addEventListener("click", (event) => {
  const on = document.body.classList.toggle("dark");
  event.target.setAttribute("aria-pressed", String(on));
});
undoByKeys();
