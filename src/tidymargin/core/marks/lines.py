"""Lines as they are drawn, from few places: smooth strokes, and outlines of straight and bent parts."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Points = NDArray[np.float64]

_STEP_PX = 2.0  # between one place of a smooth line and the next, at least
_MOST_STEPS = 64  # between two places that were drawn
_MOST_HALVES = 256  # half of the chords that one part of an outline is drawn by
_NEAR = 1e-6  # px: the same place
_SMALL = 1e-3  # px: no direction
_THIRD = 1 / 3  # of the way, where a straight part's handles stand


def smooth_line(places: Points) -> Points:
    """Return a smooth line through places, however far apart a quick hand left them.

    A centripetal Catmull-Rom curve (C. Yuksel, S. Schaefer and J. Keyser, "Parameterization and applications of
    Catmull-Rom curves", 2011), which has no loops of its own. Two places on one spot make a corner.

    Parameters
    ----------
    places : (N, 3) ndarray of float64
        x, y and how far the stroke reaches.
    """
    gaps = np.hypot(*np.diff(places[:, :2], axis=0).T)
    corners = np.flatnonzero(gaps < _NEAR)
    runs = np.split(places, corners + 1)
    return np.concatenate([_smooth_run(run) for run in runs if len(run)])


def _smooth_run(run: Points) -> Points:
    if len(run) < 3:
        return run
    whole = np.concatenate([[2 * run[0] - run[1]], run, [2 * run[-1] - run[-2]]])
    gaps = np.sqrt(np.maximum(np.hypot(*np.diff(whole[:, :2], axis=0).T), _NEAR))
    reach = np.minimum(run[:-1, 2], run[1:, 2])
    steps = np.ceil(gaps[1:-1] ** 2 / np.maximum(_STEP_PX, reach / 4))
    counts = np.clip(steps, 1, _MOST_STEPS).astype(int)
    at = np.repeat(np.arange(len(counts)), counts)
    share = (np.arange(len(at)) - np.repeat(np.cumsum(counts) - counts, counts)) / counts[at]
    before, first, last, after = (whole[at + n] for n in range(4))
    d0, d1, d2 = (gaps[at + n][:, None] for n in range(3))
    # the tangents of the curve, over the gap between its two places
    leaving = d1 * ((first - before) / d0 - (last - before) / (d0 + d1) + (last - first) / d1)
    coming = d1 * ((last - first) / d1 - (after - first) / (d1 + d2) + (after - last) / d2)
    t = share[:, None]
    inner = (
        (2 * t**3 - 3 * t**2 + 1) * first + (t**3 - 2 * t**2 + t) * leaving
        + (3 * t**2 - 2 * t**3) * last + (t**3 - t**2) * coming
    )  # fmt: skip
    inner[:, 2] = ((1 - t) * first + t * last)[:, 2]
    return np.concatenate([inner, run[-1:]])


@dataclass(frozen=True, slots=True)
class Node:
    """A point of an outline.

    Parameters
    ----------
    x, y : float
        Its place.
    is_smooth : bool
        Whether the line goes through it without a corner.
    bend : tuple of 2 float or None
        The place that the part to the next point was pulled to: its middle goes through there. None for a part nobody pulled.
    """

    x: float
    y: float
    is_smooth: bool = False
    bend: tuple[float, float] | None = None


def draw_outline(
    nodes: tuple[Node, ...], *, is_closed: bool, most: int | None = None
) -> list[Points]:
    """Return the parts of an outline, each as places (N, 2) from one point to the next, both included.

    Each part is a cubic curve, straight where nothing bends it. A part that was pulled goes through where it was
    pulled to; at a smooth point both parts share one direction. `most` bounds how many places all parts have
    together, where they are only to be looked at: an outline of very many parts is then drawn by fewer of each.
    """
    count = len(nodes)
    if count < 2:
        return []
    at = np.array([(node.x, node.y) for node in nodes])
    parts = range(count if is_closed else count - 1)
    handles = [_bend_handles(at[n], at[(n + 1) % count], nodes[n].bend) for n in parts]
    tangents = _find_tangents(nodes, at, handles, is_closed=is_closed)
    drawn = []
    most_halves = _MOST_HALVES if most is None else max(1, min(_MOST_HALVES, most // (2 * count)))
    for n in parts:
        start, end = at[n], at[(n + 1) % count]
        leave, come = tangents[n], tangents[(n + 1) % count]
        first, last = _turn(start, end, handles[n], leave, come, nodes[n].bend)
        drawn.append(_draw_cubic(start, first, last, end, most_halves))
    return drawn


def _bend_handles(
    start: Points, end: Points, bend: tuple[float, float] | None
) -> tuple[Points, Points]:
    if bend is None:
        return start + (end - start) * _THIRD, end + (start - end) * _THIRD
    pulled = 2 * np.array(bend) - (start + end) / 2  # a quadratic curve's own point
    return start + (pulled - start) * 2 * _THIRD, end + (pulled - end) * 2 * _THIRD


def _find_tangents(
    nodes: tuple[Node, ...], at: Points, handles: list[tuple[Points, Points]], *, is_closed: bool
) -> list[Points | None]:
    """Return the direction of the line at each smooth point; None at a corner, and at an open end."""
    found: list[Points | None] = []
    for n, node in enumerate(nodes):
        if not node.is_smooth or (not is_closed and n in (0, len(nodes) - 1)):
            found.append(None)
            continue
        coming, leaving = at[n] - handles[n - 1][1], handles[n][0] - at[n]
        both = _unit(coming) + _unit(leaving)
        found.append(_unit(both) if np.hypot(*both) > _SMALL else None)
    return found


def _unit(vector: Points) -> Points:
    return vector / max(_NEAR, float(np.hypot(*vector)))


def _turn(
    start: Points, end: Points, handles: tuple[Points, Points],
    leave: Points | None, come: Points | None, bend: tuple[float, float] | None,
) -> tuple[Points, Points]:  # fmt: skip
    """Return the handles of a part, turned into the directions that its ends have, and still through where it was pulled."""
    first, last = handles
    if leave is None and come is None:
        return first, last
    out = _unit(first - start) if leave is None else leave
    back = _unit(last - end) if come is None else -come
    lengths = np.array([np.hypot(*(first - start)), np.hypot(*(last - end))])
    if bend is not None:
        # (start + 3 first + 3 last + end) / 8 is the middle of a cubic curve
        sum_of_both = (8 * np.array(bend) - 4 * start - 4 * end) / 3
        matrix = np.column_stack([out, back])
        if abs(np.linalg.det(matrix)) > _SMALL:
            solved = np.linalg.solve(matrix, sum_of_both)
            if (solved > 0).all():
                lengths = solved
    return start + lengths[0] * out, end + lengths[1] * back


def _draw_cubic(
    start: Points, first: Points, last: Points, end: Points, most_halves: int
) -> Points:
    chord = np.hypot(*(end - start))
    length = sum(np.hypot(*(b - a)) for a, b in ((start, first), (first, last), (last, end)))
    if length - chord < _SMALL:
        return np.stack([start, end])
    # chords of a curve stray from it by about the square of their length: these by less than a tenth of a pixel
    # even: the middle is among them
    count = 2 * int(min(max(np.ceil(np.sqrt(length)), 2), most_halves))
    t = np.linspace(0, 1, count + 1)[:, None]
    return np.asarray(
        (1 - t) ** 3 * start + 3 * (1 - t) ** 2 * t * first + 3 * (1 - t) * t**2 * last + t**3 * end
    )


def outline_ring(nodes: tuple[Node, ...]) -> Points:
    """Return a closed outline as one ring of places (N, 2)."""
    return np.concatenate([part[:-1] for part in draw_outline(nodes, is_closed=True)])
