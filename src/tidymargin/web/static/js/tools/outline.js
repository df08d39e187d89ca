// Outline: points set one by one, parts bent by pulling them; it goes on from either end, however long ago it was left.

import { Newest } from "../pixels.js";
import { drawBend, drawMark, drawPoint } from "../paint.js";
import { Tool } from "./tool.js";
import { _ } from "../words.js";

const REACH_PX = 10;
const NUDGE_MS = 500;
const ARROWS = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };

export class OutlineTool extends Tool {
  constructor(bench) {
    super(bench);
    this.number = 0; // of the outline in hand; 0 begins one
    this.points = [];
    this.parts = [];
    this.isClosed = false;
    this.chosen = -1;
    this.hold = null; // what the press took: a point, or a part
    this.wantsNew = false;
    this.begins = false; // its first point is sent, and not answered for yet
    this.own = null; // what the ledger says of it
    this.shapes = new Newest(
      async (order, signal) => this.acts.askParts(order, signal),
      ({ parts }) => {
        this.parts = parts;
        this.stage.overlay.ask();
      },
      () => {},
    );
  }

  get strokes() {
    return this.hold !== null;
  }

  words() {
    if (!this.points.length) return [_("Set the first point"), _("click along the subject; Esc lays it down, and it stays to be gone on with")];
    if (this.isClosed) return [_("Outline, closed"), _("pull a point to move it, a part to bend it; say in the open sentence what it does")];
    const atFirst = this.chosen === 0 && this.points.length > 1;
    const goesOn = atFirst ? _("click goes on from its beginning; pull a part to bend it, Enter closes it") : _("click goes on from its end; pull a part to bend it, Enter closes it");
    return [_("Outline, points: %(n)s", { n: this.points.length }), goesOn];
  }

  // The ledger was swapped: the outline in hand is the one it was, or the one that was left open last.
  follow(marks) {
    const outlines = marks.filter(({ kind }) => kind === "outline");
    const last = this.wantsNew ? null : outlines.findLast(({ is_open: isOpen }) => isOpen);
    const own = outlines.find(({ number }) => number === this.number) ?? (this.begins ? outlines.at(-1) : last);
    this.begins = this.begins && !own;
    if (own && own.number !== this.number && !this.points.length) this.chosen = -1;
    this.number = own?.number ?? 0;
    this.own = own ?? null;
  }

  // Shows the outline in hand as it is stored, unless it is under the hand.
  show(shapes) {
    const { own } = this;
    const shape = own && shapes.of(own.name);
    if (this.hold || this.nudging || this.begins || (own && !shape)) return;
    this.points = (shape?.points ?? []).map((point) => ({ ...point }));
    this.parts = shape?.lines ?? [];
    this.isClosed = Boolean(own) && !own.is_open;
    this.chosen = Math.min(this.chosen, this.points.length - 1);
    if (this.chosen < 0 && !this.isClosed) this.chosen = this.points.length - 1;
  }

  // Goes on with the outline of a number.
  goOn(number) {
    this.number = number;
    this.wantsNew = false;
    this.begins = false;
    this.chosen = -1;
  }

  // Whether one of the worded buttons means something now.
  can(name) {
    if (name === "ring" || name === "new") return true;
    if (name === "close" || name === "open") return this.points.length > 1 && this.isClosed === (name === "open");
    return this.chosen >= 0;
  }

  begin() {
    this.wantsNew = true;
    this.number = 0;
    this.own = null;
    this.points = [];
    this.parts = [];
    this.isClosed = false;
    this.chosen = -1;
    this.stage.overlay.ask();
    this.acts.sayHere();
  }

  // Its lines, one for each part: straight until how they bend has come for the points that are there now, so that
  // part n always leads from point n to the next.
  get lines() {
    const { points, parts, isClosed } = this;
    const count = isClosed ? points.length : Math.max(0, points.length - 1);
    if (parts.length === count) return parts;
    const ends = points.map(({ x, y }) => [x, y]);
    return ends.slice(0, count).map((end, n) => [end, ends[(n + 1) % ends.length]]);
  }

  // What lies under a place on the canvas: a point, or a part of the line; the nearest within a finger's reach.
  find({ x, y, touch }) {
    const { viewport, ratio } = this.stage;
    const reach = REACH_PX * ratio * (touch ? 2 : 1);
    const away = this.points.map((point) => {
      const at = viewport.toCanvas(point.x, point.y);
      return Math.hypot(at.x - x, at.y - y);
    });
    const nearest = away.indexOf(Math.min(...away));
    if (away[nearest] <= reach) return { point: nearest };
    let best = reach;
    let part = -1;
    this.lines.forEach((line, at) => {
      for (let n = 1; n < line.length; n += 1) {
        const far = awayFrom(viewport.toCanvas(...line[n - 1]), viewport.toCanvas(...line[n]), x, y);
        if (far < best) [best, part] = [far, at];
      }
    });
    return part < 0 ? null : { part };
  }

  down(sample) {
    this.from = sample;
    this.moved = false;
    this.hold = this.find(sample);
    if (this.hold?.point !== undefined) this.chosen = this.hold.point;
    this.stage.overlay.ask();
  }

  move(sample) {
    const { ratio } = this.stage;
    this.moved ||= Math.hypot(sample.x - this.from.x, sample.y - this.from.y) > 3 * ratio;
    if (!this.hold || !this.moved) return;
    const { point, part } = this.hold;
    if (point !== undefined) this.movePoint(point, sample.at.x, sample.at.y);
    else this.points[part] = { ...this.points[part], bend: [sample.at.x, sample.at.y] };
    this.preview();
  }

