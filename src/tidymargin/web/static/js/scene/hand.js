// What is done with cuts on the stage: taken in hand, moved, sized, turned; by mouse, pen, touch and keys.

import { Newest, toQuery } from "../pixels.js";
import { angle, distance, isInside, middleOf, sayScale, sayTurn } from "./geometry.js";
import { _ } from "../words.js";

const DRAG_PX = 5;
const CORNER_PX = 16;
const TURN_PX = 44;
const MEETS_PX = 7;
const RESTS_MS = 350;
const ARROWS = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
const STEP = 1.05;
const PUTS_BACK = _("Esc puts it back");

export class Hand {
  constructor(stage, acts) {
    this.stage = stage;
    this.acts = acts; // { take(keys), post(path, values), say(verb, detail), spot(place) }
    this.down = new Map();
    this.mode = null;
    this.pending = null; // steps by keys that are not sent yet
    const { canvas } = stage;
    canvas.addEventListener("pointerdown", (event) => this.begin(event));
    canvas.addEventListener("pointermove", (event) => this.move(event));
    canvas.addEventListener("pointerup", (event) => this.end(event));
    canvas.addEventListener("pointercancel", () => this.drop());
    canvas.addEventListener("wheel", (event) => this.wheel(event), { passive: false });
    canvas.addEventListener("keydown", (event) => this.key(event));
    this.looks = new Newest(
      (order, signal) => this.findAt(order, signal),
      ({ key, name }) => this.mode === null && this.sayHere(key, name),
      () => null,
    );
  }

  get scene() {
    return this.stage.scene;
  }

  // What a click would do here.
  sayHere(key, name) {
    const { inHand } = this.scene;
    const held = inHand.map((cut) => cut.name).join(", ");
    if (key !== null && !this.scene.keys.includes(key)) this.acts.say(_("Take %(name)s in hand", { name }), _("a drag moves it; Shift and click takes it along with what is in hand"));
    else if (inHand.length) this.acts.say(held, _("drag to move, a corner to size, outside a corner to turn; Esc lays it down"));
    else this.acts.say(_("Point at a cut"), _("click takes it in hand, a drag moves it; N and B go from one to the next"));
  }

  async findAt({ x, y }, signal) {
    const cell = Math.max(1, 1 / this.stage.viewport.scale);
    const response = await fetch(`${this.scene.address}at?${toQuery({ x, y, cell })}`, { signal, headers: { Accept: "application/json" } });
    return response.ok ? response.json() : { key: null, name: "" };
  }

  // Which corner of what is in hand a place is at, and whether outside of it.
  cornerAt({ x, y }) {
    const [cut] = this.scene.inHand;
    if (this.scene.inHand.length !== 1 || cut.locked || !cut.corners.length) return null;
    const corners = cut.corners.map((corner) => this.stage.place(corner, false));
    const far = corners.map((corner) => Math.hypot(corner.x - x, corner.y - y) / this.stage.ratio);
    const least = Math.min(...far);
    const number = far.indexOf(least);
    if (least <= CORNER_PX) return { number, turns: false };
    return least <= TURN_PX && !isInside(corners, x, y) ? { number, turns: true } : null;
  }

  isOnHeld({ x, y }) {
    return this.scene.inHand.some((cut) => cut.corners.length && isInside(cut.corners.map((corner) => this.stage.place(corner, false)), x, y));
  }

  begin(event) {
    if (event.button > 0) return;
    this.flush();
    this.stage.canvas.setPointerCapture(event.pointerId);
    this.stage.canvas.focus({ preventScroll: true });
    const sample = this.stage.locate(event);
    this.down.set(event.pointerId, sample);
    if (this.down.size > 1) {
      this.drop(true);
      this.mode = "pinch";
      return;
    }
    this.from = sample;
    this.last = sample;
    this.corner = this.cornerAt(sample);
    this.wasHeld = this.isOnHeld(sample);
    this.hit = sample.touch && this.wasHeld ? null : this.findAt(sample.at).catch(() => ({ key: null, name: "" }));
    this.hit?.then((found) => (this.found = found));
    this.found = null;
    this.mode = "pressed";
  }

