// Fetching raw pixels: one request in flight, the newest wins, the last is always sent.

export function toQuery(values) {
  return new URLSearchParams(Object.entries(values).map(([name, value]) => [name, String(value)])).toString();
}

// The error of an answer that is none, with what the server says of it, if it says anything.
export async function toError(response) {
  const { message, hint } = await response.json().catch(() => ({}));
  const error = new Error(`${response.status}`);
  error.said = [message, hint].filter(Boolean).join(" ");
  return error;
}

export async function fetchPixels(address, channels, signal) {
  const response = await fetch(address, { headers: { Accept: "application/octet-stream" }, signal });
  if (response.status === 204) throw new DOMException("something newer was asked for", "AbortError");
  if (!response.ok) throw await toError(response);
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

const GIVE_UP_AFTER_MS = 400;

export class Newest {
  constructor(fetchOne, take, lose) {
    this.fetchOne = fetchOne; // (order, signal)
    this.take = take;
    this.lose = lose;
    this.waiting = null;
    this.abort = null;
    this.began = 0;
  }

  // Asks for something newer; what has been in flight for long is not waited for any more.
  want(order) {
    this.waiting = { order };
    if (!this.abort) this.run();
    else if (performance.now() - this.began > GIVE_UP_AFTER_MS) this.abort.abort();
  }

  async run() {
    while (this.waiting) {
      const { order } = this.waiting;
      this.waiting = null;
      this.abort = new AbortController();
      this.began = performance.now();
      try {
        const answer = await this.fetchOne(order, this.abort.signal);
        this.take(answer, order);
      } catch (error) {
        if (error.name !== "AbortError") this.lose(error, order);
      }
    }
    this.abort = null;
  }
}
