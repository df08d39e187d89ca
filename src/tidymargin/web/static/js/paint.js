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
// `pen` has the context and the ratio of device pixels to those of the page.
export function strokeTwice({ context, ratio }, draw) {
  for (const [style, width] of [["#fff", 4], ["#111", 1.5]]) {
    context.strokeStyle = style;
    context.lineWidth = width * ratio;
    context.beginPath();
    draw(context);
    context.stroke();
  }
}

export function drawAim(pen, at) {
  const [near, far] = [4 * pen.ratio, 12 * pen.ratio];
  strokeTwice(pen, (path) => {
    for (const [x, y] of [[1, 0], [-1, 0], [0, 1], [0, -1]]) {
      path.moveTo(at.x + x * near, at.y + y * near);
      path.lineTo(at.x + x * far, at.y + y * far);
    }
  });
}

export function drawPick(pen, at, number) {
  strokeTwice(pen, (path) => path.arc(at.x, at.y, 9 * pen.ratio, 0, 2 * Math.PI));
  writeTwice(pen, number, at);
}

// Four corners of a box, a little outside of it: a fault.
export function drawBrackets(pen, from, to) {
  const gap = 4 * pen.ratio;
  const long = 9 * pen.ratio;
  strokeTwice(pen, (context) => {
    for (const [x, wayX] of [[from.x - gap, 1], [to.x + gap, -1]]) {
      for (const [y, wayY] of [[from.y - gap, 1], [to.y + gap, -1]]) {
        context.moveTo(x + wayX * long, y);
        context.lineTo(x, y);
        context.lineTo(x, y + wayY * long);
      }
    }
  });
}

export function drawSpot(pen, from, to) {
  strokeTwice(pen, (path) => path.rect(from.x, from.y, to.x - from.x, to.y - from.y));
}

// The work area: a plain outline with a numbered grip at each corner.
export function drawArea(pen, corners, chosen) {
  strokeTwice(pen, (path) => {
    corners.forEach((at, number) => (number ? path.lineTo(at.x, at.y) : path.moveTo(at.x, at.y)));
    path.closePath();
  });
  corners.forEach((at, number) => {
    const side = (number === chosen ? 9 : 6) * pen.ratio;
    pen.context.fillStyle = number === chosen ? "#111" : "#fff";
    pen.context.fillRect(at.x - side, at.y - side, 2 * side, 2 * side);
    strokeTwice(pen, (path) => path.rect(at.x - side, at.y - side, 2 * side, 2 * side));
    if (number === chosen) writeTwice(pen, String(number + 1), at);
  });
}

// A fence: a line with short bars across it.
export function drawFence(pen, line) {
  const bar = 4 * pen.ratio;
  strokeTwice(pen, (path) => {
    line.forEach((at, number) => (number ? path.lineTo(at.x, at.y) : path.moveTo(at.x, at.y)));
    for (let number = 1; number < line.length; number += 1) {
      const [from, to] = [line[number - 1], line[number]];
      const long = Math.hypot(to.x - from.x, to.y - from.y) || 1;
      const [alongX, alongY] = [(to.x - from.x) / long, (to.y - from.y) / long];
      for (let far = 0; far <= long; far += 14 * pen.ratio) {
        const [x, y] = [from.x + alongX * far, from.y + alongY * far];
        path.moveTo(x - alongY * bar, y + alongX * bar);
        path.lineTo(x + alongY * bar, y - alongX * bar);
      }
    }
  });
}

const TICK_EVERY_PX = 22;
const TICK_PX = 5;

// A pocket: its unbroken contour, with ticks that point out of it where it goes and into it where it
// stays; undecided, a contour with a gap and a question mark in it.
export function drawPocket(pen, outline, verdict) {
  const sides = outline.map((from, number) => {
    const to = outline[(number + 1) % outline.length];
    return { from, to, long: Math.hypot(to.x - from.x, to.y - from.y) };
  });
  const around = sides.reduce((sum, { long }) => sum + long, 0);
  if (around < 12 * pen.ratio) return;
  const gap = verdict ? 0 : Math.min(18 * pen.ratio, around / 4);
  const turned = outline.reduce((sum, { x, y }, at) => {
    const next = outline[(at + 1) % outline.length];
    return sum + x * next.y - next.x * y;
  }, 0);
  // on a clockwise contour (y goes down) the outside lies to the left of the way
  const side = (turned > 0 ? 1 : -1) * (verdict === "clear" ? 1 : -1) * TICK_PX * pen.ratio;
  const tickEvery = Math.max(TICK_EVERY_PX * pen.ratio, around / 40);
  strokeTwice(pen, (path) => {
    let walked = 0;
    let nextTick = tickEvery / 2;
    sides.forEach(({ from, to, long }) => {
      if (!long) return;
      const [alongX, alongY] = [(to.x - from.x) / long, (to.y - from.y) / long];
      const start = Math.max(0, gap - walked);
      if (start < long) {
        path.moveTo(from.x + alongX * start, from.y + alongY * start);
        path.lineTo(to.x, to.y);
      }
      for (; verdict && nextTick <= walked + long; nextTick += tickEvery) {
        const [x, y] = [from.x + alongX * (nextTick - walked), from.y + alongY * (nextTick - walked)];
        path.moveTo(x, y);
        path.lineTo(x + alongY * side, y - alongX * side);
      }
      walked += long;
    });
  });
  if (!verdict && around > 60 * pen.ratio) writeTwice(pen, "?", along(sides, gap / 2));
}

function along(sides, far) {
  for (const { from, to, long } of sides) {
    if (far <= long) return { x: from.x + ((to.x - from.x) * far) / long, y: from.y + ((to.y - from.y) * far) / long };
    far -= long;
  }
  return sides[0].from;
}