  move(event) {
    const sample = this.stage.locate(event);
    const before = this.down.get(event.pointerId);
    if (!before) {
      this.acts.spot(sample.at);
      const corner = this.cornerAt(sample);
      if (corner) this.acts.say(this.scene.inHand[0].name, corner.turns ? _("drag here to turn it; Shift turns in steps of 15°") : _("drag this corner to size it"));
      else this.looks.want(sample.at);
      return;
    }
    this.down.set(event.pointerId, sample);
    if (this.mode === "pinch") {
      const [other] = [...this.down].filter(([id]) => id !== event.pointerId).map(([, at]) => at);
      if (other) this.pinch(before, sample, other);
      return;
    }
    if (this.mode === "pressed") {
      if (!this.isFar(sample)) return;
      this.choose(sample);
    }
    this.follow(sample);
  }

  follow(sample) {
    this.latest = sample;
    if (this.mode === "pan") {
      this.stage.viewport.pan(sample.x - this.last.x, sample.y - this.last.y);
      this.stage.moved();
      this.last = sample;
    } else if (this.mode === "move") this.moveBy(sample);
    else if (this.mode === "size") this.sizeBy(sample);
    else if (this.mode === "turn") this.turnBy(sample);
  }

  // What a drag does is decided once: by what was under the press.
  choose(sample) {
    const key = this.found?.key ?? null;
    if (this.corner) {
      this.mode = this.corner.turns ? "turn" : "size";
      const [cut] = this.scene.inHand;
      this.pickUp([cut], { middle: middleOf(cut.corners), factor: 1, turn: 0 });
    } else if (this.wasHeld) {
      this.grab(this.scene.inHand);
    } else if (key !== null && !sample.touch) {
      this.acts.take([key]);
      this.grab(this.scene.inHand);
    } else if (this.hit && this.found === null && !sample.touch) {
      this.mode = "pressed"; // not known yet what is here
    } else {
      this.mode = "pan";
    }
  }

  grab(cuts) {
    const groups = new Set(cuts.map((cut) => cut.group).filter(Boolean));
    const moved = this.scene.held.filter((cut) => (cuts.includes(cut) || groups.has(cut.group)) && !cut.locked);
    if (!moved.length) {
      this.acts.say(cuts[0].name, _("it is locked and cannot be moved; its sentence unlocks it"));
      this.mode = "idle";
      return;
    }
    this.mode = "move";
    this.stops = null;
    this.pickUp(moved, { right: 0, down: 0, from: this.from });
    const keys = moved.map((cut) => cut.key).join(",");
    this.stopping = fetch(`${this.scene.address}stops?${toQuery({ keys })}`)
      .then((response) => response.json())
      .then((stops) => {
        this.stops = stops;
        if (this.mode === "move") this.follow(this.latest);
      })
      .catch(() => null);
  }

  pickUp(cuts, values) {
    this.stage.pickUp({ keys: cuts.map((cut) => cut.key), right: 0, down: 0, ...values });
  }

  moveBy(sample) {
    const { at } = this.stage.drag.from;
    const by = { right: sample.at.x - at.x, down: sample.at.y - at.y };
    const lines = {};
    const words = [];
    for (const [axis, field] of [["across", "right"], ["down", "down"]]) {
      const near = (MEETS_PX * this.stage.ratio) / this.stage.viewport.scale;
      const stop = sample.free ? null : (this.stops?.[axis] ?? []).reduce((best, one) => (Math.abs(one.by - by[field]) < Math.abs((best?.by ?? by[field] + near) - by[field]) ? one : best), null);
      if (stop) {
        lines[axis] = stop.line;
        words.push(stop.words);
        // what lies pixel on pixel stays so: it would be softer for half of one
        by[field] = this.scene.inHand.some((cut) => cut.exact) ? Math.round(stop.by) : stop.by;
      } else {
        by[field] = Math.round(by[field]); // whole pixels stay whole
      }
    }
    this.stage.follow({ ...by, lines });
    const name = this.scene.inHand.map((cut) => cut.name).join(", ");
    this.acts.say(name, words.length ? _("meets %(what)s; hold Ctrl to move freely", { what: words.join(_(", and ")) }) : `${this.sayFar(by)}; ${PUTS_BACK}`);
  }

  sayFar({ right, down }) {
    return _("%(right)s to the right, %(down)s down", { right: this.acts.length(right), down: this.acts.length(down) });
  }

