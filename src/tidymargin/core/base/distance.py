"""Distances to a mask's outline, as far as rims need them."""

import numpy as np
from numba import njit
from numpy.typing import NDArray

REACH_PX = 12
"""Distances up to this are exact; all beyond come out as more."""


def list_round(radius: int) -> NDArray[np.int64]:
    """Return row, col and squared length of every step within a radius, the nearest first, (N, 3)."""
    steps = np.mgrid[-radius : radius + 1, -radius : radius + 1].reshape(2, -1)
    away = (steps**2).sum(axis=0)
    order = np.argsort(away, kind="stable")
    near = order[away[order] <= radius * radius]
    return np.asarray(np.vstack([steps, away]).T[near], np.int64)


@njit(cache=True, nogil=True)
def _distance_kernel(mask, out):  # type: ignore[no-untyped-def]
    """Fill distances in two runs: down and up the columns, then along each row the least of both squared."""
    # the reach is a constant here, so that the compiler knows no index is below 0 and does several at once
    height, width = mask.shape
    one, far, none = np.float32(1), np.float32(REACH_PX + 1), np.float32(0)
    for col in range(width):
        out[0, col] = far if mask[0, col] else none
    for row in range(1, height):
        for col in range(width):
            out[row, col] = min(out[row - 1, col] + one, far) if mask[row, col] else none
    for row in range(height - 2, -1, -1):
        for col in range(width):
            out[row, col] = min(out[row, col], out[row + 1, col] + one)
    squares = np.full(width + 2 * REACH_PX, far * far, np.float32)
    least = np.empty(width, np.float32)
    for row in range(height):
        for col in range(width):
            least[col] = squares[col + REACH_PX] = out[row, col] * out[row, col]
        for step in range(1, REACH_PX + 1):
            aside = np.float32(step * step)
            for col in range(width):
                beside = min(squares[col + REACH_PX - step], squares[col + REACH_PX + step])
                least[col] = min(least[col], beside + aside)
        for col in range(width):
            out[row, col] = np.sqrt(least[col])


def distance_px(mask: NDArray[np.bool_]) -> NDArray[np.float32]:
    """Return each True pixel's distance to the nearest False one; 0 where False.

    It is exact up to `REACH_PX`, and larger than that wherever it is larger. After P. F. Felzenszwalb and
    D. P. Huttenlocher, "Distance transforms of sampled functions" (2012): the squared distance is found along
    one direction and then along the other; within so short a reach by looking at every place.

    Parameters
    ----------
    mask : (h, w) ndarray of bool
    """
    out = np.empty(mask.shape, np.float32)
    _distance_kernel(mask, out)
    return out
