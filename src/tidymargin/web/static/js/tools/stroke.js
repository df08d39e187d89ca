// Stroke: what is near the way of the pointer; along the ground, only what of it is like the ground.

import { Tool } from "./tool.js";
import { thinPlaces } from "./thin.js";
import { drawReach, drawSweep } from "../paint.js";
import { _ } from "../words.js";

const NEAR_PX = 0.2; // of the picture, that a line may stray when places are left out of it
const VERBS = { clear: _("Stroke that clears, %(wide)s"), keep: _("Stroke that keeps, %(wide)s"), solve: _("Stroke that works the edge out, %(wide)s") };

export class StrokeTool extends Tool {
  constructor(bench, name) {
    super(bench);
    this.name = name;
    this.line = null;
    this.sent = []; // drawn, and not answered for yet
    this.over = null; // where the pointer is
  }

  get settings() {
    return this.bench.settings.values;
  }

  get verdict() {
    return this.name === "rub" ? this.settings.rubs : this.settings.verdict;
  }

  get strokes() {
    return Boolean(this.line);
  }

  words() {
    const wide = `${this.settings.across} px`;
    if (this.name === "rub") {
      const what = this.verdict === "clear" ? _("clears only what is like %(likes)s; Esc lays it down", { likes: this.likes }) : _("brings back only what is like the subject; Esc lays it down");
      return [_("Background only, %(wide)s", { wide }), what];
    }
    return [_(VERBS[this.verdict], { wide }), _("press and draw; Shift draws straight, A and the wheel set its width, Esc lays it down")];
  }

  get likes() {
    return { ground: _("the background"), first: _("its first touch"), middle: _("what is under its middle") }[this.settings.colour];
  }

  hover(sample) {
    this.over = sample && !sample.touch ? sample : null;
    this.stage.overlay.ask();
  }

  down(sample) {
    this.line = [this.placeOf(sample)];
    this.end = null;
    this.over = sample.touch ? null : sample;
  }

  placeOf(sample) {
    const pressed = sample.pen && this.settings.presses ? Math.round(Math.max(0.02, sample.pressure) * 1000) / 1000 : null;
    const place = [sample.at.x, sample.at.y];
    return pressed === null ? place : [...place, pressed];
  }

  move(sample) {
    for (const part of sample.parts) {
      const place = this.placeOf(part);
      if (sample.shift) {
        // straight from here on: a place twice is a corner
        if (!this.end) this.line.push(this.line.at(-1));
        this.end = place;
        continue;
      }
      if (this.end) this.line.push(this.end, this.end);
      this.end = null;
      this.line.push(place);
    }
    this.over = sample.touch ? null : sample;
    this.stage.overlay.ask();
  }

  up() {
    const line = this.finished();
    this.line = null;
    this.end = null;
    if (!line) return;
    this.sent.push({ line, across: this.settings.across });
    this.commit(line);
    this.stage.overlay.ask();
  }

  finished() {
    if (!this.line) return null;
    return thinPlaces(this.end ? [...this.line, this.end] : this.line, NEAR_PX);
  }

  // What it does and how wide and soft it is.
  measures() {
    const { across, hardness, strength } = this.settings;
    return { verdict: this.verdict, across_px: across, hardness: hardness / 100, strength: strength / 100 };
  }

  commit(places) {
    const { colour, joins, upTo } = this.settings;
    const values = { ...this.measures(), places };
    if (this.name === "rub") values.like = { colour, tolerance: upTo === "" ? "auto" : upTo, is_joined: joins === "joined" };
    this.acts.mark("stroke", values, () => this.sent.shift());
  }

  cancel() {
    this.line = null;
    this.end = null;
    this.stage.overlay.ask();
  }

  draw(pen) {
    const drawn = this.line ? [...this.sent, { line: this.finished(), across: this.settings.across }] : this.sent;
    for (const { line, across } of drawn) drawSweep(pen, line.map(([x, y]) => pen.place(x, y)), across * this.stage.viewport.scale);
    if (this.over && this.bench.isInHand(this)) {
      const reach = (this.settings.across / 2) * this.stage.viewport.scale;
      drawReach(pen, this.over, reach, reach * (this.settings.hardness / 100));
    }
  }
}
