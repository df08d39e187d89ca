// What the stage lays behind a cut to judge it: a colour, a picture of one's own, or the matte or its rim alone.

const AS_MATTE = new Set(["alpha", "rim"]);
const seen = new WeakMap();

// The matte of a frame in white, or only where it is between clear and solid.
function toMatte(frame, kind) {
  const kept = seen.get(frame);
  if (kept?.kind === kind) return kept.shown;
  const { width, height } = frame.buffer;
  const pixels = frame.buffer.getContext("2d").getImageData(0, 0, width, height);
  const { data } = pixels;
  for (let at = 0; at < data.length; at += 4) {
    const matte = data[at + 3];
    data[at] = data[at + 1] = data[at + 2] = 255;
    if (kind === "rim") data[at + 3] = Math.min(255, (4 * matte * (255 - matte)) / 255);
  }
  const buffer = new OffscreenCanvas(width, height);
  buffer.getContext("2d").putImageData(pixels, 0, 0);
  const shown = { ...frame, buffer };
  seen.set(frame, { kind, shown });
  return shown;
}

export class Backdrops {
  constructor(stage, say) {
    this.stage = stage;
    this.say = say;
    this.kind = "blotter";
    this.picture = null;
    document.addEventListener("click", ({ target }) => {
      const { backdrop } = target.dataset ?? {};
      if (backdrop === "picture") document.getElementById("own-picture").click();
      else if (backdrop) this.lay(backdrop);
    });
    document.addEventListener("input", ({ target }) => {
      if (target.id === "sweep") this.lay(`rgb(${target.value} ${target.value} ${target.value})`);
    });
    document.addEventListener("change", ({ target }) => target.id === "own-picture" && this.take(target.files[0]));
    stage.backdrops = this;
  }

  async take(file) {
    if (!file) return;
    try {
      this.picture = await createImageBitmap(file);
      this.lay("picture");
    } catch {
      this.say("This file cannot be shown as a picture. Choose a PNG, JPEG or WebP.");
    }
  }

  lay(kind) {
    this.kind = kind;
    this.follow();
    this.stage.paint();
  }

  // The ledger was swapped.
  follow() {
    for (const button of document.querySelectorAll("[data-backdrop]")) {
      const isOn = button.dataset.backdrop === this.kind;
      button.setAttribute("aria-pressed", String(isOn));
      button.classList.toggle("on", isOn);
    }
  }

  // Fills a box of a canvas; false leaves it to the blotter.
  fill(context, left, top, width, height) {
    if (this.kind === "blotter") return false;
    if (this.kind === "picture") {
      // it covers the sheet, as large as it must be
      const scale = Math.max(width / this.picture.width, height / this.picture.height);
      const [wide, high] = [width / scale, height / scale];
      const [x, y] = [(this.picture.width - wide) / 2, (this.picture.height - high) / 2];
      context.drawImage(this.picture, x, y, wide, high, left, top, width, height);
      return true;
    }
    context.fillStyle = AS_MATTE.has(this.kind) ? "#000000" : this.kind;
    context.fillRect(left, top, width, height);
    return true;
  }

  see(frame) {
    return AS_MATTE.has(this.kind) ? toMatte(frame, this.kind) : frame;
  }
}
