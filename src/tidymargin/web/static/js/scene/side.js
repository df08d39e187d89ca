// The stack from the side: a sheet is pulled up or down to change the order, and sideways to move it.

import { _ } from "../words.js";

const PULL_PX = 6;

export class Side {
  constructor(section, acts) {
    this.acts = acts; // { take(keys), post(path, values), scene }
    section.addEventListener("pointerdown", (event) => this.begin(event));
    section.addEventListener("pointermove", (event) => this.move(event));
    section.addEventListener("pointerup", () => this.end());
    section.addEventListener("pointercancel", () => this.drop());
    section.addEventListener("keydown", (event) => this.key(event));
    section.addEventListener("click", (event) => {
      // by keyboard; a pointer's press ends above
      const edge = event.target.closest("button.edge");
      if (edge && event.detail === 0) this.acts.take([Number(edge.dataset.key)]);
    });
  }

  begin(event) {
    const edge = event.target.closest("button.edge");
    if (!edge || event.button > 0) return;
    edge.setPointerCapture(event.pointerId);
    this.pull = { edge, x: event.clientX, y: event.clientY, shift: event.shiftKey, way: null };
  }

  move(event) {
    const { pull } = this;
    if (!pull) return;
    const [right, down] = [event.clientX - pull.x, event.clientY - pull.y];
    if (!pull.way && Math.hypot(right, down) < PULL_PX) return;
    pull.way ??= Math.abs(down) >= Math.abs(right) ? "order" : "place";
    pull.right = right;
    pull.down = down;
    pull.edge.classList.add("pulled");
    pull.edge.style.translate = pull.way === "order" ? `0 ${down}px` : `${right}px 0`;
    const name = pull.edge.querySelector("span").textContent;
    this.acts.say(name, pull.way === "order" ? _("let go for place %(n)s from the back", { n: this.placeOf(pull) + 1 }) : _("%(far)s to the right", { far: this.acts.length(this.farOf(pull)) }));
  }

  placeOf({ edge, down }) {
    const rows = Math.round(-down / edge.offsetHeight);
    return Math.min(this.acts.scene.held.length - 1, Math.max(0, Number(edge.dataset.to) + rows));
  }

  farOf({ edge, right }) {
    return Math.round((right / edge.querySelector("svg").clientWidth) * this.acts.scene.width);
  }

  end() {
    const { pull } = this;
    this.drop();
    if (!pull) return;
    const key = Number(pull.edge.dataset.key);
    if (!pull.way) {
      const { keys } = this.acts.scene;
      if (!pull.shift) this.acts.take([key]);
      else this.acts.take(keys.includes(key) ? keys.filter((one) => one !== key) : [...keys, key]);
    } else if (pull.way === "order") {
      const to = this.placeOf(pull);
      if (to !== Number(pull.edge.dataset.to)) this.acts.post("stack", { key, to });
    } else if (this.farOf(pull)) {
      this.acts.post("move", { keys: String(key), right: this.farOf(pull), down: 0 });
    }
  }

  drop() {
    if (this.pull) {
      this.pull.edge.style.translate = "";
      this.pull.edge.classList.remove("pulled");
    }
    this.pull = null;
  }

  key(event) {
    const edge = event.target.closest("button.edge");
    if (!edge || event.ctrlKey || event.metaKey || event.altKey) return;
    const key = Number(edge.dataset.key);
    const order = { ArrowUp: "forward", ArrowDown: "backward" }[event.key];
    const right = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (order) this.acts.post("stack", { key, to: order });
    else if (right) this.acts.post("move", { keys: String(key), right: right * (event.shiftKey ? 10 : 1), down: 0 });
    else return;
    event.preventDefault();
  }
}
