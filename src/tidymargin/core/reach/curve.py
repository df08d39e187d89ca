"""The curve of area against tolerance, its jumps, and where in it to start."""

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.base.components import measure_depth
from tidymargin.core.base.parallel import work_out
from tidymargin.core.base.picture import Region
from tidymargin.core.ground.difference import STEP
from tidymargin.core.reach.largest import find_largest_pieces, is_solid_kernel
from tidymargin.core.reach.minimax import NEVER

_CALM_STEPS = 5  # the noise is over when a whole unit of tolerance brings nothing
_CALM_SHARE = 3e-4  # of the picture a step; typed, judged on the almanac
_LONGEST_CALM = 4.0  # farther up nothing is gained: the rim is solved, not cut at the tolerance
_FALLING = 0.75  # of a tail of noise each step brings less than this share of the one before
_JUMP_SHARE = 0.005  # a share of the sheet taken in within one step is a jump even when scattered
_PIECE_SHARE = 2e-5  # of the picture, for a jump's piece; typed
_SMALLEST_PIECE_PX = 12  # for a jump's piece in small pictures; typed
_MOST_JUMPS = 40  # that are told
_TAIL = 0.25  # of a grain; typed
_ROWS = 256  # that are counted at a time
_FEW_PX = 25  # of which fewer are no jump; typed
# tolerance, times its median gain, and of the picture; typed
_USUAL_UP_TO, _CROWDED_TIMES, _CROWDED_SHARE = 20, 5, 5e-5
_BEYOND_ALL = 51.0  # a tolerance above the most there is
_INTO_CALM = 0.3  # of a calm stretch, where a tolerance is set; typed, judged on the families


@dataclass(frozen=True, slots=True)
class Jump:
    """A tolerance at which clearing suddenly takes in a further area.

    Parameters
    ----------
    tolerance : float
        The smallest tolerance that takes it.
    area_px : int
        Pixels of the largest connected piece, or of all pieces when scattered.
    box : Region
        Bounding box of the largest piece.
    row, col : int
        A place well inside that piece.
    ground_like : bool
        The piece looks like ground itself: it is not the figure that goes, but what it closes in.
    """

    tolerance: float
    area_px: int
    box: Region
    row: int
    col: int
    ground_like: bool


@dataclass(frozen=True, slots=True)
class Calm:
    """The stretch of tolerances without news that the starting tolerance is taken from.

    Parameters
    ----------
    noise_end : float
        Tolerance at which all of the ground's own noise is gone.
    next_jump : float or None
        Tolerance of the first jump beyond the start; None when there is none in range.
    tolerance : float
        The start: in the lower third of the calm.
    """

    noise_end: float
    next_jump: float | None
    tolerance: float


def measure_curve(levels: NDArray[np.uint8]) -> NDArray[np.float64]:
    """Return the share of the sheet cleared at each step of tolerance, (255,) float64, 0 to 1."""
    counts = _count_rows(levels, lambda first, end, into: _count_kernel(levels, first, end, into))
    return np.cumsum(counts)[:NEVER] / levels.size


def _count_rows(
    levels: NDArray[np.uint8], count: Callable[[int, int, NDArray[np.int64]], None]
) -> NDArray[np.int64]:
    """Return the sum of what is counted by level, (256,), in every few rows."""

    def count_some(first: int) -> NDArray[np.int64]:
        counts = np.zeros(256, np.int64)
        count(first, min(first + _ROWS, levels.shape[0]), counts)
        return counts

    counted = work_out(count_some, range(0, levels.shape[0], _ROWS))
    return np.asarray(np.sum(counted, axis=0), np.int64)


@njit(cache=True, nogil=True)
def _count_kernel(levels, first_row, end_row, counts):  # type: ignore[no-untyped-def]
    for row in range(first_row, end_row):
        for col in range(levels.shape[1]):
            counts[levels[row, col]] += 1


@njit(cache=True, nogil=True)
def _count_solid_kernel(levels, noise_step, first_row, end_row, counts):  # type: ignore[no-untyped-def]
    """Count pixels whose whole 3 x 3 neighbourhood shares their level, by level above the noise."""
    for row in range(first_row, end_row):
        for col in range(levels.shape[1]):
            level = levels[row, col]
            if noise_step < level < NEVER and is_solid_kernel(levels, row, col):
                counts[level] += 1


def _find_inside(piece: NDArray[np.bool_]) -> tuple[int, int]:
    """Return a place of a piece that is about as far from its rim as any."""
    depth, every = measure_depth(piece)
    row, col = (int(v) for v in np.unravel_index(int(depth.argmax()), depth.shape))
    if not piece[row * every, col * every]:  # thinner than what was looked at
        row, col = (int(v) for v in np.unravel_index(int(piece.argmax()), piece.shape))
        return row, col
    return row * every, col * every


def _to_jump(
    levels: NDArray[np.uint8],
    steps: NDArray[np.uint8],
    level: int,
    largest: NDArray[np.int64],
    noise_step: int,
) -> Jump:
    area, top, left, bottom, right, row, col, _ = (int(v) for v in largest)
    box = Region(top, left, bottom, right)
    flooded = np.zeros((box.height + 2, box.width + 2), np.uint8)
    how = 4 | cv2.FLOODFILL_MASK_ONLY | cv2.FLOODFILL_FIXED_RANGE | (1 << 8)
    cv2.floodFill(levels[box.slices], flooded, (col - left, row - top), 0, 0, 0, how)
    piece = flooded[1:-1, 1:-1].view(np.bool_)
    row, col = _find_inside(piece)
    like_ground = int(np.count_nonzero(piece & (steps[box.slices] <= noise_step)))
    return Jump(round(level * STEP, 1), area, box, top + row, left + col, 2 * like_ground > area)


