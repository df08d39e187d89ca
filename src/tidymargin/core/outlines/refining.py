"""A parted ring, moved as a whole: ends, ways and handles that lie nearest to its places, smooth where it is smooth.

Gauss and Newton's method on the distances across, with places along the pieces found anew each round.
"""

from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.outlines.splitting import CURVE, LINE

_ROUNDS = 6
_STILL_PX = 0.002  # of all that is moved, when it is done
_COARSE = 16  # places of a piece that are looked at first
_DAMPING = 1e-3
_MOST_ENDS = 48  # moved at once; the time that it takes grows with their cube
_SHORTEST, _LONGEST = 0.05, 1.2  # of a handle, by its curve's chord


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

    places: NDArray[np.float64]
    spans: NDArray[np.int64]
    ends: NDArray[np.float64]
    kinds: NDArray[np.int64]
    handles: NDArray[np.float64]
    is_corner: NDArray[np.bool_]

    def controls(self, k: int) -> NDArray[np.float64]:
        """Return the four control points of a piece."""
        a, b = self.ends[k], self.ends[(k + 1) % len(self.ends)]
        if self.kinds[k] == LINE:
            return np.array([a, a + (b - a) / 3, b - (b - a) / 3, b])
        return np.array([a, *self.handles[k], b])

    def explained(self, k: int) -> NDArray[np.float64]:
        """Return the places that a piece explains."""
        first, last = self.spans[k]
        if 0 <= first and last < len(self.places):
            return self.places[first : last + 1]
        return self.places[np.arange(first, last + 1) % len(self.places)]


def refine(draft: Draft) -> None:
    """Move a draft's ends and handles to where they lie nearest to its places."""
    count = len(draft.ends)
    is_fixed_to = _find_lines_at(draft)
    for first in range(0, count, _MOST_ENDS):
        moved = np.arange(first, min(first + _MOST_ENDS, count))
        _refine_some(draft, moved, is_fixed_to)


def _find_lines_at(draft: Draft) -> NDArray[np.int64]:
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


def _find_ways(draft: Draft, line_at: NDArray[np.int64], k: int) -> NDArray[np.float64]:
    count = len(draft.ends)
    if line_at[k] >= 0:
        way = draft.ends[(line_at[k] + 1) % count] - draft.ends[line_at[k]]
    else:  # halfway between its two handles
        way = draft.handles[k, 0] - draft.handles[k - 1, 1]
    return way / max(float(np.hypot(*way)), 1e-9)


def _refine_some(draft: Draft, moved: NDArray[np.int64], line_at: NDArray[np.int64]) -> None:
    count = len(draft.ends)
    pieces = sorted({int(k) for k in moved} | {int(k - 1) % count for k in moved})
    # unknowns: two of each end moved, its turn where it is smooth and free, and of each curve's handles length or place
    end_at, turn_at, handle_at = {}, {}, {}
    size = 0
    for k in moved.tolist():
        end_at[k] = size
        size += 2
        if not draft.is_corner[k] and line_at[k] < 0:
            turn_at[k] = size
            size += 1
    for k in pieces:
        if draft.kinds[k] == CURVE:
            for side in range(2):
                handle_at[k, side] = size
                size += 2 if draft.is_corner[(k + side) % count] else 1
    for turn in range(_ROUNDS):
        ways = {j: _find_ways(draft, line_at, j) for k in pieces for j in (k, (k + 1) % count) if not draft.is_corner[j]}  # fmt: skip
        if turn == 0:
            _turn_handles(draft, pieces, ways)
        total, pull = np.zeros((size, size)), np.zeros(size)
        for k in pieces:
            way_to, wanted = _measure_piece(draft, k)
            share = _find_unknowns(draft, k, size, ways, line_at, end_at, turn_at, handle_at)
            used = np.flatnonzero(share.any(axis=0))
            part = share[:, used]
            total[np.ix_(used, used)] += part.T @ way_to @ part
            pull[used] += part.T @ wanted
        total[np.diag_indices(size)] += _DAMPING * (1 + np.diag(total))
        move = np.linalg.solve(total, pull)
        if not np.isfinite(move).all():
            return
        move = np.clip(move, -1.0, 1.0)
        moved_px = float(np.abs(move).max(initial=0.0))
        _apply(draft, pieces, move, ways, line_at, end_at, turn_at, handle_at)
        if moved_px < _STILL_PX:
            return


