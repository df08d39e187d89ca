// What the page itself says and is told: its sheet, and messages.

export const byId = (id) => document.getElementById(id);

// What the page says of its sheet, put into an object of it; one that is there stays the same one.
export function readSheet(sheet = {}) {
  const data = byId("sheet-data").dataset;
  return Object.assign(sheet, {
    address: `/sheets/${data.sheet}/`,
    head: data.head,
    width: Number(data.width),
    height: Number(data.height),
    measured: data.measured === "1",
    tone: data.tone,
    tolerance: Number(data.tolerance),
    jumps: data.jumps.split(" ").filter(Boolean).map(Number),
    spotRow: Number(data.spotRow),
    spotCol: Number(data.spotCol),
    backdrop: data.backdrop,
    name: data.name,
    ...JSON.parse(data.things),
  });
}

// A change leaves the ledger scrolled to where it was; a sentence that is opened is brought into sight, its beginning first.
let scrolled = { step: "", top: 0 };
const ledgerOf = () => document.querySelector(".bench > .ledger");
export function keepScroll() {
  scrolled = { step: document.querySelector(".step.open")?.id ?? "", top: ledgerOf()?.scrollTop ?? 0 };
}
export function restoreScroll() {
  const [step, ledger] = [document.querySelector(".step.open"), ledgerOf()];
  if (!ledger) return;
  ledger.scrollTop = scrolled.top;
  if (!step || step.id === scrolled.step) return;
  const [own, around] = [step.getBoundingClientRect(), ledger.getBoundingClientRect()];
  const head = document.querySelector(".numerals")?.getBoundingClientRect().height ?? 0; // it stays at the top of small windows
  const below = own.bottom + 28 - around.bottom;
  const above = around.top + head - own.top;
  if (above > 0) ledger.scrollTop -= above;
  else if (below > 0) ledger.scrollTop += Math.min(below, -above);
}

// Shows a message: to all, or where it belongs.
export function say(text, where = byId("messages")) {
  const message = document.createElement("div");
  message.className = "message";
  const words = document.createElement("strong");
  words.textContent = text;
  message.append(words);
  where.replaceChildren(message);
}

// Puts a button under the message that stands there: what was refused may be done all the same.
export function offer(words, act) {
  const button = document.createElement("button");
  button.className = "button small";
  button.type = "button";
  button.textContent = words;
  button.addEventListener("click", () => {
    byId("messages").replaceChildren();
    act();
  });
  byId("messages").querySelector(".message")?.append(button);
}

// Control and Z or Y, but not while something is being written.
export function undoByKeys() {
  document.addEventListener("keydown", (event) => {
    const field = event.target.matches?.("input:not([type=radio]):not([type=color]), select");
    const key = event.key.toLowerCase();
    if (!(event.ctrlKey || event.metaKey) || field || (key !== "z" && key !== "y")) return;
    event.preventDefault();
    const button = byId(key === "y" || event.shiftKey ? "redo" : "undo");
    if (!button.disabled) button.form.requestSubmit();
  });
}
