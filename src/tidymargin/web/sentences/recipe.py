"""The whole recipe in sentences, one a step, in the order of the work."""

from markupsafe import Markup, escape

from tidymargin.core.base.area import Area
from tidymargin.core.reach.narrows import Narrow
from tidymargin.core.reach.pockets import Pockets
from tidymargin.formats.recipe import Recipe
from tidymargin.services.workshop.workshop import Measured
from tidymargin.web.sentences.by_hand import say_by_hand
from tidymargin.web.sentences.colour import say_colour
from tidymargin.web.sentences.export import say_export
from tidymargin.web.sentences.ground import say_area, say_departures, say_ground
from tidymargin.web.sentences.proof import say_proof
from tidymargin.web.sentences.reach import say_reach
from tidymargin.web.sentences.rim import say_rim
from tidymargin.web.words import (
    STATES,
    StepView,
    gettext,
)


def say_recipe(
    area: Area,
    recipe: Recipe,
    measured: Measured | None,
    pockets: Pockets | None,
    narrows: tuple[Narrow, ...] = (),
    asked: int = 0,
    breaks: int = 0,
    faults: int | None = None,
    *,
    is_going_on: bool = True,
) -> list[StepView]:
    """Return the ledger's sentences; without facts, that they are being measured or that this does not go on."""
    if measured is None:
        state = "working" if is_going_on else "cannot"
        first = (
            gettext("Measuring the background…")
            if is_going_on
            else gettext("The background is not measured.")
        )
        then = (
            gettext("Finding what each tolerance clears…")
            if is_going_on
            else gettext("So it is not known what each tolerance clears.")
        )
        return [
            StepView("ground", state, STATES[state], Markup(escape(first))),
            StepView("reach", state, STATES[state], Markup(escape(then))),
            say_proof(recipe),
            say_export(recipe, area),
        ]  # fmt: skip
    facts = measured.facts
    chosen = recipe.reach.tolerance
    tolerance = facts.calm.tolerance if chosen == "auto" else float(chosen)
    return [
        say_departures(recipe, say_area(area, measured.page, say_ground(recipe, facts))),
        say_reach(recipe, tolerance, facts.is_busy, pockets, narrows, asked),
        say_by_hand(recipe),
        say_rim(recipe, breaks),
        say_colour(recipe, facts),
        say_proof(recipe, faults),
        say_export(recipe, area),
    ]
