// The stage: shows what the server computed, and turns gestures into places.

import { Newest, fetchPixels, toBuffer, toQuery } from "./pixels.js";
import { Overlay } from "./overlay.js";
import { drawFrame, makeBlotter } from "./paint.js";
import { Viewport } from "./viewport.js";

const RESTS_AFTER_MS = 150;
const SKETCH_AFTER_MS = 300;
const ASKER = crypto.getRandomValues(new Uint32Array(2)).join("-");

async function fetchFrame({ seen, address }, signal) {
  return { window: seen, buffer: toBuffer(await fetchPixels(address, 4, signal)) };
}

let stages = 0;

export class Stage {
  constructor(canvas, over, sheet, says) {
    this.canvas = canvas;
    this.number = (stages += 1); // of this page
    this.sheet = sheet;
    this.says = says; // { lost, zoomed, shown }
    this.context = canvas.getContext("2d");
    this.viewport = new Viewport(sheet.width, sheet.height);
    this.frame = null;
    this.originalFrame = null;
    this.draftFrame = null;
    this.showsOriginal = false;
    this.tried = null;
    this.aim = null;
    this.takes = null;
    this.spot = null;
    this.overlay = new Overlay(over, this);
    this.cuts = new Newest(
      fetchFrame,
      (frame, order) => {
        if (order.original) this.originalFrame = frame;
        else if (order.draft) this.draftFrame = frame;
        else this.settle(frame, order);
        if (order.original && this.wantsDraft) this.askDraft(order);
        if (order.draft && this.wantsDraft) this.says.drafted();
        this.says.shown();
        this.paint();
      },
      (error) => this.says.lost(error),
    );
    this.sketches = new Newest(
      fetchFrame,
      (frame, order) => {
        if (this.sketchOf !== order.address) return; // what it stands in for has come, or is not looked at any more
        this.frame = frame;
        this.says.sketched(true);
        this.paint();
      },
      (error) => this.says.lost(error),
    );
    this.masks = new Newest(
      async ({ seen, address }, signal) => ({ seen, mask: await fetchPixels(address, 1, signal) }),
      ({ seen, mask }, order) => {
        if (this.pressed !== order.pressed) return;
        this.takes = { window: seen, buffer: this.toHatchMask(mask) };
        this.overlay.ask();
      },
      (error) => this.says.lost(error),
    );
    new ResizeObserver(() => this.resize()).observe(canvas);
    this.resize();
  }

  // Which state is looked at, where it is not the present one.
  get own() {
    return this.sheet.as ? { as: this.sheet.as } : {};
  }

  // While the sheet is measured: the original at once, then a draft of the cut over it.
  get wantsDraft() {
    return !this.sheet.measured && !this.showsOriginal && !this.sheet.area && !this.sheet.as;
  }

  askDraft({ seen }) {
    this.cuts.want({ seen, address: `${this.sheet.address}draft?${toQuery(seen)}`, draft: true });
  }

  get showsAsItCame() {
    return this.showsOriginal || !this.sheet.measured || Boolean(this.sheet.area);
  }

  get ratio() {
    return window.devicePixelRatio || 1;
  }

  resize() {
    const width = Math.max(1, Math.round(this.canvas.clientWidth * this.ratio));
    const height = Math.max(1, Math.round(this.canvas.clientHeight * this.ratio));
    if (width === this.canvas.width && height === this.canvas.height && this.frame) return;
    this.canvas.width = width;
    this.canvas.height = height;
    this.viewport.resize(width, height);
    this.blotter = null;
    this.overlay.resize(width, height);
    this.moved();
  }

  // The sheet changed on the server, or what is in view did.
  moved() {
    this.says.zoomed(this.viewport.scale);
    this.paint();
    this.ask();
  }

  ask() {
    const seen = this.viewport.window();
    if (!seen) return;
    const original = this.showsAsItCame;
    const values = { ...seen, asker: `${ASKER}-${this.number}`, ...this.own };
    if (this.tried !== null && !original) {
      values.tried = this.tried;
      if (this.rests) values.settles = 1;
    }
    const path = this.sheet.area ? "uncropped" : original ? "original" : "view";
    const address = `${this.sheet.address}${path}?${toQuery(values)}`;
    this.cuts.want({ seen, address, original });
    clearTimeout(this.sketching);
    this.sketchOf = null;
    this.asked = address;
    if (path === "view" && this.tried === null) this.sketching = setTimeout(() => this.sketch(seen), SKETCH_AFTER_MS);
  }

  // Where solving the rims of a view takes long, what is left of the picture is shown at once.
  sketch(seen) {
    const address = `${this.sheet.address}sketch?${toQuery({ ...seen, ...this.own })}`;
    this.sketchOf = address;
    this.sketches.want({ seen, address });
  }

