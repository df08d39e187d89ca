"""The wave of a pattern of two tones: where each pixel stands between them, how often it turns, and its course.

It is `down[row] * across[col]`, about ±1. Its frequency comes from lines along the border, is refined block by
block over the whole picture, and then both waves are read off row by row and column by column.
"""

from itertools import pairwise

import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.base.parallel import work_out, work_through
from tidymargin.core.base.picture import Region, whole

_LEAST_PERIOD_PX = 3.0  # under which tiles are no tiles
_MOST_PERIOD_PX = 120.0  # over which a border shows too few; typed
_BLOCKS = 12  # that the phase is measured in; typed
_BAND_PX, _BAND_AREA_PX = 96, 200_000  # of a border that is read: speed
_ENOUGH_A_TILE = 12  # rows or columns of a tile, to find its place
_REFINEMENTS = 4  # rounds, after which a phase stands still
_BAND_PERIODS = 4  # of a border that is read, at least; typed
_PARTS = 4  # of the wave; as many on every machine, since sums are rounded
_TOGETHER_PX = 32  # rows that one core works on at once
_UNIT = 10_000  # of a value kept as int16
_ENOUGH_LINES = 700  # to read a column's wave off
UNKNOWN = -32768
"""Stands for a pixel that has neither tone nor a mixture of them."""
# squared levels, or of the tones' contrast, off the way between them; typed
_LEAST_OFF, _OFF_SHARE = 60, 0.1
# of a wave: grain lets some exceed it, and beyond it is figure; typed
_FULLEST, _MOST_SEEN = 1.1, 1.35
_LEAST_TURNS = 1.5  # of a wave along the longest line, to be one; typed
# of a wave: how far off the present signs a place may be, round by round; typed
_GATES = 3.0, 0.7, 0.5, 0.5
_LITTLE = 0.2  # of a line's power, at which what was read counts half; typed

_Course = NDArray[np.float32]
Tone = NDArray[np.float64]
Wave = NDArray[np.int16]


@njit(cache=True, nogil=True)
def _wave_kernel(rgb, middle, half, out):  # type: ignore[no-untyped-def]
    """Fill where each pixel of (h, w, 3) stands between the tones, in units of 1/10 000."""
    m0, m1, m2 = middle
    h0, h1, h2 = half
    power = h0 * h0 + h1 * h1 + h2 * h2
    limit = max(np.float32(_LEAST_OFF), np.float32(_OFF_SHARE) * power)
    per_power, unit = np.float32(1) / power, np.float32(_UNIT)
    most, most_seen = np.float32(_FULLEST), np.float32(_MOST_SEEN)
    for row in range(rgb.shape[0]):
        for col in range(rgb.shape[1]):
            away0 = np.float32(rgb[row, col, 0]) - m0
            away1 = np.float32(rgb[row, col, 1]) - m1
            away2 = np.float32(rgb[row, col, 2]) - m2
            along = (away0 * h0 + away1 * h1 + away2 * h2) * per_power
            size = away0 * away0 + away1 * away1 + away2 * away2
            fits = (size - along * along * power < limit) & (abs(along) < most_seen)
            stands = np.int16(np.rint(unit * min(most, max(-most, along))))
            out[row, col] = stands if fits else UNKNOWN


def to_wave(rgb: NDArray[np.uint8], light: Tone, dark: Tone) -> Wave:
    """Return where each pixel of (h, w, 3) stands between the tones, -1 to 1 in units of 1/10 000.

    `UNKNOWN` stands for a pixel that has neither tone nor a mixture of them.
    """
    out = np.empty(rgb.shape[:2], np.int16)
    middle, half = (
        tuple(map(np.float32, tone)) for tone in ((light + dark) / 2, (light - dark) / 2)
    )

    def fill(band: Region) -> None:
        _wave_kernel(rgb[band.slices], middle, half, out[band.slices])

    work_through(fill, whole(rgb.shape[0], rgb.shape[1]).bands(_TOGETHER_PX))
    return out


