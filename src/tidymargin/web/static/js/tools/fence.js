// Fence: a line is drawn that clearing cannot cross.

import { drawFence } from "../paint.js";
import { Tool } from "./tool.js";

export class FenceTool extends Tool {
  get strokes() {
    return Boolean(this.line);
  }

  words() {
    return ["Draw a fence", "press and drag along it"];
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
    if (line) this.acts.fence(thin(line, 2 / this.stage.viewport.scale));
  }

  cancel() {
    this.line = null;
    this.stage.overlay.ask();
  }

  draw(pen) {
    if (this.line) drawFence(pen, this.line.map(({ row, col }) => pen.place(col + 0.5, row + 0.5)));
  }
}

// Drops places that lie so close to the line between their neighbours that nobody would miss them.
function thin(line, near) {
  if (line.length < 3) return line;
  const [first, last] = [line[0], line.at(-1)];
  const long = Math.hypot(last.col - first.col, last.row - first.row) || 1;
  let far = 0;
  let most = 0;
  for (let at = 1; at < line.length - 1; at += 1) {
    const away = Math.abs((last.col - first.col) * (first.row - line[at].row) - (first.col - line[at].col) * (last.row - first.row)) / long;
    if (away > most) [most, far] = [away, at];
  }
  if (most <= near) return [first, last];
  return [...thin(line.slice(0, far + 1), near).slice(0, -1), ...thin(line.slice(far), near)];
}
