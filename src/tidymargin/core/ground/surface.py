"""Grounds that change slowly over the picture: paper under a lamp, and cloth of one strong hue.

The surface is grown from the border through smooth places of like hue, fitted by a low-order polynomial
in log linear light, and corrected locally by what is left over, carried on under the figure from coarse
to fine. It is a smooth thing, so it is measured on a reduced picture; noise is measured at full size.
"""

from dataclasses import dataclass, replace
from functools import lru_cache
from typing import ClassVar, TypeVar

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.base.average import average_rgb
from tidymargin.core.base.colour import (
    LINEAR_OF_U8,
    linear_to_oklab,
    linear_to_srgb,
    srgb_to_linear,
)
from tidymargin.core.base.errors import NoGroundError
from tidymargin.core.base.picture import Picture, Region
from tidymargin.core.ground.carrying import carry_on
from tidymargin.core.ground.kinds import FlatGround, frame_mask, frame_places, to_hex
from tidymargin.core.ground.lit import extend, find_lit, find_shade, fit_light
from tidymargin.core.ground.other_light import FINE_LINEAR, shade_away_kernel, to_fine_linear_kernel

GRID_SIDE_PX = 512
"""Longer side of the grid that a surface is kept on."""

LOG_FLOOR = 0.002
"""Of linear light: keeps the logarithm of black finite."""

_SAMPLES = 200_000  # for speed
_LEAST_SHADED = 0.002  # of the picture
_LEAST_SIDE = 32  # cells: in less an edge is not told from shade
_DARKEST_AND_LIGHTEST, _BRIGHT_AT, _NOISE_AT = (0.02, 0.98), 0.9, 0.99  # quantiles
_WHOLLY = 0.999  # of a cell; typed
_SHADE_CELLS = (5, 5)  # around shade; typed
_BORDER_SAMPLES, _SEED = 20_000, 7  # for speed; the same on every machine
_BEYOND_NOISE = 1.5  # times the noise, up to which a border is this ground; typed


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
    lit_rgb : (h, w, 3) ndarray of float32, optional
        The same surface in its smooth light alone, without the shade that lies on it, where that is known.
    """

    grid_rgb: NDArray[np.float32]
    height: int
    width: int
    noise: float
    border_share: float
    lit_rgb: NDArray[np.float32] | None = None
    kind: ClassVar[str] = "paper"
    shade_weight: ClassVar[float] = 1.0
    is_even: ClassVar[bool] = False

    @property
    def hex(self) -> str:
        """The colour where the surface is lit best, as #RRGGBB."""
        return _find_brightest(self)

    def over(self, region: Region) -> NDArray[np.float32]:
        """Return the surface's colour at every pixel of a region, (h, w, 3) float32, 0 to 255."""
        return self._spread(self.grid_rgb, region)

    def lit_over(self, region: Region) -> NDArray[np.float32]:
        """Return its colour without the shade on it, as far as that is known, as `over` does."""
        return self._spread(self.grid_rgb if self.lit_rgb is None else self.lit_rgb, region)

    def _spread(self, grid: NDArray[np.float32], region: Region) -> NDArray[np.float32]:
        out = np.empty((region.height, region.width, 3), np.float32)
        _interpolate_kernel(
            grid, region.top, region.left,
            grid.shape[0] / self.height, grid.shape[1] / self.width, out,
        )  # fmt: skip
        return out

    @property
    def light_span(self) -> float:
        """How far its lightness varies along the picture's border, in units of difference."""
        linear = srgb_to_linear(self.grid_rgb[frame_mask(*self.grid_rgb.shape[:2])] / 255)
        low, high = np.quantile(linear_to_oklab(linear)[:, 0], _DARKEST_AND_LIGHTEST)
        return 100 * float(high - low)

    def describe_shade(self) -> tuple[float, int, int]:
        """Return how much darker, 0 to 1, the darkest ninth of the surface is, and its row and col, 0 to 2."""
        return _describe_shade(self)


# every page says these; a ground never changes, and few are looked at at a time
@lru_cache(maxsize=16)
def _find_brightest(ground: SurfaceGround) -> str:
    bright = ground.grid_rgb.sum(axis=2)
    return to_hex(np.median(ground.grid_rgb[bright >= np.quantile(bright, _BRIGHT_AT)], axis=0))


@lru_cache(maxsize=16)
def _describe_shade(ground: SurfaceGround) -> tuple[float, int, int]:
    linear = srgb_to_linear(ground.grid_rgb / 255).mean(axis=2).astype(np.float32)
    ninths = np.asarray(cv2.resize(linear, (3, 3), interpolation=cv2.INTER_AREA))
    row, col = (int(v) for v in np.unravel_index(int(ninths.argmin()), (3, 3)))
    return 1 - float(ninths[row, col] / max(1e-6, float(ninths.max()))), row, col


class ScreenGround(SurfaceGround):
    """Cloth of one strong hue: creases change its shade, so shade counts for less than hue."""

    __slots__ = ()
    kind: ClassVar[str] = "screen"
    shade_weight: ClassVar[float] = 0.4


class ShadedGround(SurfaceGround):
    """One even colour, with soft shade on it."""

    __slots__ = ()
    kind: ClassVar[str] = "flat"


