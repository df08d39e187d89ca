"""Decoded pictures, and what work areas hold of them."""

from tidymargin.core.base.area import take_area
from tidymargin.core.base.picture import Picture
from tidymargin.formats.recipe import Recipe
from tidymargin.services.workshop.identity import area_name
from tidymargin.services.workshop.states import area_of
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.store.values import Sheet

_PICTURE_BYTES = 20  # a pixel: decoding at its most
_AREA_BYTES = 5  # a pixel of the picture and of the area each: resampling


def load_picture(workshop: Workshop, sheet: Sheet) -> Picture:
    """Return a sheet's whole decoded picture; to be called by the executor's own jobs."""

    def decode() -> Picture:
        data = workshop.originals.load(sheet.original)
        return workshop.readers.decode(data, workshop.executor.tick).picture

    return workshop.pictures.find(sheet.original, decode, _size_of)


def _size_of(picture: Picture) -> int:
    return picture.rgb.nbytes


def load_work(workshop: Workshop, sheet: Sheet, recipe: Recipe) -> Picture:
    """Return what the work area holds; to be called by the executor's own jobs."""
    area = area_of(sheet, recipe)
    if area.is_whole:
        return load_picture(workshop, sheet)
    return workshop.pictures.find(
        area_name(sheet, area), lambda: take_area(load_picture(workshop, sheet), area), _size_of
    )


def picture_cost(workshop: Workshop, sheet: Sheet, recipe: Recipe | None = None) -> int:
    """Return what it takes at its peak, in bytes, to have at hand what a work area holds, or all of the picture.

    Nothing where it is at hand; see docs/memory.md.
    """
    if workshop.pictures.get(sheet.original) is None:
        cost = _PICTURE_BYTES * sheet.width * sheet.height
    else:
        cost = 0
    area = None if recipe is None else area_of(sheet, recipe)
    if area is None or area.is_whole or workshop.pictures.get(area_name(sheet, area)) is not None:
        return cost
    return max(cost, _AREA_BYTES * (area.width * area.height + sheet.width * sheet.height))