def _measure_piece(draft: Draft, k: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return how a piece's distances across depend on its control points, as normal equations (8, 8) and (8,)."""
    total, pull = np.zeros((8, 8)), np.zeros(8)
    first, last = draft.spans[k]
    _measure_kernel(draft.controls(k), draft.places, first, last, total, pull)
    return total, pull


@njit(cache=True, nogil=True)
def _nearest_kernel(c, x, y):  # type: ignore[no-untyped-def]
    """Where along a curve a place is nearest: the nearest of some, then Newton's method."""
    best, t = np.inf, 0.0
    for k in range(_COARSE + 1):
        s = k / _COARSE
        r = 1 - s
        b0, b1, b2, b3 = r * r * r, 3 * r * r * s, 3 * r * s * s, s * s * s
        ex = b0 * c[0, 0] + b1 * c[1, 0] + b2 * c[2, 0] + b3 * c[3, 0] - x
        ey = b0 * c[0, 1] + b1 * c[1, 1] + b2 * c[2, 1] + b3 * c[3, 1] - y
        far = ex * ex + ey * ey
        if far < best:
            best, t = far, s
    for _ in range(3):
        r = 1 - t
        b0, b1, b2, b3 = r * r * r, 3 * r * r * t, 3 * r * t * t, t * t * t
        ex = b0 * c[0, 0] + b1 * c[1, 0] + b2 * c[2, 0] + b3 * c[3, 0] - x
        ey = b0 * c[0, 1] + b1 * c[1, 1] + b2 * c[2, 1] + b3 * c[3, 1] - y
        p0x, p1x, p2x = c[1, 0] - c[0, 0], c[2, 0] - c[1, 0], c[3, 0] - c[2, 0]
        p0y, p1y, p2y = c[1, 1] - c[0, 1], c[2, 1] - c[1, 1], c[3, 1] - c[2, 1]
        gx = 3 * (r * r * p0x + 2 * r * t * p1x + t * t * p2x)
        gy = 3 * (r * r * p0y + 2 * r * t * p1y + t * t * p2y)
        hx = 6 * (r * (p1x - p0x) + t * (p2x - p1x))
        hy = 6 * (r * (p1y - p0y) + t * (p2y - p1y))
        under = gx * gx + gy * gy + ex * hx + ey * hy
        if abs(under) < 1e-9:
            break
        move = (ex * gx + ey * gy) / under
        t = min(1.0, max(0.0, t - min(0.06, max(-0.06, move))))
    return t


@njit(cache=True, nogil=True)
def _measure_kernel(c, places, first, last, total, pull):  # type: ignore[no-untyped-def]
    n = len(places)
    depends = np.empty(8)
    for i in range(first, last + 1):
        x, y = places[i % n, 0], places[i % n, 1]
        t = _nearest_kernel(c, x, y)
        r = 1 - t
        shares = (r * r * r, 3 * r * r * t, 3 * r * t * t, t * t * t)
        gx = (
            r * r * (c[1, 0] - c[0, 0])
            + 2 * r * t * (c[2, 0] - c[1, 0])
            + t * t * (c[3, 0] - c[2, 0])
        )
        gy = (
            r * r * (c[1, 1] - c[0, 1])
            + 2 * r * t * (c[2, 1] - c[1, 1])
            + t * t * (c[3, 1] - c[2, 1])
        )
        speed = max(np.hypot(gx, gy), 1e-9)
        nx, ny = -gy / speed, gx / speed
        off = x * nx + y * ny
        for k in range(4):
            off -= shares[k] * (c[k, 0] * nx + c[k, 1] * ny)
            depends[2 * k], depends[2 * k + 1] = shares[k] * nx, shares[k] * ny
        for a in range(8):
            pull[a] += depends[a] * off
            for b in range(8):
                total[a, b] += depends[a] * depends[b]


@njit(cache=True, nogil=True)
def _find_off_kernel(c, places, first, last, found):  # type: ignore[no-untyped-def]
    n = len(places)
    for i in range(first, last + 1):
        x, y = places[i % n, 0], places[i % n, 1]
        t = _nearest_kernel(c, x, y)
        r = 1 - t
        b0, b1, b2, b3 = r * r * r, 3 * r * r * t, 3 * r * t * t, t * t * t
        ex = b0 * c[0, 0] + b1 * c[1, 0] + b2 * c[2, 0] + b3 * c[3, 0] - x
        ey = b0 * c[0, 1] + b1 * c[1, 1] + b2 * c[2, 1] + b3 * c[3, 1] - y
        found[i - first] = np.hypot(ex, ey)


def measure_piece_off(draft: Draft, k: int) -> NDArray[np.float64]:
    """Return how far each place is from the piece that explains it, px."""
    first, last = draft.spans[k]
    found = np.empty(last - first + 1)
    _find_off_kernel(draft.controls(k), draft.places, first, last, found)
    return found


def _find_unknowns(draft, k, size, ways, line_at, end_at, turn_at, handle_at):  # type: ignore[no-untyped-def]
    """Return how a piece's control points depend on the unknowns, (8, size)."""
    count = len(draft.ends)
    a, b = k, (k + 1) % count
    found = np.zeros((4, 2, size))
    eye = np.eye(2)
    if a in end_at:
        found[0, :, end_at[a] : end_at[a] + 2] += eye
    if b in end_at:
        found[3, :, end_at[b] : end_at[b] + 2] += eye
    if draft.kinds[k] == LINE:
        found[1] = 2 / 3 * found[0] + 1 / 3 * found[3]
        found[2] = 1 / 3 * found[0] + 2 / 3 * found[3]
        return found.reshape(8, size)
    for side, j in ((0, a), (1, b)):
        inner, outer = 1 + side, 3 * side
        at = handle_at[k, side]
        if draft.is_corner[j]:
            found[inner, :, at : at + 2] += eye  # where it is, whatever its end does
            continue
        found[inner] += found[outer]
        way = ways[j]
        sign = 1.0 if side == 0 else -1.0
        found[inner, :, at] += sign * way
        reach = float(np.dot(draft.handles[k, side] - draft.ends[j], way))
        across = np.array([-way[1], way[0]])
        if j in turn_at:
            found[inner, :, turn_at[j]] += reach * across
        elif line_at[j] >= 0:
            p, q = int(line_at[j]), int((line_at[j] + 1) % count)
            length = max(float(np.hypot(*(draft.ends[q] - draft.ends[p]))), 1e-6)
            turn = reach / length * np.outer(across, across)
            for end, way_of in ((p, -1.0), (q, 1.0)):
                if end in end_at:
                    found[inner, :, end_at[end] : end_at[end] + 2] += way_of * turn
    return found.reshape(8, size)


def _turn_handles(draft: Draft, pieces: list[int], ways: dict[int, NDArray[np.float64]]) -> None:
    """Lay handles into the ways of smooth ends, as long as they are."""
    count = len(draft.ends)
    for k in pieces:
        if draft.kinds[k] != CURVE:
            continue
        for side, j in ((0, k), (1, (k + 1) % count)):
            if j in ways:
                reach = float(np.hypot(*(draft.handles[k, side] - draft.ends[j])))
                sign = 1.0 if side == 0 else -1.0
                draft.handles[k, side] = draft.ends[j] + sign * reach * ways[j]


def _apply(draft, pieces, move, ways, line_at, end_at, turn_at, handle_at):  # type: ignore[no-untyped-def]
    """Move ends and handles; handles keep their ends' new ways, and are neither turned round nor longer than makes sense."""
    count = len(draft.ends)
    reaches = {}
    for k in pieces:
        if draft.kinds[k] == CURVE:
            for side, j in ((0, k), (1, (k + 1) % count)):
                if j in ways:
                    sign = 1.0 if side == 0 else -1.0
                    reaches[k, side] = sign * float(np.dot(draft.handles[k, side] - draft.ends[j], ways[j]))  # fmt: skip
    for k, at in end_at.items():
        draft.ends[k] += move[at : at + 2]
    for k, at in turn_at.items():
        c, s = np.cos(move[at]), np.sin(move[at])
        ways[k] = np.array([c * ways[k][0] - s * ways[k][1], s * ways[k][0] + c * ways[k][1]])
    for j in ways:
        if line_at[j] >= 0:
            ways[j] = _find_ways(draft, line_at, j)
    for (k, side), at in handle_at.items():
        j = (k + side) % count
        chord = max(float(np.hypot(*(draft.ends[(k + 1) % count] - draft.ends[k]))), 1e-6)
        if draft.is_corner[j]:
            draft.handles[k, side] += move[at : at + 2]
            continue
        reach = np.clip(reaches[k, side] + move[at], _SHORTEST * chord, _LONGEST * chord)
        sign = 1.0 if side == 0 else -1.0
        draft.handles[k, side] = draft.ends[j] + sign * reach * ways[j]
