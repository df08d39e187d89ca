"""Decoded pictures, and what work areas hold of them."""

from tidymargin.core.base.area import take_area
from tidymargin.core.base.picture import Picture
from tidymargin.services.workshop.identity import area_name
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


def load_work(workshop: Workshop, sheet: Sheet) -> Picture:
    """Return what the work area holds; to be called by the executor's own jobs."""
    area = sheet.area
    if area.is_whole:
        return load_picture(workshop, sheet)
    return workshop.pictures.find(
        area_name(sheet), lambda: take_area(load_picture(workshop, sheet), area), _size_of
    )


def decoding_cost(workshop: Workshop, sheet: Sheet) -> int:
    """Return what it takes at its peak, in bytes, to have all of a picture at hand; nothing where it is."""
    if workshop.pictures.get(sheet.original) is not None:
        return 0
    return _PICTURE_BYTES * sheet.width * sheet.height


def picture_cost(workshop: Workshop, sheet: Sheet) -> int:
    """Return what it takes at its peak, in bytes, to have at hand what a work area holds; see docs/memory.md."""
    cost, area = decoding_cost(workshop, sheet), sheet.area
    if area.is_whole or workshop.pictures.get(area_name(sheet)) is not None:
        return cost
    return max(cost, _AREA_BYTES * (area.width * area.height + sheet.width * sheet.height))
