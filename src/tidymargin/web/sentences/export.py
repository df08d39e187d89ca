"""The sentence of export: what goes into the file."""

from tidymargin.core.base.area import Area
from tidymargin.formats.recipe import Recipe
from tidymargin.web.words import (
    STATES,
    StepView,
    fill,
    gettext,
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