  sizeBy(sample) {
    const { middle } = this.stage.drag;
    const factor = Math.max(0.02, distance(sample.at, middle) / Math.max(1, distance(this.from.at, middle)));
    const [cut] = this.scene.inHand;
    const scale = Math.min(100, Math.max(0.001, cut.scale * factor));
    this.stage.follow({ factor: scale / cut.scale, scale });
    this.acts.say(cut.name, `${sayScale(scale)}; ${PUTS_BACK}`);
  }

  turnBy(sample) {
    const { middle } = this.stage.drag;
    const [cut] = this.scene.inHand;
    let turn = (angle(sample.at, middle) - angle(this.from.at, middle) + 540) % 360 - 180;
    turn = sample.shift ? Math.round((cut.turn + turn) / 15) * 15 - cut.turn : Math.round(turn * 10) / 10;
    this.stage.follow({ turn });
    this.acts.say(cut.name, `${sayTurn(cut.turn + turn)}; ${PUTS_BACK}`);
  }

  async end(event) {
    const sample = this.stage.locate(event);
    this.down.delete(event.pointerId);
    if (this.down.size) return;
    if (this.mode === "pressed" && this.isFar(sample)) await this.decide(sample);
    const { mode } = this;
    this.mode = null;
    if (mode === "pressed") await this.click(sample);
    const { drag } = this.stage;
    if (!drag || drag.waits) return;
    if (mode === "move") {
      // let go before it is known what it meets: it meets the same
      await this.stopping;
      if (this.stage.drag !== drag) return;
      this.moveBy(sample);
      this.finish("move", { keys: drag.keys.join(","), right: drag.right, down: drag.down }, drag.right || drag.down);
    } else if (mode === "size") this.finish("size-cut", { key: drag.keys[0], scale: drag.scale }, drag.scale);
    else if (mode === "turn") this.finish("size-cut", { key: drag.keys[0], turn: this.scene.inHand[0].turn + drag.turn }, drag.turn);
  }

  isFar(sample) {
    return Math.hypot(sample.x - this.from.x, sample.y - this.from.y) >= DRAG_PX * this.stage.ratio;
  }

  // Let go before it is known what lay under the press: what was meant is done once it is.
  async decide(sample) {
    const { from } = this;
    this.found = await this.hit;
    if (this.mode !== "pressed" || this.from !== from) return;
    this.choose(sample);
    this.follow(sample);
  }

  finish(path, values, changes) {
    if (!changes) {
      this.stage.putBack();
      return;
    }
    this.stage.letGo();
    this.acts.post(path, values);
  }

  async click(sample) {
    const found = (await this.hit) ?? { key: null };
    const { keys } = this.scene;
    if (found.key === null) {
      if (!sample.shift && !this.wasHeld) this.acts.take([]);
    } else if (sample.shift) {
      this.acts.take(keys.includes(found.key) ? keys.filter((key) => key !== found.key) : [...keys, found.key]);
    } else if (!(keys.length === 1 && keys[0] === found.key)) {
      this.acts.take([found.key]);
    }
  }

  pinch(before, now, other) {
    const { viewport } = this.stage;
    const factor = Math.hypot(now.x - other.x, now.y - other.y) / Math.max(1, Math.hypot(before.x - other.x, before.y - other.y));
    viewport.zoomAt((now.x + other.x) / 2, (now.y + other.y) / 2, factor);
    viewport.pan((now.x - before.x) / 2, (now.y - before.y) / 2);
    this.stage.moved();
  }

  drop(isPinch = false) {
    if (!isPinch) this.down.clear();
    this.mode = null;
    clearTimeout(this.pending?.timer);
    this.pending = null;
    if (this.stage.drag && !this.stage.drag.waits) this.stage.putBack();
  }

  wheel(event) {
    event.preventDefault();
    const { x, y } = this.stage.locate(event);
    const lines = event.deltaMode === 1 ? event.deltaY * 16 : event.deltaY;
    this.stage.viewport.zoomAt(x, y, Math.exp(-Math.max(-240, Math.min(240, lines)) / 400));
    this.stage.moved();
  }

  key(event) {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    if (this.act(event)) event.preventDefault();
  }

