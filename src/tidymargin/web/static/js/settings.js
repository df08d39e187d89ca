// How the implement in hand marks: kept over every change of the ledger, and shown in the open part's controls.

import { shown } from "./words.js";

const DIGITS = { across: 1, upTo: 1, hardness: 0, strength: 0, lineWidth: 1 };

export class Settings {
  constructor(changed) {
    this.changed = changed;
    this.values = {
      verdict: "clear", rubs: "clear", scribbles: "keep", colour: "ground", joins: "joined",
      across: 40, upTo: "", hardness: 100, strength: 100, lineWidth: 1.5, presses: true,
    };
    document.addEventListener("click", ({ target }) => {
      const { set } = target.dataset ?? {};
      if (set && target.matches("button")) this.set(set, target.value);
    });
    this.finer = false; // whether the fold of what is seldom set is open
    document.addEventListener("toggle", ({ target }) => target.id === "finer" && (this.finer = target.open), true);
    document.addEventListener("change", ({ target }) => {
      const { set } = target.dataset ?? {};
      if (!set) return;
      if (target.type === "checkbox") this.set(set, target.checked);
      else this.read(set, target);
    });
  }

  // A number that cannot be is not taken; the field shows again what holds.
  read(name, field) {
    const said = field.value.trim().replace(",", ".");
    const number = Number(said);
    const isEmpty = said === "" && name === "upTo";
    const fits = said !== "" && number >= Number(field.dataset.least) && number <= Number(field.dataset.most);
    if (isEmpty) this.set(name, "");
    else if (fits) this.set(name, number);
    else this.show();
  }

  set(name, value) {
    this.values[name] = value;
    this.show();
    this.changed();
  }

  // Makes the stroke wider or narrower by a tenth, and by half a pixel at least.
  widen(by) {
    const { across } = this.values;
    const step = Math.max(0.5, across / 10);
    this.set("across", Math.min(2000, Math.max(0.5, Math.round((across + by * step) * 2) / 2)));
  }

  show() {
    const fold = document.getElementById("finer");
    if (fold) fold.open = this.finer;
    for (const control of document.querySelectorAll("[data-set]")) {
      const value = this.values[control.dataset.set];
      if (control.matches("button")) {
        const isOn = control.value === value;
        control.setAttribute("aria-pressed", String(isOn));
        control.classList.toggle("on", isOn);
      } else if (control.type === "checkbox") {
        control.checked = value;
      } else if (control !== document.activeElement || control.value.trim() === "") {
        control.value = value === "" ? "" : shown(Number(value.toFixed(DIGITS[control.dataset.set])));
        if (control.dataset.set === "upTo") control.placeholder = "auto";
      }
    }
  }
}
