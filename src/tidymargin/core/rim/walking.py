"""Walks across the outline of what is cleared, all over a picture, and what is counted on them."""

from dataclasses import dataclass, field

import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.base.colour import LUMA_BLUE, LUMA_GREEN, LUMA_RED
from tidymargin.core.base.picture import Picture, whole
from tidymargin.core.ground.kinds import Ground

LONGEST_WALK = 12
"""Pixels that a walk across an edge goes at most: twice the widest that is solved."""

_TILE_PX = 256  # that is walked at once
_GOLDEN = 0.6180339887498949  # section, which spreads tiles evenly over the picture
_MOST_WALKS = 30_000  # after which the means stand still
_BEFORE_PX = 2  # outside the outline, where a walk begins
_OUTSIDE_PX = 4  # outside the outline, where the ground's own noise is looked at
_STANDS_STILL = (6.0, 0.08)  # levels in three channels, or a share of the contrast so far; typed
_TURNS = (
    900.0,
    36.0,
    0.97,
)  # squared levels so far and of a step, and the cosine, that set off elsewhere; typed
_LEAST_STEP = 40.0  # levels of luma and chroma that an edge rises by; typed
_SHARES_STEP = 30.0  # levels of luma, or of chroma, whose share is told; typed
_STRONG_STEP = 60.0  # levels of luma over which a width is told; typed
_PART_ONLY = 0.05  # of a share, under which a pixel is not mixed; typed


@njit(cache=True, nogil=True)
def _look_inwards(rgb, levels, row, col, tolerance_step):  # type: ignore[no-untyped-def]
    """Return the step down and across that leads inwards from the ground, the steeper way; 0, 0 for no outline."""
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
        return 0, 0
    slope_down, slope_right = 0, 0
    for channel in range(3):
        slope_down += abs(int(rgb[row + 1, col, channel]) - int(rgb[row - 1, col, channel]))
        slope_right += abs(int(rgb[row, col + 1, channel]) - int(rgb[row, col - 1, channel]))
    if slope_down >= slope_right:
        return down, 0
    return 0, across


@njit(cache=True, nogil=True)
def _walk(rgb, ground, row, col, down, across, path):  # type: ignore[no-untyped-def]
    """Walk inwards until the colour stands still or sets off in another direction; return steps that change, and the last.

    `path` is filled with the picture less its ground.
    """
    height, width = rgb.shape[:2]
    at_row, at_col = row - _BEFORE_PX * down, col - _BEFORE_PX * across
    count, changed = 0, 0
    while count <= LONGEST_WALK and 0 <= at_row < height and 0 <= at_col < width:
        for channel in range(3):
            path[count, channel] = rgb[at_row, at_col, channel] - ground[at_row, at_col, channel]
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
            turns = along < _TURNS[2] * (before * size) ** 0.5
            if turns and before > _TURNS[0] and size > _TURNS[1]:
                break
            if change > max(_STANDS_STILL[0], _STANDS_STILL[1] * contrast):
                changed += 1
            elif changed > 0:
                break
        count += 1
        at_row += down
        at_col += across
    return changed, max(0, min(count, LONGEST_WALK) - 1)


@njit(cache=True, nogil=True)
def _to_luma(colour):  # type: ignore[no-untyped-def]
    return LUMA_RED * colour[0] + LUMA_GREEN * colour[1] + LUMA_BLUE * colour[2]


@njit(cache=True, nogil=True)
def _count_shares(path, last, misfit, mixed):  # type: ignore[no-untyped-def]
    """Count how far shares by luma and by chroma disagree, and how much of an edge is neither ground nor figure."""
    luma_step = _to_luma(path[last])
    blue_step, red_step = path[last, 2] - luma_step, path[last, 0] - luma_step
    chroma_power = blue_step * blue_step + red_step * red_step
    of_both = 0.0
    for place in range(last):
        luma = _to_luma(path[place])
        has_luma = abs(luma_step) > _SHARES_STEP
        by_luma = min(1.0, max(0.0, luma / luma_step)) if has_luma else 0.0
        of_both += by_luma * (1.0 - by_luma)
        if has_luma and chroma_power > _SHARES_STEP * _SHARES_STEP:
            blue, red = path[place, 2] - luma, path[place, 0] - luma
            by_chroma = min(1.0, max(0.0, (blue * blue_step + red * red_step) / chroma_power))
            most = 1.0 - _PART_ONLY
            if _PART_ONLY < by_luma < most or _PART_ONLY < by_chroma < most:
                misfit[min(99, int(abs(by_luma - by_chroma) * 100))] += 1
    if abs(luma_step) > _STRONG_STEP:
        mixed[min(199, int(of_both * 100 + 0.5))] += 1


