// The work area's corners on the stage, kept in step with the fields that carry them.

const REACH_PX = 22;

const field = (at) => document.getElementById(`corner-${at}`);
const isUpright = (corners) =>
  corners.every(([x, y], at) => {
    const [nextX, nextY] = corners[(at + 1) % 4];
    return (x === nextX) !== (y === nextY);
  });

export class AreaFrame {
  constructor(stage) {
    this.stage = stage;
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

  move(at, x, y) {
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

  nudge(byX, byY) {
    const [x, y] = this.corners[this.chosen];
    this.move(this.chosen, x + byX, y + byY);
  }

  choose(at) {
    this.chosen = at;
    this.stage.paint();
  }

  writeFields() {
    this.corners.forEach(([x, y], at) => (field(at).value = `${x},${y}`));
    this.stage.paint();
  }

  readFields() {
    const typed = [0, 1, 2, 3].map((at) => field(at).value.split(",").map(Number));
    if (typed.some((pair) => pair.length !== 2 || pair.some(Number.isNaN))) return;
    this.corners = typed;
    this.setBox(isUpright(typed));
    this.stage.paint();
  }

  use() {
    document.getElementById("area-form").requestSubmit();
  }

  leave() {
    document.getElementById("leave-area").click();
  }
}
