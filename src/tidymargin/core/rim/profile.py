"""What a whole picture says about its rims: width, coding noise, even colours."""

from dataclasses import dataclass, field
from itertools import combinations

import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.base.colour import (
    LUMA_BLUE,
    LUMA_GREEN,
    LUMA_RED,
    to_luma_chroma_kernel,
)
from tidymargin.core.base.parallel import run_together
from tidymargin.core.base.picture import Picture, whole
from tidymargin.core.ground.difference import Difference
from tidymargin.core.ground.kinds import Ground, from_hex
from tidymargin.core.ground.surface import ScreenGround
from tidymargin.core.rim.candidates import find_stained
from tidymargin.core.rim.facts import RimFacts
from tidymargin.core.rim.opaque import MAX_WIDTH_PX
from tidymargin.core.screen.gaps import has_lean_kernel

_LONGEST_WALK = 12  # px across an edge: twice the widest solved
_TILE_PX = 256  # that is walked at once
_GOLDEN = 0.6180339887498949  # section, which spreads tiles evenly over the picture
_MOST_WALKS = 30_000  # after which the means stand still
_PALETTE_SIZE = 32  # even colours that are kept
_EVEN = np.array((1, 6))  # levels within which a colour is even, without and with lossy coding
_PALETTE_PX = 3_000_000  # of a larger picture only some rows are looked at
_PALETTE_LEAST_PX = 12  # of an even colour; typed
_PALETTE_APART = 12.0  # levels, under which two are one; typed
_STREWN = 5.0  # levels around an even colour; typed
_MIXED_SLACK = 1.0  # levels: rounding
_LEAN_SLACK = 0.03  # of a share: rounding
_OVERSHOOT = 0.2  # of a share that JPEG swings chroma by; typed
_SHARP_PX = 1.4  # as coding and the grid of pixels leave an edge that was as sharp as can be
_ASLANT = 0.8  # walks go along rows and columns, and cross most edges at an angle
_TO_DEVIATION = 1.4826  # a normal distribution's standard deviation over its median absolute one
_LEAST_LOSSY_GRAIN = 1.0  # level: rounding of YCbCr
_STAIN_PX = 3  # how much farther than luma halved chroma carries the ground's colour in


