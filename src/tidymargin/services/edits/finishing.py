"""What a person sets of rims and colours: each change is one row of the history."""

from typing import Any, Literal

from tidymargin.core.base.limits import MM_PER_INCH
from tidymargin.formats.recipe import Recipe
from tidymargin.services.edits.changing import Edit, change_step, require_number
from tidymargin.store.values import Sheet

EVERYDAY = {"choke_px": 1.0, "feather_px": 2.0}
"""The pair that people reach for most: in by a pixel, soft over two."""

_DPI = 300.0

JAGS_PX = 2.0
"""What smoothing is set to by one click."""


def reset_rim(edit: Edit) -> Sheet:
    """Leave rims as they are solved."""
    neutral = {name: field.default for name, field in type(Recipe().rim).model_fields.items()}
    return change_step(edit, "rim_reset", "rim", **neutral)


def px_per_mm(sheet: Sheet) -> float:
    """Return how many pixels of a sheet are a millimetre, by its file; by 300 to the inch where that does not say."""
    return (sheet.dots_per_inch or _DPI) / MM_PER_INCH


def set_backing(edit: Edit, backing: dict[str, Any] | None) -> Sheet:
    """Lay a layer under the figure, or take it away."""
    change = "backing" if backing is not None else "backing_gone"
    return change_step(edit, change, "colour", backing=backing)


def recolour(
    edit: Edit, colour: str | None, towards: str | None = None, degrees: float = 0.0
) -> Sheet:  # fmt: skip
    """Give all of the figure one colour or a gradient, or with None its own colours again; its pieces keep theirs."""
    now = edit.sheet.recipe.colour.recolour
    pieces = () if now is None else now.pieces
    body = {"colour": colour, "towards": towards, "degrees": degrees, "pieces": pieces}
    other = None if colour is None and not pieces else body
    change = "recolour" if colour is not None else "recolour_gone"
    return change_step(edit, change, "colour", recolour=other)


def recolour_piece(edit: Edit, row: int, col: int, colour: str) -> Sheet:
    """Give the piece of the figure at a place of the work area a colour of its own."""
    sheet = edit.sheet
    now = sheet.recipe.colour.recolour
    x, y = sheet.area.to_picture(col, row)
    body: dict[str, Any] = {} if now is None else now.model_dump()
    body["pieces"] = [*body.get("pieces", ()), {"x": x, "y": y, "colour": colour}]
    return change_step(edit, "recolour_piece", "colour", recolour=body)


def forget_piece(edit: Edit, number: int) -> Sheet:
    """Give a piece its colour back; they are numbered from 1."""
    now = edit.sheet.recipe.colour.recolour
    pieces = [] if now is None else list(now.pieces)
    require_number(number, pieces, "piece")
    del pieces[number - 1]
    assert now is not None
    body = {**now.model_dump(), "pieces": pieces}
    other = body if pieces or now.colour is not None else None
    return change_step(edit, "recolour_gone", "colour", recolour=other)


def place_spill(
    edit: Edit, row: float, col: float, radius_px: float, amount: float
) -> Sheet:  # fmt: skip
    """Take another amount of a screen's light off around a place of the work area."""
    sheet = edit.sheet
    x, y = sheet.area.to_picture(col, row)
    place = {"x": x, "y": y, "radius_px": radius_px, "amount": amount}
    places = [*sheet.recipe.colour.spill_places, place]
    return change_step(edit, "spill_place", "colour", spill_places=places)


def guard_spill(edit: Edit, colour: str, distance: float = 8.0) -> Sheet:
    """Take no light off a colour, #RRGGBB, and those near it."""
    guard = {"colour": colour, "distance": distance}
    guards = [*edit.sheet.recipe.colour.spill_guards, guard]
    return change_step(edit, "spill_guard", "colour", spill_guards=guards)


def forget_spill(edit: Edit, what: Literal["places", "guards"], number: int) -> Sheet:
    """Let a place or a guard of spill go; they are numbered from 1."""
    name = f"spill_{what}"
    entries = list(getattr(edit.sheet.recipe.colour, name))
    require_number(number, entries, what.removesuffix("s"))
    del entries[number - 1]
    return change_step(edit, f"un{name}", "colour", **{name: entries})
