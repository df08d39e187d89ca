"""A parted ring, moved as a whole: ends, ways and handles that lie nearest to its places, smooth where it is smooth.

Gauss and Newton's method on the distances across, with places along the pieces found anew each round.
"""

from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.outlines.splitting import CURVE, LINE

_ROUNDS = 20
_MOST_MOVE = 1.5  # of an end or a handle in a round, px
_STILL_PX = 0.01  # of all that is moved, when it is done
_COARSE = 16  # places of a piece that are looked at first
_DAMPING, _MORE_CAREFULLY = 1e-3, 30.0
_MOST_ENDS = 48  # moved at once; the time that it takes grows with their cube
_SHORTEST, _LONGEST = 0.05, 1.2  # of a handle, by its curve's chord

Vector = NDArray[np.float64]


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


def _find_way(draft: Draft, line_at: NDArray[np.int64], k: int) -> Vector:
    count = len(draft.ends)
    if line_at[k] >= 0:
        way = draft.ends[(line_at[k] + 1) % count] - draft.ends[line_at[k]]
    else:  # halfway between its two handles
        way = draft.handles[k, 0] - draft.handles[k - 1, 1]
    return np.asarray(way / max(float(np.hypot(*way)), 1e-9))


class _Unknowns:
    """Where each number that is looked for stands among all: two of an end, the turn of a free smooth one, and of handles a length or a place."""

    def __init__(self, draft: Draft, moved: list[int], line_at: NDArray[np.int64]) -> None:
        self.draft, self.line_at = draft, line_at
        self.count = count = len(draft.ends)
        self.pieces = sorted(set(moved) | {(k - 1) % count for k in moved})
        self.end_at: dict[int, int] = {}
        self.turn_at: dict[int, int] = {}
        self.handle_at: dict[tuple[int, int], int] = {}
        self.size = 0
        for k in moved:
            self.end_at[k] = self._take(2)
            if not draft.is_corner[k] and line_at[k] < 0:
                self.turn_at[k] = self._take(1)
        for k in self.pieces:
            if draft.kinds[k] == CURVE:
                for side in range(2):
                    is_corner = draft.is_corner[(k + side) % count]
                    self.handle_at[k, side] = self._take(2 if is_corner else 1)

    def _take(self, numbers: int) -> int:
        self.size += numbers
        return self.size - numbers

    def find_ways(self) -> dict[int, Vector]:
        """Return which way the path goes at each smooth end of the pieces that are moved."""
        ends = {j for k in self.pieces for j in (k, (k + 1) % self.count)}
        return {
            j: _find_way(self.draft, self.line_at, j) for j in ends if not self.draft.is_corner[j]
        }


def _refine_some(draft: Draft, moved: NDArray[np.int64], line_at: NDArray[np.int64]) -> None:
    unknowns = _Unknowns(draft, moved.tolist(), line_at)
    _turn_handles(draft, unknowns.pieces, unknowns.find_ways())
    best, damping = np.inf, _DAMPING
    kept = draft.ends.copy(), draft.handles.copy()
    for _ in range(_ROUNDS):
        ways = unknowns.find_ways()
        total, pull, off = _measure(unknowns, ways)
        if off > best:  # back, and more carefully
            draft.ends[:], draft.handles[:] = kept
            damping *= _MORE_CAREFULLY
            ways = unknowns.find_ways()
            total, pull, _ = _measure(unknowns, ways)
        else:
            best, kept = off, (draft.ends.copy(), draft.handles.copy())
        total[np.diag_indices(unknowns.size)] += damping * (1 + np.diag(total))
        move = np.clip(np.linalg.solve(total, pull), -_MOST_MOVE, _MOST_MOVE)
        if not np.isfinite(move).all() or float(np.abs(move).max(initial=0.0)) < _STILL_PX:
            break
        _apply(unknowns, move, ways)
    if _measure(unknowns, unknowns.find_ways())[2] > best:
        draft.ends[:], draft.handles[:] = kept


def _measure(unknowns: _Unknowns, ways: dict[int, Vector]) -> tuple[Vector, Vector, float]:
    """Return how all distances depend on the unknowns, as normal equations, and the sum of their squares."""
    total, pull = np.zeros((unknowns.size, unknowns.size)), np.zeros(unknowns.size)
    off = 0.0
    for k in unknowns.pieces:
        way_to, wanted, squares = _measure_piece(unknowns.draft, k)
        share, used = _find_shares(unknowns, k, ways)
        total[np.ix_(used, used)] += share.T @ way_to @ share
        pull[used] += share.T @ wanted
        off += squares
    return total, pull, off


def _measure_piece(draft: Draft, k: int) -> tuple[Vector, Vector, float]:
    """Return how a piece's distances across depend on its control points, as normal equations (8, 8) and (8,), and their squares' sum."""
    total, pull = np.zeros((8, 8)), np.zeros(8)
    first, last = draft.spans[k]
    squares = _measure_kernel(draft.controls(k), draft.places, first, last, total, pull)
    return total, pull, squares


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
    squares = 0.0
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
        ex, ey = -x, -y  # beyond an end, a place is off along as well
        for k in range(4):
            ex += shares[k] * c[k, 0]
            ey += shares[k] * c[k, 1]
        squares += ex * ex + ey * ey
    return squares


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


