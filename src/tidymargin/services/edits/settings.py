"""What a person sets for the whole sheet: each change is one row of its history."""

from typing import Any

from tidymargin.core.base.errors import BadParameterError
from tidymargin.formats.export_step import ExportStep
from tidymargin.formats.recipe import change_recipe
from tidymargin.services.edits.changing import Edit, change_step, commit_recipe, require_number
from tidymargin.services.views.measuring import load_measured
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.store.values import Sheet

STEP_OF = {
    "ground_colour": "ground", "figure": "ground", "tolerance": "reach", "start": "reach", "crumbs": "reach", "rim": "rim",
    "spill": "colour", "tone": "colour", "shadow": "colour", "backdrop": "proof", "print_size": "proof", "strip": "proof",
    "trim": "export", "export": "export", "outlines": "export", "cutline": "export",
}  # fmt: skip
"""What is set as it is said, by the name of the change, with the step that it is set in."""


def set_values(edit: Edit, change: str, **values: Any) -> Sheet:
    """Set values of a step as they are said: `change` is one of `STEP_OF`, `values` are fields of its step."""
    return change_step(edit, change, STEP_OF[change], **values)


def set_area(edit: Edit, corners: str | list[tuple[float, float]]) -> Sheet:
    """Set the work area by four corners (x, y) at the picture's pixel edges, or ``auto`` for all of it.

    Raises
    ------
    BadParameterError
        They make no area; `field` is ``"area"``.
    """
    sheet = edit.sheet
    recipe = change_recipe(sheet.recipe, "ground", area=corners)
    if recipe.to_area(sheet.height, sheet.width).is_whole:
        recipe = change_recipe(recipe, "ground", area="auto")
    return commit_recipe(edit, recipe, "area")


def turn_area(edit: Edit, quarters: int) -> Sheet:
    """Turn the work area clockwise by quarters."""
    sheet = edit.sheet
    return set_area(edit, list(sheet.area.turned(quarters).corners))


def tilt_area(edit: Edit, degrees: float) -> Sheet:
    """Tilt what the work area holds clockwise by up to 45 degrees."""
    if not -45 <= degrees <= 45:
        raise BadParameterError(
            f"Expected -45 to 45 degrees, got {degrees:g}.",
            hint="Turn by quarters first.",
            field="degrees",
        )
    sheet = edit.sheet
    return set_area(edit, list(sheet.area.tilted(degrees).corners))


def square_up(edit: Edit) -> Sheet:
    """Make the page that was found the work area."""
    page = load_measured(edit.workshop, edit.sheet).page
    if page is None:
        raise BadParameterError(
            "No page with something else around it was found.",
            hint="Place the four corners by hand.",
            field="area",
        )
    return set_area(edit, list(page.corners))


def set_ground(edit: Edit, kind: str) -> Sheet:
    """Set the ground's kind, or ``auto``; a colour that was said of another kind is let go."""
    return change_step(edit, "ground", "ground", kind=kind, colour="auto", also=())


def add_ground_colour(edit: Edit, colour: str) -> Sheet:
    """Add a further flat colour to the ground, #RRGGBB."""
    said = edit.sheet.recipe.ground
    also = [*said.also, colour]
    return change_step(edit, "ground_colour", "ground", kind="flat", also=also)


def remove_ground_colour(edit: Edit, number: int) -> Sheet:
    """Take a further colour of the ground away; they are numbered from 1."""
    also = list(edit.sheet.recipe.ground.also)
    require_number(number, also, "colour")
    del also[number - 1]
    return change_step(edit, "ground_colour", "ground", also=also)


def switch_preparation(edit: Edit, preparation: str) -> Sheet:
    """Begin or end doing something for the key only; see `core.ground.prepare`."""
    now = edit.sheet.recipe.ground.preparations
    chosen = [p for p in now if p != preparation]
    if len(chosen) == len(now):
        chosen = [*chosen, preparation]  # type: ignore[list-item]
    return change_step(edit, "preparation", "ground", preparations=chosen)


def drop_ink(edit: Edit, colour: str) -> Sheet:
    """Drop one of the inks, #RRGGBB; the others stay."""
    sheet = edit.sheet
    dropped = [*sheet.recipe.colour.dropped_inks, colour]
    return change_step(edit, "ink_dropped", "colour", dropped_inks=dropped)


def bring_back_ink(edit: Edit, colour: str) -> Sheet:
    """Bring back an ink that was dropped."""
    sheet = edit.sheet
    dropped = [ink for ink in sheet.recipe.colour.dropped_inks if ink != colour]
    return change_step(edit, "ink_kept", "colour", dropped_inks=dropped)


def keep_export(workshop: Workshop, sheet: Sheet, name: str) -> None:
    """Keep a sheet's settings of export under a name, in place of what was kept under it."""
    cleaned = " ".join("".join(c if c.isprintable() else " " for c in name).split())[:80]
    if not cleaned:
        raise BadParameterError("The name for these settings is empty.", field="kept")  # fmt: skip
    workshop.exports.keep(cleaned, sheet.recipe.export.to_json())


def use_export(edit: Edit, kept_id: int) -> Sheet:
    """Export a sheet by settings that were kept."""
    kept = ExportStep.read(edit.workshop.exports.load_kept(kept_id).body)
    values = {name: getattr(kept, name) for name in ExportStep.model_fields}
    return change_step(edit, "export", "export", **values)