def find_jumps(
    levels: NDArray[np.uint8],
    steps: NDArray[np.uint8],
    curve: NDArray[np.float64],
    grain: float = 0.0,
) -> tuple[Jump, ...]:
    """Find the tolerances at which a further area goes at once.

    Parameters
    ----------
    levels : (H, W) ndarray of uint8
        Levels from outside and the picks, in steps.
    steps : (H, W) ndarray of uint8
        Quantised difference.
    curve : (255,) ndarray of float64
        See `measure_curve`; of these levels.
    grain : float
        The ground's own noise, in units of difference.

    Returns
    -------
    tuple of Jump
        By rising tolerance, at most 40 (the largest areas win). A jump takes in at least half a
        percent of the sheet within one step, or a connected piece of at least 20 ppm that is 3 px
        thick somewhere.
    """
    noise_step = round(_noise_end(curve, grain) / STEP)
    counts = _count_rows(
        levels,
        lambda first, end, into: _count_solid_kernel(levels, noise_step, first, end, into),
    )
    least = max(_SMALLEST_PIECE_PX, int(_PIECE_SHARE * levels.size))
    candidates = [
        level for level in range(noise_step + 1, NEVER) if counts[level] >= min(least, _FEW_PX) // 2
    ]
    candidates.sort(key=lambda level: -counts[level])
    wanted = np.zeros(256, np.bool_)
    wanted[candidates[: 2 * _MOST_JUMPS]] = True
    largest = find_largest_pieces(levels, wanted)
    areas = largest[:, 0]
    is_jump = (areas >= least) | (wanted & (counts >= _JUMP_SHARE * levels.size))
    found = sorted(np.flatnonzero(is_jump), key=lambda level: -areas[level])[:_MOST_JUMPS]
    return tuple(
        work_out(
            lambda level: _to_jump(levels, steps, int(level), largest[level], noise_step),
            sorted(found),
        )
    )


def _noise_end(curve: NDArray[np.float64], grain: float) -> float:
    """Return the tolerance after which no more of the ground's own noise goes.

    Most of the ground's grain was taken off the difference already, so that its tail falls off fast.
    It is over when a whole unit more brings next to nothing, or when the tail no longer falls: what
    goes from there on is the rim of a figure, or a pale part of it, however smoothly it goes.
    """
    gain = curve[_CALM_STEPS:] - curve[:-_CALM_STEPS]
    calm = np.flatnonzero(gain < max(_CALM_SHARE, 3 * float(np.median(gain[: NEVER // 2]))))
    each = np.diff(curve[: _CALM_STEPS + NEVER // 4])
    level = np.flatnonzero(each[1:] > _FALLING * each[:-1])
    latest = round((1.0 + 0.5 * grain) / STEP)
    return min(int(calm[0]) if len(calm) else 0, int(level[0]) if len(level) else 0, latest) * STEP


def _first_crowd(levels_curve: NDArray[np.float64], noise_end: float) -> float | None:
    """Return where many more places go in one step than the soft rim of an outline explains.

    A pale line two pixels wide is too thin to be a jump, yet it must not be cleared; it shows as a
    step of the curve far above the steps around it.
    """
    first = round(noise_end / STEP) + 2
    gains = np.diff(levels_curve)[first:]
    if len(gains) == 0:
        return None
    usual = float(np.median(gains[: round(_USUAL_UP_TO / STEP)]))
    crowded = np.flatnonzero(gains > max(_CROWDED_TIMES * usual, _CROWDED_SHARE))
    return float(first + 1 + crowded[0]) * STEP if len(crowded) else None


def find_calm(curve: NDArray[np.float64], jumps: tuple[Jump, ...], grain: float = 0.0) -> Calm:
    """Choose the tolerance to start with: between the noise and the first news after it.

    Parameters
    ----------
    curve : (255,) ndarray of float64
        See `measure_curve`; of the levels from outside only.
    jumps : tuple of Jump
        See `find_jumps`.
    grain : float
        The ground's own noise, in units of difference.

    Returns
    -------
    Calm
        `tolerance` is a multiple of 0.2 in the lower third of the calm.
    """
    noise_end = _noise_end(curve, grain)
    ends = [jump.tolerance for jump in jumps if jump.tolerance > noise_end + STEP]
    crowd = _first_crowd(curve, noise_end)
    if crowd is not None:
        ends.append(crowd)
    next_jump = min(ends, default=None)
    stretch = min((next_jump or _BEYOND_ALL) - noise_end, _LONGEST_CALM)
    step = int(noise_end / STEP + _INTO_CALM * stretch / STEP + 0.5)
    least = noise_end + min(_TAIL * grain, 1.0)  # a lossy ground's last specks
    tolerance = round(max(step, int(least / STEP + 0.5), 1) * STEP, 1)
    following = min((end for end in ends if end > tolerance + STEP / 2), default=None)
    return Calm(noise_end, following and round(following, 1), tolerance)
