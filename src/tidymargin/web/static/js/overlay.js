// Everything that is drawn over the picture, on a canvas of its own and once a frame at most.

import { drawAim, drawBrackets, drawFence, drawFrame, drawGuard, drawMark, drawPick, drawPocket, drawPoint, drawSpot, drawTicks, makeHatch } from "./paint.js";

// The size of the overlay's pixels on the screen, and where places of the picture lie on it.
class Pen {
  constructor(context, stage) {
    this.context = context;
    this.ratio = stage.ratio;
    this.viewport = stage.viewport;
  }

  place(x, y) {
    return this.viewport.toCanvas(x, y);
  }
}

export class Overlay {
  constructor(canvas, stage) {
    this.canvas = canvas;
    this.stage = stage;
    this.context = canvas.getContext("2d");
    this.things = { picks: [], guards: [], fences: [], pockets: [], marks: [] };
    this.tools = [];
    this.shapes = null; // how marks look, by name
    this.hides = () => false; // a mark that is in hand, and drawn by its implement
  }

  resize(width, height) {
    this.canvas.width = width;
    this.canvas.height = height;
    this.hatch = null;
    this.paint();
  }

  // Asks for a frame; the next one shows everything that is known by then.
  ask() {
    this.asked ??= requestAnimationFrame(() => this.paint());
  }

  paint() {
    cancelAnimationFrame(this.asked);
    this.asked = null;
    const { context, stage, things } = this;
    const pen = new Pen(context, stage);
    context.setTransform(1, 0, 0, 1, 0, 0);
    context.clearRect(0, 0, this.canvas.width, this.canvas.height);
    if (!stage.sheet.area) this.paintThings(pen, things);
    for (const tool of this.tools) tool.draw(pen);
    if (stage.aim && !stage.sheet.area) drawAim(pen, pen.place(stage.aim.col + 0.5, stage.aim.row + 0.5));
  }

  paintThings(pen, { picks, guards, fences, pockets, marks }) {
    const { takes, spot } = this.stage;
    if (takes) this.paintHatch(takes);
    if (spot) drawSpot(pen, pen.place(spot.left, spot.top), pen.place(spot.right, spot.bottom));
    const fault = this.stage.sheet.fault;
    if (fault) drawBrackets(pen, pen.place(fault[0], fault[1]), pen.place(fault[2], fault[3]));
    for (const { outline, verdict } of pockets) drawPocket(pen, outline.map(([x, y]) => pen.place(x, y)), verdict);
    for (const [x, y] of guards) drawGuard(pen, pen.place(x + 0.5, y + 0.5));
    for (const fence of fences) drawFence(pen, fence.map(([x, y]) => pen.place(x + 0.5, y + 0.5)));
    for (const mark of marks) this.paintMark(pen, mark);
    picks.forEach(([x, y], at) => drawPick(pen, pen.place(x + 0.5, y + 0.5), String(at + 1)));
  }

  paintMark(pen, { number, name, kind, is_on: isOn, goes }) {
    const shape = this.shapes?.of(name);
    if (!shape || this.hides(kind, number)) return;
    const isPointed = Boolean(this.stage.sheet.pointed?.includes(number));
    const toCanvas = (line) => line.map(([x, y]) => pen.place(x, y));
    for (const ring of shape.rings.map(toCanvas)) {
      drawMark(pen, ring, { isOn, isPointed });
      if (isOn && goes !== "solve") drawTicks(pen, ring, goes === "outside" ? "keep" : goes);
    }
    for (const line of shape.lines.map(toCanvas)) drawMark(pen, line, { isOn, isPointed, isOpen: true });
    if (shape.taken) drawPoint(pen, pen.place(...shape.taken));
    if (kind === "outline") shape.points.forEach(({ x, y, is_smooth: isSmooth }) => drawPoint(pen, pen.place(x, y), { isSmooth }));
  }

  // What a press would take, hatched.
  paintHatch(takes) {
    this.hatch ??= makeHatch(this.context, this.stage.ratio);
    const layer = new OffscreenCanvas(this.canvas.width, this.canvas.height);
    const pen = layer.getContext("2d");
    drawFrame(pen, takes, this.stage.viewport);
    pen.globalCompositeOperation = "source-in";
    pen.fillStyle = this.hatch;
    pen.fillRect(0, 0, layer.width, layer.height);
    this.context.drawImage(layer, 0, 0);
  }
}
