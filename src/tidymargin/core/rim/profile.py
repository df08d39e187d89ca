"""What a whole picture says about its rims: width, coding noise, even colours."""

from itertools import combinations

import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.base.colour import (
    LUMA,
    LUMA_BLUE,
    LUMA_GREEN,
    LUMA_RED,
    to_luma_chroma_kernel,
)
from tidymargin.core.base.parallel import run_together
from tidymargin.core.base.picture import Picture
from tidymargin.core.ground.difference import Difference
from tidymargin.core.ground.kinds import TO_DEVIATION, Ground, from_hex
from tidymargin.core.ground.surface import ScreenGround
from tidymargin.core.rim.candidates import find_stained
from tidymargin.core.rim.facts import RimFacts
from tidymargin.core.rim.opaque import MAX_WIDTH_PX
from tidymargin.core.rim.walking import EdgeCounts, walk_edges
from tidymargin.core.screen.gaps import has_lean_kernel

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
_DEEP_PX = 6  # from what is cleared, in eight directions, from where nothing is mixed with the ground; typed
_MUCH_DARKER = 30.0  # levels of luma; typed
_DARKEST, _LEAST_INSIDE = 0.002, 500  # of pixels there, and of how many at least; typed
_FEW = 50  # pixels or walks, of which fewer tell nothing; typed
_WIDER_THAN = 0.6  # of all walks the width of a picture's edges is; typed
_HALVED_BLUR = 0.25  # of a share that halved chroma blurs a sharp edge by, where none is measured
_LEAST_RINGING = 0.03  # of a contrast: what JPEG at its best leaves; typed
_LOSSLESS_GRAIN = 0.5  # level: rounding to whole levels
_LEAST_LOSSY_GRAIN = 1.0  # level: rounding of YCbCr
_STAIN_PX = 3  # how much farther than luma halved chroma carries the ground's colour in
_ENDS = 0.02  # of the way between two colours, within which a colour is one of them; typed
_BINS = 32768  # of colour: 5 bits a channel


@njit(cache=True, nogil=True)
def _palette_kernel(rgb, steps, levels, tolerance_step, slacks, every, counts, sums, inside):  # type: ignore[no-untyped-def]
    """Sum the colours of pixels that are surely one colour of the figure, in bins of 5 bits a channel.

    What looks like ground is not, reached or not. Only every so many rows are looked at. Those are pixels whose 3 x 3 neighbourhood is even, within each of
    the slacks, and, for strokes too thin for that, pixels that are nowhere less different from the ground than
    their neighbours. `inside`, (256, 4), sums and counts the colours of pixels that lie deep in the figure, by luma.
    """
    height, width = levels.shape
    deep = _DEEP_PX
    for row in range(1, height - 1, every):
        for col in range(1, width - 1):
            if levels[row, col] <= tolerance_step or steps[row, col] <= tolerance_step:
                continue
            is_deep = deep <= row < height - deep and deep <= col < width - deep
            for down in range(-deep, deep + 1, deep):
                for right in range(-deep, deep + 1, deep):
                    is_deep = is_deep and levels[row + down, col + right] > tolerance_step
            if is_deep:
                luma = int(
                    LUMA_RED * rgb[row, col, 0]
                    + LUMA_GREEN * rgb[row, col, 1]
                    + LUMA_BLUE * rgb[row, col, 2]
                )
                inside[luma, 3] += 1
                for channel in range(3):
                    inside[luma, channel] += rgb[row, col, channel]
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


def _add_darkest(
    palette: NDArray[np.float32], inside: NDArray[np.float64], ground: NDArray[np.float64]
) -> NDArray[np.float32]:
    """Add the darkest that a figure shows away from its rim: thin outlines have that colour, and are nowhere even.

    It has to be darker than the ground, which may show in a gap.
    """
    counts = np.cumsum(inside[:, 3])
    if counts[-1] < _LEAST_INSIDE:
        return palette
    last = int(np.searchsorted(counts, _DARKEST * counts[-1])) + 1
    darkest = (inside[:last, :3].sum(axis=0) / counts[last - 1]).astype(np.float32)
    if len(palette) == 0 or np.abs(palette - darkest).max(axis=1).min() <= _PALETTE_APART:
        return palette
    if (ground - darkest) @ LUMA < _MUCH_DARKER:
        return palette
    return np.vstack([palette, darkest])


