// What the stage lays behind a cut to judge it: a colour, a picture of one's own, or the matte or its rim alone.

import { makeBlotter } from "./paint.js";
import { _ } from "./words.js";

const AS_MATTE = new Set(["alpha", "rim"]);
const OWN = "/own-backdrop";
const seen = new WeakMap();

// The matte of a frame in white, or only where it is between clear and solid.
function toMatte(frame, kind) {
  const kept = seen.get(frame) ?? {};
  if (kept[kind]) return kept[kind];
  const { width, height } = frame.buffer;
  const pixels = frame.buffer.getContext("2d").getImageData(0, 0, width, height);
  const { data } = pixels;
  for (let at = 0; at < data.length; at += 4) {
    const matte = data[at + 3];
    data[at] = data[at + 1] = data[at + 2] = 255;
    if (kind === "rim") data[at + 3] = Math.min(255, (4 * matte * (255 - matte)) / 255);
  }
  const buffer = new OffscreenCanvas(width, height);
  buffer.getContext("2d").putImageData(pixels, 0, 0);
  kept[kind] = { ...frame, buffer };
  seen.set(frame, kept);
  return kept[kind];
}

export class Backdrops {
  constructor(stage, say, onPicture) {
    this.stage = stage;
    this.say = say;
    this.onPicture = onPicture;
    this.kind = "blotter";
    this.picture = null;
    document.addEventListener("click", ({ target }) => {
      const backdrop = target.closest?.("button[data-backdrop]")?.dataset.backdrop;
      if (backdrop === "picture" && this.picture && this.kind !== "picture") this.lay("picture");
      else if (backdrop === "picture") document.getElementById("own-picture").click();
      else if (backdrop) this.lay(backdrop);
    });
    document.addEventListener("input", ({ target }) => {
      if (target.id === "sweep") this.lay(`rgb(${target.value} ${target.value} ${target.value})`);
    });
    document.addEventListener("change", ({ target }) => target.id === "own-picture" && this.take(target.files[0]));
    stage.backdrops = this;
    this.recall();
  }

  // The own picture is kept in this browser, for the next sheet and after a reload.
  async recall() {
    const kept = await globalThis.caches?.match(OWN);
    if (!kept || this.picture) return;
    this.picture = await createImageBitmap(await kept.blob());
    this.paintSmall();
    this.onPicture();
  }

  async take(file) {
    if (!file) return;
    try {
      this.picture = await createImageBitmap(file);
      this.lay("picture");
      this.onPicture();
      await (await globalThis.caches?.open(OWN))?.put(OWN, new Response(file));
    } catch {
      this.say(_("This file cannot be shown as a picture. Choose a PNG, JPEG or WebP."));
    }
  }

  lay(kind) {
    this.kind = kind;
    // what the ledger shows of the cut lies on the same
    const colour = AS_MATTE.has(kind) ? "#000000" : kind;
    if (kind === "blotter" || kind === "picture") document.documentElement.style.removeProperty("--laid");
    else document.documentElement.style.setProperty("--laid", colour);
    this.follow();
    this.stage.paint();
  }

  // The ledger was swapped.
  follow() {
    for (const button of document.querySelectorAll("button[data-backdrop]")) {
      const isOn = button.dataset.backdrop === this.kind;
      button.setAttribute("aria-pressed", String(isOn));
      button.classList.toggle("on", isOn);
    }
    this.paintSmall();
  }

  // Each is shown as a small proof of what the stage shows.
  paintSmall() {
    const { frame, ratio, sheet } = this.stage;
    for (const button of document.querySelectorAll("button[data-backdrop]")) {
      const canvas = button.querySelector("canvas");
      const { backdrop } = button.dataset;
      const [width, height] = [canvas.clientWidth * ratio, canvas.clientHeight * ratio].map(Math.round);
      if (!width || !height) return;
      Object.assign(canvas, { width, height });
      const context = canvas.getContext("2d");
      if (!this.fill(context, backdrop, 0, 0, width, height)) {
        context.fillStyle = makeBlotter(context, sheet.tone, ratio);
        context.fillRect(0, 0, width, height);
      }
      if (!frame) continue;
      const { buffer } = AS_MATTE.has(backdrop) ? toMatte(frame, backdrop) : frame;
      const scale = Math.min(width / buffer.width, height / buffer.height);
      const [wide, high] = [buffer.width * scale, buffer.height * scale];
      context.drawImage(buffer, (width - wide) / 2, (height - high) / 2, wide, high);
    }
  }

  // Fills a box of a canvas with a backdrop; false leaves it to the blotter.
  fill(context, kind, left, top, width, height) {
    if (kind === "blotter" || (kind === "picture" && !this.picture)) return false;
    if (kind === "picture") {
      // it covers the sheet, as large as it must be
      const scale = Math.max(width / this.picture.width, height / this.picture.height);
      const [wide, high] = [width / scale, height / scale];
      const [x, y] = [(this.picture.width - wide) / 2, (this.picture.height - high) / 2];
      context.drawImage(this.picture, x, y, wide, high, left, top, width, height);
      return true;
    }
    context.fillStyle = AS_MATTE.has(kind) ? "#000000" : kind;
    context.fillRect(left, top, width, height);
    return true;
  }

  see(frame) {
    if (frame !== this.last) requestAnimationFrame(() => this.paintSmall());
    this.last = frame;
    return AS_MATTE.has(this.kind) ? toMatte(frame, this.kind) : frame;
  }
}
