"""Where a ring is parted into lines and curves: the fewest that explain it within its noise, by dynamic programming.

The cost of a piece is what it takes to say it and what it leaves unsaid, as in J. Rissanen, "Modeling by shortest data
description", Automatica 14, 1978. Curves are fitted as in P. J. Schneider, "An algorithm for automatically fitting digitized
curves", Graphics Gems, 1990: ends and ways at the ends given, two lengths by least squares, places along it anew.
"""

from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

LINE, CURVE = 0, 1
_MOST_PLACES = 60  # of a piece, that are looked at while many are tried
_ROUNDS = 3  # of places along a curve, found anew
_BENT_RAD = 0.03  # between a line and the way at its smooth end, from which it is bent
_LEAST_CHORD = 0.3  # of as many places as a line explains, px
_EACH = 48  # ends of a piece that are each tried; beyond, every second, then every third
_LONG, _ROUGH, _NEAR = (
    160,
    4,
    8,
)  # knots of a stretch from which it is parted roughly first: every fourth; and how many around what that finds
_TRIES = 3  # longer pieces that fail, after which none is tried
_UNSAID = 0.014  # of a place's squared error by its noise's: neighbours are off alike
_LINE_COST, _CURVE_COST = 18.0, 27.0  # fitted on drawings of two families; see decision 0025
_WAY_RAD, _MOST_TURN = (
    0.05,
    60.0,
)  # how surely the way at a place is known, and what not going on in it costs at most


@dataclass(frozen=True, slots=True, eq=False)
class Split:
    """A stretch of a ring, parted.

    Parameters
    ----------
    ends : (P + 1,) ndarray of int64
        The places at which pieces begin and end.
    kinds : (P,) ndarray of int64
        LINE or CURVE.
    handles : (P, 2, 2) ndarray of float64
        Of curves: their two inner control points.
    """

    ends: NDArray[np.int64]
    kinds: NDArray[np.int64]
    handles: NDArray[np.float64]


