"""Smooth runs of colour: regions whose colours one straight or round gradient explains within their grain."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

Rgb = tuple[int, int, int]
Point = tuple[float, float]
Places = NDArray[np.float64]

_SAMPLES = 8_000
_LEAST_SHARE, _LEAST_PX = 0.004, 300  # of what is solid, and px at least, that a gradient fills
_LEAST_RANGE = 14.0  # levels, rms, that its colours differ from their mean: less is one colour
_BINS = 16  # of a profile that may be anything
_MOST_STOPS = 6
_OFF, _OFF_GRAIN = (
    2.2,
    1.5,
)  # levels, rms, and by the region's grain, that a gradient may be off
_AS_GOOD = (
    1.12  # times as far off as any profile, with fewer stops; and a straight one than a round one
)
_BELONGS = 2.0  # times as far off as it is itself, that a further region may be
_NEAR_OFF, _NEAR_LEVELS = 4.0, 6.0  # times as far off, and levels at least, that a place of it is
_FURTHER_PX = 64  # beyond its smooth places
_SOLID = 128
_FAR_OUT = 8.0  # sizes of its region that the middle of a round one may be away
_MOST_GRADIENTS = 12


@dataclass(frozen=True, slots=True)
class Gradient:
    """A run of colours.

    Parameters
    ----------
    kind : str
        ``linear``, from start to end, or ``radial``, from start outwards; end lies on its last ring.
    start, end : tuple of 2 float
        x and y, px.
    stops : tuple of (float, (int, int, int))
        How far along, 0 to 1, in order, and the colour there, display-coded sRGB.
    """

    kind: Literal["linear", "radial"]
    start: Point
    end: Point
    stops: tuple[tuple[float, Rgb], ...]

    @property
    def rgb(self) -> Rgb:
        """Its mean colour, by which it is named."""
        at = np.linspace(0, 1, 33)
        r, g, b = np.round(self._find_colours(at).mean(axis=0)).astype(int).tolist()
        return r, g, b

    @property
    def radius(self) -> float:
        """How far its end is from its start, px."""
        return float(np.hypot(self.end[0] - self.start[0], self.end[1] - self.start[1]))

    def find_colours(self, places: Places) -> Places:
        """Return its colours, (N, 3), 0 to 255, at places (N, 2), x and y."""
        return self._find_colours(_find_along(self.kind, np.array(self.start), np.array(self.end), places))  # fmt: skip

    def _find_colours(self, along: NDArray[np.float64]) -> Places:
        at = [share for share, _ in self.stops]
        colours = np.array([rgb for _, rgb in self.stops], np.float64)
        return np.column_stack([np.interp(along, at, colours[:, k]) for k in range(3)])


def _find_along(kind: str, start: NDArray[np.float64], end: NDArray[np.float64], places: Places) -> NDArray[np.float64]:  # fmt: skip
    way = end - start
    length = max(float(np.hypot(*way)), 1e-9)
    if kind == "radial":
        return np.asarray(np.hypot(*(places - start).T) / length)
    return np.asarray((places - start) @ way / length**2)


def find_gradients(rgba: NDArray[np.uint8], smooth: NDArray[np.bool_]) -> list[tuple[NDArray[np.bool_], Gradient]]:  # fmt: skip
    """Return the gradients of a cut, and where each is, the largest first.

    Parameters
    ----------
    rgba : (H, W, 4) ndarray of uint8
        Straight alpha.
    smooth : (H, W) ndarray of bool
        Where it is solid, and like all that is beside it.
    """
    count, labels, stats, _ = cv2.connectedComponentsWithStats(smooth.astype(np.uint8), connectivity=4)  # fmt: skip
    parts, about = np.asarray(labels, np.int32), np.asarray(stats, np.int32)
    solid = max(1, int(np.count_nonzero(rgba[..., 3] >= _SOLID)))
    sizes = about[:, cv2.CC_STAT_AREA]
    left = [k for k in np.argsort(-sizes, kind="stable").tolist() if k and sizes[k] >= _LEAST_PX]
    grain = _measure_grain(rgba, smooth)
    samples = {k: _sample(rgba, parts, about, k) for k in left}
    found: list[tuple[NDArray[np.bool_], Gradient]] = []
    while left and len(found) < _MOST_GRADIENTS:
        k = left.pop(0)
        places, colours = samples[k]
        if sizes[k] < _LEAST_SHARE * solid:
            break
        fitted = fit_gradient(places, colours, max(_OFF, _OFF_GRAIN * grain))
        if fitted is None:
            continue
        gradient, off = fitted
        own = [k, *(j for j in left if _belongs(samples[j], gradient, off))]
        takes = np.zeros(count, np.bool_)
        takes[own] = True
        where = _grow(rgba, takes[parts], gradient, off)
        for other, _ in found:
            where &= ~other
        found.append((where, gradient))
        left = [j for j in left if j not in own and _count_at(where, samples[j]) < 0.5]
    return found


def _grow(rgba: NDArray[np.uint8], own: NDArray[np.bool_], gradient: Gradient, off: float) -> NDArray[np.bool_]:  # fmt: skip
    """Return a gradient's places with what hangs together with them and has its colours, however steep it runs there."""
    left, top, wide, tall = cv2.boundingRect(own.astype(np.uint8))
    rows = slice(max(0, top - _FURTHER_PX), top + tall + _FURTHER_PX)
    cols = slice(max(0, left - _FURTHER_PX), left + wide + _FURTHER_PX)
    part = rgba[rows, cols]
    xs = np.arange(part.shape[1]) + cols.start + 0.5
    fits = np.empty(part.shape[:2], np.bool_)
    for number, line in enumerate(part):  # a row at once, so that little is held
        places = np.column_stack([xs, np.full(len(xs), number + rows.start + 0.5)])
        gap = np.abs(gradient.find_colours(places) - line[:, :3]).max(axis=1)
        fits[number] = (gap <= max(_NEAR_OFF * off, _NEAR_LEVELS)) & (line[:, 3] >= _SOLID)
    count, parts = cv2.connectedComponents(
        (fits | own[rows, cols]).astype(np.uint8), connectivity=4
    )
    takes = np.zeros(count, np.bool_)
    takes[np.unique(parts[own[rows, cols]])] = True
    takes[0] = False
    found = np.zeros(own.shape, np.bool_)
    found[rows, cols] = takes[parts]
    return found


