// Marks by hand: the worded buttons by which an implement is taken in hand, what is drawn with it, and the list of marks.

import { Shapes } from "./shapes.js";

const AGAIN_AFTER_MS = 2000;
const REACH_PX = 8;

export class Marking {
  constructor(stage, pointer, laid, settings, { send, fly, say }) {
    this.stage = stage;
    this.pointer = pointer;
    this.laid = laid; // tools by name
    this.settings = settings;
    this.send = send; // (path, values): "sent", "refused" or "lost"
    this.fly = fly; // (box)
    this.say = say;
    this.queue = [];
    this.next = "";
    this.home = ""; // the open sentence, if it has implements
    this.shown = ""; // verdict that is listed, all where empty
    this.shapes = new Shapes(stage.sheet, () => this.drawn());
    document.addEventListener("click", ({ target }) => this.click(target.closest?.("button")));
    for (const [name, on] of [["pointerover", true], ["pointerout", false], ["focusin", true], ["focusout", false]]) {
      document.addEventListener(name, ({ target }) => this.point(target.closest?.(".marks [data-numbers]"), on));
    }
  }

  click(button) {
    const { implement, decide, outline, show, fly, change, same, then } = button?.dataset ?? {};
    if (same) this.mark(`${same}/set`, this.laid.stroke.measures());
    if (then) this.next = then; // once the sentence is open that it is taken in hand in
    if (implement) this.take(implement);
    if (decide !== undefined) this.decide(decide);
    if (outline === "ring") this.laid.corners.close();
    else if (outline) this.laid.outline.act(outline);
    if (show !== undefined) this.shown = show;
    if (fly) this.flyTo(Number(fly));
    if (change) {
      this.laid[button.value].goOn(Number(change));
      if (this.pointer.laid !== this.laid[button.value]) this.pointer.take(button.value);
    }
    if (implement || decide !== undefined || outline || show !== undefined || change) this.follow();
  }

  take(name) {
    this.pointer.take(name);
  }

  get rings() {
    return Object.values(this.laid).flatMap((tool) => tool.rings ?? []);
  }

  // Sends what was drawn, with whichever implement, and what becomes of it; with nothing said, it is forgotten.
  decide(verdict) {
    const { rings } = this;
    const forget = () => Object.values(this.laid).forEach((tool) => tool.forget?.());
    if (verdict && rings.length) this.mark(`area/${verdict}`, { rings }, forget);
    else forget();
  }

  // Sends one change after the other, since each is made on the state that the one before left. What was drawn stays
  // on the stage until it is answered for; where the server does not answer, it is sent again when it does.
  // Values may be a function: what is only known once the changes before are made.
  async mark(path, values, answered = () => {}) {
    this.queue.push({ path, values, answered });
    if (this.queue.length > 1) return;
    while (this.queue.length) {
      const [next] = this.queue;
      const values = typeof next.values === "function" ? next.values() : next.values;
      const came = await this.send(`marks/${next.path}`, values);
      if (came === "lost") {
        await new Promise((resolve) => setTimeout(resolve, AGAIN_AFTER_MS));
        continue;
      }
      this.queue.shift();
      next.answered();
      this.follow();
    }
  }

  layDown() {
    this.laid.outline.settleNudge();
    this.pointer.take("");
    this.follow();
  }

  // The marks' own rows are marked on the stage while the pointer or the focus is on them.
  point(row, on) {
    if (!row) return;
    this.stage.sheet.pointed = on ? row.dataset.numbers.split(" ").map(Number) : [];
    this.stage.overlay.ask();
  }

  // The mark under the pointer thickens, and its row is marked.
  pointAt(sample) {
    const { sheet, viewport, ratio, overlay } = this.stage;
    let best = REACH_PX * ratio;
    let under = 0;
    for (const { name, number } of sample ? sheet.marks : []) {
      const shape = this.shapes.of(name);
      for (const line of shape ? [...shape.rings, ...shape.lines] : []) {
        for (const [x, y] of line) {
          const at = viewport.toCanvas(x, y);
          const away = Math.hypot(at.x - sample.x, at.y - sample.y);
          if (away < best) [best, under] = [away, number];
        }
      }
    }
    if ((sheet.pointed?.[0] ?? 0) === under) return;
    sheet.pointed = under ? [under] : [];
    for (const row of document.querySelectorAll(".marks [data-numbers]")) {
      row.classList.toggle("under", under > 0 && row.dataset.numbers.split(" ").includes(String(under)));
    }
    overlay.ask();
  }

  shapeOf(number) {
    const mark = this.stage.sheet.marks.find((each) => each.number === number);
    return mark && this.shapes.of(mark.name);
  }

  flyTo(number) {
    const shape = this.shapeOf(number);
    if (!shape) return;
    const places = [...shape.rings.flat(), ...shape.lines.flat(), ...shape.points.map(({ x, y }) => [x, y])];
    const [xs, ys] = [places.map(([x]) => x), places.map(([, y]) => y)];
    this.fly([Math.min(...xs), Math.min(...ys), Math.max(...xs) + 1, Math.max(...ys) + 1]);
  }

  // How marks look has come from the server.
  drawn() {
    if (!this.queue.length) this.laid.outline.show(this.shapes);
    this.show();
    if (this.pointer.laid) this.pointer.sayHere(); // what is in hand may have its points only now
    this.stage.overlay.ask();
  }

  // The ledger was swapped, or something was drawn.
  follow() {
    const { pointer } = this;
    const home = document.querySelector("[data-implement]")?.closest(".step")?.id ?? "";
    if (home !== this.home && pointer.laid) pointer.take(""); // it belongs to a sentence that is closed now
    this.home = home;
    const isOpen = home !== "";
    if (isOpen && this.next) {
      pointer.take(this.next);
      this.next = "";
    }
    if (isOpen) {
      const { marks } = this.stage.sheet;
      this.laid.outline.follow(marks);
      this.laid.rough.follow(marks);
      this.shapes.follow(marks);
    }
    this.show();
    if (pointer.laid) pointer.sayHere();
    this.stage.overlay.ask();
  }

  show() {
    const { pointer } = this;
    const inHand = Object.keys(this.laid).find((name) => this.laid[name] === pointer.laid) ?? "none";
    for (const part of document.querySelectorAll("[data-for]")) part.hidden = !part.dataset.for.split(" ").includes(inHand);
    for (const [id, isThere] of [["pending", this.rings.length], ["corners-open", this.laid.corners.corners.length > 2]]) {
      const part = document.getElementById(id);
      if (part) part.hidden = !isThere;
    }
    for (const button of document.querySelectorAll("[data-outline]")) button.disabled = !this.laid.outline.can(button.dataset.outline);
    for (const button of document.querySelectorAll("[data-implement], [data-show]")) {
      const { implement, show } = button.dataset;
      const isOn = implement ? implement === inHand : show === this.shown;
      button.setAttribute("aria-pressed", String(isOn));
      button.classList.toggle("on", isOn);
    }
    for (const row of document.querySelectorAll(".marks [data-verdict]")) row.hidden = Boolean(this.shown) && row.dataset.verdict !== this.shown;
    this.settings.show();
  }
}
