// The stage of a scene: shows what the server drew, and what is in hand where the hand is.

import { drawFrame, makeBlotter, strokeTwice } from "../paint.js";
import { Newest, fetchPixels, toBuffer, toError, toQuery } from "../pixels.js";
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
    if (this.drag && !this.drag.waits) this.lift();
    this.paint();
    this.ask();
  }

  ask() {
    const seen = this.viewport.window();
    if (!seen) return;
    this.views.want({ seen, look: this.scene.look, address: `${this.scene.address}view?${toQuery({ ...seen, asker: ASKER })}` });
  }

  // Takes cuts up: what they leave and they themselves are shown each where it is from now on.
  pickUp(drag) {
    this.drag = drag;
    this.lift();
  }

  async lift() {
    const { drag } = this;
    const seen = this.viewport.window();
    if (!seen) return;
    try {
      const parts = await fetchParts(`${this.scene.address}parts?${toQuery({ ...seen, keys: drag.keys.join(",") })}`, seen);
      if (this.drag === drag) drag.parts = parts;
      this.paint();
    } catch (error) {
      this.says.lost(error);
    }
  }

  // The hand has moved on.
  follow(values) {
    Object.assign(this.drag, values);
    this.paint();
  }

  // Let go: shown where it was left until the server has drawn it there.
  letGo() {
    if (this.drag) this.drag.waits = " ";
  }

  putBack() {
    this.drag = null;
    this.paint();
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

  paintParts(parts) {
    const { context, viewport, drag } = this;
    context.save();
    // beyond the scene nothing of it shows
    const from = viewport.toCanvas(0, 0);
    const to = viewport.toCanvas(viewport.pictureWidth, viewport.pictureHeight);
    context.beginPath();
    context.rect(from.x, from.y, to.x - from.x, to.y - from.y);
    context.clip();
    for (const [film, within] of parts) {
      if (within) this.paintWithin(film, within);
      else this.paintFilm(context, film);
    }
    context.restore();
    if (drag.lines) this.drawLines(drag.lines);
  }

  paintFilm(context, film) {
    context.save();
    if (film.moves) this.transform(context);
    drawFrame(context, film, this.viewport);
    context.restore();
  }

  // One of the two moves: what shows is found anew.
  paintWithin(film, within) {
    const { width, height } = this.canvas;
    const aside = new OffscreenCanvas(width, height).getContext("2d");
    this.paintFilm(aside, film);
    aside.globalCompositeOperation = "destination-in";
    this.paintFilm(aside, within);
    this.context.drawImage(aside.canvas, 0, 0);
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

// Each part's film, and the one within which it shows, with the windows that they are of.
async function fetchParts(address, seen) {
  const response = await fetch(address, { headers: { Accept: "application/octet-stream" } });
  if (!response.ok) throw await toError(response);
  const bytes = new Uint8ClampedArray(await response.arrayBuffer());
  let read = 0;
  const take = (said) => {
    if (!said) return null;
    const { left, top, width, height, moves } = said;
    const own = bytes.subarray(read, (read += 4 * width * height));
    const window = { left: seen.left + left * seen.cell, top: seen.top + top * seen.cell, cell: seen.cell, width, height };
    return { window, moves, buffer: toBuffer({ width, height, bytes: own }) };
  };
  return JSON.parse(response.headers.get("X-Parts")).map((part) => part.map(take));
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
