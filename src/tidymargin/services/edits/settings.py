"""What a person sets for the whole sheet: each change is one row of its history."""

from typing import Any

from tidymargin.core.base.errors import BadParameterError
from tidymargin.formats.export_step import ExportStep
from tidymargin.formats.recipe import change_recipe
from tidymargin.services.edits.changing import change_step, commit_recipe, require_number
from tidymargin.services.views.measuring import load_measured
from tidymargin.services.workshop.states import area_of, read_recipe_of
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.store.values import Sheet


def set_tolerance(workshop: Workshop, sheet_id: int, seen: int, tolerance: str | float) -> Sheet:
    """Set the sheet's tolerance, a number from 0 to 50 or ``auto``."""
    return change_step(workshop, sheet_id, seen, "tolerance", "reach", tolerance=tolerance)


def set_area(
    workshop: Workshop, sheet_id: int, seen: int, corners: str | list[tuple[float, float]]
) -> Sheet:
    """Set the work area by four corners (x, y) at the picture's pixel edges, or ``auto`` for all of it.

    Raises
    ------
    BadParameterError
        They make no area; `field` is ``"area"``.
    """
    sheet = workshop.sheets.load(sheet_id)
    recipe = change_recipe(read_recipe_of(sheet), "ground", area=corners)
    if recipe.to_area(sheet.height, sheet.width).is_whole:
        recipe = change_recipe(recipe, "ground", area="auto")
    return commit_recipe(workshop, sheet, seen, recipe, "area")


def turn_area(workshop: Workshop, sheet_id: int, seen: int, quarters: int) -> Sheet:
    """Turn the work area clockwise by quarters."""
    sheet = workshop.sheets.load(sheet_id)
    return set_area(workshop, sheet_id, seen, list(area_of(sheet).turned(quarters).corners))


def tilt_area(workshop: Workshop, sheet_id: int, seen: int, degrees: float) -> Sheet:
    """Tilt what the work area holds clockwise by up to 45 degrees."""
    if not -45 <= degrees <= 45:
        raise BadParameterError(
            f"Expected -45 to 45 degrees, got {degrees:g}.",
            hint="Turn by quarters first.",
            field="degrees",
        )
    sheet = workshop.sheets.load(sheet_id)
    return set_area(workshop, sheet_id, seen, list(area_of(sheet).tilted(degrees).corners))


def square_up(workshop: Workshop, sheet_id: int, seen: int) -> Sheet:
    """Make the page that was found the work area."""
    page = load_measured(workshop, workshop.sheets.load(sheet_id)).page
    if page is None:
        raise BadParameterError(
            "No page with something else around it was found.",
            hint="Place the four corners by hand.",
            field="area",
        )
    return set_area(workshop, sheet_id, seen, list(page.corners))


def set_ground(workshop: Workshop, sheet_id: int, seen: int, kind: str) -> Sheet:
    """Set the ground's kind, or ``auto``; a colour that was said of another kind is let go."""
    return change_step(
        workshop, sheet_id, seen, "ground", "ground", kind=kind, colour="auto", also=()
    )


def set_ground_colour(workshop: Workshop, sheet_id: int, seen: int, colour: str) -> Sheet:
    """Set the ground's colour, #RRGGBB or ``auto``."""
    return change_step(workshop, sheet_id, seen, "ground_colour", "ground", colour=colour)


def add_ground_colour(workshop: Workshop, sheet_id: int, seen: int, colour: str) -> Sheet:
    """Add a further flat colour to the ground, #RRGGBB."""
    said = read_recipe_of(workshop.sheets.load(sheet_id)).ground
    also = [*said.also, colour]
    return change_step(workshop, sheet_id, seen, "ground_colour", "ground", kind="flat", also=also)


def remove_ground_colour(workshop: Workshop, sheet_id: int, seen: int, number: int) -> Sheet:
    """Take a further colour of the ground away; they are numbered from 1."""
    also = list(read_recipe_of(workshop.sheets.load(sheet_id)).ground.also)
    require_number(number, also, "colour")
    del also[number - 1]
    return change_step(workshop, sheet_id, seen, "ground_colour", "ground", also=also)


