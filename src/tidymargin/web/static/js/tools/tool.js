// What an implement on the stage is: every method may stay as it is here.
//
// A sample is what a pointer does at an instant: `x` and `y` on the canvas in device pixels, `at` in picture pixels
// with their fractions, `place` as row and col or null beside the picture, `pressure` 0 to 1, `touch`, `pen`, `shift` whether that key is down, and `parts`, the
// samples that came since the last one, this one included.

export class Tool {
  constructor(bench) {
    this.bench = bench; // { stage, acts }
    this.stage = bench.stage;
    this.acts = bench.acts;
  }

  // Whether a press that moves away stays this tool's; the others are then let go of, and the picture is panned.
  get strokes() {
    return false;
  }

  // The verb and the detail of the status line, given what the server says of the place.
  words({ verb, detail }) {
    return [verb ?? "", detail ?? ""];
  }

  // The pointer moved without a press, or left the stage.
  hover() {}

  down() {}

  move() {}

  up() {}

  // A key was pressed; whether it meant something here.
  key() {
    return false;
  }

  // The wheel was turned by a step; whether that meant something here.
  wheel() {
    return false;
  }

  // The letter was let go of by which this was held.
  letGo() {}

  // What was begun is given up: nothing of it is left.
  cancel() {}

  // Draws what is being made on the overlay, with `pen` of paint.js.
  draw() {}
}
