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
  writeTwice(context, ratio, number, at);
}

export function drawSpot(context, ratio, from, to) {
  strokeTwice(context, ratio, (pen) => pen.rect(from.x, from.y, to.x - from.x, to.y - from.y));
}

// The work area: a plain outline with a numbered grip at each corner.
export function drawArea(context, ratio, corners, chosen) {
  strokeTwice(context, ratio, (pen) => {
    corners.forEach((at, number) => (number ? pen.lineTo(at.x, at.y) : pen.moveTo(at.x, at.y)));
    pen.closePath();
  });
  corners.forEach((at, number) => {
    const side = (number === chosen ? 9 : 6) * ratio;
    context.fillStyle = number === chosen ? "#111" : "#fff";
    context.fillRect(at.x - side, at.y - side, 2 * side, 2 * side);
    strokeTwice(context, ratio, (pen) => pen.rect(at.x - side, at.y - side, 2 * side, 2 * side));
    if (number === chosen) writeTwice(context, ratio, String(number + 1), at);
  });
}

// A fence: a line with short bars across it.
export function drawFence(context, ratio, line) {
  const bar = 4 * ratio;
  strokeTwice(context, ratio, (pen) => {
    line.forEach((at, number) => (number ? pen.lineTo(at.x, at.y) : pen.moveTo(at.x, at.y)));
    for (let number = 1; number < line.length; number += 1) {
      const [from, to] = [line[number - 1], line[number]];
      const long = Math.hypot(to.x - from.x, to.y - from.y) || 1;
      const [alongX, alongY] = [(to.x - from.x) / long, (to.y - from.y) / long];
      for (let far = 0; far <= long; far += 14 * ratio) {
        const [x, y] = [from.x + alongX * far, from.y + alongY * far];
        pen.moveTo(x - alongY * bar, y + alongX * bar);
        pen.lineTo(x + alongY * bar, y - alongX * bar);
      }
    }
  });
}

// What is undecided: a contour with gaps, and a question mark.
export function drawCorners(context, ratio, from, to) {
  const [wide, tall] = [to.x - from.x, to.y - from.y];
  const arm = Math.min(10 * ratio, wide / 3, tall / 3);
  strokeTwice(context, ratio, (pen) => {
    for (const [x, y, right, down] of [[from.x, from.y, 1, 1], [to.x, from.y, -1, 1], [from.x, to.y, 1, -1], [to.x, to.y, -1, -1]]) {
      pen.moveTo(x + right * arm, y);
      pen.lineTo(x, y);
      pen.lineTo(x, y + down * arm);
    }
  });
  if (Math.min(wide, tall) < 24 * ratio) return;
  writeTwice(context, ratio, "?", { x: from.x + wide / 2, y: from.y - 8 * ratio });
}

function writeTwice(context, ratio, text, at) {
  context.font = `700 ${12 * ratio}px "Atkinson Hyperlegible Next", sans-serif`;
  context.textAlign = "center";
  context.textBaseline = "middle";
  context.lineWidth = 3 * ratio;
  context.strokeStyle = "#fff";
  context.strokeText(text, at.x, at.y + ratio);
  context.fillStyle = "#111";
  context.fillText(text, at.x, at.y + ratio);
}
