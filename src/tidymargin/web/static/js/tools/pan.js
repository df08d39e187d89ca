// Pan and pinch: moving what is in view, and nothing else.

import { Tool } from "./tool.js";

export class PanTool extends Tool {
  get strokes() {
    return true;
  }

  down(sample) {
    this.last = sample;
    this.stage.canvas.classList.add("panning");
  }

  move(sample) {
    this.stage.viewport.pan(sample.x - this.last.x, sample.y - this.last.y);
    this.last = sample;
    this.stage.moved();
  }

  // Two fingers: `moved` went from `before` to where it is, the other rests.
  pinch(before, moved, other) {
    const was = Math.hypot(before.x - other.x, before.y - other.y);
    const is = Math.hypot(moved.x - other.x, moved.y - other.y);
    this.stage.viewport.zoomAt((moved.x + other.x) / 2, (moved.y + other.y) / 2, is / Math.max(1, was));
    this.stage.viewport.pan((moved.x - before.x) / 2, (moved.y - before.y) / 2);
    this.stage.moved();
  }

  up() {
    this.cancel();
  }

  cancel() {
    this.stage.canvas.classList.remove("panning");
  }
}
