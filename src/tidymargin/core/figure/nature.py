"""The figure's nature by explanation: how well the ground and a few inks explain the figure, and how density runs.

Ink is what ground and one of few inks explain down to the noise, with a density that varies as a pen's, a
pencil's or a stamp's does; opaque is the rest. What is measured is weighed by a logistic regression whose weights are fitted
on families of pictures drawn for that (`benchmarks/fit_weights.py`) and stand, with their origin, in `nature.json`.
"""

import math
from typing import Any, NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.colour import least_of_channels, most_of_channels
from tidymargin.core.base.parallel import work_out
from tidymargin.core.base.picture import Picture, Region, whole
from tidymargin.core.base.weighing import load_weights
from tidymargin.core.figure.inks import InkFacts
from tidymargin.core.ground.kinds import Ground

_WINDOWS = 48  # looked at: more change no decision on the families
_WINDOW_PX = 128  # as the families were measured
_LEAST_PX = 20  # of the figure in what is looked at, below which nothing can be said
_FAR_LEVELS = (
    18.0  # a residual from which a colour is no mixture of ground and ink, in 8-bit levels
)
_PALE, _DENSE = 0.2, 0.85  # densities between which a place is neither ground nor ink
_STILL = 0.015  # of density, that an even colour varies by within three pixels
_THIN_PX = 2.9  # from its edge, within which nine of ten places of a thin figure lie
_EVEN_LEVELS = 6.0  # of residual, in nine places of ten
_SELDOM_FULL = 0.3  # of its middles, that are of half densities as small print's are
_INSIDE_PX = 2.0  # from the figure's edge, where coding and blur no longer make densities

_MOST_FAR = 0.08
"""Share of a figure's places whose colours are no mixture, up to which it may be ink. Chosen on 900 made pictures by what either nature costs;
on 450 others 7 solid figures that were told ink lose 0.3 % of their inside instead of 3.7 %, and none of 3 inks ceases to be usable."""

MEASURES = (
    "misfit", "misfit_90", "misfit_far", "between", "between_inside", "quartiles", "texture",
    "even", "half", "half_90", "half_of_side", "inks", "first", "explained", "spread", "thin", "grey", "opposite",
    "is_paper", "is_screen", "is_checker",
)  # fmt: skip
"""What is measured, in the order of the weights."""
# quantiles that the measures are taken at
_INNER, _NINE, _CHROMA_AT, _QUARTERS = 0.6, 0.9, 0.8, (0.25, 0.75)


def _choose_windows(stands: NDArray[np.bool_]) -> list[Region]:
    """Return windows spread over the figure: all of a small picture."""
    height, width = stands.shape
    tiles = list(whole(height, width).tiles(_WINDOW_PX))
    held = [tile for tile in tiles if stands[tile.slices].any()]
    every = max(1, math.ceil(len(held) / _WINDOWS))
    return held[::every]


