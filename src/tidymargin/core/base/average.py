"""Averaging pictures down by area: RGBA weighted by its alpha, and RGB."""

from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.base.parallel import work_through
from tidymargin.core.base.picture import Region, whole

_TOGETHER_PX = 32  # rows that one core fills at once


@dataclass(frozen=True, slots=True)
class Grid:
    """A grid of square cells laid over a picture.

    Parameters
    ----------
    top, left : float
        Where it begins, in pixels of the picture.
    cell : float
        A cell's side in pixels, 1 or more.
    height, width : int
        Cells down and across. They may reach beyond the picture; only what lies inside counts.
    """

    top: float
    left: float
    cell: float
    height: int
    width: int

    def over(self, region: Region) -> Region:
        """Return the cells that a region of the picture reaches into, as rows and cols of the grid."""

        def first(at: float) -> int:
            return max(0, int(np.floor(at / self.cell)))

        return Region(
            first(region.top - self.top),
            first(region.left - self.left),
            max(0, min(self.height, int(np.ceil((region.bottom - self.top) / self.cell)))),
            max(0, min(self.width, int(np.ceil((region.right - self.left) / self.cell)))),
        )


@njit(cache=True, nogil=True)
def _sum_kernel(lines, top, left, cell, sums):  # type: ignore[no-untyped-def]
    """Sum (h, w * 4) lines over cells, colours times their alpha: first the rows of a cell, then along them."""
    rows, cols = lines.shape[0], lines.shape[1] // 4
    total = np.empty(lines.shape[1], np.float32)
    for row in range(sums.shape[0]):
        y0 = max(0.0, top + row * cell)
        y1 = min(float(rows), top + (row + 1) * cell)
        total[:] = 0
        for y in range(int(y0), int(np.ceil(y1))):
            tall = np.float32(min(y1, y + 1.0) - max(y0, float(y)))
            line = lines[y]
            for x in range(cols):
                share = tall * line[4 * x + 3]
                total[4 * x] += share * line[4 * x]
                total[4 * x + 1] += share * line[4 * x + 1]
                total[4 * x + 2] += share * line[4 * x + 2]
                total[4 * x + 3] += share
        for col in range(sums.shape[1]):
            x0, x1 = max(0.0, left + col * cell), min(float(cols), left + (col + 1) * cell)
            for x in range(int(x0), int(np.ceil(x1))):
                wide = min(x1, x + 1.0) - max(x0, float(x))
                for channel in range(4):
                    sums[row, col, channel] += wide * total[4 * x + channel]


def sum_cells(
    rgba: NDArray[np.uint8], place: Region, grid: Grid
) -> tuple[Region, NDArray[np.float64]]:
    """Return what a piece of a picture adds to the cells of a grid.

    Parameters
    ----------
    rgba : (h, w, 4) ndarray of uint8
        Straight RGBA of the piece.
    place : Region
        Where in the picture the piece lies.
    grid : Grid

    Returns
    -------
    cells : Region
        The rows and cols of the grid that the piece reaches into.
    sums : (r, c, 4) ndarray of float64
        For them: the sum of each colour times alpha, and of alpha, times the area in pixels.
    """
    cells = grid.over(place)
    sums = np.zeros((max(0, cells.height), max(0, cells.width), 4))
    top = grid.top + cells.top * grid.cell - place.top
    left = grid.left + cells.left * grid.cell - place.left
    lines = np.ascontiguousarray(rgba).reshape(rgba.shape[0], -1)
    _sum_kernel(lines, float(top), float(left), float(grid.cell), sums)
    return cells, sums


def finish_cells(sums: NDArray[np.float64], grid: Grid, everywhere: Region) -> NDArray[np.uint8]:
    """Return averages from the sums of all pieces of a picture.

    Parameters
    ----------
    sums : (h, w, 4) ndarray of float64
        As `sum_cells` gives them, added up, for all cells of the grid.
    grid : Grid
    everywhere : Region
        The whole picture.

    Returns
    -------
    (h, w, 4) ndarray of uint8
        Straight RGBA.
    """

    def inside(start: float, count: int, most: int) -> NDArray[np.float64]:
        edges = np.clip(start + np.arange(count + 1) * grid.cell, 0, most)
        return np.asarray(np.maximum(np.diff(edges), 1e-9), np.float64)

    down = inside(grid.top, grid.height, everywhere.bottom)
    across = inside(grid.left, grid.width, everywhere.right)
    alpha = sums[..., 3]
    out = np.zeros(sums.shape, np.uint8)
    colours = sums[..., :3] / np.maximum(alpha, 1e-9)[..., None] + 0.5
    np.copyto(out[..., :3], colours, casting="unsafe", where=(alpha > 0)[..., None])
    np.copyto(out[..., 3], alpha / (down[:, None] * across) + 0.5, casting="unsafe")
    return out


