"""Grounds that change slowly over the picture: paper under a lamp, and cloth of one strong hue.

The surface is grown from the border through smooth places of like hue, fitted by a low-order polynomial
in log linear light, and corrected locally by what is left over, carried on under the figure from coarse
to fine. It is a smooth thing, so it is measured on a reduced picture; noise is measured at full size.
"""

import math
from dataclasses import dataclass
from typing import ClassVar

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.average import average_rgb
from tidymargin.core.colour import LINEAR_OF_U8, linear_to_oklab, linear_to_srgb, srgb_to_linear
from tidymargin.core.errors import NoGroundError
from tidymargin.core.ground import frame_mask, frame_places, to_hex
from tidymargin.core.levels import measure_levels
from tidymargin.core.picture import Picture, Region
from tidymargin.core.shade import FINE_LINEAR, shade_away_kernel, to_fine_linear_kernel

GRID_SIDE_PX = 512
"""Longer side of the grid that a surface is kept on."""

_SHADE_STEP = 0.4  # steps of the map that the surface is grown through, in units of difference
_LOG_FLOOR = 0.002  # keeps the logarithm of black finite
_MOST_LEFT_OVER = 6.0  # leftovers above this are never ground
_SAMPLES = 200_000


@dataclass(frozen=True, slots=True, eq=False)
class SurfaceGround:
    """A smooth surface.

    Parameters
    ----------
    grid_rgb : (h, w, 3) ndarray of float32
        Display-coded colours, 0 to 255, at the middles of h x w equal cells of the picture.
    height, width : int
        The picture's size in pixels.
    noise, border_share : float
        See `Ground`.
    """

    grid_rgb: NDArray[np.float32]
    height: int
    width: int
    noise: float
    border_share: float
    kind: ClassVar[str] = "paper"
    shade_weight: ClassVar[float] = 1.0
    is_even: ClassVar[bool] = False

    @property
    def hex(self) -> str:
        """The colour where the surface is lit best, as #RRGGBB."""
        bright = self.grid_rgb.sum(axis=2)
        return to_hex(np.median(self.grid_rgb[bright >= np.quantile(bright, 0.9)], axis=0))

    def over(self, region: Region) -> NDArray[np.float32]:
        """Return the surface's colour at every pixel of a region, (h, w, 3) float32, 0 to 255."""
        out = np.empty((region.height, region.width, 3), np.float32)
        _interpolate_kernel(
            self.grid_rgb, region.top, region.left,
            self.grid_rgb.shape[0] / self.height, self.grid_rgb.shape[1] / self.width, out,
        )  # fmt: skip
        return out

    def describe_shade(self) -> tuple[float, int, int]:
        """Return how much darker, 0 to 1, the darkest ninth of the surface is, and its row and col, 0 to 2."""
        linear = srgb_to_linear(self.grid_rgb / 255).mean(axis=2).astype(np.float32)
        ninths = np.asarray(cv2.resize(linear, (3, 3), interpolation=cv2.INTER_AREA))
        row, col = (int(v) for v in np.unravel_index(int(ninths.argmin()), (3, 3)))
        return 1 - float(ninths[row, col] / max(1e-6, float(ninths.max()))), row, col


class ScreenGround(SurfaceGround):
    """Cloth of one strong hue: creases change its shade, so shade counts for less than hue."""

    __slots__ = ()
    kind: ClassVar[str] = "screen"
    shade_weight: ClassVar[float] = 0.4


@njit(cache=True, nogil=True, inline="always")
def _between(place, most):  # type: ignore[no-untyped-def]
    """Return the two grid lines around a place and the share of the second."""
    place = min(max(place, 0.0), most - 1.0)
    first = min(int(place), max(0, most - 2))
    return first, min(first + 1, most - 1), np.float32(place - first)


