// The bench: puts stage, pointer, curve and proof strip together and keeps them in step with the server.

import { Backdrops } from "./backdrops.js";
import { Curve } from "./curve.js";
import { Exporting } from "./exporting.js";
import { Finishing } from "./finishing.js";
import { Late } from "./late.js";
import { Marking } from "./marking.js";
import { byId, keepScroll, offer, readSheet, restoreScroll, say, undoByKeys } from "./page.js";
import { Newest, toError, toQuery } from "./pixels.js";
import { Pointer } from "./pointer.js";
import { Proof } from "./proof.js";
import { Questions } from "./questions.js";
import { Settings } from "./settings.js";
import { Stage } from "./stage.js";
import { makeTools } from "./tools/index.js";
import { Tracing } from "./tracing.js";
import { Walking } from "./walking.js";
import { AGAIN, LOST, _, shown } from "./words.js";

const SKETCHED = _("edges are being worked out");
let detailBefore = "";
let isLost = false;
let proofWaits = false;
const says = {
  lost: (error) => {
    if (error?.said) {
      say(error.said); // it does answer, and says why not with this
      return;
    }
    if (!isLost) say(LOST);
    isLost = true;
    setTimeout(() => isLost && askHead(), 2000);
  },
  // the strip follows once the stage has its frame, so that the two do not wait for each other
  shown: () => {
    if (proofWaits) proof.refresh();
    proofWaits = false;
  },
  drafted: () => {
    byId("detail").textContent = _("this is a draft; it settles when it is measured");
  },
  sketched: (is) => {
    const detail = byId("detail");
    if (!is && detail.textContent === SKETCHED) detail.textContent = detailBefore;
    if (!is || detail.textContent === SKETCHED) return;
    detailBefore = detail.textContent;
    detail.textContent = SKETCHED;
  },
  zoomed: (scale) => {
    byId("zoom").textContent = `${shown(100 * scale, scale < 0.1 ? 1 : 0)} %`;
  },
};

function loadLedger() {
  window.htmx.ajax("GET", `${sheet.address}ledger?open=${byId("open-now").value}`, { target: "#ledger", swap: "outerHTML" });
}

// Asks which state the sheet is in: whether the server is back, and whether another tab went on.
const shownHead = () => byId("sheet-data").dataset.head;
let changing = 0; // requests of this page's own that may move the head
const isFoundLate = ({ detail }) => detail.requestConfig?.elt.id === "gaps"; // comes after the ledger, and changes nothing
document.body.addEventListener("htmx:beforeRequest", (event) => (changing += isFoundLate(event) ? 0 : 1));
document.body.addEventListener("htmx:afterRequest", (event) => (changing -= isFoundLate(event) ? 0 : 1));
async function askHead() {
  const before = shownHead();
  let answer;
  let isThere;
  try {
    const response = await fetch(`${sheet.address}head`, { headers: { Accept: "application/json" } });
    isThere = response.ok;
    answer = await response.json();
  } catch {
    says.lost();
    return;
  }
  if (!isThere) {
    say([answer.message, answer.hint].filter(Boolean).join(" "));
    return;
  }
  if (changing || shownHead() !== before) return;
  const { head } = answer;
  const isBack = isLost;
  isLost = false;
  if (isBack) byId("messages").replaceChildren();
  if (String(head) !== before) {
    say(_("This picture was changed in another tab. Nothing is lost: this page now shows the newest state, and the history has all of them."));
    loadLedger();
  } else if (isBack) {
    loadLedger();
  }
}
const HEAD_EVERY_MS = 5000;
setInterval(() => !document.hidden && !isLost && askHead(), HEAD_EVERY_MS);
document.addEventListener("visibilitychange", () => !document.hidden && askHead());

const sheet = readSheet();
const stage = new Stage(byId("stage"), byId("overlay"), sheet, says);
const proof = new Proof(byId("proof"), stage, says);

let said = { acts: false };
const places = new Newest(
  async ({ place }, signal) => {
    const response = await fetch(`${sheet.address}place?${toQuery(place)}`, { headers: { Accept: "application/json" }, signal });
    if (!response.ok) throw await toError(response);
    return response.json();
  },
  (answer, { place, name }) => {
    said = { ...answer, ...place };
    if (!sheet.area) pointer.sayHere();
    // with a finger or by keys there is an aim, and worded buttons that act on it
    for (const [id, words] of [["do-it", answer.acts ? answer.verb : ""], ["up-to", answer.upTo], ["short-of", answer.shortOf]]) {
      byId(id).hidden = !(words && stage.aim);
      byId(id).disabled = name !== hovered;
      byId(id).textContent = words ?? "";
    }
  },
  says.lost,
);

