"""The sentence of colour: the light that is taken off."""

from collections.abc import Callable
from typing import Any

from tidymargin.core.facts import SheetFacts
from tidymargin.formats.recipe import Recipe
from tidymargin.services.reasons import Reason, format_percent
from tidymargin.web.words import (
    STATES,
    Change,
    StepView,
    fill,
    gettext,
    gettext_noop,
    phrase,
)


def say_colour(recipe: Recipe, facts: SheetFacts) -> StepView | None:
    """Say what becomes of a screen's light; nothing where there is none to decide on."""
    amount = recipe.colour.spill
    if facts.rim.spill is None and amount == "auto":
        return None
    share = 1.0 if amount == "auto" else float(amount)
    value = format_percent(round(100 * share))
    spill = phrase("colour", gettext("Spill"), value, number=True)
    most = 0.0 if facts.rim.spill is None else float(facts.rim.spill.cast.max())
    words = fill(
        gettext("The screen’s light, %(most)s at the rim, is taken off by %(spill)s."),
        most=format_percent(round(100 * most)),
        spill=spill,
    )
    state = "measured" if amount == "auto" else "yours"
    return StepView("colour", state, STATES[state], words)


def _say_spill(before: Recipe, after: Recipe, _: dict[str, Any]) -> Reason:
    was, now = (
        1.0 if recipe.colour.spill == "auto" else float(recipe.colour.spill)
        for recipe in (before, after)
    )
    slots = {"was": f"{100 * was:.0f}\u00a0%", "now": f"{100 * now:.0f}\u00a0%"}
    return Reason("Spill %(was)s to %(now)s", slots)


def _say_inks(text: str) -> Callable[..., Reason]:
    def say(before: Recipe, after: Recipe, _: dict[str, Any]) -> Reason:
        changed = set(before.colour.dropped_inks) ^ set(after.colour.dropped_inks)
        return Reason(text, {"code": ", ".join(sorted(changed))})

    return say


CHANGES = {
    "spill": Change(gettext_noop("spill"), _say_spill),
    "ink_dropped": Change(gettext_noop("ink dropped"), _say_inks("Ink %(code)s dropped")),
    "ink_kept": Change(gettext_noop("ink brought back"), _say_inks("Ink %(code)s brought back")),
}
"""What may be changed here, in words."""