@njit(cache=True, nogil=True)
def _shares_kernel(wave, out):  # type: ignore[no-untyped-def]
    for at in range(wave.size):
        known = wave[at] != UNKNOWN
        out[at] = np.float32(wave[at]) / np.float32(_UNIT) if known else np.float32(0)


def to_shares(wave: Wave) -> NDArray[np.float32]:
    """Return a part of the wave, which lies in one piece, as -1 to 1, 0 where it is unknown."""
    out = np.empty(wave.size, np.float32)
    _shares_kernel(wave.reshape(-1), out)
    return out.reshape(wave.shape)


def find_frequency(lines: list[NDArray[np.float32]]) -> tuple[float, float]:
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
    usable &= frequency > _LEAST_TURNS / longest
    if not usable.any() or total <= 0:
        return 0.0, 0.0
    power[~usable] = 0
    at = int(power.argmax())
    around = power[max(0, at - 1) : at + 2]
    shift = 0.0
    if len(around) == 3 and around[0] - 2 * around[1] + around[2] < 0:
        shift = 0.5 * (around[0] - around[2]) / (around[0] - 2 * around[1] + around[2])
    return (at + shift) / size, float(power[at]) / max(total, 1e-9)


def choose_bands(height: int, width: int, frequency: float) -> list[range]:
    """Return the rows that a frequency and phase down the picture are refined on.

    A few periods at the top of each of a dozen blocks, and all rows of a picture that has no more; of large
    tiles a dozen rows each.
    """
    edges = np.linspace(0, height, min(_BLOCKS, max(2, int(height * frequency))) + 1).astype(int)
    enough = min(_BAND_PX, _BAND_AREA_PX // width)
    most = max(enough, int(np.ceil(_BAND_PERIODS / frequency)))
    every = choose_every(frequency)
    return [
        range(int(first), int(min(last, first + most)), every) for first, last in pairwise(edges)
    ]


def choose_every(frequency: float) -> int:
    """Return how many pixels apart tiles of that frequency, in cycles a pixel, need looking at."""
    return max(1, int(0.5 / frequency / _ENOUGH_A_TILE))


def refine_wave(
    rows_at: list[range], cols_at: range, waves: list[Wave], frequency: tuple[float, float]
) -> tuple[tuple[float, float], tuple[float, float]]:
    """Return frequencies and phases of rows and columns, from how phases drift from block to block.

    `waves` are of the rows `rows_at` and the columns `cols_at`. The wave's fundamental is a product of two
    sines, so each block's correlation with exp(-2 pi i (f row ± g col)) holds the sum and the difference of
    both phases.
    """
    shares = [to_shares(wave) for wave in waves]
    f, g = frequency
    count = min(_BLOCKS, max(2, int(cols_at.stop * g)))
    edges = np.linspace(0, len(cols_at), count + 1).astype(int)
    rows_of_blocks = np.array([(rows[0] + rows[-1]) / 2 for rows in rows_at])
    cols_of_blocks = cols_at.step * (edges[:-1] + edges[1:] - 1) / 2
    middles = np.meshgrid(rows_of_blocks, cols_of_blocks, indexing="ij")
    places = np.stack([np.ones(middles[0].size), *(m.ravel() for m in middles)], axis=1)
    phase_f, phase_g = 0.0, 0.0
    for _ in range(_REFINEMENTS):
        sums, gaps = _correlate_blocks(rows_at, cols_at, edges, shares, (f, g))
        sum_0, sum_by_row, sum_by_col = _fit_drift(places, sums)
        gap_0, gap_by_row, gap_by_col = _fit_drift(places, gaps)
        f += (sum_by_row + gap_by_row) / 2 / (2 * np.pi)
        g += (sum_by_col - gap_by_col) / 2 / (2 * np.pi)
        # sin sin = (cos(gap) - cos(sum)) / 2: the sum comes out turned by half a cycle
        phase_f = ((sum_0 + np.pi) + gap_0) / 2
        phase_g = ((sum_0 + np.pi) - gap_0) / 2
    return (f, g), (phase_f, phase_g)


def _correlate_blocks(
    rows_at: list[range],
    cols_at: range,
    edges: NDArray[np.int64],
    shares: list[NDArray[np.float32]],
    frequency: tuple[float, float],
) -> tuple[NDArray[np.complex128], NDArray[np.complex128]]:
    """Return how each block goes with the waves whose phases are the sum and the difference of both."""
    f, g = frequency
    by_rows = np.empty((len(rows_at), len(cols_at)), np.complex128)
    for block, rows in enumerate(rows_at):
        turned = np.exp(-2j * np.pi * f * np.array(rows)).astype(np.complex64)
        by_rows[block] = turned.real @ shares[block] + 1j * (turned.imag @ shares[block])
    across = np.exp(-2j * np.pi * g * np.array(cols_at))

    def add_up(turning: NDArray[np.complex128]) -> NDArray[np.complex128]:
        return np.add.reduceat(by_rows * turning[None, :], edges[:-1], axis=1).ravel()

    return add_up(across), add_up(across.conj())


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
def _read_kernel(wave, first, last, along, signs_along, signs, gate, power, found):  # type: ignore[no-untyped-def]
    """Sum, for each column, how some of its pixels go with the wave down it, where they fit the signs."""
    unit = np.float32(1.0 / _UNIT)
    for row in range(first, last):
        other, sign = along[row], signs_along[row]
        strength = other * other
        for col in range(wave.shape[1]):
            value = np.float32(wave[row, col]) * unit
            fits = (wave[row, col] != UNKNOWN) & (abs(value - sign * signs[col]) < gate)
            counts = np.float32(fits)  # no branch, so that several columns are read at a time
            power[col] += counts * strength
            found[col] += counts * (value * other)


def _read_columns(
    wave: Wave, along: _Course, signs_along: _Course, signs: _Course, gate: float
) -> NDArray[np.float64]:
    """Return what `_read_kernel` sums, power and found, of a few parts of the wave at once."""
    edges = np.linspace(0, len(wave), _PARTS + 1).astype(int)

    def read(rows: tuple[int, int]) -> NDArray[np.float32]:
        sums = np.zeros((2, wave.shape[1]), np.float32)
        _read_kernel(wave, *rows, along, signs_along, signs, np.float32(gate), *sums)
        return sums

    return np.asarray(np.sum(work_out(read, pairwise(map(int, edges))), axis=0, dtype=np.float64))


def read_waves(
    rgb: NDArray[np.uint8],
    tones: tuple[Tone, Tone],
    down: NDArray[np.float64],
    across: NDArray[np.float64],
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Read both waves off the picture, each row and column on its own, by turns.

    Of a large picture each is read off some of the others.

    Pixels that contradict the present waves by more than tile borders explain are figure.
    """
    every = max(1, min(rgb.shape[:2]) // _ENOUGH_LINES)
    parts = [rgb] if every == 1 else [rgb[::every], rgb[:, ::every]]
    some = work_out(lambda part: to_wave(np.ascontiguousarray(part), *tones), parts)
    # each wave is read down the columns of what is laid out for it
    some_rows, some_cols = some[0], np.ascontiguousarray(some[-1].T)
    g_down, g_across = (np.sign(wave).astype(np.float32) for wave in (down, across))
    # at first nothing is shut out: a whole row may have the wrong sign
    for gate in _GATES:
        signs_down, signs_across = g_down, g_across
        read = _read_columns(some_rows, g_down[::every], signs_down[::every], signs_across, gate)
        g_across = _merge(read, g_across)
        read = _read_columns(some_cols, g_across[::every], signs_across[::every], signs_down, gate)
        g_down = _merge(read, g_down)
    return g_down, g_across


def _merge(read: NDArray[np.float64], before: _Course) -> _Course:
    """Return a wave as it was read, drawn to what it was before where little of it was."""
    power, found = read
    trust = power / (power + _LITTLE)
    merged = trust * found / np.maximum(power, 1e-6) + (1 - trust) * before
    return np.asarray(np.clip(merged, -_FULLEST, _FULLEST).astype(np.float32))
