// The stage of a scene: shows what the server drew, and what is in hand where the hand is.

import { drawFrame, makeBlotter, strokeTwice } from "../paint.js";
import { Newest, fetchPixels, toBuffer, toQuery } from "../pixels.js";
import { Viewport } from "../viewport.js";

const ASKER = crypto.getRandomValues(new Uint32Array(2)).join("-");

export class SceneStage {
  constructor(canvas, over, scene, says) {
    Object.assign(this, { canvas, over, scene, says });
    this.context = canvas.getContext("2d");
    this.viewport = new Viewport(scene.width, scene.height);
    this.frame = null;
    this.drag = null; // { keys, right, down, factor, turn, middle, parts, lines }: what the hand does
    this.spot = null;
    this.views = new Newest(
      async (order, signal) => ({ window: order.seen, look: order.look, buffer: toBuffer(await fetchPixels(order.address, 4, signal)) }),
      (frame, order) => {
        this.frame = frame;
        if (this.drag?.waits && order.look === this.drag.waits) this.drag = null; // what it left is drawn now
        this.says.shown();
        this.paint();
      },
      (error) => this.says.lost(error),
    );
    new ResizeObserver(() => this.resize()).observe(canvas);
    this.resize();
  }

  get ratio() {
    return window.devicePixelRatio || 1;
  }

  resize() {
    const width = Math.max(1, Math.round(this.canvas.clientWidth * this.ratio));
    const height = Math.max(1, Math.round(this.canvas.clientHeight * this.ratio));
    if (width === this.canvas.width && height === this.canvas.height && this.frame) return;
    for (const canvas of [this.canvas, this.over]) Object.assign(canvas, { width, height });
    this.viewport.resize(width, height);
    this.blotter = null;
    this.moved();
  }

  resetSize() {
    const { viewport, scene } = this;
    if (viewport.pictureWidth === scene.width && viewport.pictureHeight === scene.height) return;
    Object.assign(viewport, { pictureWidth: scene.width, pictureHeight: scene.height });
    viewport.showWhole();
    this.frame = null;
  }

  moved() {
    this.says.zoomed(this.viewport.scale);
    if (this.drag) this.drag.parts = null; // they are of another window
    this.paint();
    this.ask();
  }

  ask() {
    const seen = this.viewport.window();
    if (!seen) return;
    const values = { ...seen, asker: ASKER };
    const { drag } = this;
    if (drag?.mixes && !drag.waits) Object.assign(values, { keys: drag.keys.join(","), right: drag.right, down: drag.down });
    this.views.want({ seen, look: this.scene.look, address: `${this.scene.address}view?${toQuery(values)}` });
  }

  // Takes cuts up: what lies below them, they alone, and what lies above are shown each where it is from now on.
  async pickUp(drag) {
    this.drag = drag;
    if (drag.mixes) return;
    const seen = this.viewport.window();
    if (!seen) return;
    const address = `${this.scene.address}parts?${toQuery({ ...seen, keys: drag.keys.join(",") })}`;
    try {
      const { width, height, bytes } = await fetchPixels(address, 4);
      const part = (number) => {
        const long = (width * height * 4) / 3;
        const buffer = toBuffer({ width, height: height / 3, bytes: bytes.subarray(number * long, (number + 1) * long) });
        return { window: seen, buffer };
      };
      if (this.drag === drag) drag.parts = [0, 1, 2].map(part);
      this.paint();
    } catch (error) {
      this.says.lost(error);
    }
  }

  // The hand has moved on.
  follow(values) {
    Object.assign(this.drag, values);
    if (this.drag.mixes) this.ask();
    this.paint();
  }

  // Let go: shown where it was left until the server has drawn it there.
  letGo() {
    if (this.drag) this.drag.waits = " ";
  }

  putBack() {
    const mixes = this.drag?.mixes;
    this.drag = null;
    this.paint();
    if (mixes) this.ask();
  }

  paint() {
    this.asked ??= requestAnimationFrame(() => this.paintNow());
  }

  paintNow() {
    cancelAnimationFrame(this.asked);
    this.asked = null;
    const { context, viewport } = this;
    this.blotter ??= makeBlotter(context, "pale", this.ratio);
    context.setTransform(1, 0, 0, 1, 0, 0);
    context.clearRect(0, 0, this.canvas.width, this.canvas.height);
    const from = viewport.toCanvas(0, 0);
    const to = viewport.toCanvas(viewport.pictureWidth, viewport.pictureHeight);
    context.fillStyle = this.blotter;
    context.fillRect(Math.round(from.x), Math.round(from.y), Math.round(to.x - from.x), Math.round(to.y - from.y));
    const parts = this.drag?.parts;
    if (parts) this.paintParts(parts);
    else if (this.frame) drawFrame(context, this.frame, viewport);
    this.paintOver();
  }

