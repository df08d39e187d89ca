"""Averaging RGBA down for views that are zoomed out: by area, weighted by alpha."""

import numpy as np
from numba import njit
from numpy.typing import NDArray


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
