"""A cutting machine, simulated: what comes out where a blade follows lines, what falls off, and what is not cut through."""

from dataclasses import dataclass
from typing import TYPE_CHECKING

import cv2
import numpy as np
from numpy.typing import NDArray

if TYPE_CHECKING:
    from shapely import Geometry, LinearRing, Polygon

_CUT_MM_S, _TRAVEL_MM_S, _LIFT_S = 60.0, 200.0, 0.15  # of a small desk machine
_STEP_MM = 0.05  # between two places of the blade
_KERF_MM = 0.02  # between the two ends of a cut, within which paper comes apart
_MOST_PX = 4000
_MARGIN_MM = 5.0
_SHEET, _BED, _PIECE, _UNCUT = (232, 230, 226), (120, 116, 110), (250, 250, 248), (200, 40, 40)

Line = NDArray[np.float64]
"""(N, 2): x and y, mm, from the upper left; closed where it ends at its start."""


@dataclass(frozen=True, slots=True)
class Machine:
    """A machine.

    Parameters
    ----------
    blade_mm : float
        How far a dragged blade's edge is behind the middle of its holder; 0 for a beam or a steered blade.
    overcut_mm : float
        How far it goes on beyond where a closed line began.
    """

    blade_mm: float = 0.0
    overcut_mm: float = 0.0


@dataclass(frozen=True, slots=True)
class Outcome:
    """What came of it.

    Parameters
    ----------
    length_mm, travel_mm, time_s : float
        Cut, gone through the air, and how long both take.
    lifts : int
        Of the blade.
    pieces : tuple of Polygon
        That come off the sheet, holes cut out of them, the largest first.
    waste : tuple of Polygon
        What falls out of their holes.
    uncut : tuple of (float, float)
        Where a line ends away from where it began, mm.
    twice : int
        Lines that are cut a second time.
    cuts : tuple of (N, 2) ndarray
        Where the blade's edge went, mm.
    """

    length_mm: float
    travel_mm: float
    time_s: float
    lifts: int
    pieces: tuple["Polygon", ...]
    waste: tuple["Polygon", ...]
    uncut: tuple[tuple[float, float], ...]
    twice: int
    cuts: tuple[Line, ...]


def cut_lines(lines: list[Line], machine: Machine) -> Outcome:
    """Follow lines with a blade, one after the other, the nearest next, and return what comes of it."""
    import shapely

    order, travel = _order(lines)
    cuts, uncut, rings = [], [], []
    length = 0.0
    for line in order:
        cut = _drag(line, machine)
        cuts.append(cut)
        length += float(np.hypot(*np.diff(cut, axis=0).T).sum())
        ring = _close(
            cut, is_closed=_is_closed(line), reach=machine.overcut_mm + 4 * machine.blade_mm
        )
        if ring is None:
            uncut.append((float(cut[-1, 0]), float(cut[-1, 1])))
        else:
            rings.append(ring)
    kept, twice = _drop_twice(rings)
    built = [p for p in shapely.get_parts(shapely.polygonize(_node(kept))) if p.area > _KERF_MM**2]
    pieces, waste = _sort_out(built)
    time = length / _CUT_MM_S + travel / _TRAVEL_MM_S + _LIFT_S * 2 * len(order)
    return Outcome(
        length, travel, time, len(order), pieces, waste, tuple(uncut), twice, tuple(cuts)
    )


def _is_closed(line: Line) -> bool:
    return len(line) > 3 and bool(np.hypot(*(line[0] - line[-1])) < _KERF_MM)


def _order(lines: list[Line]) -> tuple[list[Line], float]:
    """Return lines, each begun nearest to where the one before ended, what lies inside others before these, and the way between."""
    areas = [abs(_measure_area(line)) for line in lines]
    left = sorted(range(len(lines)), key=lambda k: areas[k])
    order, travel = [], 0.0
    at = np.zeros(2)
    starts = np.array([line[0] for line in lines]).reshape(-1, 2)
    while left:
        # of the smaller half first, so that nothing is cut out of what has come off already
        ahead = left[: max(1, len(left) // 2)]
        gaps = np.hypot(*(starts[ahead] - at).T)
        k = ahead[int(gaps.argmin())]
        left.remove(k)
        travel += float(gaps.min())
        order.append(lines[k])
        at = lines[k][-1]
    return order, travel


def _measure_area(line: Line) -> float:
    x, y = line.T
    return float(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1))) / 2


