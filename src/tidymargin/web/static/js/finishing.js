// Steps 4 and 5: three small pictures of one spot, live while a ruler is moved; and what is taken of a place by a click.

import { Newest, fetchPixels, toBuffer, toQuery } from "./pixels.js";

const ZOOM = 4;
const DARK = "#23292F";
const IN_PERCENT = new Set(["fringe", "black", "white", "depth", "brightness", "contrast", "saturation", "shadow"]);

export class Finishing {
  constructor(stage, proof, says) {
    this.stage = stage;
    this.proof = proof;
    this.frames = {};
    this.fetches = new Newest(
      async (order, signal) => ({ ...order, buffer: toBuffer(await fetchPixels(order.address, 4, signal)) }),
      (frame) => {
        this.frames[frame.shows] = frame;
        this.paint();
      },
      (error) => says.lost(error),
    );
    document.addEventListener("input", ({ target }) => target.dataset?.track && this.slide(target));
    document.addEventListener("change", ({ target }) => {
      // a ruler that is let go of is set, by its own form
      if (target.dataset?.track) target.closest("form").requestSubmit();
    });
  }

  get strip() {
    return document.querySelector(".thrice");
  }

  // The ledger was swapped: the strip of the open sentence is shown anew.
  follow() {
    this.frames = {};
    if (!this.strip) return;
    if (!this.seen) new ResizeObserver(() => this.strip && this.paint()).observe(document.querySelector(".ledger"));
    this.seen = true;
    this.ask("before", {}, true);
  }

  slide(track) {
    const field = document.getElementById(track.dataset.track);
    field.value = String(Number(track.value));
    const form = track.closest("form");
    const values = {};
    for (const each of form.querySelectorAll(".track")) {
      values[each.dataset.track] = Number(each.value) / (IN_PERCENT.has(each.dataset.track) ? 100 : 1);
    }
    this.ask("now", values);
  }

  // Asks for a spot with other values of the open step, or as it is without any of them.
  ask(shows, values, isPlain = false) {
    const { sheet } = this.stage;
    const first = this.strip?.querySelector("canvas");
    if (!first || !sheet.measured) return;
    const spot = this.proof.pin;
    const width = Math.min(sheet.width, Math.max(1, Math.ceil(first.clientWidth / ZOOM)));
    const height = Math.min(sheet.height, Math.max(1, Math.ceil(first.clientHeight / ZOOM)));
    const left = Math.max(0, Math.min(sheet.width - width, spot.col - (width >> 1)));
    const top = Math.max(0, Math.min(sheet.height - height, spot.row - (height >> 1)));
    const view = { left, top, cell: 1, width, height };
    const query = { ...view, step: this.strip.dataset.step, plain: isPlain ? 1 : 0, values: JSON.stringify(values) };
    this.fetches.want({ shows, address: `${sheet.address}tried?${toQuery(query)}` });
  }

  paint() {
    const { ratio } = this.stage;
    if (this.frames.before && !this.frames.now) this.ask("now", {});
    for (const canvas of this.strip?.querySelectorAll("canvas") ?? []) {
      canvas.width = Math.max(1, Math.round(canvas.clientWidth * ratio));
      canvas.height = Math.max(1, Math.round(canvas.clientHeight * ratio));
      const { shows } = canvas.dataset;
      const frame = this.frames[shows === "before" ? "before" : "now"];
      const context = canvas.getContext("2d");
      context.fillStyle = shows === "other" ? DARK : "#FFFFFF";
      context.fillRect(0, 0, canvas.width, canvas.height);
      if (!frame) continue;
      context.imageSmoothingEnabled = false;
      const side = ZOOM * ratio;
      context.drawImage(frame.buffer, 0, 0, frame.buffer.width * side, frame.buffer.height * side);
    }
  }
}