// A mark: a dashed contour; faint where it is switched off, thick while its row is pointed at.
export function drawMark(pen, ring, { isOn = true, isOpen = false, isPointed = false, wide = 1 } = {}) {
  const { context, ratio } = pen;
  context.globalAlpha = isOn ? 1 : 0.4;
  context.setLineDash([7 * ratio, 5 * ratio]);
  strokeTwice({ context, ratio: ratio * wide * (isPointed ? 2 : 1) }, (path) => {
    ring.forEach((at, number) => (number ? path.lineTo(at.x, at.y) : path.moveTo(at.x, at.y)));
    if (!isOpen) path.closePath();
  });
  context.setLineDash([]);
  context.globalAlpha = 1;
}

// The ticks of a mark's verdict: out of its ring where that goes, into it where it stays.
export function drawTicks(pen, ring, verdict) {
  const goesOut = verdict === "clear";
  const around = ring.reduce((sum, at, n) => sum + Math.hypot(at.x - ring.at(n - 1).x, at.y - ring.at(n - 1).y), 0);
  if (around < 40 * pen.ratio) return;
  const turned = ring.reduce((sum, { x, y }, at) => sum + x * ring[(at + 1) % ring.length].y - ring[(at + 1) % ring.length].x * y, 0);
  const side = (turned > 0 ? 1 : -1) * (goesOut ? 1 : -1) * TICK_PX * pen.ratio;
  const every = Math.max(TICK_EVERY_PX * pen.ratio, around / 40);
  strokeTwice(pen, (path) => {
    let next = every / 2;
    ring.forEach((from, at) => {
      const to = ring[(at + 1) % ring.length];
      const long = Math.hypot(to.x - from.x, to.y - from.y);
      for (; next <= long; next += every) {
        const [alongX, alongY] = [(to.x - from.x) / long, (to.y - from.y) / long];
        const [x, y] = [from.x + alongX * next, from.y + alongY * next];
        path.moveTo(x, y);
        path.lineTo(x + alongY * side, y - alongX * side);
      }
      next -= long;
    });
  });
}

// What a stroke would take, hatched in its width.
export function drawSweep(pen, line, wide) {
  const { context } = pen;
  pen.hatch ??= makeHatch(context, pen.ratio);
  context.save();
  context.strokeStyle = pen.hatch;
  context.lineWidth = Math.max(1, wide);
  context.lineCap = "round";
  context.lineJoin = "round";
  context.beginPath();
  line.forEach((at, number) => (number ? context.lineTo(at.x, at.y) : context.moveTo(at.x, at.y)));
  if (line.length === 1) context.lineTo(line[0].x + 0.01, line[0].y);
  context.stroke();
  context.restore();
}

// How far a stroke reaches around the pointer, and up to where it is hard.
export function drawReach(pen, at, reach, hard) {
  strokeTwice(pen, (path) => {
    path.arc(at.x, at.y, Math.max(1, reach), 0, 2 * Math.PI);
    if (reach > 12 * pen.ratio) {
      path.moveTo(at.x - 3 * pen.ratio, at.y);
      path.lineTo(at.x + 3 * pen.ratio, at.y);
      path.moveTo(at.x, at.y - 3 * pen.ratio);
      path.lineTo(at.x, at.y + 3 * pen.ratio);
    }
  });
  if (hard >= reach - pen.ratio) return;
  pen.context.setLineDash([2 * pen.ratio, 3 * pen.ratio]);
  strokeTwice(pen, (path) => path.arc(at.x, at.y, Math.max(1, hard), 0, 2 * Math.PI));
  pen.context.setLineDash([]);
}

// A point of an outline: a small square, on its corner where the line goes through it smoothly.
export function drawPoint(pen, at, { isSmooth = false, isChosen = false } = {}) {
  const { context, ratio } = pen;
  const side = (isChosen ? 5 : 3.5) * ratio;
  context.save();
  context.translate(at.x, at.y);
  if (isSmooth) context.rotate(Math.PI / 4);
  context.fillStyle = isChosen ? "#111" : "#fff";
  context.fillRect(-side, -side, 2 * side, 2 * side);
  strokeTwice(pen, (path) => path.rect(-side, -side, 2 * side, 2 * side));
  context.restore();
}

// The place that a part was pulled to.
export function drawBend(pen, at) {
  strokeTwice(pen, (path) => {
    path.moveTo(at.x - 4 * pen.ratio, at.y);
    path.lineTo(at.x + 4 * pen.ratio, at.y);
    path.moveTo(at.x, at.y - 4 * pen.ratio);
    path.lineTo(at.x, at.y + 4 * pen.ratio);
  });
}

// A guard: a lozenge where its colour was taken.
export function drawGuard(pen, at) {
  const [wide, tall] = [7 * pen.ratio, 10 * pen.ratio];
  strokeTwice(pen, (path) => {
    path.moveTo(at.x, at.y - tall);
    path.lineTo(at.x + wide, at.y);
    path.lineTo(at.x, at.y + tall);
    path.lineTo(at.x - wide, at.y);
    path.closePath();
  });
}

function writeTwice({ context, ratio }, text, at) {
  context.font = `700 ${12 * ratio}px "Atkinson Hyperlegible Next", sans-serif`;
  context.textAlign = "center";
  context.textBaseline = "middle";
  context.lineWidth = 3 * ratio;
  context.strokeStyle = "#fff";
  context.strokeText(text, at.x, at.y + ratio);
  context.fillStyle = "#111";
  context.fillText(text, at.x, at.y + ratio);
}
