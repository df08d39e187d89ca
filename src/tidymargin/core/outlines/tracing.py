"""A ring's path: corners, the fewest lines and curves between them, circles where these explain it, all within its noise."""

from dataclasses import replace
from functools import cache

import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.outlines.circles import find_arcs, find_whole_circle
from tidymargin.core.outlines.contours import Ring, measure_area, resample
from tidymargin.core.outlines.corners import STEP_PX, Corners, find_corners
from tidymargin.core.outlines.paths import Path, Piece
from tidymargin.core.outlines.refining import Draft, measure_piece_off, refine
from tidymargin.core.outlines.splitting import LINE, Split, split_stretch

_SMOOTHED = (6, 4, 3)  # places on either side by which one is told, as many as no corner is among
_EVERY = 4  # places, of which a piece may begin at one
_FIRM_PX = 1.5  # beside a corner, where places say nothing of its sides
_FAR_OFF = (
    2.5  # tolerances, beyond which a piece is none of its places, which are kept in its place
)
_SMALL = 600  # places of a ring that is tried again
_AREA_OFF, _AREA_ROOM = (
    0.2,
    8.0,
)  # of a ring, and px for each px of tolerance, that a path may take more or less
_NEAR_PX2 = 0.04  # of a place and its line, squared, beyond which others are looked at
LEAST_NOISE_PX, _MOST_NOISE_PX = 0.03, 0.3


Line = NDArray[np.float64]
_Smooth = dict[int, tuple[Line, Line]]
_Stretch = tuple[Split, NDArray[np.int64], Line]


def measure_noise(rings: list[Ring]) -> float:
    """Return how far the places of contours are off, px, rms: what a bend over six px of them leaves."""
    left = []
    for ring in rings:
        places = resample(ring, STEP_PX)
        if len(places) >= 4 * _SMOOTHED[0]:
            off = places - _smooth(places, _SMOOTHED[0])[0]
            left.append(np.hypot(*off.T))
    if not left:
        return LEAST_NOISE_PX
    # by the least of a half-normal's: the largest are corners
    found = float(np.quantile(np.concatenate(left), 0.3)) / 0.385
    return float(np.clip(found, LEAST_NOISE_PX, _MOST_NOISE_PX))