@njit(cache=True, nogil=True)
def _fit_curve_kernel(places, first, last, x0, y0, ux, uy, x3, y3, vx, vy, found):  # type: ignore[no-untyped-def]
    """Write a curve's two handle lengths; return the largest squared distance of its places and their mean."""
    count = last - first + 1
    step = max(1, count // _MOST_PLACES)
    n = (count + step - 1) // step
    t = np.empty(n)
    along = 0.0
    px, py = x0, y0
    for k in range(n):
        i = first + k * step
        along += np.hypot(places[i, 0] - px, places[i, 1] - py)
        px, py = places[i, 0], places[i, 1]
        t[k] = along
    along += np.hypot(x3 - px, y3 - py)
    for k in range(n):
        t[k] /= along
    chord = np.hypot(x3 - x0, y3 - y0)
    a = b = chord / 3
    worst = mean = 0.0
    for _ in range(_ROUNDS + 1):
        c00 = c01 = c11 = r0 = r1 = 0.0
        for k in range(n):
            s = t[k]
            b0, b1 = (1 - s) ** 3, 3 * s * (1 - s) ** 2
            b2, b3 = 3 * s * s * (1 - s), s**3
            i = first + k * step
            dx = places[i, 0] - (b0 + b1) * x0 - (b2 + b3) * x3
            dy = places[i, 1] - (b0 + b1) * y0 - (b2 + b3) * y3
            ax, ay, bx, by = b1 * ux, b1 * uy, -b2 * vx, -b2 * vy
            c00 += ax * ax + ay * ay
            c01 += ax * bx + ay * by
            c11 += bx * bx + by * by
            r0 += ax * dx + ay * dy
            r1 += bx * dx + by * dy
        base = 1e-6 * (c00 + c11)  # towards thirds, where nothing else says
        c00, c11 = c00 + base, c11 + base
        r0, r1 = r0 + base * chord / 3, r1 + base * chord / 3
        det = c00 * c11 - c01 * c01
        if abs(det) > 1e-12:
            a, b = (r0 * c11 - r1 * c01) / det, (r1 * c00 - r0 * c01) / det
        a = min(max(a, 0.02 * chord), 1.5 * chord)
        b = min(max(b, 0.02 * chord), 1.5 * chord)
        x1, y1, x2, y2 = x0 + a * ux, y0 + a * uy, x3 - b * vx, y3 - b * vy
        worst = mean = 0.0
        for k in range(n):
            s = t[k]
            i = first + k * step
            r = 1 - s
            ex = r**3 * x0 + 3 * r * r * s * x1 + 3 * r * s * s * x2 + s**3 * x3 - places[i, 0]
            ey = r**3 * y0 + 3 * r * r * s * y1 + 3 * r * s * s * y2 + s**3 * y3 - places[i, 1]
            gx = 3 * (r * r * (x1 - x0) + 2 * r * s * (x2 - x1) + s * s * (x3 - x2))
            gy = 3 * (r * r * (y1 - y0) + 2 * r * s * (y2 - y1) + s * s * (y3 - y2))
            speed = gx * gx + gy * gy
            if speed > 1e-12:
                move = (ex * gx + ey * gy) / speed
                t[k] = min(1.0, max(0.0, s - move))
                far = max(0.0, ex * ex + ey * ey - (ex * gx + ey * gy) ** 2 / speed)
            else:
                far = ex * ex + ey * ey
            worst = max(worst, far)
            mean += far
    found[0], found[1] = a, b
    return worst, mean / n


@njit(cache=True, nogil=True)
def _fit_line_kernel(places, first, last, x0, y0, x3, y3):  # type: ignore[no-untyped-def]
    """Return how far places are off the line nearest to them, squared: at most and on the mean; its ends are moved later."""
    dx, dy = x3 - x0, y3 - y0
    length = max(np.hypot(dx, dy), 1e-9)
    step = max(1, (last - first + 1) // _MOST_PLACES)
    count = 0
    su = sv = suu = suv = 0.0
    for i in range(first, last + 1, step):
        count += 1
        u = ((places[i, 0] - x0) * dx + (places[i, 1] - y0) * dy) / length
        v = ((places[i, 0] - x0) * dy - (places[i, 1] - y0) * dx) / length
        su, sv, suu, suv = su + u, sv + v, suu + u * u, suv + u * v
    under = count * suu - su * su
    slope = (count * suv - su * sv) / under if count > 2 and under > 1e-9 else 0.0
    base = (sv - slope * su) / count
    worst = mean = 0.0
    for i in range(first, last + 1, step):
        u = ((places[i, 0] - x0) * dx + (places[i, 1] - y0) * dy) / length
        v = ((places[i, 0] - x0) * dy - (places[i, 1] - y0) * dx) / length
        far = (v - base - slope * u) ** 2
        worst = max(worst, far)
        mean += far
    for i in range(max(first, last - step), last + 1):  # both ends, which may reach into a bend
        for k in (i, first + last - i):
            u = ((places[k, 0] - x0) * dx + (places[k, 1] - y0) * dy) / length
            v = ((places[k, 0] - x0) * dy - (places[k, 1] - y0) * dx) / length
            worst = max(worst, (v - base - slope * u) ** 2)
    return worst, mean / count


@njit(cache=True, nogil=True)
def _split_kernel(places, at, knots, ways, firm, shortest, limits, costs, best, come, kinds, lengths):  # type: ignore[no-untyped-def]  # fmt: skip
    """Find the cheapest way from the first knot to each: what it costs, from where it comes, and by which piece.

    A piece from one knot to the next over at most `shortest` places is never refused.
    """
    tolerance, noise = limits
    unsaid, line_cost, curve_cost = costs
    count = len(at)
    found = np.empty(2)
    limit = tolerance * tolerance
    for j in range(count):
        best[j] = np.inf
    best[0] = 0.0
    for i in range(count - 1):
        if not best[i] < np.inf:
            continue
        failed = 0
        for j in range(i + 1, count):
            # the longer a piece, the fewer places are tried for its end
            apart = 1 + (j - i) // _EACH
            if apart > 1 and j % apart and j < count - 1:
                continue
            first, last = at[i], at[j]
            if i == 0:
                first = min(last, first + firm[0])
            if j == count - 1:
                last = max(first, last - firm[1])
            x0, y0, x3, y3 = knots[i, 0], knots[i, 1], knots[j, 0], knots[j, 1]
            chord = np.hypot(x3 - x0, y3 - y0)
            weight = (last - first + 1) * unsaid / (noise * noise)
            worst, mean = _fit_line_kernel(places, first, last, x0, y0, x3, y3)
            # what comes back to where it began is no line
            fits = worst <= limit and (j - i < count - 1 or chord > _LEAST_CHORD * (last - first))
            if fits:
                # where it goes on smoothly, it does so in its own direction
                turn = 0.0
                for k in (i, j):
                    if (k > 0 or firm[0] == 0) and (k < count - 1 or firm[1] == 0):
                        cross = (ways[k, 0] * (y3 - y0) - ways[k, 1] * (x3 - x0)) / max(chord, 1e-9)
                        turn += min(_MOST_TURN, (cross / _WAY_RAD) ** 2)
                cost = best[i] + line_cost + mean * weight + turn / 2
                if cost < best[j]:
                    best[j], come[j], kinds[j] = cost, i, 0
            near = worst <= 9 * limit
            if not fits or mean > 2 * noise * noise:
                worst, mean = _fit_curve_kernel(places, first, last, x0, y0, ways[i, 0], ways[i, 1], x3, y3, ways[j, 0], ways[j, 1], found)  # fmt: skip
                near = near or worst <= 9 * limit
                if worst <= limit:
                    fits = True
                    cost = best[i] + curve_cost + mean * weight
                    if cost < best[j]:
                        best[j], come[j], kinds[j] = cost, i, 1
                        lengths[j, 0], lengths[j, 1] = found[0], found[1]
            if not fits and j == i + 1 and at[j] - at[i] <= shortest:
                cost = best[i] + curve_cost + mean * weight
                if cost < best[j]:
                    best[j], come[j], kinds[j] = cost, i, 1
                    lengths[j, 0], lengths[j, 1] = found[0], found[1]
            failed = 0 if near else failed + 1
            if failed >= _TRIES:
                break


def _find_ends(
    places: NDArray[np.float64], at: NDArray[np.int64], knots: NDArray[np.float64], ways: NDArray[np.float64],
    firm: tuple[int, int], tolerance_px: float, noise_px: float, chosen: NDArray[np.int64], shortest: int,
) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.float64]] | None:  # fmt: skip
    """Return the knots, out of some, at which pieces begin and end, the pieces' kinds, and the curves' handle lengths; None where some cannot be joined."""
    count = len(chosen)
    best, come = np.empty(count), np.zeros(count, np.int64)
    kinds, lengths = np.zeros(count, np.int64), np.zeros((count, 2))
    limits, costs = (tolerance_px, noise_px), (_UNSAID, _LINE_COST, _CURVE_COST)
    _split_kernel(
        places, at[chosen], knots[chosen], ways[chosen], np.array(firm), shortest, limits, costs, best, come, kinds, lengths
    )  # fmt: skip
    if not np.isfinite(best[-1]):
        return None
    ends = [count - 1]
    while ends[-1]:
        ends.append(int(come[ends[-1]]))
    order = np.array(ends[::-1])
    return chosen[order], kinds[order[1:]], lengths[order[1:]]


