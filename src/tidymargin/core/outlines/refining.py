"""A parted ring, moved as a whole: ends, ways and handles that lie nearest to its places, smooth where it is smooth.

Gauss and Newton's method on the distances across, with places along the pieces found anew each round.
"""

from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.outlines.moving import nearest_kernel, refine_kernel
from tidymargin.core.outlines.splitting import CURVE, LINE

_MOST_ENDS = 48  # moved at once

Vector = NDArray[np.float64]
Numbers = NDArray[np.int64]


@dataclass(slots=True, eq=False)
class Draft:
    """A ring's path while it is made: piece k goes from end k to the next.

    Parameters
    ----------
    places : (N, 2) ndarray of float64
        The ring's.
    spans : (K, 2) ndarray of int64
        First and last place that each piece explains; last may be beyond N, where the ring begins again.
    ends : (K, 2) ndarray of float64
        Where pieces begin.
    kinds : (K,) ndarray of int64
        LINE or CURVE.
    handles : (K, 2, 2) ndarray of float64
        Of curves.
    is_corner : (K,) ndarray of bool
        Of ends.
    """

    places: Vector
    spans: NDArray[np.int64]
    ends: Vector
    kinds: NDArray[np.int64]
    handles: Vector
    is_corner: NDArray[np.bool_]

    def controls(self, k: int) -> Vector:
        """Return the four control points of a piece."""
        a, b = self.ends[k], self.ends[(k + 1) % len(self.ends)]
        if self.kinds[k] == LINE:
            return np.array([a, a + (b - a) / 3, b - (b - a) / 3, b])
        return np.array([a, *self.handles[k], b])

    def explained(self, k: int) -> Vector:
        """Return the places that a piece explains."""
        first, last = self.spans[k]
        if first >= 0 and last < len(self.places):
            return np.asarray(self.places[first : last + 1])
        return np.asarray(self.places[np.arange(first, last + 1) % len(self.places)])


def refine(draft: Draft) -> None:
    """Move a draft's ends and handles to where they lie nearest to its places."""
    count = len(draft.ends)
    line_at = _find_lines_at(draft)
    path = (draft.ends, draft.kinds, draft.handles, draft.is_corner, line_at)
    for first in range(0, count, _MOST_ENDS):
        moved = np.arange(first, min(first + _MOST_ENDS, count))
        pieces = np.unique(np.concatenate([moved, (moved - 1) % count]))
        numbers, size = _number(draft, moved, pieces, line_at)
        refine_kernel(draft.places, draft.spans, path, pieces, numbers, size)  # fmt: skip


def _find_lines_at(draft: Draft) -> Numbers:
    """Of each smooth end, the one line that says which way it goes, or -1; ends between two lines become corners."""
    count = len(draft.ends)
    found = np.full(count, -1)
    for k in range(count):
        before, after = draft.kinds[k - 1] == LINE, draft.kinds[k] == LINE
        if before and after:
            draft.is_corner[k] = True
        elif not draft.is_corner[k] and (before or after):
            found[k] = (k - 1) % count if before else k
    return found


def _number(draft: Draft, moved: Numbers, pieces: Numbers, line_at: Numbers) -> tuple[tuple[Numbers, Numbers, Numbers], int]:  # fmt: skip
    """Return where each number that is looked for stands among all, -1 for what is not, and how many there are.

    Two of an end, the turn of a free smooth one, and of a curve's handles a length, or a place beside a corner: what belongs
    together stands together, so that the equations are a band.
    """
    count = len(draft.ends)
    end_at, turn_at, handle_at = np.full(count, -1), np.full(count, -1), np.full((count, 2), -1)
    is_moved = np.zeros(count, np.bool_)
    is_moved[moved] = True
    size = 0
    for k in pieces.tolist():
        if is_moved[k]:
            end_at[k], size = size, size + 2
            if not draft.is_corner[k] and line_at[k] < 0:
                turn_at[k], size = size, size + 1
        if draft.kinds[k] == CURVE:
            for side in range(2):
                handle_at[k, side] = size
                size += 2 if draft.is_corner[(k + side) % count] else 1
    return (end_at, turn_at, handle_at), size


@njit(cache=True, nogil=True)
def _find_off_kernel(c, places, first, last, found):  # type: ignore[no-untyped-def]
    n = len(places)
    t = -1.0
    for i in range(first, last + 1):
        x, y = places[i % n, 0], places[i % n, 1]
        t = nearest_kernel(c, x, y, t)
        r = 1 - t
        b0, b1, b2, b3 = r * r * r, 3 * r * r * t, 3 * r * t * t, t * t * t
        ex = b0 * c[0, 0] + b1 * c[1, 0] + b2 * c[2, 0] + b3 * c[3, 0] - x
        ey = b0 * c[0, 1] + b1 * c[1, 1] + b2 * c[2, 1] + b3 * c[3, 1] - y
        found[i - first] = np.hypot(ex, ey)


def measure_piece_off(draft: Draft, k: int) -> Vector:
    """Return how far each place is from the piece that explains it, px."""
    first, last = draft.spans[k]
    found = np.empty(last - first + 1)
    _find_off_kernel(draft.controls(k), draft.places, first, last, found)
    return found
