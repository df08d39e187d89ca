// Places, corners and numbers of what the hand does on a scene's stage.

import { _, shown } from "../words.js";

export const distance = (a, b) => Math.hypot(a.x - b.x, a.y - b.y);
export const angle = (at, middle) => (Math.atan2(at.y - middle.y, at.x - middle.x) * 180) / Math.PI;
const format = (number) => shown(number, Math.abs(number) < 10 ? 1 : 0);

export const sayTurn = (turn) => _("turned by %(turn)s°", { turn: format(turn) });

export function sayScale(scale) {
  const slots = { scale: format(100 * scale) };
  return scale > 1 ? _("at %(scale)s %, larger than its own pixels: it gets softer", slots) : _("at %(scale)s %", slots);
}

export function middleOf(corners) {
  return { x: corners.reduce((sum, [x]) => sum + x / 4, 0), y: corners.reduce((sum, [, y]) => sum + y / 4, 0) };
}

export function isInside(corners, x, y) {
  return corners.every((from, number) => {
    const to = corners[(number + 1) % corners.length];
    return (to.x - from.x) * (y - from.y) - (to.y - from.y) * (x - from.x) >= 0;
  });
}