def split_stretch(
    places: NDArray[np.float64], at: NDArray[np.int64], knots: NDArray[np.float64], ways: NDArray[np.float64],
    firm: tuple[int, int], tolerance_px: float, noise_px: float,
) -> Split:  # fmt: skip
    """Part a stretch into the fewest lines and curves that explain it.

    Parameters
    ----------
    places : (N, 2) ndarray of float64
        Its places, in order.
    at, knots, ways : (K,) int64, (K, 2) and (K, 2) ndarrays of float64
        Where pieces may begin and end, the places that these are taken to be, and which way the ring goes there.
    firm : tuple of 2 int
        How many places after the first knot and before the last are not looked at, since a corner is there; 0 where there is none.
    tolerance_px, noise_px : float
        How far a piece may be off at most, and how far places are off, rms.
    """
    count = len(at)
    chosen = np.arange(count)
    if count > _LONG:
        # roughly first; then, near where that parts it, as finely as there are knots
        roughly = np.unique(np.append(np.arange(0, count, _ROUGH), count - 1))
        shortest = int(np.diff(at[roughly]).max())
        found = _find_ends(places, at, knots, ways, firm, tolerance_px, noise_px, roughly, shortest)
        if found is not None:
            near = (found[0][:, None] + np.arange(-_NEAR, _NEAR + 1)).ravel()
            chosen = np.unique(np.clip(near, 0, count - 1))
    shortest = int(np.diff(at).max())
    found = _find_ends(places, at, knots, ways, firm, tolerance_px, noise_px, chosen, shortest)
    if found is None:  # what was parted roughly cannot be parted finely there
        found = _find_ends(places, at, knots, ways, firm, tolerance_px, noise_px, np.arange(count), shortest)  # fmt: skip
    assert found is not None  # neighbours are always joined
    order, kinds, lengths = found
    into, out_of = order[1:], order[:-1]
    chords = knots[into] - knots[out_of]
    thirds = np.hypot(*chords.T)[:, None] / 3
    # a line that does not go on as its smooth ends do is bent, if only a little
    bent = np.zeros(len(into), np.bool_)
    for k, (i, j) in enumerate(zip(out_of, into, strict=True)):
        smooth = [end for end in (i, j) if 0 < end < count - 1 or firm[0 if end == 0 else 1] == 0]
        turns = [_find_turn(chords[k], ways[end]) for end in smooth]
        turn = max(turns, default=0.0)
        # a long one that would be off, were it bent so, is a line whose end lies in the bend beside it
        would_be_off = turn * 0.75 * thirds[k, 0]
        bent[k] = kinds[k] == LINE and turn > _BENT_RAD and would_be_off <= 1.5 * tolerance_px
    reaches = np.where(bent[:, None], thirds, lengths)
    first = knots[out_of] + ways[out_of] * reaches[:, :1]
    second = knots[into] - ways[into] * reaches[:, 1:]
    return Split(order, np.where(bent, CURVE, kinds), np.stack([first, second], axis=1))


def _find_turn(one: NDArray[np.float64], other: NDArray[np.float64]) -> float:
    """Return the angle between two ways, rad."""
    cross, dot = one[0] * other[1] - one[1] * other[0], float(np.dot(one, other))
    return abs(float(np.arctan2(cross, dot)))