let hovered = "";
let lastPlace = null;
const acts = {
  hover: (place) => {
    if (!place || !sheet.measured || sheet.area) return false;
    lastPlace = place;
    const name = `${sheet.head}:${place.row}:${place.col}`;
    if (name !== hovered) {
      hovered = name;
      // until it is known what they would do here, the buttons would still act where the aim was before
      for (const id of ["do-it", "up-to", "short-of"]) byId(id).disabled = true;
      places.want({ place, name });
    }
    return true;
  },
  spot: (place) => !sheet.area && proof.show(place),
  commit: (place, path = "picks") => {
    if (sheet.measured && !sheet.area) post(path, { row: place.row, col: place.col });
  },
  fence: (places) => {
    if (sheet.measured && places.length > 1) post("fences", { places });
  },
  change: (path, values) => sheet.measured && post(path, values),
  marking: () => marking.follow(),
  pointAt: (sample) => marking.pointAt(sample),
  shapeOf: (number) => marking.shapeOf(number),
  mark: (path, values, answered) => sheet.measured && marking.mark(path, values, answered),
  askParts: (values, signal) => ask("marks/outline/parts", values, signal).then((response) => response.json()),
  layDown: () => marking.layDown(),
  say: (verb, detail) => {
    byId("verb").textContent = verb;
    byId("detail").textContent = detail;
  },
  sayHere: () => pointer.sayHere(), // the words of the tool in hand, which have changed
  said: () => ({ ...said, tried: stage.tried }),
  walk: (by) => walking.walk(by),
  decide: (what) => walking.decide(what),
  answer: (letter) => questions.key(letter),
  walkJumps: (by) => {
    const stops = [...new Set(sheet.jumps)];
    const now = stage.tried ?? sheet.tolerance;
    const next = by > 0 ? stops.find((stop) => stop > now) : stops.findLast((stop) => stop < now);
    if (next === undefined) return;
    stage.tryTolerance(next);
    proof.refresh();
    pointer.sayHere();
  },
  takeJump: () => {
    if (stage.tried !== null && stage.tried !== sheet.tolerance) post("tolerance", { tolerance: stage.tried });
  },
  leaveJump: () => {
    if (stage.tried === null) return;
    stage.tryTolerance(null);
    proof.refresh();
    pointer.sayHere();
  },
};

// Sends a change that was made on the stage; the answer is the new state, what of the picture it changed, and the ledger.
async function post(path, values) {
  changing += 1;
  const order = { ...values, open: byId("open-now").value };
  try {
    const response = await ask(path, { ...order, seen: sheet.head });
    const answer = await response.json();
    if (response.ok) take(answer);
    else refuse(answer, () => post(path, values));
    return response.ok ? "sent" : "refused";
  } catch {
    says.lost();
    return "lost";
  } finally {
    changing -= 1;
  }
}

function ask(path, values, signal) {
  return fetch(`${sheet.address}${path}`, {
    method: "POST",
    headers: { Accept: "application/json", "Content-Type": "application/json", "X-CSRFToken": document.body.dataset.token },
    body: JSON.stringify(values),
    signal,
  });
}

function take({ ledger, dirty }) {
  stage.dirty = dirty;
  const target = byId("ledger");
  beforeSwap(target);
  window.htmx.swap(target, ledger, { swapStyle: "outerHTML", settleDelay: 0 }, { eventInfo: { target } });
}

// Says why a change was refused; one that came too late may be made again on what is newest.
function refuse({ message, hint, isBehind, place }, again) {
  const target = document.querySelector(place) ?? byId("messages");
  say([message, hint].filter(Boolean).join(" "), target);
  if (isBehind) offerAgain(again);
}

const questions = new Questions({
  fly: (box, place) => {
    stage.sheet.fault = box;
    stage.aim = null; // Enter would do there what a click does, and the line says the question
    walking.lookAt(box);
    proof.show(place);
  },
  say: acts.say,
});
const walking = new Walking(stage, {
  questions,
  say: acts.say,
  show: (place) => proof.show(place),
  look: (place) => {
    hovered = "";
    acts.hover(place);
    proof.show(place);
  },
});

const settings = new Settings(() => pointer.laid && pointer.sayHere());
const tools = makeTools({ stage, acts, settings, isInHand: (tool) => pointer.inHand === tool });
const tracing = new Tracing(stage, acts.say);
stage.overlay.tools = [tracing, tools.area, ...Object.values(tools.held), ...Object.values(tools.laid)];
const pointer = new Pointer(stage, acts, tools);

const marking = new Marking(stage, pointer, tools.laid, settings, { send: post, fly: (box) => walking.lookAt(box) });
stage.overlay.shapes = marking.shapes;
stage.overlay.hides = (kind, number) => kind === "outline" && pointer.laid === tools.laid.outline && tools.laid.outline.number === number;
const backdrops = new Backdrops(stage, say, () => proof.paint());
const alike = new Late("alike");
const late = [
  new Late("faults"),
  new Late("questions", () => {
    questions.follow();
    alike.follow(); // it came with them
  }),
  alike,
];
const finishing = new Finishing(stage, proof, says);
const exporting = new Exporting(sheet, say);