@njit(cache=True, nogil=True)
def _walk_edges_kernel(  # type: ignore[no-untyped-def]
    rgb, ground, levels, top, left, bottom, right, tolerance_step, most,
    lengths, misfit, haze, scatter, mixed,
):  # fmt: skip
    """Walk inwards from the ground across every outline that begins in a part of what is given.

    A walk ends where the colour stands still or sets off in another direction: there begins another
    part of the figure. `lengths[n]` counts walks with n changing steps; `misfit` counts how far shares
    of figure by luma and by chroma disagree, in hundredths; `haze` counts luma deviations of the ground
    4 px outside, in tenths of an 8-bit level, and `scatter` those nearer by, in thousandths of the
    outline's own luma contrast; `mixed` counts the sum of a (1 - a) across outlines of strong luma, in
    hundredths, which is a sixth of the width of an edge that rises evenly.

    One kernel: every count is taken on the same walk, of which no more is kept than the step it is at.
    """
    height, width = levels.shape
    walks = 0
    path = np.empty((_LONGEST_WALK + 1, 3))
    for row in range(max(2, top), min(height - 2, bottom)):
        for col in range(max(2, left), min(width - 2, right)):
            if levels[row, col] <= tolerance_step:
                continue
            down, across = 0, 0
            if levels[row - 1, col] <= tolerance_step:
                down = 1
            elif levels[row + 1, col] <= tolerance_step:
                down = -1
            if levels[row, col - 1] <= tolerance_step:
                across = 1
            elif levels[row, col + 1] <= tolerance_step:
                across = -1
            if down == 0 and across == 0:
                continue
            slope_down, slope_right = 0, 0
            for channel in range(3):
                slope_down += abs(int(rgb[row + 1, col, channel]) - int(rgb[row - 1, col, channel]))
                slope_right += abs(
                    int(rgb[row, col + 1, channel]) - int(rgb[row, col - 1, channel])
                )
            if slope_down >= slope_right:
                across = 0
            else:
                down = 0
            if down == 0 and across == 0:
                continue
            # from two pixels out, inwards until the colour stands still
            at_row, at_col = row - 2 * down, col - 2 * across
            count = 0
            changed = 0
            while count <= _LONGEST_WALK and 0 <= at_row < height and 0 <= at_col < width:
                for channel in range(3):
                    path[count, channel] = (
                        rgb[at_row, at_col, channel] - ground[at_row, at_col, channel]
                    )
                if count > 0:
                    change, contrast, before, along, size = 0.0, 0.0, 0.0, 0.0, 0.0
                    for channel in range(3):
                        step = path[count, channel] - path[count - 1, channel]
                        so_far = path[count - 1, channel]
                        change += abs(step)
                        contrast += abs(so_far + step)
                        before += so_far * so_far
                        along += so_far * step
                        size += step * step
                    if before > 900 and along < 0.97 * (before * size) ** 0.5 and size > 36:
                        break
                    if change > max(6.0, 0.08 * contrast):
                        changed += 1
                    elif changed > 0:
                        break
                count += 1
                at_row += down
                at_col += across
            last = max(0, min(count, _LONGEST_WALK) - 1)
            luma_step = (
                LUMA_RED * path[last, 0] + LUMA_GREEN * path[last, 1] + LUMA_BLUE * path[last, 2]
            )
            blue_step = path[last, 2] - luma_step
            red_step = path[last, 0] - luma_step
            chroma_power = blue_step * blue_step + red_step * red_step
            if changed == 0 or abs(luma_step) + chroma_power**0.5 < 40:
                continue
            lengths[min(changed, _LONGEST_WALK)] += 1
            walks += 1
            of_both = 0.0
            for place in range(last):
                luma = (
                    LUMA_RED * path[place, 0]
                    + LUMA_GREEN * path[place, 1]
                    + LUMA_BLUE * path[place, 2]
                )
                by_luma = min(1.0, max(0.0, luma / luma_step)) if abs(luma_step) > 30 else 0.0
                of_both += by_luma * (1.0 - by_luma)
                if abs(luma_step) > 30 and chroma_power > 900:
                    blue = path[place, 2] - luma
                    red = path[place, 0] - luma
                    by_chroma = (blue * blue_step + red * red_step) / chroma_power
                    by_chroma = min(1.0, max(0.0, by_chroma))
                    if 0.05 < by_luma < 0.95 or 0.05 < by_chroma < 0.95:
                        misfit[min(99, int(abs(by_luma - by_chroma) * 100))] += 1
            if abs(luma_step) > 60:
                mixed[min(199, int(of_both * 100 + 0.5))] += 1
            out_row, out_col = row - 4 * down, col - 4 * across
            if (
                0 <= out_row < height
                and 0 <= out_col < width
                and levels[out_row, out_col] <= tolerance_step
            ):
                stray = (
                    LUMA_RED * (rgb[out_row, out_col, 0] - ground[out_row, out_col, 0])
                    + LUMA_GREEN * (rgb[out_row, out_col, 1] - ground[out_row, out_col, 1])
                    + LUMA_BLUE * (rgb[out_row, out_col, 2] - ground[out_row, out_col, 2])
                )
                haze[min(99, int(abs(stray) * 10 + 0.5))] += 1
                if abs(luma_step) > 30:
                    scatter[min(199, int(abs(stray / luma_step) * 1000 + 0.5))] += 1
            if walks >= most:
                return walks
    return walks


@njit(cache=True, nogil=True)
def _palette_kernel(rgb, steps, levels, tolerance_step, slacks, every, counts, sums):  # type: ignore[no-untyped-def]
    """Sum the colours of pixels that are surely one colour of the figure, in bins of 5 bits a channel.

    What looks like ground is not, reached or not. Only every so many rows are looked at. Those are pixels whose 3 x 3 neighbourhood is even, within each of
    the slacks, and, for strokes too thin for that, pixels that are nowhere less different from the ground than
    their neighbours.
    """
    height, width = levels.shape
    for row in range(1, height - 1, every):
        for col in range(1, width - 1):
            if levels[row, col] <= tolerance_step or steps[row, col] <= tolerance_step:
                continue
            most = True
            for down in range(-1, 2):
                for right in range(-1, 2):
                    most = most and steps[row + down, col + right] <= steps[row, col]
            spread = 0
            for channel in range(3):
                middle = int(rgb[row, col, channel])
                for down in range(-1, 2):
                    for right in range(-1, 2):
                        away = abs(int(rgb[row + down, col + right, channel]) - middle)
                        spread = max(spread, away)
            key = (
                (int(rgb[row, col, 0]) >> 3) * 1024
                + (int(rgb[row, col, 1]) >> 3) * 32
                + (int(rgb[row, col, 2]) >> 3)
            )
            for number in range(len(slacks)):
                if most or spread <= slacks[number]:
                    counts[number, key] += 1
                    for channel in range(3):
                        sums[number, key, channel] += rgb[row, col, channel]


