"""Dust: specks that stand alone, far smaller than anything else and thinner than its lines."""

import math
from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.base.components import Pieces
from tidymargin.core.base.picture import Region

_LEAST_COUNT = 8  # specks that make dust; typed
_MOST_PX = 100  # a speck's area
_AS_LARGE = 6.0  # how many times a speck the next larger piece is, at least
_AS_THIN = 0.6  # how much of a line's width a speck is wide, at most: a pen's dots are as wide as its lines
_ROOM_PX = 4096  # of the sheet to each speck, at least: dots of a stipple lie closer


@dataclass(frozen=True, slots=True)
class Specks:
    """Standing pieces that are likely dust.

    Parameters
    ----------
    count : int
        How many.
    least_px, most_px : int
        Areas of the smallest and the largest.
    next_px : int
        Area of the smallest piece that is none of them.
    box : Region
        Around the largest of them, for a picture.
    """

    count: int
    least_px: int
    most_px: int
    next_px: int
    box: Region


@njit(cache=True, nogil=True)
def _measure_width_kernel(cleared):  # type: ignore[no-untyped-def]
    """Return the mean width of what stands: twice its area over its edge, in pixels."""
    area, edge = 0, 0
    for row in range(cleared.shape[0]):
        for col in range(cleared.shape[1]):
            if cleared[row, col]:
                continue
            area += 1
            edge += (
                (row > 0 and cleared[row - 1, col])
                or (col > 0 and cleared[row, col - 1])
                or (row + 1 < cleared.shape[0] and cleared[row + 1, col])
                or (col + 1 < cleared.shape[1] and cleared[row, col + 1])
            )
    return 2.0 * area / max(1, edge)


def find_specks(cleared: NDArray[np.bool_], standing: Pieces) -> Specks | None:
    """Find dust among the pieces that stand.

    Parameters
    ----------
    cleared : (H, W) ndarray of bool
        What is cleared.
    standing : Pieces
        Its pieces.

    Returns
    -------
    Specks or None
        At least eight specks, far from one another; None where there are fewer, or where no piece is much
        larger.
    """
    order = np.argsort(standing.areas[1:], kind="stable") + 1
    areas = standing.areas[order]
    small = int(np.searchsorted(areas, _MOST_PX, side="right"))
    for count in range(small, _LEAST_COUNT - 1, -1):
        if count == len(areas) or areas[count] < _AS_LARGE * areas[count - 1]:
            continue
        most_px = int(areas[count - 1])
        across_px = math.sqrt(4.0 / math.pi * most_px)
        if count * _ROOM_PX > cleared.size or across_px > _AS_THIN * _measure_width_kernel(cleared):
            return None
        box = standing.box(int(order[count - 1]))
        return Specks(count, int(areas[0]), most_px, int(areas[count]), box)
    return None
