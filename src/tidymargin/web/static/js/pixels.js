// Fetching raw pixels: one request in flight, the newest wins, the last is always sent.

export function toQuery(values) {
  return new URLSearchParams(Object.entries(values).map(([name, value]) => [name, String(value)])).toString();
}

export async function fetchPixels(address, channels) {
  const response = await fetch(address, { headers: { Accept: "application/octet-stream" } });
  if (!response.ok) throw new Error(`${response.status}`);
  const [width, height] = response.headers.get("X-Size").split("x").map(Number);
  const bytes = new Uint8ClampedArray(await response.arrayBuffer());
  if (bytes.length !== width * height * channels) throw new Error("short answer");
  return { width, height, bytes };
}

export function toBuffer({ width, height, bytes }) {
  const buffer = new OffscreenCanvas(width, height);
  buffer.getContext("2d").putImageData(new ImageData(bytes, width, height), 0, 0);
  return buffer;
}

export class Newest {
  constructor(fetchOne, take, lose) {
    this.fetchOne = fetchOne;
    this.take = take;
    this.lose = lose;
    this.running = false;
    this.waiting = null;
  }

  want(order) {
    this.waiting = { order };
    if (!this.running) this.run();
  }

  async run() {
    this.running = true;
    while (this.waiting) {
      const { order } = this.waiting;
      this.waiting = null;
      try {
        const answer = await this.fetchOne(order);
        this.take(answer, order);
      } catch (error) {
        this.lose(error, order);
      }
    }
    this.running = false;
  }
}