@njit(cache=True, nogil=True)
def _walk_edges_kernel(  # type: ignore[no-untyped-def]
    rgb, ground, levels, top, left, bottom, right, tolerance_step, most,
    lengths, misfit, haze, scatter, mixed,
):  # fmt: skip
    """Walk across every outline that begins in a part of what is given; return how many walks there were.

    What is counted is `EdgeCounts`.
    """
    height, width = levels.shape
    walks = 0
    path = np.empty((LONGEST_WALK + 1, 3))
    stray = np.empty(3)
    for row in range(max(2, top), min(height - 2, bottom)):
        for col in range(max(2, left), min(width - 2, right)):
            if levels[row, col] <= tolerance_step:
                continue
            down, across = _look_inwards(rgb, levels, row, col, tolerance_step)
            if down == 0 and across == 0:
                continue
            changed, last = _walk(rgb, ground, row, col, down, across, path)
            luma_step = _to_luma(path[last])
            blue_step, red_step = path[last, 2] - luma_step, path[last, 0] - luma_step
            chroma_step = (blue_step * blue_step + red_step * red_step) ** 0.5
            if changed == 0 or abs(luma_step) + chroma_step < _LEAST_STEP:
                continue
            lengths[min(changed, LONGEST_WALK)] += 1
            walks += 1
            _count_shares(path, last, misfit, mixed)
            at_row, at_col = row - _OUTSIDE_PX * down, col - _OUTSIDE_PX * across
            is_inside = 0 <= at_row < height and 0 <= at_col < width
            if is_inside and levels[at_row, at_col] <= tolerance_step:
                for channel in range(3):
                    stray[channel] = rgb[at_row, at_col, channel] - ground[at_row, at_col, channel]
                luma = _to_luma(stray)
                haze[min(99, int(abs(luma) * 10 + 0.5))] += 1
                if abs(luma_step) > _SHARES_STEP:
                    scatter[min(199, int(abs(luma / luma_step) * 1000 + 0.5))] += 1
            if walks >= most:
                return walks
    return walks


@dataclass(frozen=True, slots=True, eq=False)
class EdgeCounts:
    """What is counted on walks across edges.

    Attributes
    ----------
    lengths : (LONGEST_WALK + 1,) ndarray of int64
        Walks by how many of their steps change.
    misfit : (100,) ndarray of int64
        Mixed pixels by how far shares of figure by luma and by chroma disagree, in hundredths.
    haze : (100,) ndarray of int64
        Places outside by their luma less the ground's, in tenths of an 8-bit level.
    scatter : (200,) ndarray of int64
        The same in thousandths of the outline's own luma contrast.
    mixed : (200,) ndarray of int64
        Walks over strong luma by the sum of a (1 - a) along them, in hundredths: a sixth of the width of an
        edge that rises evenly.
    """

    lengths: NDArray[np.int64] = field(default_factory=lambda: np.zeros(LONGEST_WALK + 1, np.int64))
    misfit: NDArray[np.int64] = field(default_factory=lambda: np.zeros(100, np.int64))
    haze: NDArray[np.int64] = field(default_factory=lambda: np.zeros(100, np.int64))
    scatter: NDArray[np.int64] = field(default_factory=lambda: np.zeros(200, np.int64))
    mixed: NDArray[np.int64] = field(default_factory=lambda: np.zeros(200, np.int64))


def walk_edges(
    picture: Picture,
    ground: Ground,
    levels: NDArray[np.uint8],
    tolerance_step: int,
) -> EdgeCounts:
    """Walk across edges all over the picture, as many as tell enough."""
    edges = EdgeCounts()
    everywhere = whole(picture.height, picture.width)
    # in an order by which the first of many tiles are from all over the picture
    tiles = sorted(enumerate(everywhere.tiles(_TILE_PX)), key=lambda tile: tile[0] * _GOLDEN % 1)
    walks = 0
    for _, tile in tiles:
        outer = tile.grown(LONGEST_WALK + 3, everywhere)
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
    return edges
