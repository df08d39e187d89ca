"""A cut as outlines: one layer of closed paths for each of its colours, from the bottom up."""

from dataclasses import dataclass, field, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.errors import BadParameterError
from tidymargin.core.base.parallel import work_through
from tidymargin.core.base.progress import Tick, no_tick
from tidymargin.core.outlines.colours import Paint, find_layers
from tidymargin.core.outlines.contours import HALF, Ring, find_contours, list_larger, measure_area
from tidymargin.core.outlines.crossing import part_crossing
from tidymargin.core.outlines.gradients import Gradient
from tidymargin.core.outlines.paths import Path
from tidymargin.core.outlines.plan import MOST_RINGS, OutlinePlan, PieceWay
from tidymargin.core.outlines.regular import Regular, make_regular
from tidymargin.core.outlines.strokes import Stroke, find_strokes
from tidymargin.core.outlines.tracing import keep_ring, measure_noise, trace_ring, with_distance

Rgba = NDArray[np.uint8]
_TOLERANCE_PX, _TOLERANCE_NOISE = 0.25, 4.0  # what "auto" is at least, and by a contour's noise
_SOLID = 128
_MIDDLE_NOISE_PX, _MIXED_NOISE_PX = 0.07, 0.12
_RIM_PX = 5  # deep, of which a silhouette has its colour
_LOOSER = 4.0  # times the tolerance, of an outline that is to be simpler
_AS_WELL = 0.5  # of the noise, that a regular path may be further off on the mean
_UNTRACED = Path((0.0, 0.0), ())


@dataclass(frozen=True, slots=True)
class Layer:
    """What is of one colour.

    Parameters
    ----------
    rgb : tuple of 3 int
        Its colour, display-coded sRGB.
    name : str
        In plain words.
    paths : tuple of Path
        Closed; what an odd number of them goes round is filled.
    strokes : tuple of Stroke
        In place of paths, where lines are traced along their middle.
    gradient : Gradient, optional
        In place of its one colour, which is its mean.
    """

    rgb: tuple[int, int, int]
    name: str
    paths: tuple[Path, ...] = ()
    strokes: tuple[Stroke, ...] = ()
    gradient: Gradient | None = None


@dataclass(frozen=True, slots=True)
class Outlines:
    """A cut's outlines.

    Parameters
    ----------
    width, height : float
        Of what they lie in, px.
    layers : tuple of Layer
        From the bottom up.
    tolerance_px, noise_px : float
        Within which they were traced, and how far the contours' places are off.
    dropped : int
        Areas that were smaller than is traced.
    regular : Regular
        What of the paths is exact: directions, widths and a mirror's sides.
    """

    width: float
    height: float
    layers: tuple[Layer, ...]
    tolerance_px: float = 0.0
    noise_px: float = 0.0
    dropped: int = 0
    regular: Regular = field(default_factory=Regular)

    @property
    def paths(self) -> tuple[Path, ...]:
        """Those of all layers."""
        return tuple(path for layer in self.layers for path in layer.paths)

    def count_pieces(self) -> int:
        """Return how many lines, arcs and curves there are."""
        strokes = sum(len(stroke.pieces) for layer in self.layers for stroke in layer.strokes)
        return sum(len(path.pieces) for path in self.paths) + strokes

    def measure_off(self) -> tuple[float, float]:
        """Return how far the paths keep from their contours on the mean and at most, px."""
        if not self.paths:
            return 0.0, 0.0
        weights = [max(1, len(path.pieces)) for path in self.paths]
        mean = float(np.average([path.mean_px for path in self.paths], weights=weights))
        return mean, max(path.worst_px for path in self.paths)


def trace_cut(rgba: Rgba, plan: OutlinePlan, tick: Tick = no_tick) -> Outlines:
    """Return a cut's outlines.

    Parameters
    ----------
    rgba : (H, W, 4) ndarray of uint8
        Straight alpha.
    plan : OutlinePlan
        How.
    tick : Tick
        Told how far it has come.

    Raises
    ------
    BadParameterError
        Nothing of it is at least half solid, or it is made of more specks than are traced.
    """
    height, width = rgba.shape[:2]
    rgba = plan.limit(rgba)
    if plan.cutoff is not None:
        paints = [Paint(_find_rim_colour(rgba), "outline", _find_tone(rgba, plan.cutoff))]
    elif plan.colours == 1 or plan.as_strokes:
        paints = [Paint(_find_rim_colour(rgba), "outline", rgba[..., 3])]
    else:
        paints = find_layers(rgba, plan.colours, plan.merged)
    found: list[tuple[Paint, list[Ring]]] = []
    dropped = 0
    names = dict(plan.names)
    for paint in paints:
        rings = find_contours(np.ascontiguousarray(paint.field), HALF)
        large = list(list_larger(rings, plan.smallest_px))
        dropped += len(rings) - len(large)
        found.append((paint, large))
    count = sum(len(rings) for _, rings in found)
    _require_traceable(count, plan)
    # a middle is told from all the ink across it, and is far less off than a contour
    noise = _MIDDLE_NOISE_PX if plan.as_strokes else measure_noise([r for _, rings in found for r in rings])  # fmt: skip
    if (
        len(paints) > 1
    ):  # where two colours meet, how much is of which is known less surely than how much is clear
        noise = max(noise, _MIXED_NOISE_PX)
    by_noise = max(_TOLERANCE_PX, _TOLERANCE_NOISE * noise)
    tolerance = by_noise if plan.tolerance_px == "auto" else plan.tolerance_px
    outlines = Outlines(width, height, (), tolerance, noise, dropped)
    if plan.as_strokes:
        strokes = find_strokes(np.ascontiguousarray(rgba[..., 3]), tolerance, noise)
        return replace(outlines, layers=(Layer(paints[0].rgb, "strokes", strokes=strokes),))
    ways = _find_ways([ring for _, rings in found for ring in rings], plan)
    traced = [
        _Traced(number, ring, _UNTRACED, ways.get(id(ring)) == "as_it_is")
        for number, (_, rings) in enumerate(found)
        for ring in rings
        if ways.get(id(ring)) != "left_out"
    ]
    _trace_all(traced, ways, tolerance, noise, tick)
    regular = _make_regular(traced, noise)
    _part_crossing(traced)
    layers = []
    for number, (paint, _) in enumerate(found):
        own = tuple(one.path for one in traced if one.layer == number)
        if own:
            layers.append(
                Layer(paint.rgb, names.get(paint.rgb, paint.name), own, gradient=paint.gradient)
            )
    return replace(outlines, layers=tuple(layers), regular=regular)


