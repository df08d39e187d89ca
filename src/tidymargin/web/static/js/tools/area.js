// The work area: its corners on the stage, kept in step with the fields that carry them.

import { drawArea } from "../paint.js";
import { Tool } from "./tool.js";

const REACH_PX = 22;

const field = (at) => document.getElementById(`corner-${at}`);
const isUpright = (corners) =>
  corners.every(([x, y], at) => {
    const [nextX, nextY] = corners[(at + 1) % 4];
    return (x === nextX) !== (y === nextY);
  });

const ARROWS = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };

export class AreaTool extends Tool {
  constructor(bench) {
    super(bench);
    this.corners = null; // null while the work area is not being set
    this.chosen = 0;
    document.addEventListener("input", (event) => event.target.id?.startsWith("corner-") && this.readFields());
    document.addEventListener("click", (event) => {
      if (event.target.id === "area-box") this.makeBox();
      if (event.target.id === "area-free") this.setBox(false);
    });
  }

  // The ledger was swapped; `corners` are the sheet's, or null when something else is open.
  follow(corners) {
    this.corners = corners;
    if (corners) this.setBox(isUpright(corners));
  }

  setBox(on) {
    this.isBox = on;
    for (const [id, pressed] of [["area-box", on], ["area-free", !on]]) {
      const button = document.getElementById(id);
      button.setAttribute("aria-pressed", String(pressed));
      button.classList.toggle("on", pressed);
    }
  }

  makeBox() {
    const xs = this.corners.map(([x]) => x);
    const ys = this.corners.map(([, y]) => y);
    const [left, top, right, bottom] = [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)].map(Math.round);
    this.corners = [[left, top], [right, top], [right, bottom], [left, bottom]];
    this.setBox(true);
    this.writeFields();
  }

  get strokes() {
    return true;
  }

  // Whether a press there takes a corner.
  hits(sample) {
    return Boolean(this.corners) && this.hit(sample) !== null;
  }

  down(sample) {
    this.choose(this.hit(sample));
  }

  move({ at }) {
    this.moveCorner(this.chosen, at.x, at.y);
  }

  key(event) {
    if (!this.corners) return false;
    if (event.key in ARROWS) {
      const far = event.shiftKey ? 10 : 1;
      const [x, y] = this.corners[this.chosen];
      this.moveCorner(this.chosen, x + ARROWS[event.key][0] * far, y + ARROWS[event.key][1] * far);
    } else if (["1", "2", "3", "4"].includes(event.key)) {
      this.choose(Number(event.key) - 1);
    } else if (event.key === "Enter") {
      document.getElementById("area-form").requestSubmit();
    } else if (event.key === "Escape") {
      document.getElementById("leave-area").click();
    } else {
      return false;
    }
    return true;
  }

  draw(pen) {
    if (this.corners) drawArea(pen, this.corners.map(([x, y]) => pen.place(x, y)), this.chosen);
  }

  // The corner within a finger's reach of a place on the canvas, or null.
  hit({ x, y }) {
    const { viewport, ratio } = this.stage;
    const away = this.corners.map(([cornerX, cornerY]) => {
      const at = viewport.toCanvas(cornerX, cornerY);
      return Math.hypot(at.x - x, at.y - y);
    });
    const nearest = away.indexOf(Math.min(...away));
    return away[nearest] <= REACH_PX * ratio ? nearest : null;
  }

  moveCorner(at, x, y) {
    const digits = this.isBox ? 1 : 100;
    const { viewport } = this.stage;
    const toX = Math.round(Math.min(viewport.pictureWidth, Math.max(0, x)) * digits) / digits;
    const toY = Math.round(Math.min(viewport.pictureHeight, Math.max(0, y)) * digits) / digits;
    const [fromX, fromY] = this.corners[at];
    if (this.isBox) {
      for (const other of [(at + 1) % 4, (at + 3) % 4]) {
        const [otherX, otherY] = this.corners[other];
        this.corners[other] = [otherX === fromX ? toX : otherX, otherY === fromY ? toY : otherY];
      }
    }
    this.corners[at] = [toX, toY];
    this.chosen = at;
    this.writeFields();
  }

  choose(at) {
    this.chosen = at;
    this.stage.overlay.ask();
  }

  writeFields() {
    this.corners.forEach(([x, y], at) => (field(at).value = `${x},${y}`));
    this.stage.overlay.ask();
  }

  readFields() {
    const typed = [0, 1, 2, 3].map((at) => field(at).value.split(",").map(Number));
    if (typed.some((pair) => pair.length !== 2 || pair.some(Number.isNaN))) return;
    this.corners = typed;
    this.setBox(isUpright(typed));
    this.stage.overlay.ask();
  }
}
