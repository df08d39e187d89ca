// The proof strip: one spot at 300 % on several backdrops, live while tuning.

import { Newest, fetchPixels, toBuffer, toQuery } from "./pixels.js";

const ZOOM = 3;

export class Proof {
  constructor(section, stage, says) {
    this.stage = stage;
    this.section = section;
    this.pin = { row: stage.sheet.spotRow, col: stage.sheet.spotCol };
    this.spot = this.pin;
    this.fetches = new Newest(
      async ({ seen, address }, signal) => ({ seen, buffer: toBuffer(await fetchPixels(address, 4, signal)) }),
      (frame) => {
        this.frame = frame;
        this.paint();
      },
      (error) => says.lost(error),
    );
    new ResizeObserver(() => this.show(this.spot)).observe(section);
  }

  get canvases() {
    return [...this.section.querySelectorAll("canvas")];
  }

  // Follows a place; null returns to the pin.
  show(place) {
    if (place) this.last = place;
    this.spot = place ?? this.pin;
    const { sheet } = this.stage;
    const first = this.canvases[0];
    const ratio = this.stage.ratio;
    const width = Math.max(1, Math.ceil(first.clientWidth / ZOOM));
    const height = Math.max(1, Math.ceil(first.clientHeight / ZOOM));
    const left = Math.max(0, Math.min(sheet.width - width, this.spot.col - (width >> 1)));
    const top = Math.max(0, Math.min(sheet.height - height, this.spot.row - (height >> 1)));
    const seen = { left, top, cell: 1, width: Math.min(width, sheet.width), height: Math.min(height, sheet.height) };
    this.stage.spot = { left, top, right: left + seen.width, bottom: top + seen.height };
    this.stage.overlay.ask();
    if (!sheet.measured) return;
    const values = { ...seen };
    if (this.stage.tried !== null) Object.assign(values, { tolerance: this.stage.tried, settles: 1 });
    this.fetches.want({ seen, address: `${sheet.address}view?${toQuery(values)}` });
  }

  refresh() {
    this.show(this.spot === this.pin ? null : this.spot);
  }

  pinHere() {
    if (this.last) this.pin = this.last;
    this.show(null);
  }

  paint() {
    if (!this.frame) return;
    const { sheet, ratio } = this.stage;
    for (const canvas of this.canvases) {
      canvas.width = Math.max(1, Math.round(canvas.clientWidth * ratio));
      canvas.height = Math.max(1, Math.round(canvas.clientHeight * ratio));
      const context = canvas.getContext("2d");
      const kind = canvas.dataset.colour || sheet.backdrop;
      this.stage.backdrops.fill(context, kind, 0, 0, canvas.width, canvas.height);
      context.imageSmoothingEnabled = false;
      const side = ZOOM * ratio;
      context.drawImage(this.frame.buffer, 0, 0, this.frame.seen.width * side, this.frame.seen.height * side);
    }
  }
}
