"""Paper that is filled to its border by one ink: a newspaper's puzzle, an engraving, a column of print.

Its border shows no ground, and yet bare paper lies everywhere between the strokes. It is found block by block as the lightest
tone that many pixels have; where one smooth surface explains most blocks, nothing to speak of is lighter, and all
that is darker goes towards one ink, the picture is line art on paper. A photo has no such tone in most of its blocks.
"""

from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.colour import LINEAR_OF_U8, linear_to_srgb
from tidymargin.core.base.picture import Picture
from tidymargin.core.ground.carrying import carry_on
from tidymargin.core.ground.kinds import TO_DEVIATION
from tidymargin.core.ground.lit import fit_light
from tidymargin.core.ground.surface import LOG_FLOOR, FilledGround, with_noise

_LIGHT = np.array((0.2126, 0.7152, 0.0722), np.float32)  # of linear light, as sRGB has it
_ENOUGH_PX = 1200  # of the longer side; only every so many-th pixel is looked at, since averages hold no bare paper
_BLOCKS = 24  # along the longer side; typed
_LEAST_BLOCK_PX, _LEAST_BLOCKS = 12, 4  # of a side; typed
# quantile of a block's light, and log light below it, that its paper's tone is taken of; typed
_BARE_AT, _BARE = 0.9, 0.05
_ROUNDS, _OUTLYING, _LEAST_SPREAD = 10, 2.5, 0.02  # of the fit: deviations, and log light; typed
_NEAR = 0.08  # of log light, within which a pixel is paper; typed
_SHOWS = 0.1  # of a block that is paper, for it to show some; typed
_DARK = 0.5  # of log light under the paper's, from where a pixel is ink; typed

# Set between drawn puzzles, engravings, columns and maps (0.71, 0.75, 0.08 and 0.10 at the worst) and two dozen photos that come with
# libraries for research (0.44 and 0.97 where the border is busy; there hues are off by 0.16).
_LEAST_SHOWING = 0.6  # of all blocks, that show paper
_LEAST_EXPLAINED = 0.7  # of all blocks, whose tone the surface explains
_MOST_LIGHTER = 0.1  # of the picture, that is lighter than its paper
_MOST_HUE = 0.15  # of a pixel's depth, that lies off the way to the ink
_LEAST_INK = 0.02  # of the picture


def measure_filled_paper(picture: Picture) -> FilledGround | None:
    """Return the paper between the strokes of a picture that one ink fills; None where it is no such picture."""
    every = max(1, max(picture.height, picture.width) // _ENOUGH_PX)
    light = LINEAR_OF_U8[picture.rgb[::every, ::every]]
    logs = np.log(light + np.float32(LOG_FLOOR))
    height, width = logs.shape[:2]
    side = max(_LEAST_BLOCK_PX, -(-max(height, width) // _BLOCKS))
    if min(height, width) < _LEAST_BLOCKS * side:
        return None
    rows = np.linspace(0, height, height // side + 1).astype(np.int64)
    cols = np.linspace(0, width, width // side + 1).astype(np.int64)
    tones = _find_tones(logs, rows, cols)
    surface, explained = _fit(tones)
    if explained.mean() < _LEAST_EXPLAINED:
        return None
    surface = surface + carry_on(tones - surface, explained)
    rgb = linear_to_srgb(np.clip(np.exp(np.minimum(surface, 1)) - LOG_FLOOR, 0, 1)) * 255
    found = FilledGround(rgb.astype(np.float32), picture.height, picture.width, 0.0, 0.0)

    block_rows, block_cols = (
        np.repeat(np.arange(len(edges) - 1), np.diff(edges)) for edges in (rows, cols)
    )
    away = (logs - surface[np.ix_(block_rows, block_cols)]) @ _LIGHT
    is_paper = np.abs(away) < _NEAR
    shows = [is_paper[top:bottom, left:right].mean() > _SHOWS for top, bottom in pairwise(rows) for left, right in pairwise(cols)]  # fmt: skip
    is_ink = away < -_DARK
    if np.mean(shows) < _LEAST_SHOWING or is_ink.mean() < _LEAST_INK:
        return None
    if (away > _NEAR).mean() > _MOST_LIGHTER:
        return None
    at = np.nonzero(is_ink)
    paper = np.exp(surface)[block_rows[at[0]], block_cols[at[1]]]
    if _measure_hue(1 - light[at] / paper) > _MOST_HUE:
        return None
    paper_rows, paper_cols = np.nonzero(is_paper)
    return with_noise(picture, found, every * paper_rows, every * paper_cols)


def _find_tones(
    logs: NDArray[np.float32], rows: NDArray[np.int64], cols: NDArray[np.int64]
) -> NDArray[np.float32]:
    """Return the tone of the lightest that each block has much of, (n, m, 3), in log light."""
    tones = np.empty((len(rows) - 1, len(cols) - 1, 3), np.float32)
    for row, (top, bottom) in enumerate(pairwise(rows)):
        for col, (left, right) in enumerate(pairwise(cols)):
            block = logs[top:bottom, left:right].reshape(-1, 3)
            light = block @ _LIGHT
            bare = light >= np.quantile(light, _BARE_AT) - _BARE
            tones[row, col] = np.median(block[bare], axis=0)
    return tones


def _fit(tones: NDArray[np.float32]) -> tuple[NDArray[np.float32], NDArray[np.bool_]]:
    """Fit a surface through the tones of blocks that agree on one; return it, and which these are."""
    light = tones @ _LIGHT
    explained = light >= np.median(light)  # black squares are no paper
    surface = fit_light(tones, explained)
    for _ in range(_ROUNDS):
        away = light - surface @ _LIGHT
        spread = max(_LEAST_SPREAD, TO_DEVIATION * float(np.median(np.abs(away[explained]))))
        before, explained = explained, np.abs(away) < _OUTLYING * spread
        if np.array_equal(before, explained) or not explained.any():
            break
        surface = fit_light(tones, explained)
    return surface, explained


def _measure_hue(depth: NDArray[np.floating]) -> float:
    """Return how far nine in ten pixels lie off the way to the mean ink, over how far they lie along it."""
    mean = depth.mean(axis=0)
    way = mean / max(float(np.linalg.norm(mean)), 1e-6)
    along = depth @ way
    off = np.linalg.norm(depth - along[:, None] * way, axis=1)
    return float(np.quantile(off / np.maximum(along, 0.05), 0.9))
