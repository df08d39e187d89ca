// Across: while its letter is held, the wheel makes the stroke in hand wider or narrower.

import { Tool } from "./tool.js";
import { _ } from "../words.js";

export class AcrossTool extends Tool {
  words() {
    return [_("%(px)s px across", { px: this.bench.settings.values.across }), _("turn the wheel; let go of A when it is right")];
  }

  wheel(by) {
    this.bench.settings.widen(-by);
    this.acts.sayHere();
    return true;
  }
}
