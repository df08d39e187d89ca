// Loop and box: rings are drawn around a place, and then it is decided what becomes of what they surround.

import { drawMark } from "../paint.js";
import { thinPlaces } from "./thin.js";
import { Tool } from "./tool.js";
import { _ } from "../words.js";

const NEAR_PX = 0.2; // of the picture, that a ring may stray when places are left out of it
const LEAST_PX = 1.5; // of the canvas, between one place of a ring and the next

export class LoopTool extends Tool {
  constructor(bench) {
    super(bench);
    this.rings = []; // drawn, and not decided on yet
    this.ring = null;
  }

  get strokes() {
    return Boolean(this.ring);
  }

  words() {
    if (this.rings.length) return [_("Decide what becomes of it"), _("in the open sentence, or draw on")];
    return [_("Draw around a place"), this.how];
  }

  get how() {
    return _("press and draw a loop; Esc lays it down");
  }

  down(sample) {
    this.ring = [sample];
  }

  move({ parts }) {
    for (const part of parts) this.follow(part);
    this.stage.overlay.ask();
  }

  follow(part) {
    const last = this.ring.at(-1);
    if (Math.hypot(part.x - last.x, part.y - last.y) >= LEAST_PX) this.ring.push(part);
  }

  places() {
    return this.ring.map(({ at }) => [at.x, at.y]);
  }

  up() {
    const places = this.places();
    this.ring = null;
    if (places.length > 2) this.rings.push(thinPlaces(places, NEAR_PX));
    this.acts.marking();
  }

  cancel() {
    this.ring = null;
    this.stage.overlay.ask();
  }

  // What was drawn is decided on, or not wanted.
  forget() {
    this.rings = [];
  }

  draw(pen) {
    const drawn = this.ring ? [...this.rings, this.places()] : this.rings;
    for (const ring of drawn) drawMark(pen, ring.map(([x, y]) => pen.place(x, y)));
  }
}

export class BoxTool extends LoopTool {
  get how() {
    return _("press at one corner and draw to the other; Esc lays it down");
  }

  follow(part) {
    this.ring = [this.ring[0], part];
  }

  places() {
    if (this.ring.length < 2) return [];
    const [{ at: from }, { at: to }] = this.ring;
    return [[from.x, from.y], [to.x, from.y], [to.x, to.y], [from.x, to.y]];
  }
}

// A loop around what is traced as outlines, and nothing else of the sheet.
export class TracedTool extends LoopTool {
  words() {
    return [_("Draw around what is traced"), this.how];
  }

  up() {
    const places = thinPlaces(this.places(), NEAR_PX);
    this.ring = null;
    if (places.length > 2) this.acts.change("export/loop", { places });
    this.acts.layDown();
  }
}
