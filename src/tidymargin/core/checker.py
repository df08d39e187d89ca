"""A transparency pattern that was printed into the pixels: two tones in squares.

Any such pattern, scaled by any separable filter, is `middle + half * down[row] * across[col]`: a rank-one
wave of about ±1. Period and phase come from the border's spectrum, are refined block by block over the
whole picture, and then the waves themselves are read off row by row and column by column, so that tile
borders are right whatever scaled them.
"""

from dataclasses import dataclass
from itertools import pairwise
from typing import ClassVar

import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.colour import linear_to_oklab, srgb_to_linear, srgb_u8_to_oklab
from tidymargin.core.ground import border_places, to_hex
from tidymargin.core.picture import Picture, Region, whole
from tidymargin.core.side_by_side import work_out, work_through

_LEAST_PERIOD_PX = 3.0
_MOST_PERIOD_PX = 120.0
_LEAST_POWER = 0.02  # of the border's lines: two even tones have 0.4, texture hardly any
_LEAST_MATCH = 0.6
_BLOCKS = 12
_BAND_PX, _BAND_AREA_PX = 96, 200_000
_ENOUGH_A_TILE = 12  # rows or columns of a tile, to find its place
_BAND_PERIODS = 4
_SAMPLES = 200_000
_PARTS = 4  # of the wave; as many on every machine, since sums are rounded
_TOGETHER_PX = 32  # rows that one core works on at once
_UNIT = 10_000
_ENOUGH_LINES = 700  # to read a column's wave off
_UNKNOWN = -32768

_Waves = tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]
Tone = NDArray[np.float64]
Wave = NDArray[np.int16]


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
    low, high = np.quantile(light, 0.1), np.quantile(light, 0.9)
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


@njit(cache=True, nogil=True)
def _wave_kernel(rgb, middle, half, out):  # type: ignore[no-untyped-def]
    """Fill where each pixel of (h, w, 3) stands between the tones, in units of 1/10 000."""
    m0, m1, m2 = middle
    h0, h1, h2 = half
    power = h0 * h0 + h1 * h1 + h2 * h2
    limit = max(60.0, 0.1 * power)
    for row in range(rgb.shape[0]):
        for col in range(rgb.shape[1]):
            away0, away1, away2 = (
                rgb[row, col, 0] - m0,
                rgb[row, col, 1] - m1,
                rgb[row, col, 2] - m2,
            )
            along = (away0 * h0 + away1 * h1 + away2 * h2) / power
            size = away0 * away0 + away1 * away1 + away2 * away2
            if size - along * along * power < limit and abs(along) < 1.35:
                out[row, col] = int(np.rint(_UNIT * min(1.1, max(-1.1, along))))
            else:
                out[row, col] = _UNKNOWN


def _to_wave(rgb: NDArray[np.uint8], light: Tone, dark: Tone) -> Wave:
    """Return where each pixel of (h, w, 3) stands between the tones, -1 to 1 in units of 1/10 000.

    `_UNKNOWN` stands for a pixel that has neither tone nor a mixture of them.
    """
    out = np.empty(rgb.shape[:2], np.int16)
    middle, half = (light + dark) / 2, (light - dark) / 2

    def fill(band: Region) -> None:
        _wave_kernel(
            rgb[band.slices], tuple(map(float, middle)), tuple(map(float, half)), out[band.slices]
        )

    work_through(fill, whole(rgb.shape[0], rgb.shape[1]).bands(_TOGETHER_PX))
    return out


@njit(cache=True, nogil=True)
def _shares_kernel(wave, out):  # type: ignore[no-untyped-def]
    for at in range(wave.size):
        known = wave[at] != _UNKNOWN
        out[at] = np.float32(wave[at]) / np.float32(_UNIT) if known else np.float32(0)


def _to_shares(wave: Wave) -> NDArray[np.float32]:
    """Return a part of the wave, which lies in one piece, as -1 to 1, 0 where it is unknown."""
    out = np.empty(wave.size, np.float32)
    _shares_kernel(wave.reshape(-1), out)
    return out.reshape(wave.shape)


