// Flying to places that lists name, and walking from one listed fault, question or pocket to the next.

import { _ } from "./words.js";

export class Walking {
  constructor(stage, { say, look, show, questions }) {
    this.stage = stage;
    this.questions = questions;
    this.say = say; // in the status line
    this.look = look; // at a place, as if the pointer were there
    this.show = show; // at a place, in the strip
    this.walked = -1;
    document.addEventListener("click", ({ target }) => {
      const item = target.closest?.(".pockets .show, .faults .show")?.closest("li");
      if (!item) return;
      this.walked = [...item.parentElement.children].indexOf(item);
      if (item.parentElement.matches(".faults")) this.flyToFault(item);
      else this.flyTo(item);
    });
  }

  // Shows a box of the picture, with as much around it on either side.
  lookAt([left, top, right, bottom]) {
    const { viewport } = this.stage;
    const fit = Math.min(viewport.width / (right - left) / 3, viewport.height / (bottom - top) / 3);
    viewport.lookAt((left + right) / 2, (top + bottom) / 2, Math.min(8, fit));
    this.stage.moved();
  }

  // Goes to the next of what is listed or the one before: faults, else questions, else pockets.
  walk(by) {
    const faults = [...document.querySelectorAll(".faults > li")];
    if (faults.length) {
      this.walked = (this.walked + by + faults.length) % faults.length;
      this.flyToFault(faults[this.walked]);
      return;
    }
    if (this.questions.walk(by)) return;
    const rows = [...document.querySelectorAll(".pockets > li")];
    if (!rows.length) {
      this.say(_("Nothing is listed"), _("open the second sentence to see questions and enclosed areas"));
      return;
    }
    document.getElementById("pockets").open = true;
    this.walked = (this.walked + by + rows.length) % rows.length;
    this.flyTo(rows[this.walked]);
  }

  flyToFault(row) {
    const { row: at, col, box } = row.dataset;
    this.stage.sheet.fault = box.split(" ").map(Number);
    this.stage.aim = null; // Enter would do there what a click does, and the line says the fault
    this.lookAt(this.stage.sheet.fault);
    this.show({ row: Number(at), col: Number(col) });
    for (const each of row.parentElement.children) each.classList.toggle("under", each === row);
    row.scrollIntoView({ block: "nearest" });
    this.say(row.querySelector("span").firstChild.textContent.trim(), _("R mends it, Y ignores it, N goes to the next"));
  }

  // Mends the fault that was walked to, or lets it be; the next one then stands in its place.
  decide(what) {
    const faults = [...document.querySelectorAll(".faults > li")];
    if (!faults.length) return; // keys of questions are theirs
    const row = faults[Math.min(Math.max(0, this.walked), faults.length - 1)];
    const button = row.querySelector(`.${what}`);
    if (!button) {
      this.say(_("Nothing mends this by one change"), _("Y ignores it"));
      return;
    }
    this.walked -= 1; // what follows moves up
    button.click();
  }

  flyTo(item) {
    const { box, row, col } = this.stage.sheet.pockets[Number(item.dataset.at)];
    this.lookAt(box);
    this.stage.aim = { row, col };
    this.look({ row, col });
    item.scrollIntoView({ block: "nearest" });
  }
}
