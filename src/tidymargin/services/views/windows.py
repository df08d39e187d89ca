"""Windows onto a sheet's cut, made of tiles that are kept under what each of them depends on."""

from collections.abc import Hashable
from dataclasses import dataclass, replace
from hashlib import blake2b

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.average import Grid, average_rgb, finish_cells, sum_cells
from tidymargin.core.base.errors import BadParameterError
from tidymargin.core.base.parallel import work_out, work_through
from tidymargin.core.base.picture import Picture, Region, whole
from tidymargin.core.cut import Cutter
from tidymargin.core.marks.plan import EVERYWHERE, MarksPlan
from tidymargin.services.workshop.cache import size_of_array
from tidymargin.services.workshop.identity import tile_name
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.store.values import Sheet

TILE_PX = 256
_BLOCK_PX = 2 * TILE_PX  # rendered at once where little of it is at hand, so that halos are shared
_AT_ONCE = 8  # blocks between two looks at whether it still is wanted, or others go first

Rgba = NDArray[np.uint8]


class TiledCut:
    """A cut rendered by tiles that are kept under what they depend on.

    Of reach and marks, a tile depends only on what is cleared, painted over and marked in and around it: a change of
    tolerance, picks or marks renders again only those tiles in which something comes or goes. Of a view that is
    zoomed out only tiles with a rim are kept: the others take no solving, and would push these out.
    """

    def __init__(self, workshop: Workshop, cutter: Cutter, name: str) -> None:
        self._workshop = workshop
        self._cutter = cutter
        self._name = name
        self._everywhere = whole(cutter.picture.height, cutter.picture.width)

    def window(self, region: Region) -> Rgba:
        """Return a region of the cut at full size, (h, w, 4) uint8."""
        outer = self._aligned(region)
        out = np.empty((outer.height, outer.width, 4), np.uint8)

        def fill(block: Region) -> None:
            out[block.seen_from(outer).slices] = self._block(
                block, self._cleared(block), keeps_all=True
            )

        for band in outer.bands(_BLOCK_PX):
            self._workshop.executor.tick((band.top - outer.top) / outer.height)
            work_through(fill, band.tiles(_BLOCK_PX))
        return np.ascontiguousarray(out[region.seen_from(outer).slices])

    def average(self, grid: Grid, region: Region) -> Rgba:
        """Return the mean of the full-size cut in every cell of a grid that covers a region, (h, w, 4) uint8."""
        outer = self._aligned(region)
        sums = np.zeros((grid.height, grid.width, 4))

        def add_up(block: Region) -> tuple[Region, NDArray[np.float64]] | None:
            cleared = self._cleared(block)
            fills = (
                self._cutter.plan.tint.fills_cleared or self._cutter.plan.marks.near(block).marks
            )
            if cleared.all() and not fills:
                return None
            return sum_cells(self._block(block, cleared, keeps_all=False), block, grid)

        blocks = list(outer.tiles(_BLOCK_PX))
        for first in range(0, len(blocks), _AT_ONCE):
            self._workshop.executor.tick(first / len(blocks))
            for found in work_out(add_up, blocks[first : first + _AT_ONCE]):
                if found is not None:
                    cells, part = found
                    sums[cells.slices] += part
        return finish_cells(sums, grid, self._everywhere)

    def _aligned(self, region: Region) -> Region:
        """Return the tiles that cover a region."""
        return Region(
            region.top // TILE_PX * TILE_PX,
            region.left // TILE_PX * TILE_PX,
            min(-(-region.bottom // TILE_PX) * TILE_PX, self._everywhere.bottom),
            min(-(-region.right // TILE_PX) * TILE_PX, self._everywhere.right),
        )

    def _cleared(self, block: Region) -> NDArray[np.bool_]:
        """Return what is cleared in a block and its halo."""
        return self._cutter.cleared(block.grown(self._cutter.halo_px, self._everywhere))

    def _block(self, block: Region, cleared: NDArray[np.bool_], *, keeps_all: bool) -> Rgba:
        """Return the cut in a few tiles, (h, w, 4) uint8; all of them are kept, or those with a rim."""
        halo_px = self._cutter.halo_px
        outer = block.grown(halo_px, self._everywhere)
        painted, outlook = self._cutter.painted_over, self._cutter.outlook
        keeps_all = keeps_all or self._cutter.plan.tint.fills_cleared
        over = None if painted is None else painted.over(outer)
        out = np.empty((block.height, block.width, 4), np.uint8)
        missing: list[tuple[Region, Hashable]] = []
        for tile in block.tiles(TILE_PX):
            around = tile.grown(halo_px, outer).seen_from(outer).slices
            part = cleared[around]
            marks = self._cutter.plan.marks.near(tile.grown(halo_px, self._everywhere))
            if not (keeps_all or marks.marks) and (part.all() or not part.any()):
                missing.append((tile, None))
                continue
            content = blake2b(np.packbits(part).tobytes(), digest_size=16)
            if over is not None:
                content.update(np.packbits(over[around]).tobytes())
            if outlook is not None:
                content.update(outlook.tell(tile.grown(halo_px, self._everywhere)))
            name: Hashable = ("tile", self._name, content.digest(), tile, marks)
            kept = self._workshop.tiles.get(name)
            if kept is None:
                missing.append((tile, name))
            else:
                out[tile.seen_from(block).slices] = kept
        at_once = self._cutter.render(block) if len(missing) > 2 else None
        for tile, name in missing:
            place = tile.seen_from(block).slices
            out[place] = self._cutter.render(tile) if at_once is None else at_once[place]
            if name is not None:
                pixels = out[place].copy()
                self._workshop.tiles.put(name, pixels, size_of_array(pixels))
        return out


DRAFT_PX = 420
MAX_VIEW_PX = 16_000_000


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


def cut_window(workshop: Workshop, sheet: Sheet, cutter: Cutter, view: View) -> Rgba:
    """Return the exact cut in a window: its own pixels, or their means where it is zoomed out."""
    tiled = TiledCut(workshop, cutter, tile_name(sheet))
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
    workshop: Workshop, sheet: Sheet, cutter: Cutter, view: View, before: Settled
) -> Rgba:
    """Return the exact cut in a window that differs from an earlier one by its marks alone."""
    tiled = TiledCut(workshop, cutter, tile_name(sheet))
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


def reduce_work(work: Picture) -> Picture:
    """Return a sheet's work area averaged down to a draft's size."""
    view = fit_whole(work, DRAFT_PX)
    alpha = work.alpha
    if alpha is not None:
        alpha = np.asarray(cv2.resize(alpha, (view.width, view.height)), np.uint8)
    return Picture(average_rgb(work.rgb, view.height, view.width), alpha)