def _find_frequency(lines: list[NDArray[np.float32]]) -> tuple[float, float]:
    """Return the strongest frequency in lines of the wave, in cycles a pixel, and its share of power."""
    longest = max(len(line) for line in lines)
    size = 1 << int(np.ceil(np.log2(4 * longest)))
    power = np.zeros(size // 2 + 1)
    total = 0.0
    for line in lines:
        steady = line - line.mean()
        power += np.abs(np.fft.rfft(steady, size)) ** 2 / len(line)
        total += float((steady**2).sum())
    frequency = np.arange(len(power)) / size
    usable = (frequency >= 1 / (2 * _MOST_PERIOD_PX)) & (frequency <= 1 / (2 * _LEAST_PERIOD_PX))
    usable &= frequency > 1.5 / longest
    if not usable.any() or total <= 0:
        return 0.0, 0.0
    power[~usable] = 0
    at = int(power.argmax())
    around = power[max(0, at - 1) : at + 2]
    shift = 0.0
    if len(around) == 3 and around[0] - 2 * around[1] + around[2] < 0:
        shift = 0.5 * (around[0] - around[2]) / (around[0] - 2 * around[1] + around[2])
    return (at + shift) / size, float(power[at]) / max(total, 1e-9)


def _choose_bands(height: int, width: int, frequency: float) -> list[range]:
    """Return the rows that a frequency and phase down the picture are refined on.

    A few periods at the top of each of a dozen blocks, and all rows of a picture that has no more; of large
    tiles a dozen rows each.
    """
    edges = np.linspace(0, height, min(_BLOCKS, max(2, int(height * frequency))) + 1).astype(int)
    enough = min(_BAND_PX, _BAND_AREA_PX // width)
    most = max(enough, int(np.ceil(_BAND_PERIODS / frequency)))
    every = _choose_every(frequency)
    return [
        range(int(first), int(min(last, first + most)), every) for first, last in pairwise(edges)
    ]


def _choose_every(frequency: float) -> int:
    """Return how many pixels apart tiles of that frequency, in cycles a pixel, need looking at."""
    return max(1, int(0.5 / frequency / _ENOUGH_A_TILE))


def _refine(
    rows_at: list[range], cols_at: range, waves: list[Wave], frequency: tuple[float, float]
) -> tuple[tuple[float, float], tuple[float, float]]:
    """Return frequencies and phases of rows and columns, from how phases drift from block to block.

    `waves` are of the rows `rows_at` and the columns `cols_at`. The wave's fundamental is a product of two
    sines, so each block's correlation with exp(-2 pi i (f row ± g col)) holds the sum and the difference of
    both phases.
    """
    f, g = frequency
    phase_f, phase_g = 0.0, 0.0
    shares = [_to_shares(wave) for wave in waves]
    blocks = min(_BLOCKS, max(2, int(cols_at.stop * g)))
    edges = np.linspace(0, len(cols_at), blocks + 1).astype(int)
    middles = np.meshgrid(
        np.array([(rows[0] + rows[-1]) / 2 for rows in rows_at]),
        cols_at.step * (edges[:-1] + edges[1:] - 1) / 2,
        indexing="ij",
    )
    places = np.stack([np.ones(middles[0].size), *(m.ravel() for m in middles)], axis=1)
    for _ in range(4):
        across = np.exp(-2j * np.pi * g * np.array(cols_at))
        drifts = []
        by_rows = np.empty((len(rows_at), len(cols_at)), np.complex128)
        for block, rows in enumerate(rows_at):
            turned = np.exp(-2j * np.pi * f * np.array(rows)).astype(np.complex64)
            by_rows[block] = turned.real @ shares[block] + 1j * (turned.imag @ shares[block])
        for turning in (across, across.conj()):
            found = np.add.reduceat(by_rows * turning[None, :], edges[:-1], axis=1).ravel()
            drifts.append(_fit_drift(places, found))
        (sum_0, sum_r, sum_c), (gap_0, gap_r, gap_c) = drifts
        f += (sum_r + gap_r) / 2 / (2 * np.pi)
        g += (sum_c - gap_c) / 2 / (2 * np.pi)
        # sin sin = (cos(gap) - cos(sum)) / 2: the sum comes out turned by half a cycle
        phase_f = ((sum_0 + np.pi) + gap_0) / 2
        phase_g = ((sum_0 + np.pi) - gap_0) / 2
    return (f, g), (phase_f, phase_g)


def _fit_drift(
    places: NDArray[np.float64], found: NDArray[np.complex128]
) -> tuple[float, float, float]:
    """Return the phase at the origin and its drift by row and by col, strong blocks first."""
    weights = np.abs(found)
    base = float(np.angle(found[int(weights.argmax())]))
    angle = np.angle(found * np.exp(-1j * base))  # small by now, so it does not wrap
    weighed = places * weights[:, None]
    held = weighed.T @ places + 1e-6 * np.eye(3) * weights.sum()
    origin, by_row, by_col = (float(v) for v in np.linalg.solve(held, weighed.T @ angle))
    return origin + base, by_row, by_col


@njit(cache=True, nogil=True)
def _read_kernel(  # type: ignore[no-untyped-def]
    wave, rows, down, across, signs_down, signs_across, gate, is_across, power, found
):
    """Sum, for each column (or row), how its pixels go with the other wave, where they fit the signs."""
    for row in range(rows[0], rows[1]):
        for col in range(wave.shape[1]):
            if wave[row, col] == _UNKNOWN:
                continue
            value = wave[row, col] / _UNIT
            if abs(value - signs_down[row] * signs_across[col]) >= gate:
                continue
            line = col if is_across else row
            other = down[row] if is_across else across[col]
            power[line] += other * other
            found[line] += value * other


def _read_lines(
    wave: Wave, waves: _Waves, gate: float, is_across: bool
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return what `_read_kernel` sums, of a few parts of the wave at once."""
    edges = np.linspace(0, len(wave), _PARTS + 1).astype(int)

    def read(rows: tuple[int, int]) -> NDArray[np.float64]:
        sums = np.zeros((2, wave.shape[1] if is_across else wave.shape[0]))
        _read_kernel(wave, rows, *waves, gate, is_across, sums[0], sums[1])
        return sums

    power, found = np.sum(work_out(read, pairwise(map(int, edges))), axis=0)
    return power, found


def _read_waves(
    rgb: NDArray[np.uint8],
    tones: tuple[Tone, Tone],
    down: NDArray[np.float64],
    across: NDArray[np.float64],
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Read both waves off the picture, each row and column on its own, by turns.

    Of a large picture each is read off some of the others.

    Pixels that contradict the present waves by more than tile borders explain are figure.
    """
    g_down, g_across = np.sign(down), np.sign(across)
    every = max(1, min(rgb.shape[:2]) // _ENOUGH_LINES)
    parts = [rgb] if every == 1 else [rgb[::every], rgb[:, ::every]]
    some = work_out(lambda part: _to_wave(np.ascontiguousarray(part), *tones), parts)
    some_rows, some_cols = some[0], some[-1]
    # at first nothing is shut out: a whole row may have the wrong sign
    for gate in (3.0, 0.7, 0.5, 0.5):
        signs_down, signs_across = g_down, g_across
        for is_across in (True, False):
            before = g_across if is_across else g_down
            rows = slice(None, None, every if is_across else 1)
            cols = slice(None, None, 1 if is_across else every)
            power, found = _read_lines(
                some_rows if is_across else some_cols,
                (g_down[rows], g_across[cols], signs_down[rows], signs_across[cols]),
                gate,
                is_across,
            )
            trust = power / (power + 0.2)
            merged = trust * found / np.maximum(power, 1e-6) + (1 - trust) * before
            if is_across:
                g_across = np.clip(merged, -1.1, 1.1)
            else:
                g_down = np.clip(merged, -1.1, 1.1)
    return g_down.astype(np.float32), g_across.astype(np.float32)


def _border_lines(
    picture: Picture, light: Tone, dark: Tone
) -> tuple[list[NDArray[np.float32]], list[NDArray[np.float32]]]:
    """Return whole columns and rows along the border, to find the frequency down and across by."""
    lines = []
    for along in (picture.rgb.transpose(1, 0, 2), picture.rgb):
        ends = np.concatenate([along[:4], along[-4:]])
        lines.append(list(_to_shares(_to_wave(np.ascontiguousarray(ends), light, dark))))
    return lines[0], lines[1]


def measure_checker(picture: Picture) -> CheckerGround | None:
    """Find a printed-in pattern at the border; None when there is none.

    Parameters
    ----------
    picture : Picture
        At least 24 px a side. Pixels that came in transparent are never evidence.
    """
    if min(picture.height, picture.width) < 24:
        return None
    at_rows, at_cols = border_places(picture)
    seen_rgb = picture.rgb[at_rows, at_cols]
    border = seen_rgb.astype(np.float64)
    tones = _split_tones(border) if len(border) > 50 else None
    if tones is None:
        return None
    light, dark = tones
    seen = _to_wave(seen_rgb[None], light, dark)[0]
    if float(np.mean(seen != _UNKNOWN)) < 0.4:
        return None
    columns, rows = _border_lines(picture, light, dark)
    (f, f_power), (g, g_power) = _find_frequency(columns), _find_frequency(rows)
    if f == 0 or g == 0 or max(f_power, g_power) < _LEAST_POWER:
        return None
    if not 0.8 < f / g < 1.25:  # squares: the clearer direction stands for both
        f = g = f if f_power > g_power else g
    rows_at = _choose_bands(picture.height, picture.width, f)
    cols_at = range(0, picture.width, _choose_every(g))
    waves = [
        _to_wave(picture.rgb[rows.start : rows.stop : rows.step, :: cols_at.step], light, dark)
        for rows in rows_at
    ]
    frequency, phases = _refine(rows_at, cols_at, waves, (f, g))
    down = np.sin(2 * np.pi * frequency[0] * np.arange(picture.height) + phases[0])
    across = np.sin(2 * np.pi * frequency[1] * np.arange(picture.width) + phases[1])
    shares = _to_shares(seen)
    model = np.sign(down[at_rows] * across[at_cols])
    match = float((np.sign(shares) * model)[np.abs(shares) > 0.5].mean())
    if abs(match) < _LEAST_MATCH:
        return None
    down = down * np.sign(match)
    g_down, g_across = _read_waves(picture.rgb, tones, down, across)
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
    inside = (np.abs(down[rows]) > 0.9) & (np.abs(across[cols]) > 0.9)
    fits = inside & (np.abs(shares - model) < 0.4)
    settled = []
    for side, tone in zip((1, -1), tones, strict=True):
        of_tone = fits & (model == side)
        settled.append(
            border[of_tone].astype(np.float64).mean(axis=0) if of_tone.sum() > 20 else tone
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
    near = away < max(2.0, 0.35 * contrast)
    noise = float(np.quantile(away[near], 0.995)) if near.any() else 0.0
    return CheckerGround(
        found.light_rgb,
        found.dark_rgb,
        down,
        across,
        period_px,
        round(noise, 2),
        float(near.mean()),
    )