new Curve({
  tryTolerance: (tolerance) => {
    proofWaits = true;
    stage.tryTolerance(tolerance);
  },
});

function readArea() {
  const wasSet = Boolean(tools.area.corners);
  tools.area.follow(sheet.area);
  stage.overlay.things = sheet;
  if (stage.resetPicture()) proof.pin = { row: sheet.spotRow, col: sheet.spotCol };
  if (sheet.area) acts.say(_("Drag the corners"), _("to what is worked on; Enter uses them, Esc leaves it as it is"));
  else if (wasSet) acts.say(_("Point at a place"), _("to see what a click would clear"));
}

// The ledger was swapped: a change, an undo, an opened sentence, or the end of measuring.
function follow() {
  const head = sheet.head;
  const measured = sheet.measured;
  const { tried } = stage;
  readSheet(sheet);
  sheet.fault = null;
  if (stage.blotter?.tone !== sheet.tone) stage.blotter = null;
  stage.tried = null;
  if (!measured && sheet.measured) {
    acts.say(_("Point at a place"), _("to see what a click would clear"));
    proof.pin = { row: sheet.spotRow, col: sheet.spotCol };
  }
  readArea();
  if (head !== sheet.head || measured !== sheet.measured) {
    hovered = "";
    acts.hover(stage.aim ?? lastPlace);
  }
  // where a change of the stage's own leaves what is in view as it was, nothing is asked for anew
  if (tried === null && !stage.shows(stage.dirty)) stage.paint();
  else stage.moved();
  stage.dirty = null;
  if (!sheet.area) proof.show(measured ? (proof.spot === proof.pin ? null : proof.spot) : null);
  exporting.offerCopy();
  marking.follow();
  tracing.follow();
  finishing.follow();
  backdrops.follow();
  questions.follow();
  late.forEach((part) => part.follow());
}
document.body.addEventListener("htmx:afterSettle", (event) => isFoundLate(event) || follow());
function beforeSwap(target) {
  // gaps of a state that is left are not waited for
  if (target.id === "ledger" && byId("gaps")) window.htmx.trigger("#gaps", "htmx:abort");
  if (target.id === "ledger") keepScroll();
}
document.body.addEventListener("htmx:beforeSwap", ({ detail }) => beforeSwap(detail.target));
document.body.addEventListener("htmx:afterSwap", ({ detail }) => detail.target.id === "ledger" && restoreScroll());
restoreScroll();
document.body.addEventListener("htmx:afterSwap", (event) => {
  if (event.detail.target.classList.contains("said")) event.detail.target.scrollIntoView({ block: "nearest" });
});
document.body.addEventListener("htmx:sendError", () => says.lost());
// A change that came too late is refused, and may be made again on what is newest by one click.
let refused = null;
document.body.addEventListener("htmx:beforeSwap", (event) => {
  if (event.detail.xhr.status === 409) refused = event.detail.requestConfig;
});
document.body.addEventListener("sheet:behind", () => {
  const order = refused;
  offerAgain(() => {
    const given = order.formData ? Object.fromEntries(order.formData.entries()) : order.parameters;
    window.htmx.ajax("POST", order.path, { target: "#ledger", swap: "outerHTML", source: "#ledger", values: { ...given, seen: sheet.head } });
  });
});
function offerAgain(act) {
  offer(AGAIN, act);
  loadLedger();
}

byId("whole").addEventListener("click", () => {
  stage.viewport.showWhole();
  stage.moved();
});
byId("pixels").addEventListener("click", () => {
  const viewport = stage.viewport;
  const middle = stage.aim ?? { row: (viewport.toPicture(0, viewport.height / 2)).y, col: viewport.toPicture(viewport.width / 2, 0).x };
  viewport.lookAt(middle.col, middle.row, 1);
  stage.moved();
});
const hold = byId("hold");
for (const [name, on] of [["pointerdown", true], ["pointerup", false], ["pointerleave", false], ["pointercancel", false], ["blur", false]]) {
  hold.addEventListener(name, () => stage.showOriginal(on));
}
hold.addEventListener("keydown", (event) => (event.key === " " || event.key === "Enter") && stage.showOriginal(true));
hold.addEventListener("keyup", () => stage.showOriginal(false));
byId("do-it").addEventListener("click", () => said.acts && acts.commit(said));
byId("up-to").addEventListener("click", () => acts.commit(said, "up-to"));
byId("short-of").addEventListener("click", () => acts.commit(said, "short-of"));
byId("pin").addEventListener("click", () => proof.pinHere());
byId("dark").addEventListener("click", (event) => {
  const on = document.body.classList.toggle("dark");
  event.target.setAttribute("aria-pressed", String(on));
});

undoByKeys();

readArea();
marking.follow();
finishing.follow();
questions.follow();
late.forEach((part) => part.follow());
exporting.offerCopy();