def _choose_palette(
    counts: NDArray[np.int64],
    sums: NDArray[np.float64],
    ground: NDArray[np.float64],
    *,
    is_screen: bool,
    is_lossy: bool,
) -> NDArray[np.float32]:
    """Return the commonest colours that are told apart from the ground and from one another.

    Before a screen none of them has most of its hue: that is shaded or mixed ground.
    """
    chosen: list[NDArray[np.float64]] = []
    filled = np.flatnonzero(counts)
    means = sums[filled] / counts[filled, None]
    for key in np.argsort(-counts, kind="stable"):
        if counts[key] < _PALETTE_LEAST_PX or len(chosen) == _PALETTE_SIZE:
            break
        mean = sums[key] / counts[key]
        for _ in range(2 if is_lossy else 0):  # noise strews one colour over several bins
            around = filled[np.abs(means - mean).max(axis=1) <= _STREWN]
            mean = sums[around].sum(axis=0) / counts[around].sum()
        if all(np.abs(mean - other).max() > _PALETTE_APART for other in [ground, *chosen]):
            chosen.append(mean)
    pure = [
        colour
        for place, colour in enumerate(chosen)
        if not _is_mixed(colour, chosen)
        and not _is_shade(colour, ground, chosen[:place])
        and not (is_screen and has_lean_kernel(*colour, *ground))
        and not (is_lossy and _is_stained(colour, ground, chosen[:place]))
    ]
    return np.array(pure, np.float32).reshape(-1, 3)


def _is_between(
    colour: NDArray[np.float64], one: NDArray[np.float64], other: NDArray[np.float64]
) -> bool:
    along = other - one
    share = float((colour - one) @ along / max(float(along @ along), 1e-9))
    near = np.abs(one + share * along - colour).max() <= _MIXED_SLACK
    return bool(near) and 0.02 < share < 0.98


def _is_mixed(colour: NDArray[np.float64], palette: list[NDArray[np.float64]]) -> bool:
    """Whether a colour lies between two others, as the rows of an outline that lies on the grid do."""
    return any(_is_between(colour, one, other) for one, other in combinations(palette, 2))


def _is_shade(
    colour: NDArray[np.float64], ground: NDArray[np.float64], commoner: list[NDArray[np.float64]]
) -> bool:
    """Whether a colour lies between the ground and a commoner one: rim, for the most part."""
    return any(_is_between(colour, ground, other) for other in commoner)


def _is_stained(
    colour: NDArray[np.float64], ground: NDArray[np.float64], commoner: list[NDArray[np.float64]]
) -> bool:
    """Whether a colour is a commoner one that coding has stained with the ground."""
    luma, blue_way, red_way = to_luma_chroma_kernel(*ground)
    others = np.array(commoner).reshape(-1, 3)
    red, green, blue = colour
    return bool(
        find_stained(red, green, blue, luma, blue_way, red_way, others, 0.0, _OVERSHOOT) >= 0
    )


def _find_most_lean(palette: NDArray[np.float32], ground: NDArray[np.float64]) -> float:
    """Return how far the figure's own colours lean to the ground's hue, and a little more."""
    _, *hue = to_luma_chroma_kernel(*ground)
    power = max(hue[0] ** 2 + hue[1] ** 2, 1e-6)
    leans = [np.dot(to_luma_chroma_kernel(*map(float, c))[1:], hue) / power for c in palette]
    return max([0.0, *map(float, leans)]) + _LEAN_SLACK


@dataclass(frozen=True, slots=True, eq=False)
class _EdgeCounts:
    """What walks across edges are counted by: how long they are, and what is seen on the way."""

    lengths: NDArray[np.int64] = field(
        default_factory=lambda: np.zeros(_LONGEST_WALK + 1, np.int64)
    )
    misfit: NDArray[np.int64] = field(default_factory=lambda: np.zeros(100, np.int64))
    haze: NDArray[np.int64] = field(default_factory=lambda: np.zeros(100, np.int64))
    scatter: NDArray[np.int64] = field(default_factory=lambda: np.zeros(200, np.int64))
    mixed: NDArray[np.int64] = field(default_factory=lambda: np.zeros(200, np.int64))


