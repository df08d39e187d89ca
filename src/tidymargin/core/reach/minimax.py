"""At which tolerance clearing gets to each place: all tolerances at once.

The level of a pixel is the least possible maximum of the difference over all 4-connected paths from
the seeds: a bottleneck path, or grey-scale reconstruction by erosion (L. Vincent, "Morphological
grayscale reconstruction in image analysis", 1993), whose hybrid of sweeps and a queue this is. With quantised
differences the queue is one of buckets, in which a pixel's first discovery is already its final level.
"""

import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.base.errors import BadParameterError
from tidymargin.core.base.parallel import work_out, work_through
from tidymargin.core.base.picture import Region, whole

_SWEPT = 4  # bands that are swept on their own; typed: as many cores as are common
_SELDOM_OPEN = 64  # one place in so many, for which there is room at first; typed

NEVER = 255
"""Level of a place that no tolerance in range gets to."""


@njit(cache=True, nogil=True)
def _sweep_kernel(steps, levels):  # type: ignore[no-untyped-def]
    """Lower levels in place by what comes from above and the left, then by what comes from below and the right."""
    height, width = steps.shape
    for row in range(height):
        beside = np.uint8(NEVER)
        above = levels[max(0, row - 1)]
        for col in range(width):
            least = min(levels[row, col], above[col], beside)
            beside = levels[row, col] = max(least, steps[row, col])
    for row in range(height - 1, -1, -1):
        beside = np.uint8(NEVER)
        below = levels[min(height - 1, row + 1)]
        for col in range(width - 1, -1, -1):
            least = min(levels[row, col], below[col], beside)
            beside = levels[row, col] = max(least, steps[row, col])


@njit(cache=True, nogil=True)
def _find_open_kernel(steps, levels, top, bottom, out):  # type: ignore[no-untyped-def]
    """List the flat indices of places in some rows that would lower a neighbour; return how many there are.

    Those that `out` has no room for are only counted.
    """
    height, width = steps.shape
    count = 0
    for row in range(top, bottom):
        above, below = max(0, row - 1), min(height - 1, row + 1)
        for col in range(width):
            level = levels[row, col]
            left, right = max(0, col - 1), min(width - 1, col + 1)
            is_open = (
                (max(level, steps[above, col]) < levels[above, col])
                | (max(level, steps[below, col]) < levels[below, col])
                | (max(level, steps[row, left]) < levels[row, left])
                | (max(level, steps[row, right]) < levels[row, right])
            )
            if is_open:
                if count < len(out):
                    out[count] = row * width + col
                count += 1
    return count


@njit(cache=True, nogil=True)
def _lower_levels_kernel(steps, levels, places, starts, highest, following):  # type: ignore[no-untyped-def]
    """Lower levels in place from places on whose levels are set: those of level n are `places[starts[n]:starts[n + 1]]`.

    What a place lowers has its final level then, so that no place is ever in two of the lists that begin at `heads`.
    """
    height, width = steps.shape
    flat_steps = steps.ravel()
    flat = levels.ravel()
    heads = np.full(256, -1, np.int64)
    for level in range(highest + 1):
        given = starts[level]
        while heads[level] >= 0 or given < starts[level + 1]:
            if heads[level] >= 0:
                at = heads[level]
                heads[level] = following[at]
            else:
                at = places[given]
                given += 1
                if flat[at] != level:  # lowered since: it has been looked at
                    continue
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
    steps = np.ascontiguousarray(steps)
    _lower_from(steps, lowered, _set_seeds(steps, lowered, seeds), highest)
    return lowered


def _lower_from(
    steps: NDArray[np.uint8], levels: NDArray[np.uint8], places: NDArray[np.int64], highest: int
) -> None:
    """Lower levels in place from places on whose levels are set."""
    own = levels.ravel()[places]
    order = np.argsort(own, kind="stable")
    starts = np.searchsorted(own[order], np.arange(257))
    following = np.empty(steps.size, np.int32)
    _lower_levels_kernel(steps, levels, places[order], starts, highest, following)


def _set_seeds(
    steps: NDArray[np.uint8], levels: NDArray[np.uint8], seeds: NDArray[np.int64]
) -> NDArray[np.int64]:
    """Set seeds' own levels, in place; return those that were not as low."""
    flat = levels.ravel()
    own = steps.ravel()[seeds]
    is_lower = own < flat[seeds]
    flat[seeds[is_lower]] = own[is_lower]
    return seeds[is_lower]


def outside_seeds(height: int, width: int) -> NDArray[np.int64]:
    """Return the flat indices of the picture's border, (N,) int64, in order."""
    along, down = np.arange(width), np.arange(height) * width
    sides = (along, down, down + width - 1, along + (height - 1) * width)
    return np.unique(np.concatenate(sides)).astype(np.int64)


def measure_levels(
    steps: NDArray[np.uint8], seeds: NDArray[np.int64], *, highest: int = NEVER - 1
) -> NDArray[np.uint8]:
    """Return the levels of one seed set; see `lower_levels`.

    Two sweeps of each band settle most of a picture in the order in which it lies in memory; the queue has what winds.
    """
    steps = np.ascontiguousarray(steps)
    levels = np.full(steps.shape, NEVER, np.uint8)
    _set_seeds(steps, levels, seeds)
    bands = list(whole(*steps.shape).bands(-(-steps.shape[0] // _SWEPT)))
    work_through(lambda band: _sweep_kernel(steps[band.slices], levels[band.slices]), bands)

    def find_open(band: Region) -> NDArray[np.int64]:
        count, out = 1, np.empty(0, np.int64)
        while count > len(out):  # at most twice
            out = np.empty(max(count, band.height * band.width // _SELDOM_OPEN), np.int64)
            count = _find_open_kernel(steps, levels, band.top, band.bottom, out)
        return out[:count]

    _lower_from(steps, levels, np.concatenate(work_out(find_open, bands)), highest)
    return levels
