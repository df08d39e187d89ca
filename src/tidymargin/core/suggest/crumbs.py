"""Crumbs and pinholes: bits of ground left standing, and bits of figure missing."""

import math
from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.base.components import find_pieces, find_standing

HAZE_PX = 1000
"""How large a faint standing piece may be and still be a leftover of lossy coding: a run of its blocks."""

_LONGER = 2.2  # times as long as wide, at which a bit is compact no more
_FILLED = 0.5  # of its box


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


@njit(cache=True, nogil=True)
def _gather_bit(cleared, row, col, least_px, seen, places):  # type: ignore[no-untyped-def]
    """Gather what hangs together by its sides with a pixel that stands, into `places`; return how many pixels.

    0 where that is no bit which hangs on by one corner alone: it has `least_px` or more, is longer than `seen`,
    or touches other pixels by no corner or by several. `seen`, whose middle is that pixel, is all False, and left so.
    """
    height, width = cleared.shape
    side = len(seen)
    reach = side // 2
    count, at, corners, fits = 1, 0, 0, True
    seen[reach, reach] = True
    places[0, 0], places[0, 1] = row, col
    while at < count and fits:
        pr, pc = places[at]
        at += 1
        for nr in range(max(0, pr - 1), min(height, pr + 2)):
            for nc in range(max(0, pc - 1), min(width, pc + 2)):
                if cleared[nr, nc]:
                    continue
                if nr != pr and nc != pc:
                    corners += cleared[pr, nc] and cleared[nr, pc]
                    fits = fits and corners <= 1
                    continue
                wr, wc = nr - row + reach, nc - col + reach
                is_near = 0 <= wr < side and 0 <= wc < side
                if is_near and seen[wr, wc]:
                    continue
                if not is_near or count + 1 == least_px:  # too long, or too large
                    fits = False
                    continue
                seen[wr, wc] = True
                places[count, 0], places[count, 1] = nr, nc
                count += 1
    for one in range(count):
        seen[places[one, 0] - row + reach, places[one, 1] - col + reach] = False
    return count if fits and corners == 1 else 0


@njit(cache=True, nogil=True)
def _is_compact(places, count):  # type: ignore[no-untyped-def]
    """Whether some pixels lie close together: more than a line, not much longer than wide, and half of their box."""
    tall = places[:count, 0].max() - places[:count, 0].min() + 1
    broad = places[:count, 1].max() - places[:count, 1].min() + 1
    least, most = min(tall, broad), max(tall, broad)
    return least > 1 and most < _LONGER * least and count > _FILLED * tall * broad


@njit(cache=True, nogil=True)
def _drop_hung_kernel(cleared, least_px):  # type: ignore[no-untyped-def]
    """Clear compact bits of fewer pixels that hang on by one corner, in place; return how many there were."""
    height, width = cleared.shape
    reach = math.ceil(2.0 * math.sqrt(least_px))  # a compact bit lies within it
    seen = np.zeros((2 * reach + 1, 2 * reach + 1), np.bool_)
    places = np.empty((least_px, 2), np.int64)
    dropped = 0
    for row in range(height - 1):
        for col in range(width - 1):
            # two pixels that share no more than a corner, along one diagonal or the other
            falls = not cleared[row, col]
            if cleared[row, col] != cleared[row + 1, col + 1] or cleared[row, col + 1] != falls:
                continue
            if cleared[row + 1, col] != falls:
                continue
            for end in range(2):  # either may begin a bit
                r, c = row + end, col + (end if falls else 1 - end)
                if cleared[r, c]:
                    continue
                count = _gather_bit(cleared, r, c, least_px, seen, places)
                if count > 0 and _is_compact(places, count):
                    dropped += 1
                    for at in range(count):
                        cleared[places[at, 0], places[at, 1]] = True
    return dropped


def tidy_small(
    cleared: NDArray[np.bool_],
    crumb_px: int,
    pinhole_px: int,
    *,
    haze: tuple[NDArray[np.uint8], int] | None = None,
    hung: bool = False,
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
    hung : bool
        Whether compact bits that hang on by one corner go too, as dust beside a line does.
    """
    out = cleared.copy()
    dropped = 0
    while crumb_px > 1:
        standing = find_standing(out)
        small = standing.areas < crumb_px
        if haze is not None:
            peaks = np.zeros(len(small), np.int64)
            _peak_kernel(*standing.runs, haze[0], peaks)
            small |= (standing.areas <= HAZE_PX) & (peaks <= haze[1])
        small[0] = False
        dropped += int(small.sum())
        standing.mark(small, out)
        bits = _drop_hung_kernel(out, crumb_px) if hung else 0
        dropped += bits
        if bits == 0:  # else what is left of a piece may be a crumb by now
            break
    filled = _fill_small(out, pinhole_px) if pinhole_px > 1 else 0
    return Tidied(dropped, filled, out)
