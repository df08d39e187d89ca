// Lines of fewer places that nobody could tell from what was drawn.

// Drops places that lie so close to the line between their neighbours that nobody would miss them; a place that stands
// twice is a corner and stays.
export function thinPlaces(line, near) {
  const keeps = new Uint8Array(line.length);
  keeps[0] = 1;
  keeps[line.length - 1] = 1;
  const open = [];
  let from = 0;
  for (let at = 1; at < line.length; at += 1) {
    const isTwice = line[at][0] === line[at - 1][0] && line[at][1] === line[at - 1][1];
    if (isTwice) {
      keeps[at - 1] = keeps[at] = 1;
      open.push([from, at - 1]);
      from = at;
    }
  }
  open.push([from, line.length - 1]);
  while (open.length) {
    const [first, last] = open.pop();
    const [ax, ay] = line[first];
    const [bx, by] = line[last];
    const long = Math.hypot(bx - ax, by - ay);
    let most = 0;
    let far = 0;
    for (let at = first + 1; at < last; at += 1) {
      const [x, y] = line[at];
      const along = long ? Math.min(1, Math.max(0, ((x - ax) * (bx - ax) + (y - ay) * (by - ay)) / (long * long))) : 0;
      const away = Math.hypot(ax + along * (bx - ax) - x, ay + along * (by - ay) - y);
      if (away > most) [most, far] = [away, at];
    }
    if (most <= near) continue;
    keeps[far] = 1;
    open.push([first, far], [far, last]);
  }
  return line.filter((_, at) => keeps[at]);
}
