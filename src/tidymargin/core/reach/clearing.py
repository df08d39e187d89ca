"""Which places clearing gets to: seeds, picks and tolerances become one mask."""

from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.base.errors import BadParameterError
from tidymargin.core.base.picture import Region
from tidymargin.core.ground.difference import STEP
from tidymargin.core.reach.minimax import NEVER, lower_levels, measure_levels, outside_seeds

HIGHEST_TOLERANCE = 50.0
"""The largest tolerance that can be set."""


@dataclass(frozen=True, slots=True)
class Pick:
    """A point marked as ground or as figure, in whole pixels of the full-size picture.

    `tolerance` None means the sheet's own; it has no meaning for a figure pick.
    """

    row: int
    col: int
    is_figure: bool = False
    tolerance: float | None = None


@dataclass(frozen=True, slots=True, eq=False)
class Reach:
    """Levels of every seed set of a sheet.

    Parameters
    ----------
    levels : (H, W) ndarray of uint8
        From outside and all ground picks that go with the sheet's tolerance.
    own : tuple of (int, (H, W) ndarray of uint8)
        Tolerance step and levels of the ground picks with that tolerance of their own.
    figure : (H, W) ndarray of uint8 or None
        From the figure picks; None without any.
    """

    levels: NDArray[np.uint8]
    own: tuple[tuple[int, NDArray[np.uint8]], ...] = ()
    figure: NDArray[np.uint8] | None = None

    def lowest(self, region: Region) -> NDArray[np.uint8]:
        """Return the lowest level from any ground seed in a region, in steps."""
        found = self.levels[region.slices]
        for _, levels in self.own:
            found = np.minimum(found, levels[region.slices])
        return found


def to_step(tolerance: float) -> int:
    """Return the last step that a tolerance clears.

    Raises
    ------
    BadParameterError
        Outside 0 to 50, or NaN.
    """
    if not 0 <= tolerance <= HIGHEST_TOLERANCE:
        raise BadParameterError(
            f"Expected a tolerance from 0 to 50, got {tolerance:g}.", field="tolerance"
        )
    return int(tolerance / STEP + 1e-6)


def seed_outside(
    steps: NDArray[np.uint8], alpha: NDArray[np.uint8] | None, *, from_border: bool = True
) -> NDArray[np.uint8]:
    """Return the levels from the picture's border, where it shows a ground, and from pixels that came in transparent."""
    seeds = outside_seeds(*steps.shape) if from_border else np.empty(0, np.int64)
    if alpha is not None:
        seeds = np.union1d(seeds, np.flatnonzero(alpha == 0))
    return measure_levels(steps, seeds)


def build_reach(
    steps: NDArray[np.uint8], outside: NDArray[np.uint8], picks: tuple[Pick, ...]
) -> Reach:
    """Add picks to the levels from outside.

    Parameters
    ----------
    steps, outside : (H, W) ndarray of uint8
        Difference and the levels from outside, in steps. Not modified.
    picks : tuple of Pick
        Inside the picture.

    Returns
    -------
    Reach
        Shares `outside` itself where no pick changes it.

    Raises
    ------
    BadParameterError
        A pick lies outside the picture, or its tolerance outside 0 to 50.
    """
    height, width = steps.shape
    sheet: list[int] = []
    figure: list[int] = []
    own: dict[int, list[int]] = {}
    for pick in picks:
        if not (0 <= pick.row < height and 0 <= pick.col < width):
            raise BadParameterError(
                f"Expected a place inside {width} × {height} px, got {pick.col},{pick.row}.",
                hint="Places count from 0,0 at the top left corner.",
                field="picks",
            )
        flat = pick.row * width + pick.col
        if pick.is_figure:
            figure.append(flat)
        elif pick.tolerance is None:
            sheet.append(flat)
        else:
            own.setdefault(to_step(pick.tolerance), []).append(flat)
    levels = lower_levels(steps, outside, np.array(sheet, np.int64)) if sheet else outside
    return Reach(
        levels,
        tuple(
            (step, measure_levels(steps, np.array(seeds, np.int64), highest=step))
            for step, seeds in sorted(own.items())
        ),
        measure_levels(steps, np.array(figure, np.int64)) if figure else None,
    )


@njit(cache=True, nogil=True)
def _clear_kernel(levels, step, out):  # type: ignore[no-untyped-def]
    for row in range(levels.shape[0]):
        for col in range(levels.shape[1]):
            if levels[row, col] <= step and levels[row, col] < NEVER:
                out[row, col] = True


@njit(cache=True, nogil=True)
def _keep_kernel(figure, lowest, out):  # type: ignore[no-untyped-def]
    for row in range(figure.shape[0]):
        for col in range(figure.shape[1]):
            if figure[row, col] <= lowest[row, col]:
                out[row, col] = False


def clear(reach: Reach, tolerance: float, region: Region) -> NDArray[np.bool_]:
    """Return what is cleared in a region, (h, w) bool.

    Cleared is the union over the seed sets of level <= tolerance, less what a figure pick gets to no
    later than any ground seed: a tie is the figure's, or a pick on an even patch would hold nothing.
    """
    out = np.zeros((region.height, region.width), np.bool_)
    _clear_kernel(reach.levels[region.slices], to_step(tolerance), out)
    for step, levels in reach.own:
        _clear_kernel(levels[region.slices], step, out)
    if reach.figure is not None:
        _keep_kernel(reach.figure[region.slices], reach.lowest(region), out)
    return out