@njit(cache=True, nogil=True)
def _interpolate_kernel(grid, top, left, per_row, per_col, out):  # type: ignore[no-untyped-def]
    """Blend the grid linearly: its lines down to a row first, and then along that row."""
    line = np.empty((grid.shape[1], 3), np.float32)
    width = out.shape[1]
    first, second, share = (
        np.empty(width, np.int32),
        np.empty(width, np.int32),
        np.empty(width, np.float32),
    )
    for col in range(width):
        first[col], second[col], share[col] = _between(
            (left + col + 0.5) * per_col - 0.5, grid.shape[1]
        )
    for row in range(out.shape[0]):
        y0, y1, down = _between((top + row + 0.5) * per_row - 0.5, grid.shape[0])
        for col in range(grid.shape[1]):
            for channel in range(3):
                upper = grid[y0, col, channel]
                line[col, channel] = upper + down * (grid[y1, col, channel] - upper)
        for col in range(width):
            x0, x1, right = first[col], second[col], share[col]
            for channel in range(3):
                before = line[x0, channel]
                out[row, col, channel] = before + right * (line[x1, channel] - before)


@njit(cache=True, nogil=True)
def _places_away_kernel(rgb, grid, rows, cols, linear, fine, weight, out):  # type: ignore[no-untyped-def]
    """Fill how far places of the whole picture are from the surface, in units of difference."""
    per_row, per_col = grid.shape[0] / rgb.shape[0], grid.shape[1] / rgb.shape[1]
    colour = np.empty(3, np.float32)
    for number in range(len(rows)):
        row, col = rows[number], cols[number]
        y0, y1, down = _between((row + 0.5) * per_row - 0.5, grid.shape[0])
        x0, x1, right = _between((col + 0.5) * per_col - 0.5, grid.shape[1])
        for channel in range(3):
            one, two = grid[y0, x0, channel], grid[y0, x1, channel]
            one += down * (grid[y1, x0, channel] - one)
            two += down * (grid[y1, x1, channel] - two)
            colour[channel] = one + right * (two - one)
        seen = (linear[rgb[row, col, 0]], linear[rgb[row, col, 1]], linear[rgb[row, col, 2]])
        under = to_fine_linear_kernel(fine, colour[0], colour[1], colour[2])
        out[number] = 100.0 * shade_away_kernel(seen, under, weight)


@njit(cache=True, nogil=True)
def _surface_away_kernel(linear, logs, weight, out):  # type: ignore[no-untyped-def]
    """Fill how far a reduced picture is from a surface of log linear light, in units of difference."""
    for row in range(out.shape[0]):
        for col in range(out.shape[1]):
            seen = (linear[row, col, 0], linear[row, col, 1], linear[row, col, 2])
            under = (
                min(1.0, max(0.0, math.exp(logs[row, col, 0]) - _LOG_FLOOR)),
                min(1.0, max(0.0, math.exp(logs[row, col, 1]) - _LOG_FLOOR)),
                min(1.0, max(0.0, math.exp(logs[row, col, 2]) - _LOG_FLOOR)),
            )
            out[row, col] = 100.0 * shade_away_kernel(seen, under, weight)


@njit(cache=True, nogil=True)
def _weigh_kernel(values, weight, out):  # type: ignore[no-untyped-def]
    """Fill values times their places' weight."""
    for row in range(out.shape[0]):
        for col in range(out.shape[1]):
            for channel in range(3):
                out[row, col, channel] = values[row, col, channel] * weight[row, col]


@njit(cache=True, nogil=True)
def _mean_kernel(sums, weight, least, out):  # type: ignore[no-untyped-def]
    """Fill weighed sums over their weight, which counts as `least` where it is less."""
    for row in range(out.shape[0]):
        for col in range(out.shape[1]):
            for channel in range(3):
                out[row, col, channel] = sums[row, col, channel] / max(weight[row, col], least)


@njit(cache=True, nogil=True)
def _blend_kernel(values, weight, others):  # type: ignore[no-untyped-def]
    """Mix values, in place, with others where their weight is below 1."""
    for row in range(values.shape[0]):
        for col in range(values.shape[1]):
            kept = min(np.float32(1.0), max(np.float32(0.0), weight[row, col]))
            if kept == 1.0:
                continue
            for channel in range(3):
                other = others[row, col, channel] * (np.float32(1.0) - kept)
                values[row, col, channel] = values[row, col, channel] * kept + other


@dataclass(frozen=True, slots=True, eq=False)
class Reduced:
    """A picture averaged down to the grid.

    Parameters
    ----------
    linear, lab : (h, w, 3) ndarray of float32 and of float64
        Its linear light, 0 to 1, and that in OKLab.
    solid : (h, w) ndarray of bool
        Where it came in solid.
    """

    linear: NDArray[np.float32]
    lab: NDArray[np.float64]
    solid: NDArray[np.bool_]


