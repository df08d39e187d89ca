// The worded buttons by which an implement is taken in hand, and those that decide on what was drawn with it.

export class Marking {
  constructor(stage, pointer, laid, send) {
    this.stage = stage;
    this.pointer = pointer;
    this.laid = laid; // tools by name
    this.send = send; // (verdict, rings)
    document.addEventListener("click", ({ target }) => {
      const { implement, decide } = target.dataset ?? {};
      if (implement) pointer.take(implement);
      if (decide !== undefined) this.decide(decide);
      if (implement || decide !== undefined) this.follow();
    });
  }

  get rings() {
    return Object.values(this.laid).flatMap((tool) => tool.rings);
  }

  // Sends what was drawn, with whichever implement, and what becomes of it; with nothing said, it is forgotten.
  decide(verdict) {
    const { rings } = this;
    for (const tool of Object.values(this.laid)) tool.rings = [];
    if (verdict) this.send(verdict, rings);
  }

  layDown() {
    this.pointer.take("");
    this.follow();
  }

  // The ledger was swapped, or something was drawn.
  follow() {
    const { pointer } = this;
    const buttons = document.querySelectorAll("[data-implement]");
    if (!buttons.length && pointer.laid) pointer.take("");
    const pending = document.getElementById("pending");
    if (pending) pending.hidden = !this.rings.length;
    for (const button of buttons) {
      const isOn = Boolean(pointer.laid) && pointer.laid === this.laid[button.dataset.implement];
      button.setAttribute("aria-pressed", String(isOn));
      button.classList.toggle("on", isOn);
    }
    if (pointer.laid) pointer.sayHere();
    this.stage.overlay.ask();
  }
}