class FilledGround(SurfaceGround):
    """Paper that one ink fills to the border: what its strokes close in is paper too."""

    __slots__ = ()


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
        solid = np.asarray(cv2.resize(came_solid, size, interpolation=cv2.INTER_AREA)) > _WHOLLY
    return Reduced(linear, linear_to_oklab(linear), solid)


_Surface = TypeVar("_Surface", bound=SurfaceGround)


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
            "The border of this picture is transparent already, so it shows no background.",
            hint="Say which colour is the background.",
            field="colour",
        )
    pull = None if rgb_srgb is None else linear_to_oklab(srgb_to_linear(np.array(rgb_srgb) / 255))
    logs = np.log(linear + np.float32(LOG_FLOOR))
    sound = find_lit(lab, logs, solid, is_screen=kind is ScreenGround, pull=pull)
    light = fit_light(logs, sound)
    rest = logs - light
    # a screen's creases are no shade that goes on under the figure
    surface = light + carry_on(*((rest, sound) if kind is ScreenGround else extend(rest, sound)))
    shape = picture.height, picture.width
    found = kind(
        _to_grid(surface), *shape, 0.0, 0.0, None if kind is ScreenGround else _to_grid(light)
    )
    return _with_noise(picture, found, sound)


def measure_shade(
    picture: Picture, flat: FlatGround, reduced: Reduced | None = None
) -> ShadedGround | None:
    """Return an even ground with the soft shade that lies on it; None where there is none.

    Parameters
    ----------
    picture : Picture
        The whole picture.
    flat : FlatGround
        As measured from it.
    reduced : Reduced, optional
        The same picture's, where it is at hand.
    """
    reduced = reduced or reduce_picture(picture)
    shows_any = bool((frame_mask(*reduced.solid.shape) & reduced.solid).any())
    if min(reduced.solid.shape) < _LEAST_SIDE or not shows_any:
        return None
    colour = srgb_to_linear(np.array(flat.rgb_srgb) / 255)
    logs = np.log(reduced.linear + np.float32(LOG_FLOOR))
    even = np.log(colour + LOG_FLOOR).astype(np.float32)
    sound, shaded = find_shade(reduced.lab, logs - even, reduced.solid, linear_to_oklab(colour))
    if shaded.sum() < _LEAST_SHADED * shaded.size:
        return None
    near = np.asarray(cv2.dilate(shaded.view(np.uint8), np.ones(_SHADE_CELLS, np.uint8))) > 0
    rest = np.where(near[..., None], logs - even, np.float32(0))
    surface = even + carry_on(*extend(rest, sound))
    grid = _to_grid(surface)
    lit = np.broadcast_to(np.array(flat.rgb_srgb, np.float32), grid.shape).copy()
    bare = ShadedGround(grid, picture.height, picture.width, 0.0, flat.border_share, lit)
    return replace(bare, noise=max(flat.noise, _with_noise(picture, bare, sound).noise))


def _to_grid(log_light: NDArray[np.float32]) -> NDArray[np.float32]:
    """Return display-coded colours, 0 to 255, of linear light in logarithms."""
    linear = np.clip(np.exp(np.minimum(log_light, 1)) - LOG_FLOOR, 0, 1)
    return np.asarray(linear_to_srgb(linear) * 255, np.float32)


def _with_noise(picture: Picture, found: _Surface, sound: NDArray[np.bool_]) -> _Surface:
    """Measure grain on full-size pixels of sound ground, and how much of the border it explains."""
    random = np.random.default_rng(_SEED)
    rows_of, cols_of = np.nonzero(sound)
    chosen = random.integers(0, max(1, len(rows_of)), min(_SAMPLES, 4 * picture.area_px))
    tall, wide = picture.height / sound.shape[0], picture.width / sound.shape[1]
    rows = ((rows_of[chosen] + random.random(len(chosen))) * tall).astype(int)
    cols = ((cols_of[chosen] + random.random(len(chosen))) * wide).astype(int)
    return with_noise(picture, found, rows, cols, random)


def with_noise(
    picture: Picture,
    found: _Surface,
    rows: NDArray[np.int64],
    cols: NDArray[np.int64],
    random: np.random.Generator | None = None,
) -> _Surface:
    """Return a surface with its grain at places that are ground, and with how much of the border it explains."""
    random = random or np.random.default_rng(_SEED)
    away = _full_size_away(picture, found, rows, cols)
    noise = float(np.quantile(away, _NOISE_AT))
    frame_rows, frame_cols = frame_places(picture.height, picture.width)
    pick = random.integers(0, len(frame_rows), min(_BORDER_SAMPLES, len(frame_rows)))
    border = _full_size_away(picture, found, frame_rows[pick], frame_cols[pick])
    share = float(np.mean(border <= max(1.0, _BEYOND_NOISE * noise)))
    return replace(found, noise=round(noise, 2), border_share=share)


def _full_size_away(
    picture: Picture, found: SurfaceGround, rows: NDArray[np.int64], cols: NDArray[np.int64]
) -> NDArray[np.float32]:
    away = np.empty(len(rows), np.float32)
    _places_away_kernel(
        picture.rgb, found.grid_rgb, rows, cols, LINEAR_OF_U8, FINE_LINEAR, found.shade_weight, away
    )
    return away