def _smooth(
    places: NDArray[np.float64], reach: int
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return each place of a ring, and which way it goes there, by a parabola through `reach` places on either side."""
    middle, way = np.empty_like(places), np.empty_like(places)
    _smooth_kernel(np.ascontiguousarray(places), _fit_parabola(reach), middle, way)
    return middle, way


@cache
def _fit_parabola(reach: int) -> NDArray[np.float64]:
    """Return what, applied to places, gives the middle one and which way they go there: (2, 2 reach + 1)."""
    t = np.arange(-reach, reach + 1)
    return np.ascontiguousarray(np.linalg.pinv(np.vander(t, 3, increasing=True))[:2])


@njit(cache=True, nogil=True)
def _smooth_kernel(places, fit, middle, way):  # type: ignore[no-untyped-def]
    n, count = len(places), fit.shape[1]
    for i in range(n):
        x = y = u = v = 0.0
        for k in range(count):
            j = (i + k - count // 2) % n
            x += fit[0, k] * places[j, 0]
            y += fit[0, k] * places[j, 1]
            u += fit[1, k] * places[j, 0]
            v += fit[1, k] * places[j, 1]
        length = max(np.hypot(u, v), 1e-12)
        middle[i, 0], middle[i, 1], way[i, 0], way[i, 1] = x, y, u / length, v / length


def trace_ring(ring: Ring, tolerance_px: float, noise_px: float) -> Path:
    """Return the path of lines, arcs and curves that explains a ring.

    Parameters
    ----------
    ring : Ring
        A contour.
    tolerance_px : float
        How far a piece may keep from it at most, over 0.
    noise_px : float
        How far its places are off, rms.
    """
    places = resample(ring, STEP_PX)
    circle = find_whole_circle(ring, places, tolerance_px, noise_px)
    if circle is not None:
        return with_distance(circle, ring)
    corners = find_corners(places, noise_px)
    area = measure_area(ring)
    # a ring that is thinner than the tolerance is explained by nearer lines and curves, and at last by its own places
    for nearer in (1.0, 0.3) if len(places) < _SMALL else (1.0,):
        draft = _draft(places, corners, nearer * tolerance_px, nearer * noise_px)
        refine(draft)
        arcs = find_arcs(draft, nearer * tolerance_px, nearer * noise_px)
        path = with_distance(_to_path(draft, arcs), ring)
        if path.worst_px > _FAR_OFF * tolerance_px:
            path = with_distance(_to_path(draft, arcs, _FAR_OFF * tolerance_px), ring)
        if abs(path.area_px - area) <= _AREA_OFF * abs(area) + _AREA_ROOM * tolerance_px:
            return path
    return keep_ring(ring)


def keep_ring(ring: Ring) -> Path:
    """Return a ring as it is, a line from each of its places to the next."""
    ends = [(float(x), float(y)) for x, y in ring]
    return Path(ends[0], tuple(Piece("line", end) for end in (*ends[1:], ends[0])))


def with_distance(path: Path, ring: Ring) -> Path:
    """Return a path that knows how far its ring keeps from it: its corners, where pixels show less, left out."""
    line = path.flatten(0.02)
    ends = np.roll(line, -1, axis=0)
    found = np.empty(len(ring))
    _find_distances_kernel(ring, line, ends, found)
    tips = np.array([path.list_starts()[k] for k in path.corners]).reshape(-1, 2)
    counts = np.ones(len(ring), np.bool_)
    for tip in tips:
        counts &= np.hypot(*(ring - tip).T) > _FIRM_PX
    if not counts.any():
        counts[:] = True
    off = np.where(counts, found, 0.0)
    worst = int(off.argmax())
    at = (float(ring[worst, 0]), float(ring[worst, 1]))
    return replace(path, mean_px=float(off[counts].mean()), worst_px=float(off[worst]), worst_at=at)


@njit(cache=True, nogil=True)
def _far_kernel(x, y, starts, ends, j):  # type: ignore[no-untyped-def]
    ax, ay = starts[j, 0], starts[j, 1]
    bx, by = ends[j, 0] - ax, ends[j, 1] - ay
    under = bx * bx + by * by
    share = 0.0
    if under > 1e-12:
        share = min(1.0, max(0.0, ((x - ax) * bx + (y - ay) * by) / under))
    return (x - ax - share * bx) ** 2 + (y - ay - share * by) ** 2


@njit(cache=True, nogil=True)
def _find_distances_kernel(places, starts, ends, found):  # type: ignore[no-untyped-def]
    """How far each place is from the nearest of lines: looked for near where the one before was, and everywhere if none is near."""
    count = len(starts)
    near = 0
    for i in range(len(places)):
        x, y = places[i, 0], places[i, 1]
        best, at = np.inf, near
        for k in range(min(count, 24)):
            j = (near + k - 6) % count
            far = _far_kernel(x, y, starts, ends, j)
            if far < best:
                best, at = far, j
        if best > _NEAR_PX2:
            for j in range(count):
                far = _far_kernel(x, y, starts, ends, j)
                if far < best:
                    best, at = far, j
        near = at
        found[i] = np.sqrt(best)


def _draft(
    places: NDArray[np.float64], corners: Corners, tolerance_px: float, noise_px: float
) -> Draft:
    n = len(places)
    smooth = {reach: _smooth(places, reach) for reach in _SMOOTHED}
    if len(corners.at):
        stretches = [
            _split_between(places, corners, k, smooth, tolerance_px, noise_px)
            for k in range(len(corners.at))
        ]
    else:
        # begun anywhere first, then at an end that this found
        split, at, _ = _split_round(places, 0, smooth, tolerance_px, noise_px)
        begin = int(at[split.ends[len(split.ends) // 2]]) % n if len(split.ends) > 2 else 0
        stretches = [_split_round(places, begin, smooth, tolerance_px, noise_px)]
    ends, kinds, handles, spans, is_corner = [], [], [], [], []
    firm = round(_FIRM_PX / STEP_PX)
    closed = bool(len(corners.at))
    for split, at, knots in stretches:
        for k, kind in enumerate(split.kinds):
            a, b = int(split.ends[k]), int(split.ends[k + 1])
            is_corner.append(closed and k == 0)
            ends.append(knots[a])
            kinds.append(kind)
            handles.append(split.handles[k])
            first_at = int(at[a]) + (firm if closed and k == 0 else 0)
            last_at = int(at[b]) - (firm if closed and k == len(split.kinds) - 1 else 0)
            spans.append((min(first_at, last_at), max(first_at, last_at)))
    return Draft(
        places,
        np.array(spans),
        np.array(ends),
        np.array(kinds),
        np.array(handles),
        np.array(is_corner),
    )


def _list_candidates(
    places: Line, first: int, last: int, smooth: _Smooth, firm: int
) -> tuple[NDArray[np.int64], Line, Line]:
    """Return where pieces may begin between two places, and how these and the ways there are told."""
    n = len(places)
    count = max(1, round((last - first) / _EVERY))
    inner = np.round(np.linspace(first, last, count + 1)).astype(np.int64)[1:-1]
    reach = np.minimum(inner - first, last - inner) - firm
    inner, reach = inner[reach >= _SMOOTHED[-1]], reach[reach >= _SMOOTHED[-1]]
    knots, ways = np.empty((len(inner), 2)), np.empty((len(inner), 2))
    for size in reversed(_SMOOTHED):
        fits = reach >= size
        knots[fits], ways[fits] = smooth[size][0][inner[fits] % n], smooth[size][1][inner[fits] % n]
    return inner, knots, ways


def _split_between(places: Line, corners: Corners, k: int, smooth: _Smooth, tolerance_px: float, noise_px: float) -> _Stretch:  # fmt: skip
    """Part what lies between a corner and the next."""
    n = len(places)
    first, last = int(corners.at[k]), int(corners.at[(k + 1) % len(corners.at)])
    if last <= first:
        last += n
    other = (k + 1) % len(corners.at)
    firm = round(_FIRM_PX / STEP_PX)
    inner, knots, ways = _list_candidates(places, first, last, smooth, firm)
    at = np.concatenate([[first], inner, [last]])
    knots = np.vstack([corners.tips[k], knots, corners.tips[other]])
    ways = np.vstack([corners.ways[k, 1], ways, corners.ways[other, 0]])
    stretch = places[np.arange(first, last + 1) % n]
    split = split_stretch(stretch, at - first, knots, ways, (firm, firm), tolerance_px, noise_px)
    return split, at, knots


def _split_round(places: Line, begin: int, smooth: _Smooth, tolerance_px: float, noise_px: float) -> _Stretch:  # fmt: skip
    """Part a ring that has no corner."""
    n = len(places)
    inner, knots, ways = _list_candidates(places, begin, begin + n, smooth, 0)
    at = np.concatenate([[begin], inner, [begin + n]])
    middle, way = smooth[_SMOOTHED[0]]
    knots = np.vstack([middle[begin % n], knots, middle[begin % n]])
    ways = np.vstack([way[begin % n], ways, way[begin % n]])
    stretch = places[np.arange(begin, begin + n + 1) % n]
    split = split_stretch(stretch, at - begin, knots, ways, (0, 0), tolerance_px, noise_px)
    return split, at, knots


def _is_far_off(draft: Draft, k: int, most_px: float) -> bool:
    """Whether a piece is none of its places; the first and last may belong to a sharp tip."""
    off = measure_piece_off(draft, k)
    return len(off) > 4 * _EVERY and bool(off[_EVERY:-_EVERY].max() > most_px)


def _to_path(draft: Draft, arcs: dict[int, tuple[int, Piece]], most_px: float = np.inf) -> Path:
    """Return a draft as a path; pieces that are further off than that give way to the places that they explain."""
    count = len(draft.ends)
    pieces: list[Piece] = []
    corners = []
    # an arc over where the ring begins is begun with
    k = next((first for first, (size, _) in arcs.items() if first + size > count), 0)
    last = k + count
    start = draft.ends[k]
    while k < last:
        j = k % count
        if draft.is_corner[j]:
            corners.append(len(pieces))
        size, piece = arcs.get(j, (1, None))
        if piece is None and _is_far_off(draft, j, most_px):
            pieces += [
                Piece("line", (float(x), float(y))) for x, y in draft.explained(j)[2:-2:_EVERY]
            ]
        end = (float(draft.ends[(j + size) % count, 0]), float(draft.ends[(j + size) % count, 1]))
        if piece is None and draft.kinds[j] == LINE:
            piece = Piece("line", end)
        elif piece is None:
            (ax, ay), (bx, by) = draft.handles[j].tolist()
            piece = Piece("curve", end, (ax, ay), (bx, by))
        pieces.append(piece)
        k += size
    return Path((float(start[0]), float(start[1])), tuple(pieces), corners=tuple(corners))


def trace_open(
    line: NDArray[np.float64], tolerance_px: float, noise_px: float
) -> tuple[tuple[float, float], tuple[Piece, ...]]:
    """Return where a line that is not closed begins, and its pieces: it is traced there and back."""
    along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(line, axis=0).T))])
    count = max(2, round(along[-1] / STEP_PX))
    at = np.linspace(0, along[-1], count + 1)
    even = np.column_stack([np.interp(at, along, line[:, k]) for k in range(2)])
    start = (float(line[0, 0]), float(line[0, 1]))
    end = (float(line[-1, 0]), float(line[-1, 1]))
    if count < 12:
        return start, (Piece("line", end),)
    places = np.vstack([even, even[-2:0:-1]])
    corners = _with_ends(find_corners(places, noise_px), places, count)
    draft = _draft(places, corners, tolerance_px, noise_px)
    refine(draft)
    path = _to_path(draft, find_arcs(draft, tolerance_px, noise_px))
    ends = np.array([piece.end for piece in path.pieces])
    turn = int(np.hypot(*(ends - even[-1]).T).argmin())
    return path.start, path.pieces[: turn + 1]


def _with_ends(corners: Corners, places: NDArray[np.float64], last: int) -> Corners:
    """Return the corners of a line that was gone along there and back, its two ends among them."""
    n = len(places)
    apart = round(2 * _FIRM_PX / STEP_PX)
    inner = (corners.at > apart) & (corners.at < last - apart)
    at, tips, ways = corners.at[inner], corners.tips[inner], corners.ways[inner]
    back = n - at[::-1]  # met again on the way back
    turned = -ways[::-1, ::-1]
    beside = min(6, last)
    out, home = places[beside] - places[0], places[last] - places[last - beside]
    out, home = out / max(np.hypot(*out), 1e-9), home / max(np.hypot(*home), 1e-9)
    return Corners(
        np.concatenate([[0], at, [last], back]),
        np.vstack([places[0], tips, places[last], tips[::-1]]),
        np.concatenate([[[-out, out]], ways, [[home, -home]], turned]),
    )
