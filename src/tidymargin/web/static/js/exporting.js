// Exporting with progress and a way to stop. Without this script the link is a plain download.

import { toError, toQuery } from "./pixels.js";
import { _ } from "./words.js";

const SAY_AFTER_MS = 500;
const ASK_EVERY_MS = 400;

export class Exporting {
  constructor(sheet, say) {
    this.sheet = sheet;
    this.say = say;
    this.abort = null;
    document.addEventListener("click", (event) => {
      const link = event.target.closest?.("#export");
      if (link) {
        event.preventDefault();
        this.begin(link);
      }
      if (event.target.id === "stop-export") this.stop();
      if (event.target.id === "copy") this.copy(event.target);
    });
  }

  // Only where the browser can put pictures on the clipboard.
  offerCopy() {
    document.getElementById("copy").hidden = !(navigator.clipboard?.write && window.ClipboardItem);
  }

  async copy(button) {
    const words = button.textContent;
    try {
      const picture = fetch(`${this.sheet.address}export?png=1`).then((response) => {
        if (!response.ok) throw new Error(`${response.status}`);
        return response.blob();
      });
      await navigator.clipboard.write([new ClipboardItem({ "image/png": picture })]);
      button.textContent = _("Copied");
    } catch {
      this.say(_("The browser did not allow copying. Use Export PNG."));
    }
    setTimeout(() => (button.textContent = words), 1500);
  }

  async begin(link) {
    if (this.abort) return;
    this.abort = new AbortController();
    const words = [...link.childNodes];
    const { making, stopped } = link.dataset;
    const ask = setInterval(() => this.tell(making), ASK_EVERY_MS);
    const show = setTimeout(() => this.showStop(true), SAY_AFTER_MS);
    try {
      const headers = { Accept: "application/json" };
      const response = await fetch(link.href, { headers, signal: this.abort.signal });
      if (!response.ok) throw await toError(response);
      // a name that follows a pattern is known once the file is made
      const named = /filename\*=UTF-8''([^;]+)/.exec(response.headers.get("Content-Disposition") ?? "");
      saveAs(await response.blob(), named ? decodeURIComponent(named[1]) : link.download);
      const made = document.getElementById("exports-made"); // what was read back of it
      if (made) window.htmx.ajax("GET", `${this.sheet.address}exports-made`, { target: made, swap: "innerHTML" });
    } catch (error) {
      this.say(error.name === "AbortError" ? stopped : error.said || error.message);
    }
    clearInterval(ask);
    clearTimeout(show);
    this.showStop(false);
    this.abort = null;
    const now = document.getElementById("export"); // a change may have put another in its place
    if (now.dataset.busy) now.replaceChildren(...words);
    delete now.dataset.busy;
  }

  async tell(making) {
    const response = await fetch(`${this.sheet.address}progress?${toQuery({ work: "export" })}`).catch(() => null);
    const { share } = response?.ok ? await response.json() : { share: null };
    const link = document.getElementById("export");
    if (share === null || !this.abort) return;
    link.dataset.busy = "1";
    link.textContent = making.replace("{share}", Math.round(100 * share));
  }

  showStop(on) {
    document.getElementById("stop-export").hidden = !on;
  }

  stop() {
    const body = new FormData();
    body.append("work", "export");
    fetch(`${this.sheet.address}stop`, { method: "POST", body, headers: { "X-CSRFToken": document.body.dataset.token } }).catch(() => null);
    this.abort?.abort();
  }
}

function saveAs(blob, name) {
  const place = URL.createObjectURL(blob);
  const link = document.createElement("a");
  link.href = place;
  link.download = name;
  document.body.append(link);
  link.click();
  link.remove();
  setTimeout(() => URL.revokeObjectURL(place), 60_000);
}