def _drag(line: Line, machine: Machine) -> Line:
    """Return where the edge goes while its holder follows a line: it is drawn behind it, as a stick is on a string."""
    steps = np.hypot(*np.diff(line, axis=0).T)
    along = np.concatenate([[0.0], np.cumsum(steps)])
    end = along[-1] + (machine.overcut_mm if _is_closed(line) else 0.0)
    if machine.blade_mm <= 0 and machine.overcut_mm <= 0:
        return line
    at = np.arange(0, end, _STEP_MM) if end > 0 else np.zeros(1)
    at = np.append(at, end) % max(along[-1], 1e-9) if _is_closed(line) else np.append(at, end)
    way = np.column_stack([np.interp(at, along, line[:, k]) for k in range(2)])
    if machine.blade_mm <= 0:
        return way
    first = line[min(1, len(line) - 1)] - line[0]
    edge = way[0] - machine.blade_mm * first / max(float(np.hypot(*first)), 1e-9)
    found = np.empty_like(way)
    for k, place in enumerate(way):
        behind = edge - place
        far = float(np.hypot(*behind))
        edge = place + behind * (machine.blade_mm / far) if far > machine.blade_mm else edge
        found[k] = edge
    return found


def _close(cut: Line, *, is_closed: bool, reach: float) -> Line | None:
    """Return a cut as a ring, up to where it comes back to itself near its start; None where it does not."""
    if not is_closed:
        return None
    count = len(cut)
    near = max(1, min(count // 3, round((reach + 0.5) / _STEP_MM)))
    first, last = cut[:near], cut[-near:]
    gaps = np.hypot(first[None, :, 0] - last[:, None, 0], first[None, :, 1] - last[:, None, 1])
    j, i = np.unravel_index(int(gaps.argmin()), gaps.shape)
    if gaps[j, i] > max(_KERF_MM, 1.5 * _STEP_MM if reach else _KERF_MM):
        return None
    ring = cut[int(i) : count - near + int(j) + 1]
    return ring if len(ring) >= 3 else None


def _drop_twice(rings: list[Line]) -> tuple[list[Line], int]:
    """Return rings but those that another covers, and how many these were."""
    import shapely

    kept: list[Line] = []
    shapes: list[LinearRing] = []
    for ring in rings:
        shape = shapely.LinearRing(ring)
        if any(
            abs(shape.length - other.length) < 0.1
            and shape.hausdorff_distance(other) < 2 * _KERF_MM
            for other in shapes
        ):
            continue
        kept.append(ring)
        shapes.append(shape)
    return kept, len(rings) - len(kept)


def _node(rings: list[Line]) -> "list[Geometry]":
    """Return rings as lines that meet at their ends alone."""
    import shapely

    if not rings:
        return []
    lines = shapely.node(shapely.MultiLineString([np.vstack([r, r[:1]]) for r in rings]))
    return list(shapely.get_parts(lines))


def _sort_out(parts: "list[Polygon]") -> "tuple[tuple[Polygon, ...], tuple[Polygon, ...]]":
    """Return the pieces, and what falls out of their holes: of what lies in one another, every second."""
    import shapely

    depths = []
    outers = [shapely.Polygon(part.exterior) for part in parts]
    for part in parts:
        spot = part.representative_point()
        depths.append(sum(outer.contains(spot) for outer in outers) - 1)
    pieces = [part for part, depth in zip(parts, depths, strict=True) if depth % 2 == 0]
    waste = [part for part, depth in zip(parts, depths, strict=True) if depth % 2]
    by_size = {"key": lambda part: -part.area}
    return tuple(sorted(pieces, **by_size)), tuple(sorted(waste, **by_size))  # type: ignore[call-overload]


def draw_outcome(outcome: Outcome) -> NDArray[np.uint8]:
    """Return a picture, (H, W, 3) uint8, of the pieces lifted off the sheet, and of what is not cut through in red."""
    places = np.concatenate(outcome.cuts) if outcome.cuts else np.zeros((1, 2))
    low, high = places.min(axis=0) - _MARGIN_MM, places.max(axis=0) + _MARGIN_MM
    scale = float(min(20.0, _MOST_PX / max(*(high - low), 1.0)))
    wide, tall = np.ceil((high - low) * scale).astype(int).tolist()
    picture = np.empty((tall, wide, 3), np.uint8)
    picture[:] = _SHEET

    def fill(part: "Polygon", colour: tuple[int, int, int], moved: float = 0.0) -> None:
        rings = [part.exterior, *part.interiors]
        shapes = [np.round(((np.asarray(r.coords) - low + moved) * scale) * 16).astype(np.int32) for r in rings]  # fmt: skip
        cv2.fillPoly(picture, shapes, colour, cv2.LINE_AA, 4)

    for part in outcome.pieces:
        fill(part, _BED)
    for part in outcome.pieces:
        fill(part, (96, 92, 88), 0.25)  # its shadow
        fill(part, _PIECE)
    for cut in outcome.cuts:
        line = np.round((cut - low) * scale * 16).astype(np.int32)
        cv2.polylines(picture, [line], isClosed=False, color=(60, 58, 56), thickness=1, lineType=cv2.LINE_AA, shift=4)  # fmt: skip
    for x, y in outcome.uncut:
        at = ((np.array([x, y]) - low) * scale).round().astype(int)
        cv2.circle(picture, (int(at[0]), int(at[1])), 9, _UNCUT, 3, cv2.LINE_AA)
    return picture
