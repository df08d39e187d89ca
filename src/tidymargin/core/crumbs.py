"""Crumbs and pinholes: bits of ground left standing, and bits of figure missing."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.pieces import mark_pieces


@dataclass(frozen=True, slots=True, eq=False)
class Tidied:
    """What dropping crumbs and filling pinholes changes.

    Parameters
    ----------
    dropped, filled : int
        How many pieces.
    cleared : (H, W) ndarray of bool
        What is cleared after it.
    """

    dropped: int
    filled: int
    cleared: NDArray[np.bool_]


def _swap_small(
    mask: NDArray[np.bool_], least_px: int, connectivity: int, value: bool, out: NDArray[np.bool_]
) -> int:
    """Set `out` where a piece of the mask is smaller than that; return how many are."""
    count, labels, stats, _ = cv2.connectedComponentsWithStats(
        mask.view(np.uint8), connectivity=connectivity, ltype=cv2.CV_32S
    )
    small = np.asarray(stats[:, cv2.CC_STAT_AREA]) < least_px
    small[0] = False
    number = int(small[:count].sum())
    if number:
        mark_pieces(np.asarray(labels, np.int32), small, out, value)
    return number


def tidy_small(cleared: NDArray[np.bool_], crumb_px: int, pinhole_px: int) -> Tidied:
    """Drop standing pieces and fill cleared ones that are smaller than so many pixels.

    A standing piece hangs together over corners too, so nothing thin that is joined to the figure goes.

    Parameters
    ----------
    cleared : (H, W) ndarray of bool
        Not modified.
    crumb_px, pinhole_px : int
        0 leaves all as it is.
    """
    out = cleared.copy()
    dropped = _swap_small(~cleared, crumb_px, 8, True, out) if crumb_px > 1 else 0
    filled = _swap_small(out.copy(), pinhole_px, 4, False, out) if pinhole_px > 1 else 0
    return Tidied(dropped, filled, out)
