// Mouse, pen, touch and keys on the stage. A click has one meaning, said before it is made.

const DRAG_PX = 5;

// What the server says of an act; while it has not answered yet, the act's name alone.
function worded(answer, name, cannot) {
  return answer === undefined ? name : answer ?? `${name}: ${cannot}`;
}

// What a click means while a letter is held: where it goes, and how it is said.
const HELD = {
  u: { path: "up-to", words: ({ upTo }) => worded(upTo, "Up to here", "no tolerance gets further here") },
  s: { path: "short-of", words: ({ shortOf }) => worded(shortOf, "Short of here", "this is not cleared") },
  f: { path: "keep", words: () => "Mark this as figure" },
  g: { path: "guards", words: () => "Guard this colour" },
  w: { path: "fences", words: () => "Draw a fence", how: "press and drag along it" },
  j: {
    words: ({ tried }) => (tried === null ? "Walk from jump to jump" : `Up to ${tried.toFixed(1)}`),
    how: "turn the wheel; let go of J to take it, Esc to leave it",
  },
};

const ARROWS = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };

export class Pointer {
  constructor(stage, acts) {
    this.stage = stage;
    this.acts = acts; // { hover(place|null), commit(place), spot(place|null) }
    this.down = new Map();
    this.gesture = null;
    const canvas = stage.canvas;
    canvas.addEventListener("pointerdown", (event) => this.begin(event));
    canvas.addEventListener("pointermove", (event) => this.move(event));
    canvas.addEventListener("pointerup", (event) => this.end(event));
    canvas.addEventListener("pointercancel", (event) => this.drop(event));
    canvas.addEventListener("pointerleave", () => !this.down.size && this.acts.spot(null));
    canvas.addEventListener("wheel", (event) => this.wheel(event), { passive: false });
    canvas.addEventListener("keydown", (event) => this.key(event));
    canvas.addEventListener("keyup", (event) => this.release(event));
    canvas.addEventListener("blur", () => this.letGo());
    // a letter held over the stage counts there, without a click to give it the focus first
    canvas.addEventListener("pointerenter", () => document.activeElement === document.body && canvas.focus({ preventScroll: true }));
  }

  at(event) {
    const box = this.stage.canvas.getBoundingClientRect();
    return { x: (event.clientX - box.left) * this.stage.ratio, y: (event.clientY - box.top) * this.stage.ratio };
  }

  // Says what a click would do here, with the letter that is held.
  sayHere() {
    const said = this.acts.said();
    const meant = HELD[this.held];
    if (meant) this.acts.say(meant.words(said), meant.how ?? "click, or Enter at the aim");
    else this.acts.say(said.verb ?? "", said.detail ?? "");
  }

  release(event) {
    if (event.key === " ") this.stage.showOriginal(false);
    if (event.key.toLowerCase() === this.held) this.letGo();
  }

  letGo() {
    this.stage.showOriginal(false);
    if (!this.held) return;
    if (this.held === "j") this.acts.takeJump();
    this.held = null;
    this.sayHere();
  }

  begin(event) {
    if (event.button > 0) return;
    this.stage.canvas.setPointerCapture(event.pointerId);
    this.down.set(event.pointerId, this.at(event));
    if (this.down.size > 1) {
      this.stage.release();
      this.gesture = { kind: "pinch" };
      return;
    }
    const corner = this.stage.area.corners && this.stage.area.hit(this.at(event));
    if (Number.isInteger(corner)) {
      this.gesture = { kind: "corner", corner };
      this.stage.area.choose(corner);
      return;
    }
    const place = this.stage.placeAt(event);
    this.gesture = { kind: "press", from: this.at(event), place, touch: event.pointerType === "touch" };
    this.gesture.held = this.held;
    if (place && this.held === "w") {
      this.gesture.line = [place];
      return;
    }
    if (place && !this.held && !this.gesture.touch && this.acts.hover(place)) this.stage.press(place);
  }

  move(event) {
    const now = this.at(event);
    const before = this.down.get(event.pointerId);
    if (!before) {
      const place = this.stage.placeAt(event);
      this.acts.hover(place);
      this.acts.spot(place);
      return;
    }
    if (this.gesture?.kind === "pinch" && this.down.size === 2) {
      const [other] = [...this.down].filter(([id]) => id !== event.pointerId).map(([, at]) => at);
      const was = Math.hypot(before.x - other.x, before.y - other.y);
      const is = Math.hypot(now.x - other.x, now.y - other.y);
      this.stage.viewport.zoomAt((now.x + other.x) / 2, (now.y + other.y) / 2, is / Math.max(1, was));
      this.stage.viewport.pan((now.x - before.x) / 2, (now.y - before.y) / 2);
      this.down.set(event.pointerId, now);
      this.stage.moved();
      return;
    }
    if (this.gesture?.kind === "corner") {
      const at = this.stage.viewport.toPicture(now.x, now.y);
      this.stage.area.move(this.gesture.corner, at.x, at.y);
      return;
    }
    if (this.gesture?.line) {
      const place = this.stage.placeAt(event);
      const last = this.gesture.line.at(-1);
      if (place && (place.row !== last.row || place.col !== last.col)) this.gesture.line.push(place);
      this.stage.drawn = this.gesture.line.map(({ row, col }) => [col, row]);
      this.stage.paint();
      return;
    }
    if (this.gesture?.kind === "press") {
      const away = Math.hypot(now.x - this.gesture.from.x, now.y - this.gesture.from.y);
      if (away < DRAG_PX * this.stage.ratio) return;
      this.stage.release();
      this.gesture = { kind: "pan" };
      this.stage.canvas.classList.add("panning");
    }
    if (this.gesture?.kind === "pan") {
      this.stage.viewport.pan(now.x - before.x, now.y - before.y);
      this.down.set(event.pointerId, now);
      this.stage.moved();
    }
  }

