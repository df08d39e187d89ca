// Corners: a ring with straight sides, set corner by corner, with the pointer or with keys alone.

import { drawMark, drawPoint } from "../paint.js";
import { LoopTool } from "./loop.js";
import { _ } from "../words.js";

const NEAR_PX = 12;

export class CornersTool extends LoopTool {
  constructor(bench) {
    super(bench);
    this.corners = [];
  }

  get strokes() {
    return false;
  }

  get how() {
    return _("click, or Enter at the aim, sets a corner; at the first one it closes; Esc lays it down");
  }

  words() {
    if (!this.corners.length) return super.words();
    return [_("Corner %(n)s", { n: this.corners.length + 1 }), _("click or Enter sets it; at the first one the ring closes, Backspace takes one back")];
  }

  down(sample) {
    this.from = sample;
  }

  move() {}

  up(sample) {
    if (this.from) this.set(sample.at);
    this.from = null;
  }

  set({ x, y }) {
    const first = this.corners[0];
    const { viewport, ratio } = this.stage;
    if (this.corners.length > 2 && Math.hypot(x - first[0], y - first[1]) * viewport.scale <= NEAR_PX * ratio) {
      this.close();
      return;
    }
    this.corners.push([x, y]);
    this.acts.marking();
  }

  close() {
    if (this.corners.length > 2) this.rings.push(this.corners);
    this.corners = [];
    this.acts.marking();
  }

  key(event) {
    const { aim } = this.stage;
    if (event.key === "Enter" && aim) this.set({ x: aim.col + 0.5, y: aim.row + 0.5 });
    else if (event.key === "Backspace" && this.corners.length) {
      this.corners.pop();
      this.acts.marking();
    } else return false;
    return true;
  }

  cancel() {
    this.from = null;
  }

  forget() {
    super.forget();
    this.corners = [];
  }

  draw(pen) {
    super.draw(pen);
    const corners = this.corners.map(([x, y]) => pen.place(x, y));
    if (corners.length > 1) drawMark(pen, corners, { isOpen: true });
    for (const at of corners) drawPoint(pen, at);
  }
}
