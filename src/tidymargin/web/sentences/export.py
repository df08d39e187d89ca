"""The sentence of export: what goes into the file."""

from typing import Any

from tidymargin.core.base.area import Area
from tidymargin.formats.recipe import Recipe
from tidymargin.services.reasons import Reason
from tidymargin.web.words import (
    STATES,
    Change,
    StepView,
    fill,
    gettext,
    gettext_noop,
    phrase,
)


def say_export(recipe: Recipe, area: Area) -> StepView:
    """Say what goes into the file."""
    if recipe.export.trim:
        value = gettext("trimmed with a margin of %(margin)s px", margin=recipe.export.margin_px)
        said = fill(
            gettext("Export PNG, %(extent)s."), extent=phrase("export", gettext("Extent"), value)
        )
        return StepView("export", "yours", STATES["yours"], said)
    extent = phrase("export", gettext("Extent"), gettext("the whole sheet"))
    said = fill(
        gettext("Export PNG, %(extent)s of %(width)s × %(height)s px."),
        extent=extent,
        width=str(area.width),
        height=str(area.height),
    )
    return StepView("export", "", "", said)


def _say_trim(before: Recipe, after: Recipe, _: dict[str, Any]) -> Reason:
    if not after.export.trim:
        return Reason("The whole sheet is exported")
    return Reason("Trimmed, with a margin of %(px)s px", {"px": str(after.export.margin_px)})


CHANGES = {
    "trim": Change(gettext_noop("trim"), _say_trim),
}
"""What may be changed here, in words."""
