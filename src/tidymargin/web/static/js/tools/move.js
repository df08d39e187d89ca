// Move: a mark that was chosen in the list is taken somewhere else, by pulling or by arrow keys.

import { drawMark } from "../paint.js";
import { Tool } from "./tool.js";
import { _ } from "../words.js";

const NUDGE_MS = 500;
const ARROWS = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };

export class MoveTool extends Tool {
  constructor(bench) {
    super(bench);
    this.number = 0;
    this.by = [0, 0];
    this.from = null;
  }

  goOn(number) {
    this.number = number;
    this.by = [0, 0];
  }

  get strokes() {
    return Boolean(this.from);
  }

  words() {
    return [_("Move mark %(n)s", { n: this.number }), _("pull it, or use the arrows; Esc lays it down")];
  }

  down({ at }) {
    this.from = at;
  }

  move({ at }) {
    this.by = [at.x - this.from.x, at.y - this.from.y];
    this.stage.overlay.ask();
  }

  up() {
    this.from = null;
    this.commit();
  }

  key(event) {
    if (!(event.key in ARROWS)) return false;
    const far = event.shiftKey ? 10 : 1;
    this.by = this.by.map((value, axis) => value + ARROWS[event.key][axis] * far);
    clearTimeout(this.nudging);
    this.nudging = setTimeout(() => this.commit(), NUDGE_MS); // one row of history for one way
    return true;
  }

  commit() {
    clearTimeout(this.nudging);
    const [x, y] = this.by;
    if (!x && !y) return;
    this.acts.mark(`${this.number}/move`, { x, y }, () => {
      this.by = [0, 0];
    });
  }

  cancel() {
    this.from = null;
    this.by = [0, 0];
    this.stage.overlay.ask();
  }

  draw(pen) {
    if (!this.bench.isInHand(this) || !this.number) return;
    const shape = this.acts.shapeOf(this.number);
    if (!shape) return;
    const [byX, byY] = this.by;
    const lines = [...shape.rings.map((ring) => [ring, false]), ...shape.lines.map((line) => [line, true])];
    for (const [line, isOpen] of lines) drawMark(pen, line.map(([x, y]) => pen.place(x + byX, y + byY)), { isOpen, isPointed: true });
  }
}
