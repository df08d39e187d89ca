"""Words of the interface: the catalogue, names of things, and phrases that can be changed."""

import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from flask import render_template
from flask_babel import gettext as _gettext
from flask_babel import ngettext as _ngettext
from markupsafe import Markup, escape

from tidymargin.formats.recipe import Recipe
from tidymargin.services.picture.reasons import PLACES, Reason, format_percent
from tidymargin.web.language import NAMES, localise


def gettext(text: str, **slots: object) -> str:
    """Return a text in the reader's language, its slots filled."""
    return str(_gettext(text, **{k: _localise(k, v) for k, v in slots.items()}))


def _localise(slot: str, value: object) -> object:
    """Return an amount as the reader's language writes it; what people called something stays as it is."""
    return localise(value) if type(value) is str and slot not in NAMES else value


def ngettext(one: str, many: str, count: int) -> str:
    """Return the form of a text that goes with a count, which is its slot `num`."""
    return str(_ngettext(one, many, count))


def gettext_noop(text: str) -> str:
    """Mark a text for the catalogue where it is only looked up later."""
    return text


STATES = {
    "measured": "◇",
    "yours": "◆",
    "working": "…",
    "look again": "?",
    "cannot": "✕",
}


STATE_WORDS = {
    "measured": gettext_noop("automatic"),
    "yours": gettext_noop("changed"),
    "working": gettext_noop("working"),
    "look again": gettext_noop("please check"),
    "cannot": gettext_noop("not possible"),
}
"""What people read for the state of a step."""

_STOPPED = re.compile(
    r'(?<!class="held">)((?:<svg class="swatch"[^>]*><rect[^>]*/></svg>&nbsp;)?'
    r'<button class="phrase[^>]*>[^<]*</button>[,.;:])'
)


@dataclass(frozen=True, slots=True)
class Change:
    """What a change is called, as in “Undo tolerance”, and the sentence that says it in the history.

    The sentence is a text, or is made of the recipes before and after and the values that `auto` stood for.
    """

    undo: str
    said: str | Callable[[Recipe, Recipe, dict[str, Any]], Reason]


@dataclass(frozen=True, slots=True)
class StepView:
    """A step as it stands in the ledger; `state` is empty where nothing was measured or decided."""

    key: str
    state: str
    shape: str
    sentence: Markup

    @property
    def word(self) -> str:
        """Its state in the reader's language."""
        return gettext(STATE_WORDS[self.state]) if self.state else ""


def fill(template: str, **slots: str | Markup) -> Markup:
    """Fill the slots of a translated sentence; what is not markup is escaped.

    A phrase is held together with its swatch and with a stop after it, which a browser would let begin a line.
    """
    filled = str(Markup(escape(template)) % slots)
    return Markup(_STOPPED.sub(r'<span class="held">\1</span>', filled))


def phrase(step: str, name: str, value: str, *, swatch: str = "", number: bool = False) -> Markup:
    """Return a changeable phrase: a button that opens its step.

    `name` is for the catalogue where it is in there; ids are made of it as it stands, and are the same in every language.
    """
    key = name.lower().replace(" ", "-")
    return Markup(
        render_template(
            "bench/_phrase.html", step=step, key=key, name=gettext(name), value=localise(value), swatch=swatch, number=number
        )
    )  # fmt: skip


def name_colour(code: str) -> str:
    """Return a plain word for white and black, and the code for all else."""
    return {"#FFFFFF": gettext("white"), "#000000": gettext("black")}.get(
        code.upper(), code.upper()
    )


def format_share(share: float) -> str:
    """Return a share of the sheet in percent, with no more digits than help."""
    return format_percent(100 * share)


NATURES = {"opaque": gettext_noop("solid"), "ink": gettext_noop("ink")}
SUBJECTS = {"opaque": gettext_noop("Solid"), "ink": gettext_noop("Ink")}
"""As a sentence begins with them."""

BOTH_NATURES = gettext_noop("Solid and ink")
KINDS = {
    "flat": gettext_noop("flat"),
    "paper": gettext_noop("paper"),
    "screen": gettext_noop("screen"),
    "checker": gettext_noop("printed-in pattern"),
}
PREPARATIONS = {
    "lift_paper": gettext_noop("paper lifted"),
    "hold_lines": gettext_noop("thin lines held"),
    "ignore_grain": gettext_noop("grain ignored"),
}
STARTS = {
    "outside": gettext_noop("outside"),
    "picks": gettext_noop("the picks"),
    "everywhere": gettext_noop("everywhere"),
}
_PLACE_WORDS = [gettext_noop(word) for row in PLACES for word in row]


def say_reason(reason: Reason) -> str:
    """Return a reason in the reader's language."""
    slots = {k: gettext(v) if k in reason.words else v for k, v in reason.slots.items()}
    return gettext(reason.text, **slots)
