"""A transparency pattern that was printed into the pixels: two tones in squares.

Any such pattern, scaled by any separable filter, is `middle + half * down[row] * across[col]`: a rank-one
wave of about ±1, which is read off the picture itself (`core/ground/wave.py`), so that tile borders are right
whatever scaled them.
"""

from dataclasses import dataclass
from typing import ClassVar

import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.base.colour import linear_to_oklab, srgb_to_linear, srgb_u8_to_oklab
from tidymargin.core.base.picture import Picture, Region
from tidymargin.core.ground.kinds import NOISE_AT, border_places, to_hex
from tidymargin.core.ground.wave import (
    UNKNOWN,
    Tone,
    choose_bands,
    choose_every,
    find_frequency,
    read_waves,
    refine_wave,
    to_shares,
    to_wave,
)

_LEAST_POWER = 0.02  # of the border's lines: two even tones have 0.4, texture hardly any
_LEAST_MATCH = 0.6  # of a perfect pattern's; typed
_SAMPLES = 200_000  # for speed
_WITHIN = (0.1, 0.9)  # quantiles of light that two tones lie between
_LEAST_SIDE_PX = 24  # of a picture, for tiles to be told; typed
_FEW_PX, _FEW_OF_TONE = 50, 20  # of which fewer tell no tone; typed
_LEAST_KNOWN = 0.4  # of the border that is one tone or the other; typed
_SQUARE = 1.25  # times as long as wide, up to which tiles are squares; typed
# of a wave: the inside of a tile, and how far off its tone a place may be; typed
_FULL, _FITS = 0.9, 0.4
# levels, or of the tones' contrast, within which a place is ground; typed
_NEAR_LEVELS, _NEAR_SHARE = 2.0, 0.35


@dataclass(frozen=True, slots=True, eq=False)
class CheckerGround:
    """A pattern of two tones.

    Parameters
    ----------
    light_rgb, dark_rgb : (3,) ndarray of float32
        The tones, display-coded, 0 to 255.
    down, across : (H,) and (W,) ndarray of float32
        The wave along the rows and the columns, about -1 to 1.
    period_px : float
        A tile's side.
    noise, border_share : float
        See `Ground`.
    """

    light_rgb: NDArray[np.float32]
    dark_rgb: NDArray[np.float32]
    down: NDArray[np.float32]
    across: NDArray[np.float32]
    period_px: float
    noise: float
    border_share: float
    kind: ClassVar[str] = "checker"
    shade_weight: ClassVar[float] = 1.0
    is_even: ClassVar[bool] = False

    @property
    def hex(self) -> str:
        """The light tone as #RRGGBB."""
        return to_hex(self.light_rgb)

    @property
    def dark_hex(self) -> str:
        """The dark tone as #RRGGBB."""
        return to_hex(self.dark_rgb)

    def over(self, region: Region) -> NDArray[np.float32]:
        """Return the pattern's colour at every pixel of a region, (h, w, 3) float32, 0 to 255."""
        rows, cols = region.slices
        out = np.empty((region.height, region.width, 3), np.float32)
        _lay_kernel(self.down[rows], self.across[cols], self.light_rgb, self.dark_rgb, out)
        return out


@njit(cache=True, nogil=True)
def _lay_kernel(down, across, light, dark, out):  # type: ignore[no-untyped-def]
    """Fill the pattern's colour at every pixel of (h, w, 3)."""
    dark0, dark1, dark2 = dark[0], dark[1], dark[2]
    more0, more1, more2 = light[0] - dark0, light[1] - dark1, light[2] - dark2
    one, half = np.float32(1), np.float32(0.5)
    for row in range(out.shape[0]):
        for col in range(out.shape[1]):
            share = min(one, max(np.float32(0), (down[row] * across[col] + one) * half))
            out[row, col, 0] = dark0 + share * more0
            out[row, col, 1] = dark1 + share * more1
            out[row, col, 2] = dark2 + share * more2


def _split_tones(border: NDArray[np.float64]) -> tuple[Tone, Tone] | None:
    """Return the two commonest colours of the border, light and dark, if there are two."""
    light = border.mean(axis=1)
    low, high = (np.quantile(light, edge) for edge in _WITHIN)
    if high - low < 6:
        return None
    for _ in range(8):
        middle = (low + high) / 2
        upper, lower = light > middle, light <= middle
        if not upper.any() or not lower.any():
            return None
        low, high = float(np.median(light[lower])), float(np.median(light[upper]))
    if high - low < 6:
        return None
    return np.median(border[upper], axis=0), np.median(border[lower], axis=0)


def _border_lines(
    picture: Picture, light: Tone, dark: Tone
) -> tuple[list[NDArray[np.float32]], list[NDArray[np.float32]]]:
    """Return whole columns and rows along the border, to find the frequency down and across by."""
    lines = []
    for along in (picture.rgb.transpose(1, 0, 2), picture.rgb):
        ends = np.concatenate([along[:4], along[-4:]])
        lines.append(list(to_shares(to_wave(np.ascontiguousarray(ends), light, dark))))
    return lines[0], lines[1]


