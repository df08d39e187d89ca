// What is looked for once a sheet rests, faults and questions, is shown where it is listed and counted; nothing waits for it.

const WHEN_OPEN_MS = 400;
const WHEN_CLOSED_MS = 3000;

export class Late {
  constructor(id, came = () => {}) {
    this.id = id; // of the part of the ledger that says in data-ask where to ask
    this.came = came;
  }

  // The ledger was swapped: what belongs to the state before is not waited for.
  follow() {
    clearTimeout(this.timer);
    this.abort?.abort();
    const part = document.getElementById(this.id);
    if (!part?.dataset.ask) return;
    const isOpen = part.childElementCount > 0;
    this.timer = setTimeout(() => this.look(part), isOpen ? WHEN_OPEN_MS : WHEN_CLOSED_MS);
  }

  async look(part) {
    this.abort = new AbortController();
    let found;
    try {
      const response = await fetch(part.dataset.ask, { signal: this.abort.signal });
      if (response.status !== 200) return; // the sheet has gone on, and asks anew
      found = new DOMParser().parseFromString(await response.text(), "text/html");
    } catch {
      return; // whether the server is there is told elsewhere
    }
    if (!part.isConnected) return;
    for (const piece of [...found.body.children]) {
      const there = document.getElementById(piece.id);
      if (!there) continue;
      piece.removeAttribute("hx-swap-oob");
      there.replaceWith(piece);
      window.htmx.process(piece);
    }
    this.came();
    this.follow(); // where more is to come, it says so
  }
}
