"""Circles in what was traced: whole rings, and stretches of curves that one arc explains as well."""

import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.outlines.contours import Ring, measure_area
from tidymargin.core.outlines.paths import Path, Piece, Point, find_circle
from tidymargin.core.outlines.refining import Draft, measure_piece_off
from tidymargin.core.outlines.splitting import CURVE

_AS_GOOD = 1.25  # times as far off as curves, rms, an arc may be
_LEAST_SWEEP, _MOST_SWEEP = np.radians(15.0), np.radians(340.0)
_ROUND = 0.3  # of the tolerance, rms, that a whole ring may be off its circle
_LARGEST = 20.0  # radii in lengths of an arc: beyond, it is hardly bent


def fit_circle(places: NDArray[np.float64]) -> tuple[NDArray[np.float64], float]:
    """Return the middle and radius of the circle that lies nearest to places: algebraically, then by Gauss and Newton."""
    found = np.empty(3)
    _fit_circle_kernel(np.ascontiguousarray(places), found)
    return found[:2], float(found[2])


@njit(cache=True, nogil=True)
def _fit_circle_kernel(places, found):  # type: ignore[no-untyped-def]
    count = len(places)
    base_x = base_y = 0.0
    for i in range(count):
        base_x += places[i, 0] / count
        base_y += places[i, 1] / count
    size = 0.0
    for i in range(count):
        size = max(size, abs(places[i, 0] - base_x), abs(places[i, 1] - base_y))
    size = max(size, 1e-9)
    sums = np.zeros((3, 4))
    for i in range(count):
        x, y = (places[i, 0] - base_x) / size, (places[i, 1] - base_y) / size
        row = (2 * x, 2 * y, 1.0)
        for a in range(3):
            for b in range(3):
                sums[a, b] += row[a] * row[b]
            sums[a, 3] += row[a] * (x * x + y * y)
    x0, y0, square = _solve_three_kernel(sums)
    radius = np.sqrt(max(square + x0 * x0 + y0 * y0, 1e-9))
    for _ in range(4):
        sums[:] = 0.0
        for i in range(count):
            x, y = (places[i, 0] - base_x) / size - x0, (places[i, 1] - base_y) / size - y0
            far = max(np.hypot(x, y), 1e-9)
            row = (x / far, y / far, 1.0)
            for a in range(3):
                for b in range(3):
                    sums[a, b] += row[a] * row[b]
                sums[a, 3] += row[a] * (far - radius)
        move_x, move_y, more = _solve_three_kernel(sums)
        x0, y0, radius = x0 + move_x, y0 + move_y, radius + more
    found[0], found[1], found[2] = base_x + size * x0, base_y + size * y0, size * abs(radius)


@njit(cache=True, nogil=True)
def _solve_three_kernel(sums):  # type: ignore[no-untyped-def]
    """Solve three equations, (3, 4) with what they come to, a little towards nothing where they say next to nothing."""
    m = sums.copy()
    for k in range(3):
        m[k, k] += 1e-12 * (1 + m[0, 0] + m[1, 1] + m[2, 2])
    for k in range(3):
        for row in range(3):
            if row != k and m[k, k] != 0.0:
                part = m[row, k] / m[k, k]
                for col in range(k, 4):
                    m[row, col] -= part * m[k, col]
    return m[0, 3] / m[0, 0], m[1, 3] / m[1, 1], m[2, 3] / m[2, 2]


def find_whole_circle(
    ring: Ring, places: NDArray[np.float64], tolerance_px: float, noise_px: float
) -> Path | None:
    """Return a ring as a circle of two arcs, where one explains it within its noise."""
    middle, radius = fit_circle(places)
    off = np.hypot(*(places - middle).T) - radius
    if np.abs(off).max() > max(tolerance_px, 4 * noise_px) or _rms(off) > max(
        1.5 * noise_px, _ROUND * tolerance_px
    ):
        return None
    turns_right = measure_area(ring) > 0
    left, right = (float(middle[0] - radius), float(middle[1])), (float(middle[0] + radius), float(middle[1]))  # fmt: skip
    return Path(left, tuple(Piece("arc", end, radius=radius, is_clockwise=turns_right) for end in (right, left)))  # fmt: skip


def find_arcs(draft: Draft, tolerance_px: float, noise_px: float) -> dict[int, tuple[int, Piece]]:
    """Return the arcs that stand for a draft's curves: by the first of them, how many, and the arc."""
    count = len(draft.ends)
    limit = max(tolerance_px, 4 * noise_px)
    off = {k: measure_piece_off(draft, k) for k in np.flatnonzero(draft.kinds == CURVE).tolist()}
    found: dict[int, tuple[int, Piece]] = {}
    # begun where no curve goes on smoothly, so that no run is cut in two
    begins = [
        k for k in range(count) if k not in off or draft.is_corner[k] or (k - 1) % count not in off
    ]
    base = begins[0] if begins else 0
    k = 0
    while k < count:
        first = (base + k) % count
        if first not in off:
            k += 1
            continue
        longest = 1
        while (
            k + longest < count
            and not draft.is_corner[(first + longest) % count]
            and (first + longest) % count in off
        ):
            longest += 1
        for size in range(longest, 0, -1):
            pieces = [(first + j) % count for j in range(size)]
            arc = _fit_arc(
                draft, pieces, _rms(np.concatenate([off[j] for j in pieces])), limit, noise_px
            )
            if arc is not None:
                found[first] = (size, arc)
                k += size
                break
        else:
            k += 1
    return found


def _rms(off: NDArray[np.float64]) -> float:
    return float(np.sqrt(np.mean(off**2)))


def _fit_arc(
    draft: Draft, pieces: list[int], curves_off: float, limit: float, noise_px: float
) -> Piece | None:
    """Return the arc between the ends of curves, if it explains their places as well as they do."""
    places = np.concatenate([draft.explained(k) for k in pieces])
    if len(places) < 6:
        return None
    start, end = draft.ends[pieces[0]], draft.ends[(pieces[-1] + 1) % len(draft.ends)]
    middle, radius = fit_circle(places)
    if radius > _LARGEST * np.hypot(*(places[-1] - places[0])) + 1e-9 and len(pieces) == 1:
        return None
    if _rms(np.hypot(*(places - middle).T) - radius) > max(_AS_GOOD * curves_off, 0.5 * noise_px):
        return None
    angles = np.unwrap(np.arctan2(*(places - middle).T[::-1]))
    sweep = angles[-1] - angles[0]
    if not _LEAST_SWEEP <= abs(sweep) <= _MOST_SWEEP:
        return None
    best = None
    # through both ends exactly, of the radius that then lies nearest
    chord = float(np.hypot(*(end - start)))
    for share in np.linspace(-0.03, 0.03, 25):
        tried = max(radius * (1 + share), chord / 2 * (1 + 1e-9))
        arc = Piece("arc", _to_point(end), radius=tried, is_long=bool(abs(sweep) > np.pi), is_clockwise=bool(sweep > 0))  # fmt: skip
        at, _, _ = find_circle(_to_point(start), arc)
        off = np.hypot(*(places - at).T) - tried
        if best is None or _rms(off) < best[0]:
            best = _rms(off), float(np.abs(off).max()), arc
    if best is None or best[0] > max(_AS_GOOD * curves_off, noise_px) or best[1] > limit:
        return None
    return best[2]


def _to_point(place: NDArray[np.float64]) -> Point:
    return float(place[0]), float(place[1])
