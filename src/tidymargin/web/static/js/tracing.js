// Traced outlines over the picture: their lines, their points and handles, and rings where a line is further off than it may be.

import { drawPoint, strokeTwice } from "./paint.js";
import { _ } from "./words.js";

export class Tracing {
  constructor(stage, say) {
    this.stage = stage;
    this.say = say;
    this.isOver = false;
    this.withPoints = false;
    this.drawn = null;
    this.address = "";
    document.addEventListener("change", ({ target }) => {
      if (target.id === "traced-over") this.isOver = target.checked;
      else if (target.id === "traced-points") this.withPoints = target.checked;
      else return;
      if (this.withPoints && target.id === "traced-points") this.isOver = true;
      this.follow();
    });
  }

  // The ledger was swapped, or a box was ticked: what is shown stays as it was chosen.
  follow() {
    const over = document.getElementById("traced-over");
    if (over) {
      over.checked = this.isOver;
      document.getElementById("traced-points").checked = this.isOver && this.withPoints;
    }
    const address = over && this.isOver ? over.dataset.lines : "";
    if (address !== this.address) this.load(address);
    else this.stage.overlay.ask();
  }

  async load(address) {
    this.address = address;
    this.drawn = null;
    this.stage.overlay.ask();
    if (!address) return;
    try {
      const answer = await fetch(address);
      if (!answer.ok) throw new Error(`${answer.status}`);
      const drawn = await answer.json();
      if (this.address === address) this.drawn = drawn;
    } catch {
      this.address = "";
      this.say(_("The outlines could not be shown over the picture. Tick the box again."));
    }
    this.stage.overlay.ask();
  }

  draw(pen) {
    if (!this.drawn || this.stage.sheet.area) return;
    const { lines, points, handles, off } = this.drawn;
    strokeTwice(pen, (path) => {
      for (const line of lines) {
        line.forEach(([x, y], at) => {
          const place = pen.place(x, y);
          if (at) path.lineTo(place.x, place.y);
          else path.moveTo(place.x, place.y);
        });
        path.closePath();
      }
    });
    strokeTwice(pen, (path) => {
      for (const [x, y] of off) {
        const place = pen.place(x, y);
        path.moveTo(place.x + 9 * pen.ratio, place.y);
        path.arc(place.x, place.y, 9 * pen.ratio, 0, 2 * Math.PI);
      }
    });
    if (this.withPoints) this.drawPoints(pen, points, handles);
  }

  drawPoints(pen, points, handles) {
    const { width, height } = pen.context.canvas;
    const isSeen = ({ x, y }) => x > -9 && y > -9 && x < width + 9 && y < height + 9;
    strokeTwice(pen, (path) => {
      for (const [x, y, toX, toY] of handles) {
        const [from, to] = [pen.place(x, y), pen.place(toX, toY)];
        if (!isSeen(from) && !isSeen(to)) continue;
        path.moveTo(from.x, from.y);
        path.lineTo(to.x, to.y);
        path.moveTo(to.x + 2 * pen.ratio, to.y);
        path.arc(to.x, to.y, 2 * pen.ratio, 0, 2 * Math.PI);
      }
    });
    for (const [x, y] of points) {
      const place = pen.place(x, y);
      if (isSeen(place)) drawPoint(pen, place);
    }
  }
}
