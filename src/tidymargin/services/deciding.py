"""Every change of a sheet's recipe: one row of its history each."""

from typing import Any

from tidymargin.core.errors import BadParameterError
from tidymargin.core.place import Place, describe_place
from tidymargin.formats.recipe import PickEntry, Recipe, change_recipe
from tidymargin.services.executor import Priority
from tidymargin.services.opening import (
    load_cutter,
    load_measured,
    reach_name,
    read_recipe_of,
    start_measuring,
    to_state,
)
from tidymargin.services.workshop import Workshop
from tidymargin.store.sheets import Sheet


def resolve(workshop: Workshop, sheet: Sheet, recipe: Recipe) -> dict[str, Any]:
    """Return the values that `auto` stands for in a recipe."""
    facts = load_measured(workshop, sheet, recipe).facts
    chosen = recipe.reach.tolerance
    return {
        "ground": "flat",
        "colour": facts.ground.hex,
        "figure": "opaque",
        "tolerance": facts.calm.tolerance if chosen == "auto" else chosen,
    }


def _commit(workshop: Workshop, sheet: Sheet, seen: int, recipe: Recipe, change: str) -> Sheet:
    if recipe == read_recipe_of(sheet):
        return sheet
    resolved = resolve(workshop, sheet, recipe)
    saved = workshop.sheets.commit(sheet.id, seen, to_state(recipe, change, resolved))
    start_measuring(workshop, saved)
    return saved


def set_tolerance(workshop: Workshop, sheet_id: int, seen: int, tolerance: str | float) -> Sheet:
    """Set the sheet's tolerance, a number from 0 to 50 or ``auto``."""
    sheet = workshop.sheets.load(sheet_id)
    recipe = change_recipe(read_recipe_of(sheet), "reach", tolerance=tolerance)
    return _commit(workshop, sheet, seen, recipe, "tolerance")


def set_ground_colour(workshop: Workshop, sheet_id: int, seen: int, colour: str) -> Sheet:
    """Set the ground's colour, #RRGGBB or ``auto``."""
    sheet = workshop.sheets.load(sheet_id)
    recipe = change_recipe(read_recipe_of(sheet), "ground", colour=colour)
    return _commit(workshop, sheet, seen, recipe, "ground_colour")


def set_backdrop(workshop: Workshop, sheet_id: int, seen: int, colour: str) -> Sheet:
    """Set the proof's backdrop of any colour, #RRGGBB."""
    sheet = workshop.sheets.load(sheet_id)
    recipe = change_recipe(read_recipe_of(sheet), "proof", backdrop=colour)
    return _commit(workshop, sheet, seen, recipe, "backdrop")


def set_trim(workshop: Workshop, sheet_id: int, seen: int, trim: bool, margin_px: int) -> Sheet:
    """Set whether exports are cropped to the figure, and the margin around it."""
    sheet = workshop.sheets.load(sheet_id)
    recipe = change_recipe(read_recipe_of(sheet), "export", trim=trim, margin_px=margin_px)
    return _commit(workshop, sheet, seen, recipe, "trim")


def look_at_place(workshop: Workshop, sheet: Sheet, row: int, col: int) -> Place:
    """Say what a click at a place would do."""
    recipe = read_recipe_of(sheet)
    tolerance = recipe.reach.tolerance
    name = f"place:{reach_name(sheet, recipe)}:{tolerance}:{row}:{col}"
    found: Place | None = workshop.small.get(name)
    if found is None:

        def compute() -> Place:
            picks = tuple(entry.to_pick() for entry in recipe.reach.picks)
            return describe_place(load_cutter(workshop, sheet, recipe), picks, row, col)

        found = workshop.executor.run(name, Priority.VIEW, compute)
        size = 64 if found.takes is None else found.takes.nbytes
        workshop.small.put(name, found, size)
    return found


def pick_place(workshop: Workshop, sheet_id: int, seen: int, row: int, col: int) -> Sheet:
    """Do what a click at a place means; changes nothing where it means nothing."""
    sheet = workshop.sheets.load(sheet_id)
    place = look_at_place(workshop, sheet, row, col)
    if place.pick is None:
        return sheet
    own = place.pick.tolerance
    entry = PickEntry(x=col, y=row, tolerance="auto" if own is None else own)
    recipe = read_recipe_of(sheet)
    picks = [*(e.model_dump() for e in recipe.reach.picks), entry.model_dump()]
    return _commit(workshop, sheet, seen, change_recipe(recipe, "reach", picks=picks), "pick")


def remove_pick(workshop: Workshop, sheet_id: int, seen: int, number: int) -> Sheet:
    """Take a pick away; picks are numbered from 1."""
    sheet = workshop.sheets.load(sheet_id)
    recipe = read_recipe_of(sheet)
    picks = [entry.model_dump() for entry in recipe.reach.picks]
    if not 1 <= number <= len(picks):
        raise BadParameterError(f"Expected a pick from 1 to {len(picks)}, got {number}.")
    del picks[number - 1]
    return _commit(workshop, sheet, seen, change_recipe(recipe, "reach", picks=picks), "unpick")


def undo_change(workshop: Workshop, sheet_id: int, seen: int) -> Sheet:
    """Take the last change back."""
    sheet = workshop.sheets.undo(sheet_id, seen)
    start_measuring(workshop, sheet)
    return sheet


def redo_change(workshop: Workshop, sheet_id: int, seen: int) -> Sheet:
    """Bring the change back that was undone last."""
    sheet = workshop.sheets.redo(sheet_id, seen)
    start_measuring(workshop, sheet)
    return sheet
