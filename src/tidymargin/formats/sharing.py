"""What the sheets of a tray share of their recipes: rules and numbers, never places.

A change of what is shared reaches a sheet value by value, and only where the sheet still had what was shared before:
whatever somebody set otherwise on one sheet is an exception and stays.
"""

from collections.abc import Iterator
from typing import Any

from tidymargin.formats.recipe import STEPS, Recipe
from tidymargin.formats.steps import STEP_TYPES

_PLACES = {
    "ground": {"area"},
    "reach": {"picks", "pockets", "regions", "fences", "drops"},
    "by_hand": {"marks"},
    "rim": set[str](),
    "colour": {"spill_places"},
    "proof": {"accepted"},
    "export": set[str](),
}
"""By step, the values that are places of one picture."""


def _list_values(recipe: Recipe) -> Iterator[tuple[str, str, Any]]:
    for step in STEPS:
        for field in STEP_TYPES[step].model_fields:
            if field not in _PLACES[step]:
                yield step, field, _without_places(field, getattr(getattr(recipe, step), field))


def _without_places(field: str, value: Any) -> Any:
    """Return a value without the places that it names beside a rule."""
    if field == "guards":
        return tuple(guard.model_copy(update={"x": None, "y": None}) for guard in value)
    if field == "start" and value == "picks":
        return "outside"  # it is nothing without its picks
    if field == "recolour" and value is not None and value.pieces:
        return None if value.colour is None else value.model_copy(update={"pieces": ()})
    return value


def _with(recipe: Recipe, values: dict[str, dict[str, Any]]) -> Recipe:
    steps = {step: getattr(recipe, step).model_copy(update=new) for step, new in values.items()}
    for step in steps.values():
        step._stored = ""  # it is another than the one that was stored
    return recipe.model_copy(update=steps)


def take_shared(recipe: Recipe) -> Recipe:
    """Return what of a recipe may be shared, with the defaults in place of places."""
    values: dict[str, dict[str, Any]] = {}
    for step, field, value in _list_values(recipe):
        values.setdefault(step, {})[field] = value
    return _with(Recipe(), values)


def share(before: Recipe, after: Recipe, own: Recipe) -> Recipe:
    """Return a sheet's recipe once what its tray shares is no more `before` but `after`.

    Parameters
    ----------
    before, after : Recipe
        As of `take_shared`.
    own : Recipe
        The sheet's; values in which it is not as `before` stay, and all of its places.
    """
    values: dict[str, dict[str, Any]] = {}
    for step, field, new in _list_values(after):
        now = getattr(getattr(own, step), field)
        if now == getattr(getattr(before, step), field) and now != new:
            values.setdefault(step, {})[field] = new
    return _with(own, values)


def list_exceptions(shared: Recipe, own: Recipe) -> list[tuple[str, str]]:
    """Return the steps and values in which a sheet is not as its tray; places are not among them."""
    return [
        (step, field)
        for step, field, value in _list_values(own)
        if value != getattr(getattr(shared, step), field)
    ]