def set_figure(workshop: Workshop, sheet_id: int, seen: int, nature: str) -> Sheet:
    """Set the figure's nature: ``opaque``, ``ink`` or ``auto``."""
    return change_step(workshop, sheet_id, seen, "figure", "ground", figure=nature)


def switch_preparation(workshop: Workshop, sheet_id: int, seen: int, preparation: str) -> Sheet:
    """Begin or end doing something for the key only; see `core.ground.prepare`."""
    now = read_recipe_of(workshop.sheets.load(sheet_id)).ground.preparations
    chosen = [p for p in now if p != preparation]
    if len(chosen) == len(now):
        chosen = [*chosen, preparation]  # type: ignore[list-item]
    return change_step(workshop, sheet_id, seen, "preparation", "ground", preparations=chosen)


def set_start(workshop: Workshop, sheet_id: int, seen: int, start: str) -> Sheet:
    """Set where clearing starts: ``outside``, ``picks`` or ``everywhere``."""
    return change_step(workshop, sheet_id, seen, "start", "reach", start=start)


def set_small_pieces(
    workshop: Workshop, sheet_id: int, seen: int, crumbs_px: str | int, pinholes_px: int
) -> Sheet:
    """Set below which size crumbs are dropped (or ``auto``) and pinholes filled."""
    return change_step(
        workshop, sheet_id, seen, "crumbs", "reach", crumbs_px=crumbs_px, pinholes_px=pinholes_px
    )


def set_spill(workshop: Workshop, sheet_id: int, seen: int, amount: str | float) -> Sheet:
    """Set how much of a screen's light is taken off, 0 to 2 times what was measured, or ``auto``."""
    return change_step(workshop, sheet_id, seen, "spill", "colour", spill=amount)


def drop_ink(workshop: Workshop, sheet_id: int, seen: int, colour: str) -> Sheet:
    """Drop one of the inks, #RRGGBB; the others stay."""
    sheet = workshop.sheets.load(sheet_id)
    dropped = [*read_recipe_of(sheet).colour.dropped_inks, colour]
    return change_step(workshop, sheet_id, seen, "ink_dropped", "colour", dropped_inks=dropped)


def bring_back_ink(workshop: Workshop, sheet_id: int, seen: int, colour: str) -> Sheet:
    """Bring back an ink that was dropped."""
    sheet = workshop.sheets.load(sheet_id)
    dropped = [ink for ink in read_recipe_of(sheet).colour.dropped_inks if ink != colour]
    return change_step(workshop, sheet_id, seen, "ink_kept", "colour", dropped_inks=dropped)


def set_backdrop(workshop: Workshop, sheet_id: int, seen: int, colour: str) -> Sheet:
    """Set the proof's backdrop of any colour, #RRGGBB."""
    return change_step(workshop, sheet_id, seen, "backdrop", "proof", backdrop=colour)


def set_trim(
    workshop: Workshop,
    sheet_id: int,
    seen: int,
    trim: bool,
    margin_px: int,
    *,
    pieces: bool = False,
) -> Sheet:
    """Set whether exports are cropped to the figure, or to each drawing of a page, and the margin around it."""
    return change_step(
        workshop, sheet_id, seen, "trim", "export", trim=trim, margin_px=margin_px, pieces=pieces
    )


def set_export(workshop: Workshop, sheet_id: int, seen: int, **values: Any) -> Sheet:
    """Set what is written, at which sizes and in which formats; see `formats.export_step.ExportStep`."""
    return change_step(workshop, sheet_id, seen, "export", "export", **values)


def keep_export(workshop: Workshop, sheet: Sheet, name: str) -> None:
    """Keep a sheet's settings of export under a name, in place of what was kept under it."""
    cleaned = " ".join("".join(c if c.isprintable() else " " for c in name).split())[:80]
    if not cleaned:
        raise BadParameterError("Expected a name to keep these settings under, got none.", field="kept")  # fmt: skip
    workshop.exports.keep(cleaned, read_recipe_of(sheet).export.to_json())


def use_export(workshop: Workshop, sheet_id: int, seen: int, kept_id: int) -> Sheet:
    """Export a sheet by settings that were kept."""
    kept = ExportStep.read(workshop.exports.load_kept(kept_id).body)
    values = {name: getattr(kept, name) for name in ExportStep.model_fields}
    return change_step(workshop, sheet_id, seen, "export", "export", **values)
