"""Crumbs and pinholes: bits of ground left standing, and bits of figure missing."""

from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.pieces import find_pieces, find_standing

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


def _fill_small(cleared: NDArray[np.bool_], least_px: int) -> int:
    """Let stand what is cleared in pieces smaller than that, in place; return how many there are."""
    holes = find_pieces(cleared)
    small = holes.areas < least_px
    small[0] = False
    holes.mark(small, cleared, False)
    return int(small.sum())


@njit(cache=True, nogil=True)
def _peak_kernel(first_of, cols, piece_of, steps, peaks):  # type: ignore[no-untyped-def]
    for row in range(len(first_of) - 1):
        for run in range(first_of[row], first_of[row + 1]):
            piece = piece_of[run]
            for col in range(cols[run, 0], cols[run, 1]):
                peaks[piece] = max(peaks[piece], steps[row, col])


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
            _peak_kernel(*standing.runs, haze[0], peaks)
            small |= (standing.areas <= HAZE_PX) & (peaks <= haze[1])
        small[0] = False
        dropped = int(small.sum())
        standing.mark(small, out)
    filled = _fill_small(out, pinhole_px) if pinhole_px > 1 else 0
    return Tidied(dropped, filled, out)
