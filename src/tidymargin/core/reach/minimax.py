"""At which tolerance clearing gets to each place: all tolerances at once.

The level of a pixel is the least possible maximum of the difference over all 4-connected paths from
the seeds: a bottleneck path, or grey-scale reconstruction by erosion (L. Vincent, "Morphological
grayscale reconstruction in image analysis", 1993). With quantised differences a bucket queue finds it
in one pass, since a pixel's first discovery is already its final level.
"""

import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.base.errors import BadParameterError

NEVER = 255
"""Level of a place that no tolerance in range gets to."""


@njit(cache=True, nogil=True)
def _lower_levels_kernel(steps, levels, seeds, highest, following):  # type: ignore[no-untyped-def]
    height, width = steps.shape
    flat_steps = steps.ravel()
    flat = levels.ravel()
    heads = np.full(256, -1, np.int64)
    for seed in seeds:
        level = flat_steps[seed]
        if level < flat[seed]:
            flat[seed] = level
            following[seed] = heads[level]
            heads[level] = seed
    for level in range(highest + 1):
        while heads[level] >= 0:
            at = heads[level]
            heads[level] = following[at]
            row = at // width
            col = at - row * width
            for side in range(4):
                if side == 0:
                    if col + 1 == width:
                        continue
                    there = at + 1
                elif side == 1:
                    if col == 0:
                        continue
                    there = at - 1
                elif side == 2:
                    if row + 1 == height:
                        continue
                    there = at + width
                else:
                    if row == 0:
                        continue
                    there = at - width
                arrival = max(level, flat_steps[there])
                if arrival < flat[there]:
                    flat[there] = arrival
                    following[there] = heads[arrival]
                    heads[arrival] = there


def lower_levels(
    steps: NDArray[np.uint8],
    levels: NDArray[np.uint8],
    seeds: NDArray[np.int64],
    *,
    highest: int = NEVER - 1,
) -> NDArray[np.uint8]:
    """Return the levels after more seeds are added to those that `levels` came from.

    Only what the new seeds reach sooner is walked, so a pick in a pocket costs no more than the pocket.

    Parameters
    ----------
    steps : (H, W) ndarray of uint8
        Quantised difference.
    levels : (H, W) ndarray of uint8
        Levels of the seeds so far; all 255 when there are none. Not modified.
    seeds : (N,) ndarray of int64
        Flat indices of the new seeds, row x W + col.
    highest : int
        Levels above this are of no interest and may come out as too high.

    Returns
    -------
    (H, W) ndarray of uint8
        Level in steps; 255 is never.
    """
    if levels.shape != steps.shape:
        raise BadParameterError(f"Expected levels of shape {steps.shape}, got {levels.shape}.")
    if len(seeds) and not 0 <= int(seeds.min()) <= int(seeds.max()) < steps.size:
        raise BadParameterError("Expected seeds inside the picture.", field="picks")
    lowered = np.array(levels, order="C")
    _lower_into(steps, lowered, seeds, highest)
    return lowered


def _lower_into(
    steps: NDArray[np.uint8], levels: NDArray[np.uint8], seeds: NDArray[np.int64], highest: int
) -> None:
    following = np.empty(steps.size, np.int32)
    _lower_levels_kernel(np.ascontiguousarray(steps), levels, seeds, highest, following)


def outside_seeds(height: int, width: int) -> NDArray[np.int64]:
    """Return the flat indices of the picture's border, (N,) int64, in order."""
    along, down = np.arange(width), np.arange(height) * width
    sides = (along, down, down + width - 1, along + (height - 1) * width)
    return np.unique(np.concatenate(sides)).astype(np.int64)


def measure_levels(
    steps: NDArray[np.uint8], seeds: NDArray[np.int64], *, highest: int = NEVER - 1
) -> NDArray[np.uint8]:
    """Return the levels of one seed set; see `lower_levels`."""
    levels = np.full(steps.shape, NEVER, np.uint8)
    _lower_into(steps, levels, seeds, highest)
    return levels
