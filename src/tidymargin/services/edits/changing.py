"""A change of a sheet's recipe: one row of its history."""

from typing import Any

from tidymargin.core.base.errors import BadParameterError
from tidymargin.formats.recipe import Recipe, change_recipe
from tidymargin.services.views.measuring import load_measured, start_measuring
from tidymargin.services.workshop.states import (
    is_of_older_engine,
    read_recipe_of,
    require_present_engine,
    to_state,
)
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.store.values import Sheet


def resolve(workshop: Workshop, sheet: Sheet, recipe: Recipe) -> dict[str, Any]:
    """Return the values that `auto` stands for in a recipe."""
    facts = load_measured(workshop, sheet, recipe).facts
    chosen = recipe.reach.tolerance
    return {
        "ground": facts.ground.kind,
        "colour": facts.ground.hex,
        "figure": facts.nature,
        "tolerance": facts.calm.tolerance if chosen == "auto" else chosen,
        "measured": facts.calm.tolerance,
    }


def commit_recipe(
    workshop: Workshop, sheet: Sheet, seen: int, recipe: Recipe, change: str
) -> Sheet:
    """Save a recipe as a row of history named by its change; nothing where it is the present one."""
    if recipe == read_recipe_of(sheet):
        return sheet
    require_present_engine(sheet)
    return _save(workshop, sheet, seen, recipe, change)


def use_new_cut(workshop: Workshop, sheet_id: int, seen: int) -> Sheet:
    """Take a sheet that an older engine cut as the present one cuts it; the old state stays in the history."""
    sheet = workshop.sheets.load(sheet_id)
    if not is_of_older_engine(sheet):
        return sheet
    return _save(workshop, sheet, seen, read_recipe_of(sheet), "engine")


def _save(workshop: Workshop, sheet: Sheet, seen: int, recipe: Recipe, change: str) -> Sheet:
    resolved = resolve(workshop, sheet, recipe)
    saved = workshop.sheets.commit(sheet.id, seen, to_state(recipe, change, resolved))
    start_measuring(workshop, saved)
    return saved


def change_step(
    workshop: Workshop, sheet_id: int, seen: int, change: str, step: str, **values: Any
) -> Sheet:
    """Replace values of one step; one row of history, or none when nothing changes."""
    sheet = workshop.sheets.load(sheet_id)
    recipe = change_recipe(read_recipe_of(sheet), step, **values)
    return commit_recipe(workshop, sheet, seen, recipe, change)


def require_number(number: int, things: list[Any], kind: str) -> None:
    """Refuse a number, counted from 1, of which there is no thing of that kind."""
    if not things:
        raise BadParameterError(f"There is no {kind} here.", hint="Load the page anew.")
    if not 1 <= number <= len(things):
        raise BadParameterError(f"Expected a {kind} from 1 to {len(things)}, got {number}.")