def average_down(rgba: NDArray[np.uint8], grid: Grid) -> NDArray[np.uint8]:
    """Average a picture over a grid of square cells, colours weighted by their alpha.

    Parameters
    ----------
    rgba : (H, W, 4) ndarray of uint8
        Straight RGBA.
    grid : Grid

    Returns
    -------
    (h, w, 4) ndarray of uint8
        Straight RGBA.
    """
    everywhere = whole(rgba.shape[0], rgba.shape[1])
    sums = np.zeros((grid.height, grid.width, 4))
    cells, found = sum_cells(rgba, everywhere, grid)
    sums[cells.slices] = found
    return finish_cells(sums, grid, everywhere)


@njit(cache=True, nogil=True)
def _average_rgb_kernel(lines, top, left, down, across, first_row, out):  # type: ignore[no-untyped-def]
    """Average (H, W * 3) lines over cells `down` x `across` px: first the rows of a cell, then along them."""
    height, width = lines.shape[0], lines.shape[1] // 3
    total = np.empty(lines.shape[1], np.float32)
    begin = 3 * max(0, int(left))
    end = 3 * min(width, int(np.ceil(left + across * out.shape[1])))
    used = total[begin:end]
    for row in range(out.shape[0]):
        y0 = max(0.0, top + (first_row + row) * down)
        y1 = min(float(height), top + (first_row + row + 1) * down)
        used[:] = 0
        for y in range(int(y0), int(np.ceil(y1))):
            tall = np.float32(min(y1, y + 1.0) - max(y0, float(y)))
            line = lines[
                y, begin:end
            ]  # from 0 on, so that the compiler can take many places at once
            for at in range(line.size):
                used[at] += tall * line[at]
        for col in range(out.shape[1]):
            x0, x1 = max(0.0, left + col * across), min(float(width), left + (col + 1) * across)
            red, green, blue = np.float32(0), np.float32(0), np.float32(0)
            for x in range(int(x0), int(np.ceil(x1))):
                wide = np.float32(min(x1, x + 1.0) - max(x0, float(x)))
                red += wide * total[3 * x]
                green += wide * total[3 * x + 1]
                blue += wide * total[3 * x + 2]
            area = max(1e-6, (y1 - y0) * (x1 - x0))
            out[row, col, 0] = int(red / area + 0.5)
            out[row, col, 1] = int(green / area + 0.5)
            out[row, col, 2] = int(blue / area + 0.5)


def average_rgb(
    rgb: NDArray[np.uint8],
    height: int,
    width: int,
    *,
    top: float = 0.0,
    left: float = 0.0,
    cell: tuple[float, float] | None = None,
) -> NDArray[np.uint8]:
    """Average RGB over a grid of cells.

    Parameters
    ----------
    rgb : (H, W, 3) ndarray of uint8
        The whole picture.
    height, width : int
        Cells down and across.
    top, left : float
        Where the grid begins, in pixels.
    cell : tuple of 2 float, optional
        A cell's height and width in pixels, 1 or more; by default the grid covers the picture. Cells may reach
        beyond it; only what lies inside counts.

    Returns
    -------
    (height, width, 3) ndarray of uint8
    """
    down, across = cell or (rgb.shape[0] / height, rgb.shape[1] / width)
    lines = np.ascontiguousarray(rgb).reshape(rgb.shape[0], -1)
    out = np.empty((height, width, 3), np.uint8)

    def fill(band: Region) -> None:
        _average_rgb_kernel(
            lines, float(top), float(left), float(down), float(across), band.top, out[band.slices]
        )

    work_through(fill, whole(height, width).bands(_TOGETHER_PX))
    return out
