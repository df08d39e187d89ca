"""Narrows: gaps in an outline through which clearing runs into what the figure all but closes in.

There ground and figure are alike, so no tolerance can be right, and a fence across the gap is.
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.levels import NEVER, measure_levels

_WIDEST = 0.008  # of the sheet's shorter side
_WIDEST_PX = 10.0
_ROOMY = 4.0  # how much wider than its gap a chamber is
_LEAST_SHARE = 5e-4
_MOST = 12
_FINE = 4.0  # distances are told apart to a quarter of a pixel
_OVERLAP_PX = 2.0


@dataclass(frozen=True, slots=True)
class Narrow:
    """A gap and what lies behind it.

    Parameters
    ----------
    fence : tuple of (row, col)
        Two places a little inside the figure on both sides; a line between them shuts the gap.
    row, col : int
        The middle of the gap.
    width_px : float
        How wide it is.
    area_px : int
        How much is cleared behind it.
    """

    fence: tuple[tuple[int, int], tuple[int, int]]
    row: int
    col: int
    width_px: float
    area_px: int


def find_narrows(cleared: NDArray[np.bool_]) -> tuple[Narrow, ...]:
    """Find gaps of at most 10 px, or 0.8 % of the sheet’s shorter side, before chambers four times as wide.

    Parameters
    ----------
    cleared : (H, W) ndarray of bool
        What is cleared from outside.

    Returns
    -------
    tuple of Narrow
        At most 12, the largest chambers first.
    """
    if cleared.all() or not cleared.any():
        return ()
    half_px = np.asarray(
        cv2.distanceTransform(cleared.view(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    )
    widest = max(_WIDEST_PX, _WIDEST * min(cleared.shape)) / 2
    # passable where roomy: a level is the narrowest place on the widest way from the border
    ceiling = int(2 * widest * _FINE)
    shut = np.where(
        cleared, ceiling - np.minimum(half_px * _FINE, ceiling).astype(np.int64), NEVER
    ).astype(np.uint8)
    at_border = np.zeros(cleared.shape, np.bool_)
    for line in (np.s_[0], np.s_[-1], np.s_[:, 0], np.s_[:, -1]):
        at_border[line] = cleared[line]
    if not at_border.any():
        return ()
    from_border = measure_levels(shut, np.flatnonzero(at_border))
    narrowed = cleared & (from_border > ceiling - widest * _FINE) & (from_border < NEVER)
    _, marks, stats, _ = cv2.connectedComponentsWithStats(
        narrowed.view(np.uint8), connectivity=4, ltype=cv2.CV_32S
    )
    found: list[Narrow] = []
    least = max(64, int(_LEAST_SHARE * cleared.size))
    for number in np.argsort(-np.asarray(stats)[:, cv2.CC_STAT_AREA], kind="stable"):
        left, top, width, height, area = (int(v) for v in stats[number])
        if number == 0 or area < least or len(found) == _MOST:
            continue
        outer = (
            slice(max(0, top - 2), top + height + 2),
            slice(max(0, left - 2), left + width + 2),
        )
        inside = np.asarray(marks[outer]) == number
        room = np.where(inside, half_px[outer], 0)
        deepest = np.unravel_index(int(room.argmax()), room.shape)
        neck = int(from_border[outer][deepest])
        neck_px = (ceiling - neck) / _FINE
        if room[deepest] < _ROOMY * max(neck_px, 0.5):
            continue
        # the middle of the gap: as near to what the border gets to more easily as to the chamber
        own = shut[outer]
        seed = np.array([int(deepest[0]) * own.shape[1] + int(deepest[1])])
        behind = measure_levels(own, seed) < neck
        before = cleared[outer] & (from_border[outer] < neck)
        if not before.any():
            continue
        farther = np.maximum(*(_distance_to(mask) for mask in (behind, before)))
        between = cleared[outer] & (own <= neck) & ~behind & ~before
        if not between.any():
            continue
        at = np.unravel_index(int(np.where(between, farther, np.inf).argmin()), between.shape)
        row, col = int(at[0]) + outer[0].start, int(at[1]) + outer[1].start
        fence = _span(cleared, row, col, widest)
        if fence is None:
            continue
        here = outer[0].start, outer[1].start
        shut_off = _shut_off(cleared[outer], fence, here, (int(deepest[0]), int(deepest[1])))
        if not (shut_off & before).any():  # or the fence would not part them
            width_px = round(2 * float(half_px[row, col]), 1)
            found.append(Narrow(fence, row, col, width_px, int(shut_off.sum())))
    return tuple(found)


def _distance_to(mask: NDArray[np.bool_]) -> NDArray[np.float32]:
    found = cv2.distanceTransform((~mask).view(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    return np.asarray(found, np.float32)


def _shut_off(
    cleared: NDArray[np.bool_],
    fence: tuple[tuple[int, int], tuple[int, int]],
    corner: tuple[int, int],
    place: tuple[int, int],
) -> NDArray[np.bool_]:
    """Return what of a cleared region still hangs together with a place once a fence stands."""
    fenced = cleared.astype(np.uint8)
    (top, left), (bottom, right) = ((row - corner[0], col - corner[1]) for row, col in fence)
    cv2.line(fenced, (left, top), (right, bottom), 0, thickness=2, lineType=cv2.LINE_4)
    _, marks = cv2.connectedComponents(fenced, connectivity=4, ltype=cv2.CV_32S)
    return np.equal(np.asarray(marks), int(marks[place]))


def _span(
    cleared: NDArray[np.bool_], row: int, col: int, widest: float
) -> tuple[tuple[int, int], tuple[int, int]] | None:
    """Return the ends of the shortest line through a place from figure to figure."""
    best: tuple[float, tuple[int, int], tuple[int, int]] | None = None
    reach = int(4 * widest) + 4
    for angle in np.linspace(0, np.pi, 36, endpoint=False):
        down, right = np.sin(angle), np.cos(angle)
        ends = []
        for way in (1, -1):
            for far in range(1, reach):
                there, here = round(row + way * down * far), round(col + way * right * far)
                if not (0 <= there < cleared.shape[0] and 0 <= here < cleared.shape[1]):
                    break
                if not cleared[there, here]:
                    ends.append((far, way))
                    break
        if len(ends) == 2 and (best is None or ends[0][0] + ends[1][0] < best[0]):
            places = [
                (
                    int(np.clip(round(row + way * down * (far + _OVERLAP_PX)), 0, cleared.shape[0] - 1)),
                    int(np.clip(round(col + way * right * (far + _OVERLAP_PX)), 0, cleared.shape[1] - 1)),
                )
                for far, way in ends
            ]  # fmt: skip
            best = (ends[0][0] + ends[1][0], places[0], places[1])
    return None if best is None else (best[1], best[2])
