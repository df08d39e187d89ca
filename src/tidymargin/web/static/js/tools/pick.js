// Pick: one click at a place, said before it is made. Held letters give it other meanings.

import { Tool } from "./tool.js";
import { _ } from "../words.js";

// What the server says of an act; while it has not answered yet, the act's name alone.
function worded(answer, name, cannot) {
  return answer === undefined ? name : answer ?? `${name}: ${cannot}`;
}

export class PickTool extends Tool {
  constructor(bench, path = "picks", say = null) {
    super(bench);
    this.path = path; // where the change goes
    this.say = say;
  }

  words(said) {
    return this.say ? [this.say(said), _("click, or Enter at the aim")] : super.words(said);
  }

  down(sample) {
    this.from = sample.place;
    // what a plain click takes is hatched while it is pressed
    if (sample.place && !this.say && !sample.touch && this.acts.hover(sample.place)) this.stage.press(sample.place);
  }

  up(sample) {
    const place = this.from;
    this.cancel();
    if (!place) return;
    if (this.say || !sample.touch) {
      if (!this.say) this.stage.aim = null;
      this.acts.commit(place, this.path);
      return;
    }
    // a tap only places the aim; the worded button in the status line then acts
    this.stage.aim = place;
    this.acts.hover(place);
    this.acts.spot(place);
    this.stage.overlay.ask();
  }

  key(event) {
    if (event.key !== "Enter" || !this.stage.aim) return false;
    this.acts.commit(this.stage.aim, this.path);
    return true;
  }

  cancel() {
    this.from = null;
    this.stage.release();
  }
}

export const upTo = (bench) => new PickTool(bench, "up-to", ({ upTo: words }) => worded(words, _("Up to here"), _("no tolerance gets further here")));
export const shortOf = (bench) => new PickTool(bench, "short-of", ({ shortOf: words }) => worded(words, _("Short of here"), _("this is not cleared")));
export const keep = (bench) => new PickTool(bench, "keep", () => _("Mark this as subject"));
export const guard = (bench) => new PickTool(bench, "guards", () => _("Protect this colour"));
