// What could be either way: one question at a time, walked through, answered and taken apart by buttons or keys.

import { _ } from "./words.js";

const KEYS = { r: "clear", k: "keep", l: "rest", n: 1, b: -1 };

export class Questions {
  constructor({ fly, say }) {
    this.fly = fly; // (box, place)
    this.say = say; // in the status line
    this.at = 0;
    this.isSeen = false; // the question that is shown was flown to
    this.isApart = false;
    this.goesOn = false; // a key answered, so the next question is shown when it is there
    document.addEventListener("click", ({ target }) => {
      const by = target.closest?.("[data-walk]")?.dataset.walk;
      if (by) this.walk(Number(by));
    });
    document.addEventListener("toggle", ({ target }) => this.took(target), true);
    document.addEventListener("keydown", (event) => {
      const { key, target, ctrlKey, metaKey, altKey } = event;
      if (ctrlKey || metaKey || altKey || !target.closest?.("#questions")) return;
      if (this.key(key.toLowerCase())) event.preventDefault();
    });
  }

  get rows() {
    return [...document.querySelectorAll(".questions > li")];
  }

  // The list was swapped: the question that stands where the last one stood is shown.
  follow() {
    const { rows } = this;
    this.at = Math.max(0, Math.min(this.at, rows.length - 1));
    rows.forEach((row, n) => (row.hidden = n !== this.at));
    const apart = rows[this.at]?.querySelector(".apart");
    if (apart && this.isApart) apart.open = true;
    const part = document.getElementById("questions");
    if (this.keeps && part) (rows[this.at]?.querySelector(`.${this.keeps}`) ?? part.querySelector("p"))?.focus({ preventScroll: true });
    this.keeps = "";
    if (!this.goesOn || !rows.length) return;
    this.goesOn = false;
    this.isSeen = true;
    this.show();
  }

  took(details) {
    if (details.matches?.(".apart")) this.isApart = details.open;
  }

  // Whether there is anything to walk through.
  walk(by) {
    const { rows } = this;
    if (!rows.length) return false;
    this.isApart = false;
    if (this.isSeen || by < 0) this.at = (this.at + by + rows.length) % rows.length;
    this.isSeen = true;
    this.follow();
    this.show();
    return true;
  }

  show() {
    const row = this.rows[this.at];
    this.fly(row.dataset.box.split(" ").map(Number), { row: Number(row.dataset.row), col: Number(row.dataset.col) });
    row.scrollIntoView({ block: "nearest" });
    this.say(row.querySelector("p").firstChild.textContent.trim(), _("R removes it, K keeps it, N goes to the next"));
  }

  // Answers by a key; whether that means something now.
  key(name) {
    const row = this.rows[this.at];
    const what = KEYS[name];
    if (!row || what === undefined) return false;
    if (typeof what === "number") return this.walk(what);
    const inRow = row.contains(document.activeElement);
    if (!this.isSeen && !inRow) return this.walk(1); // nothing is answered that was not looked at
    this.keeps = inRow && what !== "rest" ? what : "";
    this.isSeen = false; // the next one will stand here
    this.goesOn = !inRow;
    (what === "rest" ? document.getElementById("keep-rest") : row.querySelector(`.choice.${what}`)).click();
    return true;
  }
}
