// Mouse, pen, touch and keys on the stage. A click has one meaning, said before it is made.

const DRAG_PX = 5;

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
    canvas.addEventListener("keyup", (event) => event.key === " " && stage.showOriginal(false));
    canvas.addEventListener("blur", () => stage.showOriginal(false));
  }

  at(event) {
    const box = this.stage.canvas.getBoundingClientRect();
    return { x: (event.clientX - box.left) * this.stage.ratio, y: (event.clientY - box.top) * this.stage.ratio };
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
    const place = this.stage.placeAt(event);
    this.gesture = { kind: "press", from: this.at(event), place, touch: event.pointerType === "touch" };
    if (place && !this.gesture.touch && this.acts.hover(place)) this.stage.press(place);
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
    this.stage.canvas.classList.remove("panning");
    this.stage.release();
  }

  wheel(event) {
    event.preventDefault();
    const { x, y } = this.at(event);
    const lines = event.deltaMode === 1 ? event.deltaY * 16 : event.deltaY;
    this.stage.viewport.zoomAt(x, y, Math.exp(-Math.max(-240, Math.min(240, lines)) / 400));
    this.stage.moved();
  }

  key(event) {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    const { stage } = this;
    const viewport = stage.viewport;
    const arrows = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
    if (event.key in arrows) {
      const far = Math.max(1, Math.round((event.shiftKey ? 64 : 8) / viewport.scale));
      const middle = viewport.toPicture(viewport.width / 2, viewport.height / 2);
      const aim = stage.aim ?? { row: Math.round(middle.y), col: Math.round(middle.x) };
      const [byX, byY] = arrows[event.key];
      stage.aim = {
        row: Math.min(viewport.pictureHeight - 1, Math.max(0, aim.row + byY * far)),
        col: Math.min(viewport.pictureWidth - 1, Math.max(0, aim.col + byX * far)),
      };
      this.keepInSight();
      this.acts.hover(stage.aim);
      this.acts.spot(stage.aim);
    } else if (event.key === "Enter" && stage.aim) {
      this.acts.commit(stage.aim);
    } else if (event.key === " ") {
      stage.showOriginal(true);
    } else if (event.key === "Escape") {
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

  keepInSight() {
    const { viewport, aim } = this.stage;
    const at = viewport.toCanvas(aim.col, aim.row);
    const beyond = at.x < 0 || at.y < 0 || at.x > viewport.width || at.y > viewport.height;
    if (!beyond) return;
    viewport.lookAt(aim.col, aim.row, viewport.scale);
    this.stage.moved();
  }
}
