"""The sentence of what was decided by hand."""

from typing import Any

from tidymargin.formats.recipe import Recipe
from tidymargin.services.reasons import Reason
from tidymargin.web.words import (
    STATES,
    Change,
    StepView,
    fill,
    gettext,
    gettext_noop,
    ngettext,
    phrase,
)


def say_by_hand(recipe: Recipe) -> StepView:
    """Say how many areas are kept and cleared by hand."""
    areas = [entry for entry in recipe.by_hand.areas if entry.is_on]
    kept = sum(entry.verdict == "keep" for entry in areas)
    counts = [
        ngettext("%(num)s area cleared", "%(num)s areas cleared", len(areas) - kept) if len(areas) > kept else "",
        ngettext("%(num)s area kept", "%(num)s areas kept", kept) if kept else "",
    ]  # fmt: skip
    said = ", ".join(filter(None, counts)) or gettext("nothing")
    words = fill(gettext("By hand: %(marks)s."), marks=phrase("by_hand", gettext("By hand"), said))
    state = "yours" if recipe.by_hand.areas else ""
    return StepView("by_hand", state, STATES[state] if state else "", words)


def _say_area(text: str) -> Any:
    def say(before: Recipe, after: Recipe, _: dict[str, Any]) -> Reason:
        x, y = after.by_hand.areas[-1].rings[0][0]
        return Reason(text, {"x": f"{x:.0f}", "y": f"{y:.0f}"})

    return say


CHANGES = {
    "area_cleared": Change(
        gettext_noop("area cleared"), _say_area("Area at %(x)s, %(y)s cleared by hand")
    ),
    "area_kept": Change(gettext_noop("area kept"), _say_area("Area at %(x)s, %(y)s kept by hand")),
    "area_off": Change(gettext_noop("area switched off"), "Area switched off"),
    "area_on": Change(gettext_noop("area switched on"), "Area switched on again"),
    "unarea": Change(gettext_noop("area removed"), "Area removed"),
}
"""What may be changed here, in words."""
