"""The cut of a sheet tile by tile, kept under what each tile depends on."""

from collections.abc import Hashable
from hashlib import blake2b

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.average import Grid, finish_cells, sum_cells
from tidymargin.core.base.parallel import work_out, work_through
from tidymargin.core.base.picture import Region, whole
from tidymargin.core.cut import Cutter
from tidymargin.services.workshop import Workshop

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
                self._workshop.tiles.put(name, pixels, pixels.nbytes + 200)
        return out
