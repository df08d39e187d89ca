"""Crumbs and pinholes: bits of ground left standing, and bits of figure missing."""

from dataclasses import dataclass

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.pieces import find_standing, mark_pieces

HAZE_PX = 1000
"""How large a faint standing piece may be and still be a leftover of lossy coding: a run of its blocks."""


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


def _fill_small(cleared: NDArray[np.bool_], least_px: int, out: NDArray[np.bool_]) -> int:
    """Let stand, in `out`, what is cleared in pieces smaller than that; return how many there are."""
    _, labels, stats, _ = cv2.connectedComponentsWithStats(
        cleared.view(np.uint8), connectivity=4, ltype=cv2.CV_32S
    )
    small = np.asarray(stats)[:, cv2.CC_STAT_AREA] < least_px
    small[0] = False
    number = int(small.sum())
    if number:
        mark_pieces(np.asarray(labels, np.int32), small, out, False)
    return number


@njit(cache=True, nogil=True)
def _peak_kernel(labels, steps, peaks):  # type: ignore[no-untyped-def]
    for row in range(labels.shape[0]):
        for col in range(labels.shape[1]):
            peaks[labels[row, col]] = max(peaks[labels[row, col]], steps[row, col])


def tidy_small(
    cleared: NDArray[np.bool_],
    crumb_px: int,
    pinhole_px: int,
    *,
    haze: tuple[NDArray[np.uint8], int] | None = None,
) -> Tidied:
    """Drop standing pieces and fill cleared ones that are smaller than so many pixels.

    A standing piece hangs together over corners too, so nothing thin that is joined to the figure goes.

    Parameters
    ----------
    cleared : (H, W) ndarray of bool
        Not modified.
    crumb_px, pinhole_px : int
        0 leaves all as it is.
    haze : (H, W) ndarray of uint8 and int, optional
        The quantised difference, and the step that lossy coding's leftovers stay below: pieces up to
        `HAZE_PX` pixels that nowhere exceed it are dropped with the crumbs.
    """
    out = cleared.copy()
    dropped = 0
    if crumb_px > 1:
        standing = find_standing(cleared)
        small = standing.areas < crumb_px
        if haze is not None:
            peaks = np.zeros(len(small), np.int64)
            _peak_kernel(standing.labels, haze[0], peaks)
            small |= (standing.areas <= HAZE_PX) & (peaks <= haze[1])
        small[0] = False
        dropped = int(small.sum())
        if dropped:
            mark_pieces(standing.labels, small, out)
    filled = _fill_small(out.copy(), pinhole_px, out) if pinhole_px > 1 else 0
    return Tidied(dropped, filled, out)