def reduce_picture(picture: Picture, side_px: int = GRID_SIDE_PX) -> Reduced:
    """Average a picture down to the grid that surfaces are measured on, so many pixels along its longer side."""
    scale = max(1.0, max(picture.height, picture.width) / side_px)
    size = (max(1, round(picture.width / scale)), max(1, round(picture.height / scale)))
    small = average_rgb(picture.rgb, size[1], size[0])
    linear = LINEAR_OF_U8[small]
    solid = np.ones(small.shape[:2], bool)
    if picture.alpha is not None:
        came_solid = (picture.alpha == 255).astype(np.float32)
        solid = np.asarray(cv2.resize(came_solid, size, interpolation=cv2.INTER_AREA)) > 0.999
    return Reduced(linear, linear_to_oklab(linear), solid)


def _roughness(lab: NDArray[np.float64]) -> NDArray[np.float32]:
    """Return the largest difference between a place and its four neighbours."""
    out = np.zeros(lab.shape[:2], np.float32)
    for axis in (0, 1):
        step = 100 * np.linalg.norm(np.diff(lab, axis=axis), axis=2).astype(np.float32)
        first = (slice(None, -1), slice(None)) if axis == 0 else (slice(None), slice(None, -1))
        second = (slice(1, None), slice(None)) if axis == 0 else (slice(None), slice(1, None))
        out[first] = np.maximum(out[first], step)
        out[second] = np.maximum(out[second], step)
    return out


def _grow(
    lab: NDArray[np.float64],
    solid: NDArray[np.bool_],
    is_screen: bool,
    pull: NDArray[np.float64] | None,
) -> NDArray[np.bool_]:
    """Return the places that the border's commonest ground hangs together with, in small steps."""
    frame = frame_mask(*solid.shape) & solid
    rough = cv2.GaussianBlur(_roughness(lab), (0, 0), 0.8)
    calm = float(np.quantile(rough[frame], 0.4))
    smooth = frame & (rough <= max(1.0, 2.5 * calm))
    if smooth.sum() < 8:
        smooth = frame
    hue = lab[..., 1:] / np.maximum(lab[..., :1], 0.15)  # steady under a change of light
    if pull is not None:
        centre = pull[1:] / max(float(pull[0]), 0.15)
    else:
        centre = _commonest_hue(hue[smooth], lab[smooth][:, 0], is_screen)
    reach = 0.09 if is_screen else 0.035
    like = np.linalg.norm(hue - centre, axis=2) <= reach
    light = lab[..., 0]
    seeds = smooth & like
    if not seeds.any():
        return np.zeros(solid.shape, bool)
    # a dark figure at the border may have the paper's hue: start from the lighter part
    seeds &= light >= np.quantile(light[seeds], 0.9) - (0.3 if is_screen else 0.16)
    steps = np.minimum(rough / _SHADE_STEP, 250).astype(np.uint8)
    steps[~(like & solid)] = 255
    levels = measure_levels(steps, np.flatnonzero(seeds))
    return np.asarray(levels <= max(4, int(3.0 * calm / _SHADE_STEP)))


def _commonest_hue(
    hue: NDArray[np.float64], light: NDArray[np.float64], is_screen: bool
) -> NDArray[np.float64]:
    """Return the densest place among hues; dark places, whose hue is uncertain, count less."""
    weight = np.clip(light, 0.05, 1) ** 2
    if is_screen:
        weight = weight * np.minimum(1, np.linalg.norm(hue, axis=1) / 0.1)
    bins = np.floor(hue / 0.02).astype(np.int64) + 100
    key = np.clip(bins[:, 0], 0, 199) * 200 + np.clip(bins[:, 1], 0, 199)
    crowd = np.bincount(key, weights=weight, minlength=40_000).reshape(200, 200)
    crowd = np.asarray(cv2.GaussianBlur(crowd, (3, 3), 0))
    row, col = np.unravel_index(int(crowd.argmax()), crowd.shape)
    middle = (np.array([row, col]) - 100 + 0.5) * 0.02
    near = np.linalg.norm(hue - middle, axis=1) <= 0.03
    return np.asarray(np.median(hue[near], axis=0) if near.any() else middle)


