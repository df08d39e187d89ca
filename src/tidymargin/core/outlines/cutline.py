"""The line that a machine cuts along: a cut's outer contour, moved outwards or inwards, its islands joined or dropped."""

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.errors import BadParameterError
from tidymargin.core.base.limits import MM_PER_INCH
from tidymargin.core.outlines.figures import Outlines
from tidymargin.core.outlines.paths import Path
from tidymargin.core.outlines.tracing import LEAST_NOISE_PX, trace_ring

if TYPE_CHECKING:
    from shapely import Geometry, MultiPolygon, Polygon

_OFFSET_DIGITS = 6  # of mm; GEOS loses shapes that are moved by next to nothing
_FLAT_PX = 0.02  # of curves from the lines that stand for them
_FITTED_MM = 0.015  # of a line that was moved from the lines and curves that stand for it
_ARC_STEPS = 32  # of a quarter
_SHARPEST = 4.0  # widths that a sharp corner may reach out, as drawing standards have it
_LEAST_NARROW_MM2 = 0.02
_MOST_LISTED = 200

Spot = tuple[float, float]


@dataclass(frozen=True, slots=True)
class SheetPlan:
    """A sheet that pieces are laid out on.

    Parameters
    ----------
    width_mm, height_mm : float
        Its size.
    gap_mm : float
        Between two pieces, and between a piece and the sheet's sides, at least.
    copies : int
        Of each piece.
    with_marks : bool
        Whether room is left for marks at its corners.
    """

    width_mm: float
    height_mm: float
    gap_mm: float = 5.0
    copies: int = 1
    with_marks: bool = False


@dataclass(frozen=True, slots=True)
class CutLinePlan:
    """How a cutting line is made.

    Parameters
    ----------
    offset_mm : float
        How far outside the figure; below 0 inside.
    corners : str
        ``round`` or ``sharp``.
    smallest_mm : float
        Pieces and holes that a circle this wide does not fit around are left out.
    bridges_mm : float or None
        How wide the bridges are that join separate pieces to one; None leaves them separate.
    cuts_holes : bool
        Whether holes are cut at all.
    blade_mm : float
        The smallest radius and width that the blade can follow.
    dropped : tuple of (float, float)
        Places, x and y in px, whose pieces are left out.
    sheet : SheetPlan, optional
        On which the pieces are laid out; None leaves them where they are in the picture.
    with_marks : bool
        Whether what is printed has marks at its corners, by which a machine finds it.
    """

    offset_mm: float = 2.0
    corners: Literal["round", "sharp"] = "round"
    smallest_mm: float = 0.0
    bridges_mm: float | None = None
    cuts_holes: bool = True
    blade_mm: float = 0.5
    dropped: tuple[Spot, ...] = ()
    sheet: SheetPlan | None = None
    with_marks: bool = False


@dataclass(frozen=True, slots=True)
class Part:
    """A piece, hole, bridge or tight place of a cutting line.

    Parameters
    ----------
    kind : str
        ``piece``, ``hole``, ``bridge``, ``dropped_piece``, ``dropped_hole``, ``narrow`` (the blade cannot get in between) or ``thin``
        (the paper would tear).
    x, y : float
        A place in it, px.
    wide_mm : float
        How wide it is: of bridges and tight places across, of others the circle around them.
    """

    kind: Literal["piece", "hole", "bridge", "dropped_piece", "dropped_hole", "narrow", "thin"]
    x: float
    y: float
    wide_mm: float


@dataclass(frozen=True, slots=True)
class CutLine:
    """A cutting line, in px of the picture.

    Parameters
    ----------
    width, height : float
        Of the picture, px.
    dots_per_inch : float
        Its scale.
    paths : tuple of Path
        Closed; each piece's outer one and its holes.
    parts : tuple of Part
        What it is made of, and what was left out.
    """

    width: float
    height: float
    dots_per_inch: float
    paths: tuple[Path, ...]
    parts: tuple[Part, ...]

    @property
    def mm_per_px(self) -> float:
        """Its scale."""
        return MM_PER_INCH / self.dots_per_inch

    def count(self, kind: str) -> int:
        """Return how many parts are of a kind."""
        return sum(part.kind == kind for part in self.parts)


def list_words(line: CutLine) -> list[str]:
    """Return what a cutting line is made of, in words."""
    words = {"piece": "pieces", "hole": "holes", "bridge": "bridges", "dropped_piece": "pieces left out", "dropped_hole": "holes left out",
             "narrow": "places too narrow for the blade", "thin": "places thinner than the blade can leave"}  # fmt: skip
    return [f"{line.count(kind)} {said}" for kind, said in words.items() if line.count(kind)]


def to_shape(outlines: Outlines) -> "MultiPolygon":
    """Return what outlines enclose, as shapes that do not cross themselves, px."""
    import shapely

    rings = [shapely.LinearRing(path.flatten(_FLAT_PX)) for path in outlines.paths]
    built = shapely.build_area(shapely.GeometryCollection(rings))
    if any(
        not ring.is_simple for ring in rings
    ):  # two that touch: what an odd number of rings goes round
        built = shapely.Polygon()
        for ring in sorted(rings, key=lambda ring: -shapely.Polygon(ring).area):
            built = built.symmetric_difference(shapely.Polygon(ring).buffer(0))
    return _to_many(built)


def _to_many(shape: "Geometry") -> "MultiPolygon":
    import shapely

    polygons = [g for g in shapely.get_parts(shape) if g.geom_type == "Polygon" and not g.is_empty]
    return shapely.MultiPolygon(polygons)


