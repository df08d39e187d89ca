"""A window onto a sheet's cut: where it lies, and what it shows."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.average import Grid
from tidymargin.core.base.errors import BadParameterError
from tidymargin.core.base.picture import Picture, Region, whole
from tidymargin.core.cut import Cutter
from tidymargin.core.marks.plan import EVERYWHERE, MarksPlan
from tidymargin.formats.recipe import Recipe
from tidymargin.services.identity import tile_name
from tidymargin.services.tiles import TiledCut
from tidymargin.services.workshop import Workshop
from tidymargin.store.values import Sheet

MAX_VIEW_PX = 16_000_000

Rgba = NDArray[np.uint8]


@dataclass(frozen=True, slots=True)
class View:
    """A window onto a picture.

    Parameters
    ----------
    left, top : float
        Its corner in picture pixels.
    cell : float
        Picture pixels per pixel of the window, 1 or more; 1 is pixel for pixel.
    width, height : int
        The window's size in its own pixels.
    """

    left: float
    top: float
    cell: float
    width: int
    height: int

    def __post_init__(self) -> None:
        if not (self.width > 0 and self.height > 0 and self.width * self.height <= MAX_VIEW_PX):
            raise BadParameterError(f"Expected a view of 1 to {MAX_VIEW_PX} pixels.", field="view")
        if not (1 <= self.cell <= 10_000 and self.left >= 0 and self.top >= 0):
            raise BadParameterError("Expected a view inside the picture.", field="view")

    def covers(self, everywhere: Region) -> Region:
        """Return the picture pixels that the window shows."""
        region = Region(
            int(self.top),
            int(self.left),
            min(everywhere.bottom, int(np.ceil(self.top + self.height * self.cell))),
            min(everywhere.right, int(np.ceil(self.left + self.width * self.cell))),
        )
        if region.height <= 0 or region.width <= 0:
            raise BadParameterError("Expected a view inside the picture.", field="view")
        return region

    @property
    def grid(self) -> Grid:
        """The window's pixels as cells of the picture."""
        return Grid(self.top, self.left, self.cell, self.height, self.width)


def cut_window(
    workshop: Workshop, sheet: Sheet, recipe: Recipe, cutter: Cutter, view: View
) -> Rgba:
    """Return the exact cut in a window: its own pixels, or their means where it is zoomed out."""
    tiled = TiledCut(workshop, cutter, tile_name(sheet, recipe.names))
    region = view.covers(whole(cutter.picture.height, cutter.picture.width))
    return tiled.window(region) if view.cell == 1 else tiled.average(view.grid, region)


@dataclass(frozen=True, slots=True, eq=False)
class Settled:
    """A window as it was settled last, and what it depended on: so that a further mark changes only what it touches.

    Parameters
    ----------
    name : tuple of str
        Of what all but the marks of a recipe decide.
    marks : MarksPlan
        The marks.
    pixels : (h, w, 4) ndarray of uint8
        Straight RGBA.
    """

    name: tuple[str, str]
    marks: MarksPlan
    pixels: Rgba


def recut_window(
    workshop: Workshop, sheet: Sheet, recipe: Recipe, cutter: Cutter, view: View, before: Settled
) -> Rgba:
    """Return the exact cut in a window that differs from an earlier one by its marks alone."""
    tiled = TiledCut(workshop, cutter, tile_name(sheet, recipe.names))
    everywhere = whole(cutter.picture.height, cutter.picture.width)
    region = view.covers(everywhere)
    was = replace(cutter, plan=replace(cutter.plan, marks=before.marks))
    halo_px = max(was.halo_px, cutter.halo_px) + int(np.ceil(view.cell))
    boxes = [
        mark.box.grown(halo_px, EVERYWHERE)
        for mark in cutter.plan.marks.changed_since(before.marks)
    ]
    out = before.pixels.copy()
    for box in (box.within(region) for box in boxes if box.touches(region)):
        if view.cell == 1:
            out[box.seen_from(region).slices] = tiled.window(box)
            continue
        cells = view.grid.over(box)
        around = Region(
            int(view.top + cells.top * view.cell), int(view.left + cells.left * view.cell),
            int(np.ceil(view.top + cells.bottom * view.cell)), int(np.ceil(view.left + cells.right * view.cell)),
        ).within(everywhere)  # fmt: skip
        out[cells.slices] = tiled.average(view.grid, around)[cells.slices]
    return out


def fit_whole(picture: Picture, side_px: int) -> View:
    """Return a window onto a whole picture that is no longer than that."""
    height, width = picture.height, picture.width
    cell = max(1.0, max(width, height) / side_px)
    return View(0, 0, cell, max(1, round(width / cell)), max(1, round(height / cell)))
