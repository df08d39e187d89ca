// Flying to places that lists name, and walking from one listed pocket to the next.

export class Walking {
  constructor(stage, { say, look }) {
    this.stage = stage;
    this.say = say; // in the status line
    this.look = look; // at a place, as if the pointer were there
    this.walked = -1;
    document.addEventListener("click", ({ target }) => {
      const item = target.closest?.(".pockets .show")?.closest("li");
      if (item) this.flyTo([...item.parentElement.children].indexOf(item));
    });
  }

  // Shows a box of the picture, with as much around it on either side.
  lookAt([left, top, right, bottom]) {
    const { viewport } = this.stage;
    const fit = Math.min(viewport.width / (right - left) / 3, viewport.height / (bottom - top) / 3);
    viewport.lookAt((left + right) / 2, (top + bottom) / 2, Math.min(8, fit));
    this.stage.moved();
  }

  // Goes to the next pocket of the list or the one before; the undecided ones stand first.
  walk(by) {
    const rows = this.stage.sheet.pockets;
    if (!rows.length) {
      this.say("No pocket is listed", "open the second sentence to see them");
      return;
    }
    document.getElementById("pockets").open = true;
    this.walked = (this.walked + by + rows.length) % rows.length;
    this.flyTo(this.walked);
  }

  flyTo(number) {
    const { box, row, col } = this.stage.sheet.pockets[number];
    this.lookAt(box);
    this.stage.aim = { row, col };
    this.look({ row, col });
    document.querySelectorAll(".pockets li")[number].scrollIntoView({ block: "nearest" });
  }
}
