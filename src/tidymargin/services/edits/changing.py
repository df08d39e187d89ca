"""A change of a sheet's recipe: one row of its history."""

from dataclasses import dataclass
from typing import Any

from tidymargin.core.base.errors import BadParameterError
from tidymargin.formats.recipe import Recipe, change_recipe
from tidymargin.services.views.measuring import load_measured, start_measuring
from tidymargin.services.workshop.states import (
    is_of_older_engine,
    require_present_engine,
    to_state,
)
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.store.values import Sheet


@dataclass(frozen=True, slots=True)
class Edit:
    """What a person is about to change: a sheet at its present state, and the state that they looked at."""

    workshop: Workshop
    sheet: Sheet
    seen: int


def begin(workshop: Workshop, sheet_id: int, seen: int) -> Edit:
    """Begin to change a sheet, by its number; what comes of it is saved if `seen` still is its present state."""
    return Edit(workshop, workshop.sheets.load(sheet_id), seen)


def resolve(workshop: Workshop, sheet: Sheet) -> dict[str, Any]:
    """Return the values that `auto` stands for in a sheet's recipe."""
    facts = load_measured(workshop, sheet).facts
    chosen = sheet.recipe.reach.tolerance
    return {
        "ground": facts.ground.kind,
        "colour": facts.ground.hex,
        "figure": facts.nature,
        "tolerance": facts.calm.tolerance if chosen == "auto" else chosen,
        "measured": facts.calm.tolerance,
    }


def commit_recipe(
    edit: Edit, recipe: Recipe, change: str, noted: dict[str, Any] | None = None
) -> Sheet:
    """Save a recipe as a row of history named by its change; nothing where it is the present one.

    `noted` is what else the row says of itself, beside the values that `auto` stands for.
    """
    if recipe == edit.sheet.recipe:
        return edit.sheet
    require_present_engine(edit.sheet)
    return _save(edit, recipe, change, noted or {})


def use_new_cut(edit: Edit) -> Sheet:
    """Take a sheet that an older engine cut as the present one cuts it; the old state stays in the history."""
    sheet = edit.sheet
    if not is_of_older_engine(sheet):
        return sheet
    return _save(edit, sheet.recipe, "engine", {})


def _save(edit: Edit, recipe: Recipe, change: str, noted: dict[str, Any]) -> Sheet:
    resolved = resolve(edit.workshop, edit.sheet.decided_by(recipe)) | noted
    new = to_state(recipe, change, resolved)
    saved = edit.workshop.sheets.commit(edit.sheet.id, edit.seen, new).knowing(recipe)
    start_measuring(edit.workshop, saved)
    return saved


def change_step(edit: Edit, change: str, step: str, **values: Any) -> Sheet:
    """Replace values of one step; one row of history, or none when nothing changes."""
    recipe = change_recipe(edit.sheet.recipe, step, **values)
    return commit_recipe(edit, recipe, change)


def require_number(number: int, things: list[Any], kind: str) -> None:
    """Refuse a number, counted from 1, of which there is no thing of that kind."""
    if not things:
        raise BadParameterError(f"There is no {kind} here.", hint="Reload the page.")
    if not 1 <= number <= len(things):
        raise BadParameterError(f"Expected a {kind} from 1 to {len(things)}, got {number}.")
