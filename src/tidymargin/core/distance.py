"""Distances to a mask's outline, as far as rims need them."""

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

REACH_PX = 12
"""Distances up to this are exact; all beyond come out as more."""

_CROWDED = 16  # with an outline pixel among so many, looking at every pixel is quicker


def list_round(radius: int) -> NDArray[np.int64]:
    """Return row, col and squared length of every step within a radius, the nearest first, (N, 3)."""
    steps = np.mgrid[-radius : radius + 1, -radius : radius + 1].reshape(2, -1)
    away = (steps**2).sum(axis=0)
    order = np.argsort(away, kind="stable")
    near = order[away[order] <= radius * radius]
    return np.asarray(np.vstack([steps, away]).T[near], np.int64)


_ROUND = list_round(REACH_PX)
_ROOTS = np.sqrt(np.arange(REACH_PX * REACH_PX + 1)).astype(np.float32)


@njit(cache=True, nogil=True)
def _stamp_kernel(mask, places, out):  # type: ignore[no-untyped-def]
    """Lower the distance of every True pixel around each outline pixel; the nearest False one is one."""
    height, width = mask.shape
    for place in places:
        row, col = place // width, place % width
        for number in range(1, _ROUND.shape[0]):
            there, here = row + _ROUND[number, 0], col + _ROUND[number, 1]
            if 0 <= there < height and 0 <= here < width and mask[there, here]:
                away = _ROOTS[_ROUND[number, 2]]
                if away < out[there, here]:
                    out[there, here] = away


def distance_px(mask: NDArray[np.bool_]) -> NDArray[np.float32]:
    """Return each True pixel's distance to the nearest False one; 0 where False.

    It is exact up to `REACH_PX`, and larger than that wherever it is larger.

    Parameters
    ----------
    mask : (h, w) ndarray of bool
    """
    solid = mask.view(np.uint8)
    touching = np.asarray(cv2.dilate(solid, np.ones((3, 3), np.uint8)))
    outline = np.flatnonzero(touching != solid)
    if len(outline) > mask.size // _CROWDED:
        found = cv2.distanceTransform(solid, cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
        return np.asarray(found, np.float32)
    out = np.where(mask, np.float32(1e6), np.float32(0))
    _stamp_kernel(mask, outline, out)
    return out