  act(event) {
    const letter = event.key.toLowerCase();
    const { inHand } = this.scene;
    if (event.key in ARROWS) return this.nudge(ARROWS[event.key], event.shiftKey ? 10 : 1);
    if (letter === "n" || letter === "b") return this.walk(letter === "n" ? 1 : -1);
    if (letter === "l" || letter === "k") return this.nudgeSize(letter === "l" ? STEP : 1 / STEP);
    if (letter === "t") return this.nudgeTurn(event.shiftKey ? -5 : 5);
    if (event.key === "PageUp" || event.key === "PageDown") {
      if (inHand.length === 1) this.acts.post("stack", { key: inHand[0].key, to: event.key === "PageUp" ? "forward" : "backward" });
      return true;
    }
    if (event.key === "Delete" || event.key === "Backspace") {
      if (inHand.length) this.acts.post("several/take_out", { keys: this.scene.keys.join(",") });
      return true;
    }
    if (event.key === "Escape") {
      if (this.stage.drag && !this.stage.drag.waits) this.drop();
      else this.acts.take([]);
      return true;
    }
    if (event.key === "+" || event.key === "=" || event.key === "-") {
      const { viewport } = this.stage;
      viewport.zoomAt(viewport.width / 2, viewport.height / 2, event.key === "-" ? 1 / 1.5 : 1.5);
      this.stage.moved();
      return true;
    }
    return false;
  }

  // From the front to the back.
  walk(by) {
    this.flush();
    const order = this.scene.held.map((cut) => cut.key).reverse();
    if (!order.length) return true;
    const at = order.indexOf(this.scene.keys[0]);
    this.acts.take([order[at < 0 ? (by > 0 ? 0 : order.length - 1) : (at + by + order.length) % order.length]]);
    return true;
  }

  // Steps of one kind by keys are one change once the hand rests, or another kind begins.
  isNew(kind) {
    if (this.pending && this.pending.kind !== kind) this.flush();
    return !this.pending || !this.stage.drag;
  }

  rest(kind, send) {
    clearTimeout(this.pending?.timer);
    this.pending = { kind, send, timer: setTimeout(() => this.flush(), RESTS_MS) };
    return true;
  }

  flush() {
    const { pending } = this;
    this.pending = null;
    clearTimeout(pending?.timer);
    pending?.send();
  }

  nudge([x, y], far) {
    const cuts = this.scene.inHand;
    if (!cuts.length) {
      this.stage.viewport.pan(-x * far * 16, -y * far * 16);
      this.stage.moved();
      return true;
    }
    if (this.isNew("place")) this.grab(cuts);
    if (this.mode === "idle") return true;
    this.mode = null;
    const { drag } = this.stage;
    const by = { right: drag.right + x * far, down: drag.down + y * far };
    this.stage.follow(by);
    this.acts.say(cuts.map((cut) => cut.name).join(", "), this.sayFar(by));
    return this.rest("place", () => this.finish("move", { keys: drag.keys.join(","), ...by }, by.right || by.down));
  }

  nudgeSize(factor) {
    const [cut] = this.scene.inHand;
    if (this.scene.inHand.length !== 1 || cut.locked || !cut.corners.length) return true;
    if (this.isNew("size")) this.pickUp([cut], { middle: middleOf(cut.corners), factor: 1 });
    const scale = Math.min(100, Math.max(0.001, (this.stage.drag.scale ?? cut.scale) * factor));
    this.stage.follow({ factor: scale / cut.scale, scale });
    this.acts.say(cut.name, sayScale(scale));
    return this.rest("size", () => this.finish("size-cut", { key: cut.key, scale }, true));
  }

  nudgeTurn(by) {
    const [cut] = this.scene.inHand;
    if (this.scene.inHand.length !== 1 || cut.locked || !cut.corners.length) return true;
    if (this.isNew("turn")) this.pickUp([cut], { middle: middleOf(cut.corners), turn: 0 });
    const turn = (this.stage.drag.turn ?? 0) + by;
    this.stage.follow({ turn });
    this.acts.say(cut.name, sayTurn(cut.turn + turn));
    return this.rest("turn", () => this.finish("size-cut", { key: cut.key, turn: cut.turn + turn }, turn));
  }
}
