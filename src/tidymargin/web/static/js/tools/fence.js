// Fence: a line is drawn that clearing cannot cross.

import { drawFence } from "../paint.js";
import { thinPlaces } from "./thin.js";
import { Tool } from "./tool.js";
import { _ } from "../words.js";

export class FenceTool extends Tool {
  get strokes() {
    return Boolean(this.line);
  }

  words() {
    return [_("Draw a fence"), _("press and drag along it")];
  }

  down({ place }) {
    this.line = place && [place];
  }

  move({ parts }) {
    if (!this.line) return;
    for (const { place } of parts) {
      const last = this.line.at(-1);
      if (place && (place.row !== last.row || place.col !== last.col)) this.line.push(place);
    }
    this.stage.overlay.ask();
  }

  up() {
    const line = this.line;
    this.cancel();
    if (line) this.acts.fence(thinPlaces(line.map(({ row, col }) => [col, row]), 2 / this.stage.viewport.scale));
  }

  cancel() {
    this.line = null;
    this.stage.overlay.ask();
  }

  draw(pen) {
    if (this.line) drawFence(pen, this.line.map(({ row, col }) => pen.place(col + 0.5, row + 0.5)));
  }
}