def make_cutline(outlines: Outlines, plan: CutLinePlan, dots_per_inch: float) -> CutLine:
    """Return the cutting line of a cut's outlines.

    Parameters
    ----------
    outlines : Outlines
        Of all that is solid, in one layer.
    plan : CutLinePlan
        How.
    dots_per_inch : float
        The picture's.

    Raises
    ------
    BadParameterError
        Nothing is left of the figure.
    """
    import shapely

    scale = dots_per_inch / MM_PER_INCH  # px in a mm
    moved = to_shape(outlines).buffer(
        round(plan.offset_mm, _OFFSET_DIGITS) * scale,
        quad_segs=_ARC_STEPS,
        join_style="round" if plan.corners == "round" else "mitre",
        mitre_limit=_SHARPEST,
    )
    parts: list[Part] = []
    kept = []
    for polygon in _to_many(moved).geoms:
        spot = polygon.representative_point()
        wide = _measure_width(polygon) / scale
        unwanted = any(polygon.covers(shapely.Point(at)) for at in plan.dropped)
        if wide < plan.smallest_mm or unwanted:
            parts.append(Part("dropped_piece", spot.x, spot.y, wide))
            continue
        holes = []
        for ring in polygon.interiors:
            hole = shapely.Polygon(ring)
            at, across = hole.representative_point(), _measure_width(hole) / scale
            goes = plan.cuts_holes and across >= plan.smallest_mm
            parts.append(Part("hole" if goes else "dropped_hole", at.x, at.y, across))
            if goes:
                holes.append(ring)
        kept.append(shapely.Polygon(polygon.exterior, holes))
    if not kept:
        raise BadParameterError(
            f"With an offset of {plan.offset_mm:g} mm and nothing under {plan.smallest_mm:g} mm, nothing is left to cut.",
            hint="Move the line further out, or keep smaller pieces.",
            field="offset",
        )
    if plan.bridges_mm is not None and len(kept) > 1:
        joined, bridges = _join(kept, plan.bridges_mm * scale)
        parts += [Part("bridge", x, y, plan.bridges_mm) for x, y in bridges]
        kept = list(joined.geoms)
    for polygon in kept:
        spot = polygon.representative_point()
        parts.append(Part("piece", spot.x, spot.y, _measure_width(polygon) / scale))
    parts += _find_tight(shapely.MultiPolygon(kept), plan.blade_mm * scale, scale)
    paths = tuple(
        _fit(np.asarray(ring.coords)[:-1], _FITTED_MM * scale, is_hole=number > 0)
        for polygon in kept
        for number, ring in enumerate((polygon.exterior, *polygon.interiors))
    )
    return CutLine(outlines.width, outlines.height, dots_per_inch, paths, tuple(parts))


def _measure_width(polygon: "Polygon") -> float:
    """Return how wide the smallest circle around a shape is."""
    import shapely

    return 2 * float(shapely.minimum_bounding_radius(polygon))


def _join(pieces: list["Polygon"], wide_px: float) -> tuple["MultiPolygon", list[Spot]]:
    """Return pieces joined to one by the shortest bridges, and where these are: a least spanning tree, as R. C. Prim has it, 1957."""
    import shapely

    left = sorted(pieces, key=lambda piece: -piece.area)
    joined = left.pop(0)
    spots: list[Spot] = []
    bridges = []
    tree = [joined]
    gaps = [(piece.distance(joined), 0) for piece in left]
    while left:
        k = min(range(len(left)), key=lambda k: gaps[k][0])
        piece, (_, to) = left.pop(k), gaps.pop(k)
        a, b = np.asarray(shapely.shortest_line(tree[to], piece).coords)
        way = (b - a) / max(float(np.hypot(*(b - a))), 1e-9)
        reach = wide_px  # into both pieces, so that the bridge hangs on over its whole width
        line = shapely.LineString([a - reach * way, b + reach * way])
        bridges.append(line.buffer(wide_px / 2, cap_style="flat"))
        spots.append((float((a[0] + b[0]) / 2), float((a[1] + b[1]) / 2)))
        tree.append(piece)
        for j, other in enumerate(left):
            near = other.distance(piece)
            if near < gaps[j][0]:
                gaps[j] = (near, len(tree) - 1)
    return _to_many(shapely.union_all([*pieces, *bridges])), spots


def _find_tight(shape: "MultiPolygon", blade_px: float, scale: float) -> list[Part]:
    """Return where a blade of so large a radius cannot get in between, and where what it leaves is thinner than that."""
    import shapely

    found: list[Part] = []
    radius = blade_px / 2
    opened = shape.buffer(-radius).buffer(radius * 1.001)
    closed = shape.buffer(radius).buffer(-radius * 1.001)
    thin, narrow = shape.difference(opened), closed.difference(shape)
    for kind, places in (("thin", thin), ("narrow", narrow)):
        for place in shapely.get_parts(places):
            # the tip of a sharp corner is no such place
            if place.geom_type != "Polygon" or place.area < max(_LEAST_NARROW_MM2 * scale**2, 0.6 * radius**2):  # fmt: skip
                continue
            spot = place.representative_point()
            across = 2 * place.area / max(place.length, 1e-9) / scale
            found.append(Part(kind, spot.x, spot.y, across))  # type: ignore[arg-type]
    return found[:_MOST_LISTED]


def _fit(ring: NDArray[np.float64], tolerance_px: float, *, is_hole: bool) -> Path:
    """Return a moved ring as lines, arcs and curves; clockwise as seen, or the other way round for a hole."""
    import shapely

    is_ccw = shapely.LinearRing(
        ring
    ).is_ccw  # with y down, what goes clockwise as seen has a positive area
    if is_ccw == is_hole:
        ring = ring[::-1]
    return trace_ring(
        np.ascontiguousarray(ring), tolerance_px, min(LEAST_NOISE_PX, tolerance_px / 3)
    )
