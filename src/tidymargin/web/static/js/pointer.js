// Mouse, pen, touch and keys on the stage: they go to the implement that is in hand.

const DRAG_PX = 5;
const ARROWS = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };

export class Pointer {
  constructor(stage, acts, tools) {
    this.stage = stage;
    this.acts = acts; // { hover(place|null), spot(place|null), say, said, walk, leaveJump }
    this.tools = tools;
    this.down = new Map();
    this.active = null; // the tool of the press that goes on
    this.letter = null;
    const canvas = stage.canvas;
    canvas.addEventListener("pointerdown", (event) => this.begin(event));
    canvas.addEventListener("pointermove", (event) => this.move(event));
    canvas.addEventListener("pointerup", (event) => this.end(event));
    canvas.addEventListener("pointercancel", (event) => this.drop(event));
    canvas.addEventListener("pointerleave", () => {
      if (this.down.size) return;
      this.acts.spot(null);
      this.inHand.hover(null);
    });
    canvas.addEventListener("wheel", (event) => this.wheel(event), { passive: false });
    canvas.addEventListener("keydown", (event) => this.key(event));
    canvas.addEventListener("keyup", (event) => this.release(event));
    canvas.addEventListener("blur", () => this.letGo());
    // a letter held over the stage counts there, without a click to give it the focus first; what is being written stays
    const writes = () => document.activeElement?.matches("input, textarea, select");
    canvas.addEventListener("pointerenter", () => writes() || canvas.focus({ preventScroll: true }));
  }

  // What a press would go to now.
  get inHand() {
    return this.tools.held[this.letter] ?? this.laid ?? this.tools.pick;
  }

  // Takes an implement in hand by name, or lays it down; says whether it is in hand now.
  take(name) {
    const wanted = this.tools.laid[name];
    this.laid?.hover(null);
    this.active?.cancel();
    this.active = null;
    this.laid = wanted && wanted !== this.laid ? wanted : null;
    this.sayHere();
    return this.laid === wanted && Boolean(wanted);
  }

  // Says what a click would do here, with the tool in hand.
  sayHere() {
    this.acts.say(...this.inHand.words(this.acts.said()));
  }

  release(event) {
    if (event.key === " ") this.stage.showOriginal(false);
    if (event.key.toLowerCase() === this.letter) this.letGo();
  }

  letGo() {
    this.stage.showOriginal(false);
    if (!this.letter) return;
    const tool = this.inHand;
    this.letter = null;
    tool.letGo();
    this.sayHere();
  }

  begin(event) {
    if (event.button > 0) return;
    this.stage.canvas.setPointerCapture(event.pointerId);
    const sample = this.stage.sample(event);
    this.down.set(event.pointerId, sample);
    if (this.down.size > 1) {
      this.active?.cancel();
      this.active = this.tools.pan;
      this.isPinch = true;
      return;
    }
    this.from = sample;
    this.isPinch = false;
    // once a pen is seen, it draws and fingers move the picture
    this.sawPen ||= sample.pen;
    const moves = this.laid && sample.touch && this.sawPen;
    this.active = this.tools.area.hits(sample) ? this.tools.area : moves ? this.tools.pan : this.inHand;
    this.active.down(sample);
  }

  move(event) {
    const sample = this.stage.sample(event);
    const before = this.down.get(event.pointerId);
    if (!before) {
      this.sawPen ||= sample.pen;
      this.inHand.hover(sample);
      // what a click would clear, and which mark is there, is nothing to an implement
      if (!this.laid) {
        this.acts.hover(sample.place);
        this.acts.pointAt(sample);
      }
      this.acts.spot(sample.place);
      return;
    }
    this.down.set(event.pointerId, sample);
    if (this.isPinch) {
      const [other] = [...this.down].filter(([id]) => id !== event.pointerId).map(([, at]) => at);
      if (other) this.tools.pan.pinch(before, sample, other);
      return;
    }
    if (!this.active) return;
    if (!this.active.strokes) {
      if (Math.hypot(sample.x - this.from.x, sample.y - this.from.y) < DRAG_PX * this.stage.ratio) return;
      this.active.cancel();
      this.active = this.tools.pan;
      this.active.down(before);
    }
    this.active.move(sample);
  }

  end(event) {
    this.down.delete(event.pointerId);
    if (this.down.size) return;
    const tool = this.active;
    this.active = null;
    if (this.isPinch) tool?.cancel();
    else tool?.up(this.stage.sample(event));
  }

  drop(event) {
    this.down.delete(event?.pointerId);
    this.active?.cancel();
    this.active = null;
  }

  wheel(event) {
    event.preventDefault();
    if (this.inHand.wheel(event.deltaY > 0 ? 1 : -1)) return;
    const { x, y } = this.stage.sample(event);
    const lines = event.deltaMode === 1 ? event.deltaY * 16 : event.deltaY;
    this.stage.viewport.zoomAt(x, y, Math.exp(-Math.max(-240, Math.min(240, lines)) / 400));
    this.stage.moved();
  }

  key(event) {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    if (!this.tools.area.key(event) && !this.inHand.key(event) && !this.keyStage(event)) return;
    event.preventDefault();
    this.stage.overlay.ask();
  }

  // Keys that mean the same whatever is in hand; whether this is one.
  keyStage(event) {
    const { stage } = this;
    const viewport = stage.viewport;
    const letter = event.key.toLowerCase();
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
    } else if (letter in this.tools.held) {
      if (this.letter !== letter) {
        this.letter = letter;
        this.sayHere();
      }
    } else if (this.acts.answer(letter)) {
      return true; // a question is open, and this was its key
    } else if (letter === "n" || letter === "b") {
      this.acts.walk(letter === "n" ? 1 : -1);
    } else if (letter === "r" || letter === "y") {
      this.acts.decide(letter === "r" ? "mend" : "accept");
    } else if (event.key === " ") {
      stage.showOriginal(true);
    } else if (event.key === "Escape") {
      this.acts.leaveJump();
      this.drop();
      this.acts.layDown();
    } else if (event.key === "+" || event.key === "=" || event.key === "-") {
      const at = stage.aim ? viewport.toCanvas(stage.aim.col, stage.aim.row) : { x: viewport.width / 2, y: viewport.height / 2 };
      viewport.zoomAt(at.x, at.y, event.key === "-" ? 1 / 1.5 : 1.5);
      stage.moved();
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
