// Rough-in: scribbles on the figure and on what goes; each one looks for the figure again.

import { drawMark, drawSweep } from "../paint.js";
import { StrokeTool } from "./stroke.js";
import { _ } from "../words.js";

const SAID = {
  keep: _("scribble on what is to be kept; Esc lays it down"),
  clear: _("scribble on what is to go; Esc lays it down"),
  around: _("scribble loosely around what is to be kept; Esc lays it down"),
};

export class RoughTool extends StrokeTool {
  constructor(bench) {
    super(bench, "rough");
    this.number = 0; // of the rough-in that goes on; 0 begins one
  }

  words() {
    if (this.sent.length) return [_("Looking for the subject"), _("by what was scribbled")];
    return [_("Find by scribbles"), SAID[this.settings.scribbles]];
  }

  // The rough-in that goes on: the one chosen, or the last there is.
  follow(marks) {
    const there = marks.filter(({ kind }) => kind === "rough");
    if (!there.some(({ number }) => number === this.number)) this.number = there.at(-1)?.number ?? 0;
  }

  // Goes on with the rough-in of a number.
  goOn(number) {
    this.number = number;
  }

  commit(places) {
    const { across, scribbles } = this.settings;
    const line = places.map(([x, y]) => [x, y]);
    const values = { across_px: across, keep: [], clear: [], around: null };
    if (scribbles === "around") values.around = line;
    else values[scribbles] = [line];
    const isRing = scribbles === "around";
    if (isRing && line.length < 3) {
      this.sent.pop();
      return;
    }
    this.acts.mark("rough", () => ({ ...values, number: this.number }), () => this.sent.shift());
    this.acts.sayHere();
  }

  draw(pen) {
    const kept = this.bench.isInHand(this) && this.number && this.acts.shapeOf(this.number);
    if (kept?.scribbles) this.drawKept(pen, kept);
    if (this.settings.scribbles !== "around") {
      super.draw(pen);
      return;
    }
    const ring = this.line ?? this.sent.at(-1)?.line;
    if (ring) drawMark(pen, ring.map(([x, y]) => pen.place(x, y)));
  }

  // The scribbles that were made before stay in sight: those on the figure hatched, those on what goes as dashed lines.
  drawKept(pen, { scribbles }) {
    const toCanvas = (line) => line.map(([x, y]) => pen.place(x, y));
    for (const line of scribbles.keep) drawSweep(pen, toCanvas(line), 5 * pen.ratio);
    for (const line of scribbles.clear) drawMark(pen, toCanvas(line), { isOpen: true });
  }
}
