// Walking the sheets of a tray that want a look, by keys.

const isTyping = (target) => target.closest?.("input, select, textarea");

document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.altKey || event.metaKey || isTyping(event.target)) return;
  const key = event.key.toLowerCase();
  if (key !== "n" && key !== "b") return;
  const links = [...document.querySelectorAll(".card.doubtful .name a")];
  if (!links.length) return;
  event.preventDefault();
  const at = links.findIndex((link) => link.closest(".card").contains(document.activeElement));
  const by = key === "n" ? 1 : -1;
  const next = at < 0 ? (by > 0 ? 0 : links.length - 1) : (at + by + links.length) % links.length;
  links[next].focus();
  links[next].closest(".card").scrollIntoView({ block: "nearest" });
});

// What changes by itself leaves the card that a person has opened as it is: the same change is asked for again later.
document.body.addEventListener("htmx:beforeSwap", ({ detail }) => {
  if (detail.elt.id !== "tray-now") return;
  const held = [...document.querySelectorAll("#cards .card")].filter(
    (card) => card.querySelector("details[open]") || card.contains(document.activeElement),
  );
  const said = detail.serverResponse ?? "";
  if (held.some((card) => said.includes(`id="${card.id}"`))) detail.shouldSwap = false;
});