def _is_between(
    colour: NDArray[np.float64], one: NDArray[np.float64], other: NDArray[np.float64]
) -> bool:
    along = other - one
    share = float((colour - one) @ along / max(float(along @ along), 1e-9))
    near = np.abs(one + share * along - colour).max() <= _MIXED_SLACK
    return bool(near) and _ENDS < share < 1 - _ENDS


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
    counts = np.zeros((2, _BINS), np.int64)
    sums = np.zeros((2, _BINS, 3))
    inside = np.zeros((256, 4))
    every = max(1, round(picture.area_px / _PALETTE_PX))
    walked: list[EdgeCounts] = []

    def walk() -> None:
        walked.append(walk_edges(picture, ground, levels, tolerance_step))

    def sum_colours() -> None:
        _palette_kernel(
            picture.rgb, difference.steps, levels, tolerance_step, _EVEN, every, counts, sums,
            inside,
        )  # fmt: skip

    run_together(walk, sum_colours)
    (edges,) = walked
    grain = max(_LOSSLESS_GRAIN, TO_DEVIATION * _quantile(edges.haze, 0.5) / 10)
    lossy = grain > _LOSSLESS_GRAIN or difference.ringing > 0
    width_px = int(np.clip((_quantile(edges.lengths, _WIDER_THAN) or 2) - 1, 1, MAX_WIDTH_PX))
    colour = np.array(from_hex(ground.hex), np.float64)
    palette = _choose_palette(
        counts[int(lossy)],
        sums[int(lossy)],
        colour,
        is_screen=isinstance(ground, ScreenGround),
        is_lossy=lossy,
    )
    palette = _add_darkest(palette, inside, colour)
    red, green, blue = (round(float(v)) for v in (palette[0] if len(palette) else colour))
    return RimFacts(
        width_px=width_px,
        stain_px=width_px + _STAIN_PX if lossy else width_px,
        grain=max(grain, _LEAST_LOSSY_GRAIN) if lossy else grain,
        chroma_blur=_measure_blur(edges) if lossy else 0.0,
        luma_ringing=_measure_ringing(edges) if lossy else 0.0,
        palette_rgb=palette,
        carried_rgb=(red, green, blue),
        softness_px=_measure_softness(edges),
        most_lean=_find_most_lean(palette, colour),
    )


def _measure_blur(edges: EdgeCounts) -> float:
    """Return the standard deviation of shares by chroma from those by luma."""
    if edges.misfit.sum() <= _FEW:
        return _HALVED_BLUR
    return TO_DEVIATION * _quantile(edges.misfit, 0.5) / 100


def _measure_ringing(edges: EdgeCounts) -> float:
    """Return the standard deviation of luma just outside an outline, as a share of the outline's contrast."""
    return max(_LEAST_RINGING, TO_DEVIATION * _quantile(edges.scatter, 0.5) / 1000)


def _measure_softness(edges: EdgeCounts) -> float:
    """Return the width of an edge that rises evenly, in px: six times the sum of a (1 - a) across it; 1 is sharp."""
    if edges.mixed.sum() <= _FEW:
        return 1.0
    mean = float(edges.mixed @ np.arange(edges.mixed.size)) / int(edges.mixed.sum()) / 100
    softness_px = min(6 * _ASLANT * mean, MAX_WIDTH_PX)
    return softness_px if softness_px > _SHARP_PX else 1.0


def _quantile(counts: NDArray[np.int64], share: float) -> int:
    """Return the index by which `share` of all counted lies; 0 without any."""
    total = int(counts.sum())
    return int(np.searchsorted(np.cumsum(counts), share * total)) if total else 0
