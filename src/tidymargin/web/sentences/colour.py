"""The sentence of colour: the light that is taken off."""

from tidymargin.core.facts import SheetFacts
from tidymargin.formats.recipe import Recipe
from tidymargin.services.reasons import format_percent
from tidymargin.web.words import (
    STATES,
    StepView,
    fill,
    gettext,
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