@dataclass(slots=True, eq=False)
class _Traced:
    """A ring of a layer, by its number, and its path; a kept one is its contour."""

    layer: int
    ring: Ring
    path: Path
    is_kept: bool


def _trace_all(traced: list[_Traced], ways: dict[int, PieceWay], tolerance: float, noise: float, tick: Tick) -> None:  # fmt: skip
    """Trace rings, the longest first, so that none is waited for at the end."""
    total = max(1, sum(len(one.ring) for one in traced))
    done = 0

    def run(one: _Traced) -> None:
        nonlocal done
        tick(min(1.0, done / total))
        one.path = _trace(one.ring, ways.get(id(one.ring)), tolerance, noise)
        done += len(one.ring)

    work_through(run, sorted(traced, key=lambda one: -len(one.ring)))


def _make_regular(traced: list[_Traced], noise_px: float) -> Regular:
    """Make what is regular of paths exact, where their rings are explained as well by it."""
    free = [one for one in traced if not one.is_kept]
    made, regular = make_regular([one.path for one in free], noise_px)
    for one, path in zip(free, made, strict=True):
        if path is one.path:
            continue
        known = with_distance(path, one.ring)
        if known.mean_px <= one.path.mean_px + _AS_WELL * noise_px:
            one.path = known
    return regular


def _part_crossing(traced: list[_Traced]) -> None:
    """Mend what crosses itself, or another path of its layer."""
    for number in {one.layer for one in traced}:
        own = [one for one in traced if one.layer == number]
        parted = part_crossing([one.path for one in own], [one.ring for one in own])
        for one, path in zip(own, parted, strict=True):
            one.path = path


def _find_ways(rings: list[Ring], plan: OutlinePlan) -> dict[int, PieceWay]:
    """Return what becomes of those rings that somebody decided on: of all around a place, the smallest."""
    found: dict[int, PieceWay] = {}
    for x, y, way in plan.pieces:
        around = [
            r for r in rings if cv2.pointPolygonTest(r.astype(np.float32), (x, y), False) >= 0
        ]
        if around:
            found[id(min(around, key=lambda ring: abs(measure_area(ring))))] = way
    return found


def _trace(ring: Ring, way: PieceWay | None, tolerance_px: float, noise_px: float) -> Path:
    if way == "as_it_is":
        return keep_ring(ring)
    loose = _LOOSER * tolerance_px if way == "simpler" else tolerance_px
    return trace_ring(ring, loose, loose / _TOLERANCE_NOISE if way == "simpler" else noise_px)


def _require_traceable(count: int, plan: OutlinePlan) -> None:
    if not count:
        raise BadParameterError(
            f"Nothing here is at least half solid and {plan.smallest_px:g} px² large, so there is no outline.",
            hint="Look at the cut, or trace by tone with a cutoff.",
            field="outlines",
        )
    if count > MOST_RINGS:
        raise BadParameterError(
            f"This has {count:,} outlines; at most {MOST_RINGS:,} are traced.",
            hint="Drop the dust, or let small areas go.",
            field="smallest_px",
        )


def _find_rim_colour(rgba: Rgba) -> tuple[int, int, int]:
    """Return the colour that a silhouette is filled with: what stands along its rim in the middle of all."""
    mask = (rgba[..., 3] >= _SOLID).astype(np.uint8)
    inner = cv2.erode(mask, np.ones((3, 3), np.uint8), iterations=_RIM_PX, borderValue=1)
    solid = rgba[(mask > 0) & (inner == 0)][:, :3]
    if not len(solid):
        return (0, 0, 0)
    step = max(1, len(solid) // 200_000)
    r, g, b = np.median(solid[::step], axis=0).round().astype(int).tolist()
    return r, g, b


def _find_tone(rgba: Rgba, cutoff: float) -> Rgba:
    """Return how far the cut, laid on white, is darker than a lightness: 127.5 where it is just that."""
    alpha = rgba[..., 3:].astype(np.float32) / 255
    shown = rgba[..., :3].astype(np.float32) / 255 * alpha + 1 - alpha
    lightness = cv2.cvtColor(shown, cv2.COLOR_RGB2Lab)[..., 0]
    share = max(min(cutoff, 100 - cutoff), 1.0)  # so that both ends of the scale are kept
    found: Rgba = np.clip(127.5 + 127.5 * (cutoff - lightness) / share, 0, 255).round().astype(np.uint8)  # fmt: skip
    return found
