// Pure geometry between the canvas, in device pixels, and the picture, in its own pixels.

const MOST_SCALE = 32;

export class Viewport {
  constructor(pictureWidth, pictureHeight) {
    this.pictureWidth = pictureWidth;
    this.pictureHeight = pictureHeight;
    this.width = 1;
    this.height = 1;
    this.scale = 1; // device pixels per picture pixel
    this.left = 0; // picture place at the canvas's corner
    this.top = 0;
    this.fitted = true;
  }

  get wholeScale() {
    const margin = Math.min(24, this.width / 10, this.height / 10);
    return Math.min((this.width - 2 * margin) / this.pictureWidth, (this.height - 2 * margin) / this.pictureHeight);
  }

  resize(width, height) {
    const middle = this.toPicture(this.width / 2, this.height / 2);
    this.width = width;
    this.height = height;
    if (this.fitted) this.showWhole();
    else this.lookAt(middle.x, middle.y, this.scale);
  }

  showWhole() {
    // a small picture is not blown up: crisp pixels show what there is
    this.lookAt(this.pictureWidth / 2, this.pictureHeight / 2, Math.min(1, this.wholeScale));
    this.fitted = true;
  }

  lookAt(x, y, scale) {
    this.fitted = false;
    this.scale = Math.min(MOST_SCALE, Math.max(Math.min(1, this.wholeScale) / 2, scale));
    this.left = x - this.width / 2 / this.scale;
    this.top = y - this.height / 2 / this.scale;
    this.settle();
  }

  zoomAt(canvasX, canvasY, factor) {
    const under = this.toPicture(canvasX, canvasY);
    this.fitted = false;
    this.scale = Math.min(MOST_SCALE, Math.max(Math.min(1, this.wholeScale) / 2, this.scale * factor));
    if (Math.abs(this.scale - 1) < 0.04) this.scale = 1;
    this.left = under.x - canvasX / this.scale;
    this.top = under.y - canvasY / this.scale;
    this.settle();
  }

  pan(byX, byY) {
    this.fitted = false;
    this.left -= byX / this.scale;
    this.top -= byY / this.scale;
    this.settle();
  }

  // Keeps some of the picture in sight, and picture pixels on whole device pixels.
  settle() {
    const spareX = this.width / this.scale / 2;
    const spareY = this.height / this.scale / 2;
    this.left = Math.min(this.pictureWidth - spareX, Math.max(-spareX, this.left));
    this.top = Math.min(this.pictureHeight - spareY, Math.max(-spareY, this.top));
    this.left = Math.round(this.left * this.scale) / this.scale;
    this.top = Math.round(this.top * this.scale) / this.scale;
  }

  toPicture(canvasX, canvasY) {
    return { x: this.left + canvasX / this.scale, y: this.top + canvasY / this.scale };
  }

  toCanvas(x, y) {
    return { x: (x - this.left) * this.scale, y: (y - this.top) * this.scale };
  }

  isInside(x, y) {
    return x >= 0 && y >= 0 && x < this.pictureWidth && y < this.pictureHeight;
  }

  // What to ask the server for, and where in the picture it then lies; null when nothing is in sight.
  window() {
    if (this.scale >= 1) {
      const left = Math.max(0, Math.floor(this.left));
      const top = Math.max(0, Math.floor(this.top));
      const right = Math.min(this.pictureWidth, Math.ceil(this.left + this.width / this.scale));
      const bottom = Math.min(this.pictureHeight, Math.ceil(this.top + this.height / this.scale));
      if (right <= left || bottom <= top) return null;
      return { left, top, cell: 1, width: right - left, height: bottom - top };
    }
    const cell = 1 / this.scale;
    const fromX = Math.max(0, Math.round(-this.left * this.scale));
    const fromY = Math.max(0, Math.round(-this.top * this.scale));
    const left = Math.max(0, this.left + fromX * cell);
    const top = Math.max(0, this.top + fromY * cell);
    const width = Math.min(this.width - fromX, Math.ceil((this.pictureWidth - left) * this.scale - 1e-6));
    const height = Math.min(this.height - fromY, Math.ceil((this.pictureHeight - top) * this.scale - 1e-6));
    if (width <= 0 || height <= 0) return null;
    return { left, top, cell, width, height };
  }
}