def _fit(logs: NDArray[np.float32], mask: NDArray[np.bool_]) -> NDArray[np.float32]:
    """Fit a polynomial up to degree 3 on a mask; its higher terms are held back, so that it stays sane beyond."""
    height, width = mask.shape
    down = np.vander(np.linspace(-1, 1, height), 4, increasing=True)
    across = np.vander(np.linspace(-1, 1, width), 4, increasing=True)
    terms = [(i, j) for i in range(4) for j in range(4 - i)]
    at = np.flatnonzero(mask)
    at = at[:: max(1, len(at) // 20_000)]
    rows, cols = np.divmod(at, width)
    known = np.stack([across[cols, i] * down[rows, j] for i, j in terms], axis=1)
    values = logs.reshape(-1, 3)[at]
    degree = np.array([i + j for i, j in terms], np.float64)
    hold = np.diag(1e-5 * len(at) * np.maximum(0, degree - 1) ** 2)
    solved = np.linalg.solve(known.T @ known + hold + 1e-9 * np.eye(len(degree)), known.T @ values)
    weights = np.zeros((4, 4, 3))
    for term, (i, j) in enumerate(terms):
        weights[j, i] = solved[term]
    along = np.tensordot(down, weights, axes=1)
    found = np.einsum(
        "hic,wi->hwc", along.astype(np.float32), across.astype(np.float32), optimize=True
    )
    return np.ascontiguousarray(found)


def _weighed(values: NDArray[np.float32], weight: NDArray[np.float32]) -> NDArray[np.float32]:
    out = np.empty(values.shape, np.float32)
    _weigh_kernel(values, weight, out)
    return out


def _mean_of(
    sums: NDArray[np.float32], weight: NDArray[np.float32], least: float
) -> NDArray[np.float32]:
    out = np.empty(sums.shape, np.float32)
    _mean_kernel(sums, weight, np.float32(least), out)
    return out


def _carry_on(values: NDArray[np.float32], weight: NDArray[np.float32]) -> None:
    """Fill places without weight, in place, from coarser and coarser averages of those with it."""
    height, width = weight.shape
    if min(height, width) <= 2 or bool((weight > 0.9).all()):
        total = max(float(weight.sum()), 1e-6)
        mean = _weighed(values, weight).sum(axis=(0, 1)) / np.float32(total)
        _blend_kernel(values, weight, np.ascontiguousarray(np.broadcast_to(mean, values.shape)))
        return
    half = ((width + 1) // 2, (height + 1) // 2)
    coarse_weight = np.asarray(cv2.resize(weight, half, interpolation=cv2.INTER_AREA), np.float32)
    sums = cv2.resize(_weighed(values, weight), half, interpolation=cv2.INTER_AREA)
    coarse = _mean_of(np.asarray(sums, np.float32), coarse_weight, 1e-6)
    _carry_on(coarse, np.minimum(1, 2 * coarse_weight))
    smooth = cv2.GaussianBlur(
        cv2.resize(coarse, (width, height), interpolation=cv2.INTER_LINEAR), (0, 0), 1.0
    )
    _blend_kernel(values, weight, np.asarray(smooth))


def measure_surface(
    picture: Picture,
    kind: type[SurfaceGround] = SurfaceGround,
    rgb_srgb: tuple[float, float, float] | None = None,
    reduced: Reduced | None = None,
) -> SurfaceGround:
    """Find the smooth surface that the border shows.

    Parameters
    ----------
    picture : Picture
        Pixels that came in transparent are never evidence.
    kind : type
        `SurfaceGround` for paper, `ScreenGround` for cloth of a strong hue.
    rgb_srgb : tuple of 3 float, optional
        A colour that a person said the ground has somewhere, 0 to 255.
    reduced : Reduced, optional
        The same picture's, where it is at hand.

    Returns
    -------
    SurfaceGround
        Of the kind asked for.

    Raises
    ------
    NoGroundError
        The border has no solid pixel.
    """
    reduced = reduced or reduce_picture(picture)
    linear, lab, solid = reduced.linear, reduced.lab, reduced.solid
    if not (frame_mask(*solid.shape) & solid).any():
        raise NoGroundError(
            "The border of this picture is transparent already, so it shows no ground.",
            hint="Say which colour is the ground.",
            field="colour",
        )
    pull = None if rgb_srgb is None else linear_to_oklab(srgb_to_linear(np.array(rgb_srgb) / 255))
    is_screen = kind is ScreenGround
    mask = _grow(lab, solid, is_screen, pull)
    height, width = solid.shape
    logs = np.log(linear + np.float32(_LOG_FLOOR))
    surface = logs
    away = np.empty(solid.shape, np.float32)
    spread = 1.0
    for turn in range(4):
        sound = _shrink(mask) if _shrink(mask).sum() > 50 else mask
        if not sound.any():
            sound = frame_mask(height, width) & solid
        surface = _fit(logs, sound)
        if turn:  # the polynomial alone cannot follow a fold: judge by what is carried on locally
            surface = surface + _left_over(logs - surface, sound)
        _surface_away_kernel(linear, surface, kind.shade_weight, away)
        spread = max(0.25, 1.4826 * float(np.median(away[sound])))
        mask = solid & (away <= min(_MOST_LEFT_OVER, 4.0 * spread + 0.3))
        mask = _joined(mask, sound)
    sound = _shrink(mask)
    if (
        not sound.any()
    ):  # nothing is even, as where one line is all there is: the border stands for it
        sound = mask if mask.any() else frame_mask(height, width) & solid
    surface = _fit(logs, sound)
    surface = surface + _left_over(logs - surface, sound)
    rgb = linear_to_srgb(np.clip(np.exp(np.minimum(surface, 1)) - _LOG_FLOOR, 0, 1)) * 255
    found = kind(rgb.astype(np.float32), picture.height, picture.width, 0.0, 0.0)
    return _with_noise(picture, found, sound)


def _shrink(mask: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Take the mask in by a little, away from rims that are ground only in part."""
    padded = np.pad(mask.astype(np.uint8), 2, constant_values=1)
    return np.asarray(cv2.erode(padded, np.ones((5, 5), np.uint8)))[2:-2, 2:-2] > 0


def _joined(mask: NDArray[np.bool_], sound: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Keep the pieces of a mask that have grown out of sound ground."""
    count, labels = cv2.connectedComponents(mask.astype(np.uint8), connectivity=4)
    grown = np.bincount(labels.ravel(), weights=sound.ravel(), minlength=count) > 0
    grown[0] = False
    return np.asarray(grown[labels])


def _left_over(rest: NDArray[np.float32], sound: NDArray[np.bool_]) -> NDArray[np.float32]:
    """Return what a surface leaves over on sound ground, smoothed, and carried on beyond it."""
    weight = sound.astype(np.float32)
    near = np.asarray(cv2.GaussianBlur(weight, (0, 0), 1.2), np.float32)
    sums = np.asarray(cv2.GaussianBlur(_weighed(rest, weight), (0, 0), 1.2), np.float32)
    smooth = _mean_of(sums, near, 1e-3)
    _carry_on(smooth, weight)
    return smooth


def _with_noise(picture: Picture, found: SurfaceGround, sound: NDArray[np.bool_]) -> SurfaceGround:
    """Measure grain on full-size pixels of sound ground, and how much of the border it explains."""
    random = np.random.default_rng(7)
    rows_of, cols_of = np.nonzero(sound)
    chosen = random.integers(0, max(1, len(rows_of)), min(_SAMPLES, 4 * picture.area_px))
    tall, wide = picture.height / sound.shape[0], picture.width / sound.shape[1]
    rows = ((rows_of[chosen] + random.random(len(chosen))) * tall).astype(int)
    cols = ((cols_of[chosen] + random.random(len(chosen))) * wide).astype(int)
    away = _full_size_away(picture, found, rows, cols)
    noise = float(np.quantile(away, 0.99))
    frame_rows, frame_cols = frame_places(picture.height, picture.width)
    pick = random.integers(0, len(frame_rows), min(20_000, len(frame_rows)))
    border = _full_size_away(picture, found, frame_rows[pick], frame_cols[pick])
    share = float(np.mean(border <= max(1.0, 1.5 * noise)))
    return type(found)(found.grid_rgb, found.height, found.width, round(noise, 2), share)


def _full_size_away(
    picture: Picture, found: SurfaceGround, rows: NDArray[np.int64], cols: NDArray[np.int64]
) -> NDArray[np.float32]:
    away = np.empty(len(rows), np.float32)
    _places_away_kernel(
        picture.rgb, found.grid_rgb, rows, cols, LINEAR_OF_U8, FINE_LINEAR, found.shade_weight, away
    )
    return away
