"""What rims and colours would be with other values, before they are set."""

from dataclasses import replace
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.picture import whole
from tidymargin.core.marks.laying import lay_on_mask
from tidymargin.core.rim.breaking import count_broken
from tidymargin.formats.recipe import Recipe, change_recipe
from tidymargin.services.views.cutting import load_cutter
from tidymargin.services.views.windows import View
from tidymargin.services.workshop.executor import Priority
from tidymargin.services.workshop.identity import cut_name
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.store.values import Sheet

Step = Literal["rim", "colour"]


def without_step(recipe: Recipe, step: Step) -> Recipe:
    """Return a recipe without what its step of rim or colour does; what is measured stays: a screen's light, the inks."""
    kept = {"rim": (), "colour": ("spill", "spill_places", "spill_guards", "dropped_inks")}[step]
    fields = type(getattr(recipe, step)).model_fields
    plain = {name: field.default for name, field in fields.items() if name not in kept}
    return change_recipe(recipe, step, **plain)


def render_tried(
    workshop: Workshop,
    sheet: Sheet,
    view: View,
    step: Step,
    values: dict[str, Any],
    *,
    is_plain: bool = False,
) -> NDArray[np.uint8]:
    """Return a small window of the cut as it would be with other values of a step, (h, w, 4) uint8.

    Raises
    ------
    BadRecipeError
        A value is of the wrong kind or out of range.
    """
    begin = sheet.recipe
    if is_plain:
        begin = without_step(begin, step)
    tried = change_recipe(begin, step, **values)

    def compute() -> NDArray[np.uint8]:
        cutter = load_cutter(workshop, sheet)
        region = view.covers(whole(cutter.picture.height, cutter.picture.width))
        return replace(cutter, plan=tried.to_plan(sheet.area)).render(region)

    name = f"tried:{cut_name(sheet)}:{view}:{getattr(tried, step).name}"
    return workshop.executor.run(name, Priority.VIEW, compute)


def count_breaks(workshop: Workshop, sheet: Sheet) -> int:
    """Return how many thin lines of a sheet its choke would break, whether or not they are spared."""
    by_px = sheet.recipe.rim.choke_px
    if by_px <= 0:
        return 0

    def compute() -> int:
        cutter = load_cutter(workshop, sheet)
        everywhere = whole(cutter.picture.height, cutter.picture.width)
        stands = ~cutter.cleared(everywhere)
        lay_on_mask(cutter.plan.marks, everywhere, stands)
        return count_broken(stands, by_px)

    name = f"breaks:{cut_name(sheet)}"
    return workshop.look_up(name, Priority.VIEW, compute, lambda _: 100)
