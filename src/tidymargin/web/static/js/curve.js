// Tolerance along the curve: drag, click or keys try it out live; letting go makes one row of history.

import { shown } from "./words.js";

const SETTLE_MS = 700;

export class Curve {
  constructor(acts) {
    this.acts = acts; // { tryTolerance(tolerance|null), settle() }
    this.timer = null;
    document.addEventListener("pointerdown", (event) => this.begin(event));
    document.addEventListener("pointermove", (event) => this.dragged === event.pointerId && this.follow(event));
    document.addEventListener("pointerup", (event) => this.end(event));
    document.addEventListener("keydown", (event) => this.key(event));
  }

  get drawing() {
    return document.getElementById("curve");
  }

  get step() {
    return Number(this.drawing.dataset.step);
  }

  get value() {
    return Number(document.getElementById("grip").getAttribute("aria-valuenow"));
  }

  begin(event) {
    const svg = event.target.closest?.("#curve");
    if (!svg || event.button > 0) return;
    event.preventDefault();
    this.start = this.value;
    this.dragged = event.pointerId;
    svg.setPointerCapture(event.pointerId);
    document.getElementById("grip").focus({ preventScroll: true });
    this.follow(event);
  }

  follow(event) {
    const svg = this.drawing;
    if (!svg) return;
    const box = svg.getBoundingClientRect();
    const share = Math.min(1, Math.max(0, (event.clientX - box.left) / box.width));
    this.set(Number(svg.dataset.most) * share * share);
  }

  end(event) {
    if (this.dragged !== event.pointerId) return;
    this.dragged = null;
    if (this.drawing && this.value !== this.start) this.submit();
  }

  key(event) {
    if (event.key === "Escape" && this.dragged != null) {
      this.dragged = null;
      this.set(this.start);
      this.acts.tryTolerance(null);
      return;
    }
    if (event.target.id !== "grip") return;
    const stops = this.drawing.dataset.stops.split(" ").filter(Boolean).map(Number);
    const now = this.value;
    const to = {
      ArrowLeft: now - this.step, ArrowDown: now - this.step, ArrowRight: now + this.step, ArrowUp: now + this.step,
      PageUp: stops.find((stop) => stop > now) ?? now,
      PageDown: stops.findLast((stop) => stop - this.step < now - this.step / 2) - this.step || now,
      Home: 0, End: Number(this.drawing.dataset.most),
    }[event.key];
    if (to === undefined) return;
    event.preventDefault();
    this.set(to);
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.submit(), SETTLE_MS);
  }

  set(wanted) {
    const svg = this.drawing;
    const most = Number(svg.dataset.most);
    const tolerance = Math.round(Math.min(most, Math.max(0, wanted)) / this.step) * this.step;
    const text = tolerance.toFixed(1);
    const said = shown(tolerance, 1);
    const x = Number(svg.dataset.width) * Math.sqrt(tolerance / most);
    const grip = document.getElementById("grip");
    grip.setAttribute("aria-valuenow", text);
    grip.setAttribute("transform", `translate(${x} 0)`);
    const now = document.getElementById("curve-now");
    now.textContent = said;
    now.setAttribute("x", x);
    document.getElementById("tolerance").value = said;
    document.getElementById("phrase-tolerance").textContent = said;
    this.acts.tryTolerance(Number(text));
  }

  submit() {
    clearTimeout(this.timer);
    document.getElementById("tolerance-form")?.requestSubmit();
  }
}
