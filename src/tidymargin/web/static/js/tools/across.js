// Across: while its letter is held, the wheel makes the stroke in hand wider or narrower.

import { Tool } from "./tool.js";

export class AcrossTool extends Tool {
  words() {
    return [`${this.bench.settings.values.across} px across`, "turn the wheel; let go of A when it is right"];
  }

  wheel(by) {
    this.bench.settings.widen(-by);
    this.acts.sayHere();
    return true;
  }
}