def _count_at(where: NDArray[np.bool_], sample: tuple[Places, Places]) -> float:
    """Return which share of a region's places lies there."""
    cols, rows = sample[0].astype(np.int64).T
    return float(where[rows, cols].mean())


def _measure_grain(rgba: NDArray[np.uint8], smooth: NDArray[np.bool_]) -> float:
    """Return how far single places are from the mean around them, levels, rms."""
    if not smooth.any():
        return 0.0
    rgb = np.ascontiguousarray(rgba[..., :3])
    step = max(1, len(rgb) // 800)
    rows = slice(0, len(rgb), step)
    mean = cv2.blur(rgb, (5, 5)).astype(np.int16)
    inner = cv2.erode(smooth.astype(np.uint8), np.ones((5, 5), np.uint8))[rows] > 0
    off = (rgb[rows].astype(np.int16) - mean[rows])[inner]
    return float(np.sqrt(np.mean(off.astype(np.float64) ** 2))) if len(off) else 0.0


def _sample(rgba: NDArray[np.uint8], parts: NDArray[np.int32], about: NDArray[np.int32], k: int) -> tuple[Places, Places]:  # fmt: skip
    """Return places of a region, x and y, and their colours."""
    left, top, wide, tall, area = about[k].tolist()
    within = parts[top : top + tall, left : left + wide] == k
    rows, cols = np.nonzero(within)
    step = max(1, area // _SAMPLES)
    rows, cols = rows[::step] + top, cols[::step] + left
    return np.column_stack([cols + 0.5, rows + 0.5]), rgba[rows, cols, :3].astype(np.float64)


def _belongs(sample: tuple[Places, Places], gradient: Gradient, off: float) -> bool:
    places, colours = sample
    return _rms(gradient.find_colours(places) - colours) <= _BELONGS * max(off, _OFF)


def _rms(off: NDArray[np.float64]) -> float:
    return float(np.sqrt(np.mean(off**2)))


def fit_gradient(places: Places, colours: Places, most_off: float) -> tuple[Gradient, float] | None:
    """Return the gradient that explains colours at places, and how far it is off, levels rms; None where none does."""
    spread = _rms(colours - colours.mean(axis=0))
    if spread < _LEAST_RANGE:
        return None
    tries = [_lay_straight(places, colours), *_lay_round(places, colours)]
    measured = [(_rms_of_profile(kind, start, end, places, colours), kind, start, end) for kind, start, end in tries]  # fmt: skip
    straight = measured[0]
    best = min(measured, key=lambda one: one[0])
    off, kind, start, end = straight if straight[0] <= _AS_GOOD * best[0] else best
    if off > most_off or spread < 3 * off:
        return None
    along = _find_along(kind, start, end, places)
    if kind == "radial":
        # its last ring is where its region ends
        reach = float(along.max())
        end, along = start + (end - start) * reach, along / max(reach, 1e-9)
    for count in range(2, _MOST_STOPS + 1):
        at = np.linspace(float(along.min()) if kind == "radial" else 0.0, 1, count)
        values = _fit_stops(along, at, colours)
        off_now = _rms(_interpolate(along, at, values) - colours)
        if off_now <= max(_AS_GOOD * off, 1.0) or count == _MOST_STOPS:
            break
    if off_now > most_off:
        return None
    stops = tuple((round(float(t), 4), _to_rgb(value)) for t, value in zip(at, values, strict=True))
    return Gradient("radial" if kind == "radial" else "linear", (float(start[0]), float(start[1])), (float(end[0]), float(end[1])), stops), off_now  # fmt: skip


def _to_rgb(value: NDArray[np.float64]) -> Rgb:
    r, g, b = np.clip(np.round(value), 0, 255).astype(int).tolist()
    return r, g, b


def _lay_straight(places: Places, colours: Places) -> tuple[str, NDArray[np.float64], NDArray[np.float64]]:  # fmt: skip
    """Return from where to where a straight gradient runs: the way in which colours differ most, as far as there are places."""
    base = places.mean(axis=0)
    slopes = np.linalg.lstsq(places - base, colours - colours.mean(axis=0), rcond=None)[0]
    way = np.linalg.svd(slopes)[0][:, 0]
    along = (places - base) @ way
    return "linear", base + along.min() * way, base + along.max() * way


def _lay_round(places: Places, colours: Places) -> Iterator[tuple[str, NDArray[np.float64], NDArray[np.float64]]]:  # fmt: skip
    """Yield from where outwards a round gradient may run: from where a bowl through its colours has its bottom, moved to where it explains most."""
    base = places.mean(axis=0)
    size = max(float(np.ptp(places, axis=0).max()), 1.0)
    x, y = ((places - base) / size).T
    system = np.column_stack([np.ones_like(x), x, y, x * x + y * y])
    bowl = np.linalg.lstsq(system, colours, rcond=None)[0]
    channel = int(np.abs(bowl[3]).argmax())
    if abs(bowl[3, channel]) < 1e-6:
        return
    middle = base - size * bowl[1:3, channel] / (2 * bowl[3, channel])
    if np.hypot(*(middle - base)) > _FAR_OUT * size:
        return
    reach = np.array([size, 0.0])
    step = size / 4
    best = _rms_of_profile("radial", middle, middle + reach, places, colours)
    while step > 0.25:
        tries = [middle + step * np.array(way) for way in ((1, 0), (-1, 0), (0, 1), (0, -1))]
        offs = [_rms_of_profile("radial", at, at + reach, places, colours) for at in tries]
        k = int(np.argmin(offs))
        if offs[k] < best:
            best, middle = offs[k], tries[k]
        else:
            step /= 2
    yield "radial", middle, middle + reach


def _rms_of_profile(kind: str, start: NDArray[np.float64], end: NDArray[np.float64], places: Places, colours: Places) -> float:  # fmt: skip
    """Return how far colours are off the best profile along a gradient, levels rms."""
    along = _find_along(kind, start, end, places)
    at = np.linspace(float(along.min()), float(along.max()) + 1e-9, _BINS)
    return _rms(_interpolate(along, at, _fit_stops(along, at, colours)) - colours)


def _fit_stops(along: NDArray[np.float64], at: NDArray[np.float64], colours: Places) -> Places:
    """Return the colours at stops, (K, 3), that lie nearest to what is seen between them, by least squares."""
    place = np.clip((along - at[0]) / (at[1] - at[0]), 0, len(at) - 1 - 1e-9)
    k = place.astype(np.int64)
    share = place - k
    total, pull = np.zeros((len(at), len(at))), np.zeros((len(at), 3))
    for row, one in ((0, 1 - share), (1, share)):
        for col, other in ((0, 1 - share), (1, share)):
            np.add.at(total, (k + row, k + col), one * other)
        for channel in range(3):
            pull[:, channel] += np.bincount(k + row, one * colours[:, channel], len(at))
    total[np.diag_indices(len(at))] += 1e-6
    return np.asarray(np.linalg.solve(total, pull), np.float64)


def _interpolate(along: NDArray[np.float64], at: NDArray[np.float64], values: Places) -> Places:
    return np.column_stack([np.interp(along, at, values[:, k]) for k in range(3)])