def _explain(
    away: NDArray[np.float32], ground: NDArray[np.float32], inks: NDArray[np.float32]
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Return the residual, in 8-bit levels, and the density of the ink that explains each pixel best."""
    best = np.full(len(away), np.inf, np.float32)
    density = np.zeros(len(away), np.float32)
    for ink in inks:
        full = ink - ground
        power = np.maximum((full**2).sum(axis=1), 1.0)
        share = np.clip((away * full).sum(axis=1) / power, 0.0, 1.0).astype(np.float32)
        residual = np.sqrt(((away - share[:, None] * full) ** 2).mean(axis=1))
        better = residual < best
        best[better], density[better] = residual[better], share[better]
    return best, density


class _Looked(NamedTuple):
    """What one window shows of the figure, a value a place; texture and evenness of places with others all around."""

    misfit: NDArray[np.float32]
    density: NDArray[np.float32]
    depth: NDArray[np.float32]
    texture: NDArray[np.float32]
    even: NDArray[np.bool_]
    chroma: NDArray[np.float32]
    opposite: NDArray[np.bool_]


def _look_at(
    picture: Picture, ground: Ground, stands: NDArray[np.bool_], inks: InkFacts, outer: Region, window: Region
) -> _Looked | None:  # fmt: skip
    """Look at a window of the figure, out of a region around it; None where nothing of the figure is there."""
    kept = np.ascontiguousarray(stands[outer.slices])
    inside_px = np.asarray(cv2.distanceTransform(np.pad(kept.view(np.uint8), 1), cv2.DIST_L2, 5))[1:-1, 1:-1]  # fmt: skip
    own = np.zeros(kept.shape, bool)
    own[window.seen_from(outer).slices] = True
    at = kept & own & (inside_px >= 1.0)
    if not at.any() or not len(inks.rgb):
        return None
    under = ground.over(outer)
    away = picture.rgb[outer.slices].astype(np.float32) - under
    residual, share = _explain(away[at], under[at], inks.rgb)
    field = np.zeros(kept.shape, np.float32)
    field[at] = share
    smooth = cv2.blur(field, (3, 3))
    full = np.asarray(cv2.erode(at.view(np.uint8), np.ones((3, 3), np.uint8)))[at] > 0
    texture = np.abs(field - smooth)[at][full]
    even = (texture < _STILL) & (share[full] > _PALE) & (share[full] < _DENSE)
    to_ink = ((inks.rgb[0] - under[at]) * away[at]).sum(axis=1)
    opposite = (to_ink < 0) & ((away[at] ** 2).mean(axis=1) > _FAR_LEVELS**2)
    rgb = picture.rgb[outer.slices][at].astype(np.float32)
    chroma = most_of_channels(rgb) - least_of_channels(rgb)
    depth = np.asarray(inside_px[at], np.float32)
    return _Looked(residual, share, depth, texture, even, chroma, opposite)


def measure_nature(
    picture: Picture, ground: Ground, stands: NDArray[np.bool_], inks: InkFacts, grain: float
) -> tuple[float, ...]:
    """Return what speaks for ink or for opaque, in the order of `MEASURES`.

    Parameters
    ----------
    picture, ground, inks :
        The whole picture and what was measured of it.
    stands : (H, W) ndarray of bool
        What differs from the ground at the starting tolerance.
    grain : float
        Coding noise in 8-bit levels, which is taken off residuals.
    """
    everywhere = whole(picture.height, picture.width)

    def look(window: Region) -> _Looked | None:
        return _look_at(picture, ground, stands, inks, window.grown(8, everywhere), window)

    seen = [found for found in work_out(look, _choose_windows(stands)) if found is not None]
    kind = [float(ground.kind == k) for k in ("paper", "screen", "checker")]
    if sum(len(one.misfit) for one in seen) < _LEAST_PX:
        return (*[0.0] * (len(MEASURES) - 3), *kind)

    def gather(name: str) -> NDArray[Any]:
        return np.concatenate([getattr(one, name) for one in seen])

    left_over = np.maximum(gather("misfit") - grain, 0)
    densities, depths = gather("density"), gather("depth")
    inner = densities[depths >= min(_INSIDE_PX, float(np.quantile(depths, _INNER)))]
    low, high = np.quantile(inner, _QUARTERS)
    rough = gather("texture")
    side = min(picture.height, picture.width)
    return (
        math.log1p(float(np.median(left_over))),
        math.log1p(float(np.quantile(left_over, _NINE))),
        float(np.mean(left_over > _FAR_LEVELS)),
        float(np.mean((densities > _PALE) & (densities < _DENSE))),
        float(np.mean((inner > _PALE) & (inner < _DENSE))),
        float(high - low),
        float(rough.mean()) if len(rough) else 0.0,
        float(gather("even").mean()) if len(rough) else 0.0,
        math.log1p(float(np.median(depths))),
        math.log1p(float(np.quantile(depths, _NINE))),
        math.log1p(100 * float(np.quantile(depths, _NINE)) / side),
        float(len(inks.rgb)),
        float(inks.shares[0]) if inks.shares else 0.0,
        inks.explained,
        inks.spread,
        inks.thin,
        math.log1p(float(np.quantile(gather("chroma"), _CHROMA_AT))),
        math.log1p(100 * float(gather("opposite").mean())),
        *kind,
    )


def is_thin_and_even(measures: tuple[float, ...], inks: InkFacts) -> bool:
    """Return whether a figure is thin lines or small print of one colour, too thin to show it full, whose rims it solves best."""
    if not measures or inks.in_steps:
        return False
    said = dict(zip(MEASURES, measures, strict=True))
    is_thin = said["half_90"] <= math.log1p(_THIN_PX) and said["between_inside"] > _SELDOM_FULL
    return is_thin and said["inks"] == 1 and said["misfit_90"] <= math.log1p(_EVEN_LEVELS)


def is_explained(measures: tuple[float, ...]) -> bool:
    """Return whether an ink cut, laid back on its ground, would be the picture again, but for a few places."""
    return measures[MEASURES.index("misfit_far")] <= _MOST_FAR


def find_ink_probability(measures: tuple[float, ...], inks: InkFacts) -> float:
    """Return how likely the figure is ink, 0 to 1, by what was measured; 0 where nothing was.

    Laid back on its ground an ink cut must be the picture again. Where too much would not be, it is as likely as not at most;
    so it is where densities stand at a few exact values, as no pen's do.
    """
    if not measures:
        return 0.0
    likely = float(load_weights("nature", MEASURES).find_probability(np.array(measures)))
    return likely if is_explained(measures) and not inks.in_steps else min(likely, 0.5)