  paintParts([below, alone, above]) {
    const { context, viewport, drag } = this;
    drawFrame(context, below, viewport);
    context.save();
    // beyond the scene nothing of it shows
    const from = viewport.toCanvas(0, 0);
    const to = viewport.toCanvas(viewport.pictureWidth, viewport.pictureHeight);
    context.beginPath();
    context.rect(from.x, from.y, to.x - from.x, to.y - from.y);
    context.clip();
    this.transform(context);
    drawFrame(context, alone, viewport);
    context.restore();
    drawFrame(context, above, viewport);
    if (drag.lines) this.drawLines(drag.lines);
  }

  transform(context) {
    const { drag, viewport } = this;
    if (drag.middle) {
      const middle = viewport.toCanvas(drag.middle.x, drag.middle.y);
      context.translate(middle.x, middle.y);
      context.rotate(((drag.turn ?? 0) * Math.PI) / 180);
      context.scale(drag.factor ?? 1, drag.factor ?? 1);
      context.translate(-middle.x, -middle.y);
    } else {
      context.translate(Math.round(drag.right * viewport.scale), Math.round(drag.down * viewport.scale));
    }
  }

  // Where a corner of a cut is now, with what the hand does to it.
  place([x, y], isHeld) {
    const { drag, viewport } = this;
    if (!drag || !isHeld) return viewport.toCanvas(x, y);
    if (!drag.middle) return viewport.toCanvas(x + drag.right, y + drag.down);
    const angle = ((drag.turn ?? 0) * Math.PI) / 180;
    const [dx, dy] = [(x - drag.middle.x) * (drag.factor ?? 1), (y - drag.middle.y) * (drag.factor ?? 1)];
    return viewport.toCanvas(drag.middle.x + dx * Math.cos(angle) - dy * Math.sin(angle), drag.middle.y + dx * Math.sin(angle) + dy * Math.cos(angle));
  }

  paintOver() {
    const pen = { context: this.over.getContext("2d"), ratio: this.ratio };
    pen.context.setTransform(1, 0, 0, 1, 0, 0);
    pen.context.clearRect(0, 0, this.over.width, this.over.height);
    for (const cut of this.scene.inHand) {
      if (cut.corners.length) drawCorners(pen, cut.corners.map((corner) => this.place(corner, true)));
    }
    if (this.drag?.lines) this.drawLines(this.drag.lines, pen);
    if (this.spot) {
      const from = this.viewport.toCanvas(this.spot.left, this.spot.top);
      const to = this.viewport.toCanvas(this.spot.right, this.spot.bottom);
      strokeTwice(pen, (path) => path.rect(from.x, from.y, to.x - from.x, to.y - from.y));
    }
  }

  // Where what is moved meets something: a still dotted line through all of the scene.
  drawLines({ across, down }, pen = { context: this.over.getContext("2d"), ratio: this.ratio }) {
    const { viewport } = this;
    const from = viewport.toCanvas(0, 0);
    const to = viewport.toCanvas(viewport.pictureWidth, viewport.pictureHeight);
    pen.context.setLineDash([2 * pen.ratio, 4 * pen.ratio]);
    strokeTwice(pen, (path) => {
      if (across !== undefined) {
        const { x } = viewport.toCanvas(across, 0);
        path.moveTo(x, from.y);
        path.lineTo(x, to.y);
      }
      if (down !== undefined) {
        const { y } = viewport.toCanvas(0, down);
        path.moveTo(from.x, y);
        path.lineTo(to.x, y);
      }
    });
    pen.context.setLineDash([]);
  }

  locate(event) {
    const box = this.canvas.getBoundingClientRect();
    const [x, y] = [(event.clientX - box.left) * this.ratio, (event.clientY - box.top) * this.ratio];
    return { x, y, at: this.viewport.toPicture(x, y), shift: event.shiftKey, free: event.ctrlKey || event.metaKey, touch: event.pointerType === "touch" };
  }
}

// Four corner brackets, turned with what they are around.
function drawCorners(pen, corners) {
  const [gap, long] = [5 * pen.ratio, 14 * pen.ratio];
  const middle = { x: 0, y: 0 };
  for (const { x, y } of corners) Object.assign(middle, { x: middle.x + x / 4, y: middle.y + y / 4 });
  strokeTwice(pen, (path) => {
    corners.forEach((at, number) => {
      const out = unit(at.x - middle.x, at.y - middle.y);
      const far = { x: at.x + out.x * gap, y: at.y + out.y * gap };
      const sides = [corners[(number + 1) % 4], corners[(number + 3) % 4]].map((next) => unit(next.x - at.x, next.y - at.y));
      path.moveTo(far.x + sides[0].x * long, far.y + sides[0].y * long);
      path.lineTo(far.x, far.y);
      path.lineTo(far.x + sides[1].x * long, far.y + sides[1].y * long);
    });
  });
}

function unit(x, y) {
  const long = Math.hypot(x, y) || 1;
  return { x: x / long, y: y / long };
}
