// How marks are drawn: asked for by name, once, since a mark of one name is always the same.

import { toError } from "./pixels.js";

const AT_ONCE = 200; // names that one question has

export class Shapes {
  constructor(sheet, changed) {
    this.sheet = sheet;
    this.changed = changed;
    this.known = new Map();
  }

  of(name) {
    return this.known.get(name);
  }

  // The marks that are listed now; those not known yet are asked for.
  async follow(marks) {
    const size = `${this.sheet.width}x${this.sheet.height}:${JSON.stringify(this.sheet.corners ?? "")}`;
    if (size !== this.size) this.known.clear();
    this.size = size;
    const missing = [...new Set(marks.map(({ name }) => name))].filter((name) => !this.known.has(name));
    while (missing.length) {
      const names = missing.splice(0, AT_ONCE);
      try {
        const response = await fetch(`${this.sheet.address}marks/shapes?names=${names}`, { headers: { Accept: "application/json" } });
        if (!response.ok) throw await toError(response);
        for (const [name, shape] of Object.entries(await response.json())) this.known.set(name, shape);
      } catch {
        return; // they are asked for again with the next change
      }
    }
    this.changed();
  }
}
