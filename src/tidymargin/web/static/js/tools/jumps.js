// Jumps: the wheel walks from one tolerance at which something goes to the next; letting go takes it.

import { Tool } from "./tool.js";
import { _, shown } from "../words.js";

export class JumpsTool extends Tool {
  words({ tried }) {
    const verb = tried === null ? _("Walk from jump to jump") : _("Up to %(t)s", { t: shown(tried, 1) });
    return [verb, _("turn the wheel; let go of J to take it, Esc to leave it")];
  }

  wheel(by) {
    this.acts.walkJumps(by);
    return true;
  }

  letGo() {
    this.acts.takeJump();
  }
}
