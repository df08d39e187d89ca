"""What a person sets of rims and colours: each change is one row of the history."""

from typing import Any, Literal

from tidymargin.core.base.limits import MM_PER_INCH
from tidymargin.formats.recipe import Recipe
from tidymargin.services.edits.changing import change_step, require_number
from tidymargin.services.workshop.states import area_of, read_recipe_of
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.store.values import Sheet

EVERYDAY = {"choke_px": 1.0, "feather_px": 2.0}
"""The pair that people reach for most: in by a pixel, soft over two."""

_DPI = 300.0

JAGS_PX = 2.0
"""What smoothing is set to by one click."""


def set_rim(workshop: Workshop, sheet_id: int, seen: int, **values: Any) -> Sheet:
    """Set what is done to rims once they are solved; see `formats.finishing.RimStep`."""
    return change_step(workshop, sheet_id, seen, "rim", "rim", **values)


def reset_rim(workshop: Workshop, sheet_id: int, seen: int) -> Sheet:
    """Leave rims as they are solved."""
    neutral = {name: field.default for name, field in type(Recipe().rim).model_fields.items()}
    return change_step(workshop, sheet_id, seen, "rim_reset", "rim", **neutral)


def set_tone(workshop: Workshop, sheet_id: int, seen: int, **values: Any) -> Sheet:
    """Set ink depth, brightness, contrast and saturation."""
    return change_step(workshop, sheet_id, seen, "tone", "colour", **values)


def set_shadow(workshop: Workshop, sheet_id: int, seen: int, amount: float) -> Sheet:
    """Set how much of a shadow on the ground is kept, 0 to 1."""
    return change_step(workshop, sheet_id, seen, "shadow", "colour", shadow=amount)


def px_per_mm(workshop: Workshop, sheet_id: int) -> float:
    """Return how many pixels of a sheet are a millimetre, by its file; by 300 to the inch where that does not say."""
    sheet = workshop.sheets.load(sheet_id)
    return (sheet.dots_per_inch or _DPI) / MM_PER_INCH


def set_backing(
    workshop: Workshop, sheet_id: int, seen: int, backing: dict[str, Any] | None
) -> Sheet:
    """Lay a layer under the figure, or take it away."""
    change = "backing" if backing is not None else "backing_gone"
    return change_step(workshop, sheet_id, seen, change, "colour", backing=backing)


def recolour(
    workshop: Workshop, sheet_id: int, seen: int, colour: str | None, towards: str | None = None, degrees: float = 0.0
) -> Sheet:  # fmt: skip
    """Give all of the figure one colour or a gradient, or with None its own colours again; its pieces keep theirs."""
    now = read_recipe_of(workshop.sheets.load(sheet_id)).colour.recolour
    pieces = () if now is None else now.pieces
    body = {"colour": colour, "towards": towards, "degrees": degrees, "pieces": pieces}
    other = None if colour is None and not pieces else body
    change = "recolour" if colour is not None else "recolour_gone"
    return change_step(workshop, sheet_id, seen, change, "colour", recolour=other)


def recolour_piece(
    workshop: Workshop, sheet_id: int, seen: int, row: int, col: int, colour: str
) -> Sheet:
    """Give the piece of the figure at a place of the work area a colour of its own."""
    sheet = workshop.sheets.load(sheet_id)
    now = read_recipe_of(sheet).colour.recolour
    x, y = area_of(sheet).to_picture(col, row)
    body: dict[str, Any] = {} if now is None else now.model_dump()
    body["pieces"] = [*body.get("pieces", ()), {"x": x, "y": y, "colour": colour}]
    return change_step(workshop, sheet_id, seen, "recolour_piece", "colour", recolour=body)


def forget_piece(workshop: Workshop, sheet_id: int, seen: int, number: int) -> Sheet:
    """Give a piece its colour back; they are numbered from 1."""
    now = read_recipe_of(workshop.sheets.load(sheet_id)).colour.recolour
    pieces = [] if now is None else list(now.pieces)
    require_number(number, pieces, "piece")
    del pieces[number - 1]
    assert now is not None
    body = {**now.model_dump(), "pieces": pieces}
    other = body if pieces or now.colour is not None else None
    return change_step(workshop, sheet_id, seen, "recolour_gone", "colour", recolour=other)


def place_spill(
    workshop: Workshop, sheet_id: int, seen: int, row: float, col: float, radius_px: float, amount: float
) -> Sheet:  # fmt: skip
    """Take another amount of a screen's light off around a place of the work area."""
    sheet = workshop.sheets.load(sheet_id)
    x, y = area_of(sheet).to_picture(col, row)
    place = {"x": x, "y": y, "radius_px": radius_px, "amount": amount}
    places = [*read_recipe_of(sheet).colour.spill_places, place]
    return change_step(workshop, sheet_id, seen, "spill_place", "colour", spill_places=places)


def guard_spill(
    workshop: Workshop, sheet_id: int, seen: int, colour: str, distance: float = 8.0
) -> Sheet:
    """Take no light off a colour, #RRGGBB, and those near it."""
    guard = {"colour": colour, "distance": distance}
    guards = [*read_recipe_of(workshop.sheets.load(sheet_id)).colour.spill_guards, guard]
    return change_step(workshop, sheet_id, seen, "spill_guard", "colour", spill_guards=guards)


def forget_spill(
    workshop: Workshop, sheet_id: int, seen: int, what: Literal["places", "guards"], number: int
) -> Sheet:
    """Let a place or a guard of spill go; they are numbered from 1."""
    name = f"spill_{what}"
    entries = list(getattr(read_recipe_of(workshop.sheets.load(sheet_id)).colour, name))
    require_number(number, entries, what.removesuffix("s"))
    del entries[number - 1]
    return change_step(workshop, sheet_id, seen, f"un{name}", "colour", **{name: entries})