  end(event) {
    this.down.delete(event.pointerId);
    const gesture = this.gesture;
    if (this.down.size === 0) {
      this.gesture = null;
      this.stage.canvas.classList.remove("panning");
    }
    if (gesture?.kind !== "press" || !gesture.place) return;
    this.stage.release();
    if (gesture.line) {
      this.stage.drawn = null;
      this.acts.fence(thin(gesture.line, 2 / this.stage.viewport.scale));
      return;
    }
    if (gesture.held) {
      if (!HELD[gesture.held].path) return;
      this.acts.commit(gesture.place, HELD[gesture.held].path);
      return;
    }
    this.stage.aim = gesture.touch ? gesture.place : null;
    if (gesture.touch) {
      // a tap only places the aim; the worded button in the status line then acts
      this.acts.hover(gesture.place);
      this.acts.spot(gesture.place);
      this.stage.paint();
    } else {
      this.acts.commit(gesture.place);
    }
  }

  drop(event) {
    this.down.delete(event?.pointerId);
    this.gesture = null;
    this.stage.drawn = null;
    this.stage.canvas.classList.remove("panning");
    this.stage.release();
  }

  wheel(event) {
    event.preventDefault();
    if (this.held === "j") {
      this.acts.walkJumps(event.deltaY > 0 ? 1 : -1);
      return;
    }
    const { x, y } = this.at(event);
    const lines = event.deltaMode === 1 ? event.deltaY * 16 : event.deltaY;
    this.stage.viewport.zoomAt(x, y, Math.exp(-Math.max(-240, Math.min(240, lines)) / 400));
    this.stage.moved();
  }

  key(event) {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    const { stage } = this;
    const viewport = stage.viewport;
    if (stage.area.corners && this.keyArea(event)) {
      event.preventDefault();
      return;
    }
    if (event.key in ARROWS) {
      const far = Math.max(1, Math.round((event.shiftKey ? 64 : 8) / viewport.scale));
      const middle = viewport.toPicture(viewport.width / 2, viewport.height / 2);
      const aim = stage.aim ?? { row: Math.round(middle.y), col: Math.round(middle.x) };
      const [byX, byY] = ARROWS[event.key];
      stage.aim = {
        row: Math.min(viewport.pictureHeight - 1, Math.max(0, aim.row + byY * far)),
        col: Math.min(viewport.pictureWidth - 1, Math.max(0, aim.col + byX * far)),
      };
      this.keepInSight();
      this.acts.hover(stage.aim);
      this.acts.spot(stage.aim);
    } else if (event.key === "Enter" && stage.aim) {
      const path = this.held ? HELD[this.held].path : "picks";
      if (path) this.acts.commit(stage.aim, path);
    } else if (event.key.toLowerCase() in HELD) {
      if (this.held !== event.key.toLowerCase()) {
        this.held = event.key.toLowerCase();
        this.sayHere();
      }
    } else if (event.key.toLowerCase() === "n" || event.key.toLowerCase() === "b") {
      this.acts.walk(event.key.toLowerCase() === "n" ? 1 : -1);
    } else if (event.key === " ") {
      stage.showOriginal(true);
    } else if (event.key === "Escape") {
      this.acts.leaveJump();
      this.drop();
    } else if (event.key === "+" || event.key === "=" || event.key === "-") {
      const at = stage.aim ? viewport.toCanvas(stage.aim.col, stage.aim.row) : { x: viewport.width / 2, y: viewport.height / 2 };
      viewport.zoomAt(at.x, at.y, event.key === "-" ? 1 / 1.5 : 1.5);
      stage.moved();
    } else {
      return;
    }
    event.preventDefault();
    stage.paint();
  }

  // Keys while the work area is set; whether the key meant something there.
  keyArea(event) {
    const { area } = this.stage;
    if (event.key in ARROWS) {
      const far = event.shiftKey ? 10 : 1;
      area.nudge(ARROWS[event.key][0] * far, ARROWS[event.key][1] * far);
    } else if (["1", "2", "3", "4"].includes(event.key)) {
      area.choose(Number(event.key) - 1);
    } else if (event.key === "Enter") {
      area.use();
    } else if (event.key === "Escape") {
      area.leave();
    } else {
      return false;
    }
    return true;
  }

  keepInSight() {
    const { viewport, aim } = this.stage;
    const at = viewport.toCanvas(aim.col, aim.row);
    const beyond = at.x < 0 || at.y < 0 || at.x > viewport.width || at.y > viewport.height;
    if (!beyond) return;
    viewport.lookAt(aim.col, aim.row, viewport.scale);
    this.stage.moved();
  }
}

// Drops places that lie so close to the line between their neighbours that nobody would miss them.
function thin(line, near) {
  if (line.length < 3) return line;
  const [first, last] = [line[0], line.at(-1)];
  const long = Math.hypot(last.col - first.col, last.row - first.row) || 1;
  let far = 0;
  let most = 0;
  for (let at = 1; at < line.length - 1; at += 1) {
    const away = Math.abs((last.col - first.col) * (first.row - line[at].row) - (first.col - line[at].col) * (last.row - first.row)) / long;
    if (away > most) [most, far] = [away, at];
  }
  if (most <= near) return [first, last];
  return [...thin(line.slice(0, far + 1), near).slice(0, -1), ...thin(line.slice(far), near)];
}
