// A place: taken in hand by a worded button, one click says where something of the open sentence holds.

import { Tool } from "./tool.js";
import { _ } from "../words.js";

const valueOf = (id) => document.getElementById(id)?.value ?? "";

const TAKES = {
  piece: {
    path: "recolour/pieces",
    words: [_("Recolour this piece"), _("click on it, or Enter at the aim; Esc lays it down")],
    values: () => ({ colour: valueOf("recolour-colour") }),
  },
  spill: {
    path: "spill/places",
    words: [_("Set spill at a place"), _("click on it, or Enter at the aim; Esc lays it down")],
    values: () => ({ amount: valueOf("place-amount"), radius_px: valueOf("place-radius") }),
  },
};

export class PlaceTool extends Tool {
  constructor(bench, name) {
    super(bench);
    this.takes = TAKES[name];
  }

  words() {
    return this.takes.words;
  }

  down(sample) {
    this.from = sample.place;
  }

  up() {
    const place = this.from;
    this.cancel();
    if (place) this.send(place);
  }

  key(event) {
    if (event.key !== "Enter" || !this.stage.aim) return false;
    this.send(this.stage.aim);
    return true;
  }

  send({ row, col }) {
    this.acts.change(this.takes.path, { row, col, ...this.takes.values() });
  }

  cancel() {
    this.from = null;
  }
}
