"""Averaging pictures down by area: RGBA weighted by its alpha, and RGB."""

import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.picture import Region, whole
from tidymargin.core.side_by_side import work_through

_TOGETHER_PX = 32  # rows that one core fills at once


@njit(cache=True, nogil=True)
def _average_kernel(rgba, top, left, cell, out):  # type: ignore[no-untyped-def]
    rows, cols = rgba.shape[:2]
    for row in range(out.shape[0]):
        y0, y1 = top + row * cell, top + (row + 1) * cell
        for col in range(out.shape[1]):
            x0, x1 = left + col * cell, left + (col + 1) * cell
            red, green, blue, alpha, area = 0.0, 0.0, 0.0, 0.0, 0.0
            for y in range(max(0, int(y0)), min(rows, int(np.ceil(y1)))):
                tall = min(y1, y + 1.0) - max(y0, float(y))
                for x in range(max(0, int(x0)), min(cols, int(np.ceil(x1)))):
                    weight = tall * (min(x1, x + 1.0) - max(x0, float(x)))
                    share = weight * rgba[y, x, 3]
                    red += share * rgba[y, x, 0]
                    green += share * rgba[y, x, 1]
                    blue += share * rgba[y, x, 2]
                    alpha += share
                    area += weight
            if alpha > 0:
                out[row, col, 0] = int(red / alpha + 0.5)
                out[row, col, 1] = int(green / alpha + 0.5)
                out[row, col, 2] = int(blue / alpha + 0.5)
                out[row, col, 3] = int(alpha / area + 0.5)
            else:
                for channel in range(4):
                    out[row, col, channel] = 0


def average_down(
    rgba: NDArray[np.uint8], *, top: float, left: float, cell: float, height: int, width: int
) -> NDArray[np.uint8]:
    """Average a picture over a grid of square cells.

    Parameters
    ----------
    rgba : (h, w, 4) ndarray of uint8
        Straight RGBA.
    top, left : float
        Where the grid begins, in pixels of `rgba`.
    cell : float
        A cell's side in pixels, 1 or more. Cells may reach beyond the picture; only what lies inside
        counts.
    height, width : int
        Cells down and across.

    Returns
    -------
    (height, width, 4) ndarray of uint8
        Straight RGBA.
    """
    out = np.empty((height, width, 4), np.uint8)
    _average_kernel(np.ascontiguousarray(rgba), float(top), float(left), float(cell), out)
    return out


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
