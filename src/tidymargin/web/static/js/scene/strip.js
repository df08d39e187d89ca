// The proof strip of a scene: one spot at 300 %, on the scene's base and on others.

import { Newest, fetchPixels, toBuffer, toQuery } from "../pixels.js";

const ZOOM = 3;

export class Strip {
  constructor(section, stage, says) {
    this.stage = stage;
    this.section = section;
    this.place = null;
    this.figures = [...section.querySelectorAll("canvas")].map((canvas) => ({
      canvas,
      fetches: new Newest(
        async ({ address }, signal) => toBuffer(await fetchPixels(address, 4, signal)),
        (buffer) => this.paint(canvas, buffer),
        (error) => says.lost(error),
      ),
    }));
  }

  show(place = this.place) {
    this.place = place;
    if (this.section.hidden) {
      this.stage.spot = null;
      return;
    }
    const { scene } = this.stage;
    const at = place ?? { x: scene.width / 2, y: scene.height / 2 };
    const width = Math.min(scene.width, Math.max(1, Math.ceil(this.figures[0].canvas.clientWidth / ZOOM)));
    const height = Math.min(scene.height, Math.max(1, Math.ceil(this.figures[0].canvas.clientHeight / ZOOM)));
    const left = Math.round(Math.max(0, Math.min(scene.width - width, at.x - width / 2)));
    const top = Math.round(Math.max(0, Math.min(scene.height - height, at.y - height / 2)));
    this.stage.spot = { left, top, right: left + width, bottom: top + height };
    for (const { canvas, fetches } of this.figures) {
      const values = { left, top, cell: 1, width, height };
      if (!canvas.dataset.scene) values.on = canvas.dataset.on;
      fetches.want({ address: `${scene.address}view?${toQuery(values)}` });
    }
    this.stage.paint();
  }

  paint(canvas, buffer) {
    const { ratio } = this.stage;
    canvas.width = Math.max(1, Math.round(canvas.clientWidth * ratio));
    canvas.height = Math.max(1, Math.round(canvas.clientHeight * ratio));
    const context = canvas.getContext("2d");
    context.imageSmoothingEnabled = false;
    context.drawImage(buffer, 0, 0, buffer.width * ZOOM * ratio, buffer.height * ZOOM * ratio);
  }
}