def _walk_edges(
    picture: Picture,
    ground: Ground,
    levels: NDArray[np.uint8],
    tolerance_step: int,
    edges: _EdgeCounts,
) -> None:
    """Walk across edges all over the picture, as many as tell enough."""
    everywhere = whole(picture.height, picture.width)
    # in an order by which the first of many tiles are from all over the picture
    tiles = sorted(enumerate(everywhere.tiles(_TILE_PX)), key=lambda tile: tile[0] * _GOLDEN % 1)
    walks = 0
    for _, tile in tiles:
        outer = tile.grown(_LONGEST_WALK + 3, everywhere)
        near = np.ascontiguousarray(levels[outer.slices])
        if near.min() > tolerance_step or near.max() <= tolerance_step:
            continue
        inner = tile.seen_from(outer)
        walks += _walk_edges_kernel(
            np.ascontiguousarray(picture.rgb[outer.slices]), ground.over(outer), near,
            inner.top, inner.left, inner.bottom, inner.right, tolerance_step,
            _MOST_WALKS - walks, edges.lengths, edges.misfit, edges.haze, edges.scatter,
            edges.mixed,
        )  # fmt: skip
        if walks >= _MOST_WALKS:
            break


def measure_rim(
    picture: Picture,
    ground: Ground,
    difference: Difference,
    levels: NDArray[np.uint8],
    tolerance_step: int,
) -> RimFacts:
    """Measure what solving the rim needs to know about the whole picture.

    Parameters
    ----------
    picture : Picture
        The whole picture.
    ground : Ground
        As measured from it.
    difference : Difference
        As measured against that ground.
    levels : (H, W) ndarray of uint8
        Levels from outside, in steps.
    tolerance_step : int
        The starting tolerance, in steps. The facts do not follow later changes of tolerance.

    Returns
    -------
    RimFacts
        With a width of 1 and no noise where the picture has no outline to measure.
    """
    edges = _EdgeCounts()
    counts = np.zeros((2, 32768), np.int64)
    sums = np.zeros((2, 32768, 3))
    every = max(1, round(picture.area_px / _PALETTE_PX))

    def sum_colours() -> None:
        _palette_kernel(
            picture.rgb, difference.steps, levels, tolerance_step, _EVEN, every, counts, sums
        )

    run_together(lambda: _walk_edges(picture, ground, levels, tolerance_step, edges), sum_colours)
    misfit, mixed = edges.misfit, edges.mixed
    width_px = int(np.clip((_quantile(edges.lengths, 0.6) or 2) - 1, 1, MAX_WIDTH_PX))
    grain = max(0.5, _TO_DEVIATION * _quantile(edges.haze, 0.5) / 10)
    lossy = grain > 0.5 or difference.ringing > 0
    if lossy:
        grain = max(grain, _LEAST_LOSSY_GRAIN)
    blur = 0.0
    if lossy:  # with nothing to measure it on, what halved chroma does to a sharp edge
        blur = _TO_DEVIATION * _quantile(misfit, 0.5) / 100 if misfit.sum() > 50 else 0.25
    softness_px = 1.0
    if mixed.sum() > 50:
        mean = float(mixed @ np.arange(mixed.size)) / int(mixed.sum()) / 100
        softness_px = min(6 * _ASLANT * mean, MAX_WIDTH_PX)
        softness_px = softness_px if softness_px > _SHARP_PX else 1.0
    colour = np.array(from_hex(ground.hex), np.float64)
    palette = _choose_palette(
        counts[int(lossy)],
        sums[int(lossy)],
        colour,
        is_screen=isinstance(ground, ScreenGround),
        is_lossy=lossy,
    )
    red, green, blue = (round(float(v)) for v in (palette[0] if len(palette) else colour))
    return RimFacts(
        width_px=width_px,
        stain_px=width_px + _STAIN_PX if lossy else width_px,
        grain=grain,
        chroma_blur=blur,
        luma_ringing=max(0.03, _TO_DEVIATION * _quantile(edges.scatter, 0.5) / 1000)
        if lossy
        else 0.0,
        palette_rgb=palette,
        carried_rgb=(red, green, blue),
        softness_px=softness_px,
        most_lean=_find_most_lean(palette, colour),
    )


def _quantile(counts: NDArray[np.int64], share: float) -> int:
    """Return the index by which `share` of all counted lies; 0 without any."""
    total = int(counts.sum())
    return int(np.searchsorted(np.cumsum(counts), share * total)) if total else 0