  // Moves a point, and the bends beside it half as far, so that the line keeps its form.
  movePoint(at, x, y) {
    const point = this.points[at];
    const [byX, byY] = [(x - point.x) / 2, (y - point.y) / 2];
    this.points[at] = { ...point, x, y };
    const count = this.points.length;
    const before = at > 0 || this.isClosed ? (at - 1 + count) % count : -1;
    for (const n of [at, before]) {
      const bend = this.points[n]?.bend;
      if (bend) this.points[n] = { ...this.points[n], bend: [bend[0] + byX, bend[1] + byY] };
    }
  }

  up(sample) {
    const { hold, moved } = this;
    this.hold = null;
    if (!this.from) return;
    this.from = null;
    if (hold && moved) this.commit(hold.point === undefined ? "bent" : "moved");
    else if (hold?.part !== undefined) this.insert(hold.part, sample.at);
    else if (hold) this.acts.marking();
    else if (!this.isClosed) this.add(sample.at);
    this.stage.overlay.ask();
  }

  add({ x, y }) {
    const point = { x, y, is_smooth: false, bend: null };
    const isFirst = this.chosen === 0 && this.points.length > 1;
    if (isFirst) this.points.unshift(point);
    else this.points.push(point);
    this.chosen = isFirst ? 0 : this.points.length - 1;
    this.commit("added");
  }

  insert(part, { x, y }) {
    this.points[part] = { ...this.points[part], bend: null };
    this.points.splice(part + 1, 0, { x, y, is_smooth: this.points[part].is_smooth, bend: null });
    this.chosen = part + 1;
    this.commit("added");
  }

  // One of the worded buttons of the open sentence, or its key.
  act(name) {
    const point = this.points[this.chosen];
    if (name === "new") this.begin();
    else if (name === "close" && this.points.length > 1 && !this.isClosed) this.commit("closed", { is_closed: true });
    else if (name === "open" && this.isClosed) this.commit("opened", { is_closed: false });
    else if (!point) this.acts.say(_("No point is chosen"), _("click one first"));
    else if (name === "smooth" || name === "corner") {
      this.points[this.chosen] = { ...point, is_smooth: name === "smooth" };
      this.commit("turned");
    } else if (name === "straight") {
      this.points[this.chosen] = { ...point, bend: null };
      this.commit("bent");
    } else if (name === "remove" && this.points.length > 1) {
      this.points.splice(this.chosen, 1);
      this.chosen = Math.min(this.chosen, this.points.length - 1);
      this.commit("removed");
    }
  }

  key(event) {
    const point = this.points[this.chosen];
    if (event.key in ARROWS && point) {
      const far = event.shiftKey ? 10 : 1;
      this.movePoint(this.chosen, point.x + ARROWS[event.key][0] * far, point.y + ARROWS[event.key][1] * far);
      this.preview();
      clearTimeout(this.nudging);
      this.nudging = setTimeout(() => this.settleNudge(), NUDGE_MS); // one row of history for one way
      return true;
    }
    if (event.key === "Enter") this.act("close");
    else if (event.key === "Delete") this.act("remove");
    else if (event.key.toLowerCase() === "c") this.act(point?.is_smooth ? "corner" : "smooth");
    else if (event.key.toLowerCase() === "p" && !this.isClosed) this.addByKey(point);
    else return false;
    return true;
  }

  // Sets a point at the aim, or a little to the right of the chosen one, from where arrows take it.
  addByKey(point) {
    this.settleNudge();
    const { aim, viewport } = this.stage;
    if (point) this.add({ x: point.x + 40 / viewport.scale, y: point.y });
    else if (aim) this.add({ x: aim.col + 0.5, y: aim.row + 0.5 });
    else this.acts.say(_("There is no aim yet"), _("arrows move it"));
    this.stage.aim = null;
  }

  settleNudge() {
    if (!this.nudging) return;
    clearTimeout(this.nudging);
    this.nudging = null;
    this.commit("moved");
  }

  preview() {
    this.shapes.want({ points: this.points, is_closed: this.isClosed });
    this.stage.overlay.ask();
  }

  commit(did, more = {}) {
    this.wantsNew = false;
    this.begins ||= !this.number;
    this.isClosed = more.is_closed ?? this.isClosed;
    this.preview();
    const said = { did, points: this.points.map((point) => ({ ...point })), is_closed: this.isClosed };
    // the first point may not have its number yet when the second is set
    this.acts.mark("outline", () => ({ ...said, number: this.number }));
    this.acts.marking();
  }

  cancel() {
    this.hold = null;
    this.from = null;
    this.acts.marking();
  }

  draw(pen) {
    if (!this.bench.isInHand(this)) return;
    this.lines.forEach((part) => drawMark(pen, part.map(([x, y]) => pen.place(x, y)), { isOpen: true, wide: this.bench.settings.values.lineWidth / 1.5 }));
    this.points.forEach(({ bend }) => bend && drawBend(pen, pen.place(...bend)));
    this.points.forEach((point, at) => drawPoint(pen, pen.place(point.x, point.y), { isSmooth: point.is_smooth, isChosen: at === this.chosen }));
  }
}

function awayFrom(from, to, x, y) {
  const [dx, dy] = [to.x - from.x, to.y - from.y];
  const long = dx * dx + dy * dy;
  const along = long ? Math.min(1, Math.max(0, ((x - from.x) * dx + (y - from.y) * dy) / long)) : 0;
  return Math.hypot(from.x + along * dx - x, from.y + along * dy - y);
}
