// Drawing on a canvas: the blotter, a frame of pixels, and two-tone lines of constant width.

const TONES = { pale: ["#f4f4f1", "#c9c9c4"], middle: ["#9a9a97", "#7c7c79"], deep: ["#3a3a3a", "#565654"] };
const DOT_EVERY_PX = 8;

export function makeBlotter(context, tone, ratio) {
  const [ground, dot] = TONES[tone] ?? TONES.pale;
  const side = Math.round(DOT_EVERY_PX * ratio);
  const cell = new OffscreenCanvas(side, side);
  const pen = cell.getContext("2d");
  pen.fillStyle = ground;
  pen.fillRect(0, 0, side, side);
  pen.fillStyle = dot;
  pen.fillRect(side >> 1, side >> 1, Math.max(1, Math.round(ratio)), Math.max(1, Math.round(ratio)));
  return context.createPattern(cell, "repeat");
}

export function makeHatch(context, ratio) {
  const side = Math.round(8 * ratio);
  const cell = new OffscreenCanvas(side, side);
  const pen = cell.getContext("2d");
  for (const [style, shift] of [["#111", 0], ["#fff", 1.4 * ratio]]) {
    pen.strokeStyle = style;
    pen.lineWidth = 1.3 * ratio;
    for (const turn of [-side, 0, side]) {
      pen.beginPath();
      pen.moveTo(turn + shift - 1, side + 1);
      pen.lineTo(turn + side + shift + 1, -1);
      pen.stroke();
    }
  }
  return context.createPattern(cell, "repeat");
}

export function drawFrame(context, frame, viewport) {
  const { window: seen, buffer } = frame;
  const at = viewport.toCanvas(seen.left, seen.top);
  const step = seen.cell * viewport.scale;
  context.imageSmoothingEnabled = viewport.scale <= 2;
  context.drawImage(buffer, Math.round(at.x), Math.round(at.y), seen.width * step, seen.height * step);
}

// Dark beside light, so that one of the two shows on any picture.
export function strokeTwice(context, ratio, draw) {
  for (const [style, width] of [["#fff", 3], ["#111", 1]]) {
    context.strokeStyle = style;
    context.lineWidth = width * ratio;
    context.beginPath();
    draw(context);
    context.stroke();
  }
}

export function drawAim(context, ratio, at) {
  const [near, far] = [4 * ratio, 12 * ratio];
  strokeTwice(context, ratio, (pen) => {
    for (const [x, y] of [[1, 0], [-1, 0], [0, 1], [0, -1]]) {
      pen.moveTo(at.x + x * near, at.y + y * near);
      pen.lineTo(at.x + x * far, at.y + y * far);
    }
  });
}

export function drawPick(context, ratio, at, number) {
  strokeTwice(context, ratio, (pen) => pen.arc(at.x, at.y, 9 * ratio, 0, 2 * Math.PI));
  context.font = `700 ${12 * ratio}px "Atkinson Hyperlegible Next", sans-serif`;
  context.textAlign = "center";
  context.textBaseline = "middle";
  context.lineWidth = 3 * ratio;
  context.strokeStyle = "#fff";
  context.strokeText(number, at.x, at.y + ratio);
  context.fillStyle = "#111";
  context.fillText(number, at.x, at.y + ratio);
}

export function drawSpot(context, ratio, from, to) {
  strokeTwice(context, ratio, (pen) => pen.rect(from.x, from.y, to.x - from.x, to.y - from.y));
}
