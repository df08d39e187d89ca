// The list of keys, wherever ? is pressed and nothing is being written.

const writes = (target) => target.matches?.("input:not([type=radio]):not([type=checkbox]):not([type=color]), textarea, select");

document.addEventListener("keydown", async (event) => {
  if (event.key !== "?" || event.ctrlKey || event.metaKey || event.altKey || writes(event.target)) return;
  event.preventDefault();
  const there = document.getElementById("keys");
  if (there?.open) {
    there.close();
    return;
  }
  const answer = await fetch("/keys", { headers: { "HX-Request": "true" } }).catch(() => null);
  if (!answer?.ok) return;
  const dialog = there ?? document.body.appendChild(document.createElement("dialog"));
  dialog.id = "keys";
  dialog.className = "keys-shown";
  dialog.setAttribute("aria-labelledby", "keys-title");
  dialog.innerHTML = await answer.text(); // our own page
  dialog.querySelector("button").addEventListener("click", () => dialog.close());
  dialog.showModal();
});