def measure_checker(picture: Picture) -> CheckerGround | None:
    """Find a printed-in pattern at the border; None when there is none.

    Parameters
    ----------
    picture : Picture
        At least 24 px a side. Pixels that came in transparent are never evidence.
    """
    if min(picture.height, picture.width) < _LEAST_SIDE_PX:
        return None
    at_rows, at_cols = border_places(picture)
    seen_rgb = picture.rgb[at_rows, at_cols]
    border = seen_rgb.astype(np.float64)
    tones = _split_tones(border) if len(border) > _FEW_PX else None
    if tones is None:
        return None
    light, dark = tones
    seen = to_wave(seen_rgb[None], light, dark)[0]
    if float(np.mean(seen != UNKNOWN)) < _LEAST_KNOWN:
        return None
    columns, rows = _border_lines(picture, light, dark)
    (f, f_power), (g, g_power) = find_frequency(columns), find_frequency(rows)
    if f == 0 or g == 0 or max(f_power, g_power) < _LEAST_POWER:
        return None
    if not 1 / _SQUARE < f / g < _SQUARE:  # squares: the clearer direction stands for both
        f = g = f if f_power > g_power else g
    rows_at = choose_bands(picture.height, picture.width, f)
    cols_at = range(0, picture.width, choose_every(g))
    waves = [
        to_wave(picture.rgb[rows.start : rows.stop : rows.step, :: cols_at.step], light, dark)
        for rows in rows_at
    ]
    frequency, phases = refine_wave(rows_at, cols_at, waves, (f, g))
    down = np.sin(2 * np.pi * frequency[0] * np.arange(picture.height) + phases[0])
    across = np.sin(2 * np.pi * frequency[1] * np.arange(picture.width) + phases[1])
    shares = to_shares(seen)
    model = np.sign(down[at_rows] * across[at_cols])
    match = float((np.sign(shares) * model)[np.abs(shares) > 0.5].mean())
    if abs(match) < _LEAST_MATCH:
        return None
    down = down * np.sign(match)
    g_down, g_across = read_waves(picture.rgb, tones, down, across)
    return _with_noise(
        seen_rgb,
        shares,
        (light, dark),
        (g_down, g_across),
        (at_rows, at_cols),
        0.25 / frequency[0] + 0.25 / frequency[1],
    )


def _with_noise(
    border: NDArray[np.uint8],
    shares: NDArray[np.float32],
    tones: tuple[Tone, Tone],
    waves: tuple[NDArray[np.float32], NDArray[np.float32]],
    places: tuple[NDArray[np.int64], NDArray[np.int64]],
    period_px: float,
) -> CheckerGround:
    """Settle the tones on what lies well inside tiles, and measure noise and share at the border.

    `border` (N, 3) and `shares` (N,) are the border's pixels and where they stand between the tones, at
    the rows and columns `places`.
    """
    down, across = waves
    rows, cols = places
    model = np.sign(down[rows]) * np.sign(across[cols])
    inside = (np.abs(down[rows]) > _FULL) & (np.abs(across[cols]) > _FULL)
    fits = inside & (np.abs(shares - model) < _FITS)
    settled = []
    for side, tone in zip((1, -1), tones, strict=True):
        of_tone = fits & (model == side)
        settled.append(
            border[of_tone].astype(np.float64).mean(axis=0)
            if of_tone.sum() > _FEW_OF_TONE
            else tone
        )
    found = CheckerGround(
        settled[0].astype(np.float32),
        settled[1].astype(np.float32),
        down,
        across,
        period_px,
        0.0,
        0.0,
    )
    step = max(1, len(rows) // _SAMPLES)
    rows, cols = rows[::step], cols[::step]
    share = np.clip((down[rows] * across[cols] + 1) / 2, 0, 1)[:, None]
    ground = found.dark_rgb + share * (found.light_rgb - found.dark_rgb)
    away = 100 * np.linalg.norm(
        srgb_u8_to_oklab(border[::step]) - linear_to_oklab(srgb_to_linear(ground / 255)),
        axis=1,
    )
    contrast = 100 * float(np.linalg.norm(
        linear_to_oklab(srgb_to_linear(found.light_rgb / 255)) - linear_to_oklab(srgb_to_linear(found.dark_rgb / 255))
    ))  # fmt: skip
    near = away < max(_NEAR_LEVELS, _NEAR_SHARE * contrast)
    noise = float(np.quantile(away[near], NOISE_AT)) if near.any() else 0.0
    return CheckerGround(
        found.light_rgb,
        found.dark_rgb,
        down,
        across,
        period_px,
        round(noise, 2),
        float(near.mean()),
    )