def measure_piece_off(draft: Draft, k: int) -> Vector:
    """Return how far each place is from the piece that explains it, px."""
    first, last = draft.spans[k]
    found = np.empty(last - first + 1)
    _find_off_kernel(draft.controls(k), draft.places, first, last, found)
    return found


def _find_shares(
    unknowns: _Unknowns, k: int, ways: dict[int, Vector]
) -> tuple[Vector, NDArray[np.int64]]:
    """Return how a piece's control points depend on the unknowns that matter to it, (8, n), and which these are."""
    draft, line_at, end_at = unknowns.draft, unknowns.line_at, unknowns.end_at
    a, b = k, (k + 1) % unknowns.count
    ends = {j for j in (a, b) if j in end_at}
    if draft.kinds[k] == CURVE:  # a line beside it turns its handles
        for j in (a, b):
            if line_at[j] >= 0 and not draft.is_corner[j]:
                p = int(line_at[j])
                ends |= {e for e in (p, (p + 1) % unknowns.count) if e in end_at}
    used: list[int] = [at for j in sorted(ends) for at in (end_at[j], end_at[j] + 1)]
    own = [unknowns.turn_at[j] for j in (a, b) if j in unknowns.turn_at]
    for side in range(2):
        at = unknowns.handle_at.get((k, side))
        if at is not None:
            own += [at, at + 1] if draft.is_corner[(a, b)[side]] else [at]
    used += [at for at in own if at not in used]
    place = {at: number for number, at in enumerate(used)}
    found = np.zeros((4, 2, len(used)))
    eye = np.eye(2)
    for outer, j in ((0, a), (3, b)):
        if j in end_at:
            found[outer, :, place[end_at[j]] : place[end_at[j]] + 2] += eye
    if draft.kinds[k] == LINE:
        found[1] = 2 / 3 * found[0] + 1 / 3 * found[3]
        found[2] = 1 / 3 * found[0] + 2 / 3 * found[3]
        return found.reshape(8, -1), np.array(used, np.int64)
    for side, j in ((0, a), (1, b)):
        inner, outer = 1 + side, 3 * side
        at = place[unknowns.handle_at[k, side]]
        if draft.is_corner[j]:
            found[inner, :, at : at + 2] += eye  # where it is, whatever its end does
            continue
        found[inner] += found[outer]
        way = ways[j]
        found[inner, :, at] += (1.0 if side == 0 else -1.0) * way
        reach = float(np.dot(draft.handles[k, side] - draft.ends[j], way))
        across = np.array([-way[1], way[0]])
        if j in unknowns.turn_at:
            found[inner, :, place[unknowns.turn_at[j]]] += reach * across
        elif line_at[j] >= 0:
            p, q = int(line_at[j]), int((line_at[j] + 1) % unknowns.count)
            length = max(float(np.hypot(*(draft.ends[q] - draft.ends[p]))), 1e-6)
            turn = reach / length * np.outer(across, across)
            for end, sign in ((p, -1.0), (q, 1.0)):
                if end in end_at:
                    found[inner, :, place[end_at[end]] : place[end_at[end]] + 2] += sign * turn
    return found.reshape(8, -1), np.array(used, np.int64)


def _turn_handles(draft: Draft, pieces: list[int], ways: dict[int, Vector]) -> None:
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


def _apply(unknowns: _Unknowns, move: Vector, ways: dict[int, Vector]) -> None:
    """Move ends and handles; handles keep their ends' new ways, and are neither turned round nor longer than makes sense."""
    draft, count = unknowns.draft, unknowns.count
    reaches = {
        (k, side): (1.0 if side == 0 else -1.0)
        * float(np.dot(draft.handles[k, side] - draft.ends[(k + side) % count], ways[(k + side) % count]))
        for k, side in unknowns.handle_at
        if (k + side) % count in ways
    }  # fmt: skip
    for k, at in unknowns.end_at.items():
        draft.ends[k] += move[at : at + 2]
    for k, at in unknowns.turn_at.items():
        c, s = np.cos(move[at]), np.sin(move[at])
        ways[k] = np.array([c * ways[k][0] - s * ways[k][1], s * ways[k][0] + c * ways[k][1]])
    for j in ways:
        if unknowns.line_at[j] >= 0:
            ways[j] = _find_way(draft, unknowns.line_at, j)
    for (k, side), at in unknowns.handle_at.items():
        j = (k + side) % count
        if draft.is_corner[j]:
            draft.handles[k, side] += move[at : at + 2]
            continue
        chord = max(float(np.hypot(*(draft.ends[(k + 1) % count] - draft.ends[k]))), 1e-6)
        reach = np.clip(reaches[k, side] + move[at], _SHORTEST * chord, _LONGEST * chord)
        draft.handles[k, side] = draft.ends[j] + (1.0 if side == 0 else -1.0) * reach * ways[j]
