// Words in the reader's language: English stands in the scripts, the server sends the others.

import { language, words } from "/words.js";

const decimal = (1.5).toLocaleString(language)[1];

// A text with its slots filled: %(name)s.
export function _(text, slots = {}) {
  return (words[text] ?? text).replace(/%\((\w+)\)s/g, (whole, name) => slots[name] ?? whole);
}

// A number with so many digits behind the comma, as the reader's language writes it.
export function shown(number, digits = 0) {
  return number.toFixed(digits).replace("-", "−").replace(".", decimal);
}

export const LOST = _("The server does not answer. What was saved is safe; this page goes on when it is back.");
export const AGAIN = _("Do it again on the newest state");