  settle(frame, { address }) {
    this.frame = frame;
    if (address !== this.asked) return; // something newer is on its way
    clearTimeout(this.sketching);
    this.sketchOf = null;
    this.says.sketched(false);
  }

  // Shows another picture where the work area changed, or all around it is to be seen; says whether it did.
  resetPicture() {
    const { viewport, sheet } = this;
    if (viewport.pictureWidth === sheet.width && viewport.pictureHeight === sheet.height && this.isUncropped === Boolean(this.sheet.area)) return false;
    this.isUncropped = Boolean(this.sheet.area);
    viewport.pictureWidth = sheet.width;
    viewport.pictureHeight = sheet.height;
    viewport.showWhole();
    this.frame = null;
    this.originalFrame = null;
    this.draftFrame = null;
    this.aim = null;
    return true;
  }

  // A tolerance under the hand is drafted at once; where the hand rests, its rims are solved too.
  tryTolerance(tolerance) {
    this.tried = tolerance;
    this.rests = false;
    clearTimeout(this.resting);
    this.ask();
    if (tolerance === null) return;
    this.resting = setTimeout(() => {
      this.rests = true;
      this.ask();
    }, RESTS_AFTER_MS);
  }

  showOriginal(on) {
    if (this.showsOriginal === on) return;
    this.showsOriginal = on;
    this.paint();
    this.ask();
  }

  press(place) {
    this.pressed = place;
    const seen = this.viewport.window();
    if (!seen) return;
    const values = { ...seen, row: place.row, col: place.col };
    this.masks.want({ seen, pressed: place, address: `${this.sheet.address}takes?${toQuery(values)}` });
  }

  release() {
    if (!this.pressed && !this.takes) return;
    this.pressed = null;
    this.takes = null;
    this.overlay.ask();
  }

  toHatchMask({ width, height, bytes }) {
    const rgba = new Uint8ClampedArray(width * height * 4);
    for (let at = 0; at < bytes.length; at += 1) rgba[4 * at + 3] = bytes[at];
    return toBuffer({ width, height, bytes: rgba });
  }

  // The picture alone; what is drawn over it follows with the next frame.
  paint() {
    const { context, viewport } = this;
    this.blotter ??= { tone: this.sheet.tone, pattern: makeBlotter(context, this.sheet.tone, this.ratio) };
    context.setTransform(1, 0, 0, 1, 0, 0);
    context.clearRect(0, 0, this.canvas.width, this.canvas.height);
    const from = viewport.toCanvas(0, 0);
    const to = viewport.toCanvas(viewport.pictureWidth, viewport.pictureHeight);
    const [left, top] = [Math.round(from.x), Math.round(from.y)];
    const box = [left, top, Math.round(to.x - from.x), Math.round(to.y - from.y)];
    if (!this.backdrops?.fill(context, this.backdrops.kind, ...box)) {
      context.fillStyle = this.blotter.pattern;
      context.fillRect(...box);
    }
    const asItCame = (this.wantsDraft && this.draftFrame) || this.originalFrame;
    const frame = this.showsAsItCame ? asItCame : this.frame;
    const shown = frame ?? this.frame ?? this.originalFrame;
    const isCut = shown === this.frame && this.backdrops;
    if (shown) drawFrame(context, isCut ? this.backdrops.see(shown) : shown, viewport);
    this.overlay.ask();
  }

  // Whether something of these boxes of the picture is in view; all of it where there are none to go by.
  shows(boxes) {
    const seen = this.viewport.window();
    if (!boxes || !seen) return true;
    const [right, bottom] = [seen.left + seen.width * seen.cell, seen.top + seen.height * seen.cell];
    return boxes.some((box) => box[0] < right && box[2] > seen.left && box[1] < bottom && box[3] > seen.top);
  }

  // What a pointer does at an instant; see tools/tool.js.
  sample(event) {
    const sample = this.locate(event);
    const parts = event.getCoalescedEvents?.() ?? [];
    sample.parts = parts.length ? parts.map((part) => this.locate(part)) : [sample];
    return sample;
  }

  locate(event) {
    const box = this.canvas.getBoundingClientRect();
    const x = (event.clientX - box.left) * this.ratio;
    const y = (event.clientY - box.top) * this.ratio;
    const at = this.viewport.toPicture(x, y);
    const place = this.viewport.isInside(at.x, at.y) ? { row: Math.floor(at.y), col: Math.floor(at.x) } : null;
    const { pointerType, pressure = 0.5, shiftKey: shift = false } = event;
    return { x, y, at, place, pressure, shift, touch: pointerType === "touch", pen: pointerType === "pen" };
  }
}
