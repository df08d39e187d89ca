"""Narrows: gaps in an outline through which clearing runs into what the figure all but closes in.

There ground and figure are alike, so no tolerance can be right, and a fence across the gap is.
"""

import math
from dataclasses import dataclass

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.base.components import Pieces, find_pieces
from tidymargin.core.base.parallel import work_through
from tidymargin.core.base.picture import Region, whole
from tidymargin.core.base.progress import Tick, no_tick
from tidymargin.core.reach.minimax import NEVER, measure_levels, outside_seeds

_WIDEST = 0.008  # of the sheet's shorter side
_WIDEST_PX = 10.0  # of a gap that may be one by mistake; typed
_ROOMY = 4.0  # how much wider than its gap a chamber is
_LEAST_SHARE = 5e-4  # of the picture behind a gap; typed
_MOST = 12  # that are told
_FINE = 4.0  # distances are told apart to a quarter of a pixel, or as finely as levels are on the largest sheets
_OVERLAP_PX = 2.0  # of a fence into the figure, so that it shuts
_PARTS = 32  # of a pixel; two bytes hold 2048 px of them, and farther is roomy whatever the gap
_BAND_PX = 256  # rows that a thread takes at once
_LEAST_PX, _DIRECTIONS = 64, 36  # of a chamber; that a passage is measured in; typed


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


def find_narrows(cleared: NDArray[np.bool_], tick: Tick = no_tick) -> tuple[Narrow, ...]:
    """Find gaps of at most 10 px, or 0.8 % of the sheet’s shorter side, before chambers four times as wide.

    Parameters
    ----------
    cleared : (H, W) ndarray of bool
        What is cleared from outside.
    tick : callable, optional
        Called between parts with the share that is done; may raise to end it.

    Returns
    -------
    tuple of Narrow
        At most 12, the largest chambers first.
    """
    if cleared.all() or not cleared.any():
        return ()
    tick(0.0)
    widest = max(_WIDEST_PX, _WIDEST * min(cleared.shape)) / 2
    fine = min(_FINE, (NEVER - 1) / (2 * widest))
    # passable where roomy: a level is the narrowest place on the widest way from the border
    ceiling = int(2 * widest * fine)
    bands = list(whole(*cleared.shape).bands(_BAND_PX))
    room, shut = _measure_room(cleared, fine, ceiling, bands)
    tick(0.3)
    border = outside_seeds(*cleared.shape)
    seeds = border[cleared.ravel()[border]]
    if not len(seeds):
        return ()
    from_border = measure_levels(shut, seeds)
    tick(0.7)
    chambers = _find_chambers(from_border, ceiling - widest * fine, bands)
    deepest_of = _find_deepest(chambers, room)
    found: list[Narrow] = []
    least = max(_LEAST_PX, int(_LEAST_SHARE * cleared.size))
    for number in np.argsort(-chambers.areas, kind="stable"):
        if number == 0 or chambers.areas[number] < least or len(found) == _MOST:
            continue
        tick(0.8)
        deepest_row, deepest_col = (int(v) for v in deepest_of[number])
        neck = int(from_border[deepest_row, deepest_col])
        if room[deepest_row, deepest_col] / _PARTS < _ROOMY * max((ceiling - neck) / fine, 0.5):
            continue
        outer = chambers.box(int(number)).grown(2, whole(*cleared.shape)).slices
        deepest = deepest_row - outer[0].start, deepest_col - outer[1].start
        # the middle of the gap: as near to what the border gets to more easily as to the chamber
        own = shut[outer]
        behind = _flood(np.less(own, neck).view(np.uint8), deepest)
        before = cleared[outer] & (from_border[outer] < neck)
        if not before.any():
            continue
        between = cleared[outer] & (own <= neck) & ~behind & ~before
        at = _find_middle(between, behind, before, math.ceil(_ROOMY * widest))
        if at is None:
            continue
        row, col = at[0] + outer[0].start, at[1] + outer[1].start
        fence = _span(cleared, row, col, widest)
        if fence is None:
            continue
        del between, behind  # as large as the sheet, it may be
        here = outer[0].start, outer[1].start
        shut_off = _shut_off(cleared[outer], fence, here, deepest)
        area_px = int(np.count_nonzero(shut_off))
        if not np.logical_and(
            shut_off, before, out=before
        ).any():  # or the fence would not part them
            width_px = round(2 * float(room[row, col]) / _PARTS, 1)
            found.append(Narrow(fence, row, col, width_px, area_px))
    return tuple(found)


def _find_chambers(levels: NDArray[np.uint8], above: float, bands: list[Region]) -> Pieces:
    """Return the pieces of what is harder to get to than a level, and not out of reach."""
    narrowed = np.empty(levels.shape, np.bool_)

    def find(band: Region) -> None:
        here = levels[band.slices]
        np.logical_and(here > above, here < NEVER, out=narrowed[band.slices])

    work_through(find, bands)
    return find_pieces(narrowed)


def _measure_room(
    cleared: NDArray[np.bool_], fine: float, ceiling: int, bands: list[Region]
) -> tuple[NDArray[np.uint16], NDArray[np.uint8]]:
    """Return how far each place is from the figure, in parts of a pixel, and how hard it is to pass."""
    distance_px = _distance_in(cleared)
    room = np.empty(cleared.shape, np.uint16)
    shut = np.empty(cleared.shape, np.uint8)

    def fill(band: Region) -> None:
        at = band.slices
        _room_kernel(cleared[at], distance_px[at], fine, ceiling, room[at], shut[at])

    work_through(fill, bands)
    return room, shut


@njit(cache=True, nogil=True)
def _room_kernel(cleared, distance_px, fine, ceiling, room, shut):  # type: ignore[no-untyped-def]
    """Fill both; a place is the harder to pass the more its distance to the figure falls short."""
    for row in range(room.shape[0]):
        for col in range(room.shape[1]):
            distance = distance_px[row, col]
            room[row, col] = int(min(distance * np.float32(_PARTS) + 0.5, np.float32(65535)))
            passable = int(min(distance * fine, np.float32(ceiling)))
            shut[row, col] = ceiling - passable if cleared[row, col] else NEVER


@njit(cache=True, nogil=True)
def _deepest_kernel(first_of, cols, piece_of, room, deepest):  # type: ignore[no-untyped-def]
    most = np.zeros(len(deepest), np.uint16)
    for row in range(len(first_of) - 1):
        for run in range(first_of[row], first_of[row + 1]):
            piece = piece_of[run]
            for col in range(cols[run, 0], cols[run, 1]):
                if room[row, col] > most[piece]:
                    most[piece] = room[row, col]
                    deepest[piece, 0], deepest[piece, 1] = row, col


def _find_deepest(pieces: Pieces, room: NDArray[np.uint16]) -> NDArray[np.int32]:
    """Return the first of each piece's places that are farthest from the figure, (N, 2) rows and columns."""
    deepest = np.zeros((len(pieces.areas), 2), np.int32)
    _deepest_kernel(*pieces.runs, room, deepest)
    return deepest


def _find_middle(
    between: NDArray[np.bool_], one: NDArray[np.bool_], other: NDArray[np.bool_], near_px: int
) -> tuple[int, int] | None:
    """Return the place between two masks that is as near as can be to both; None where none is near to both."""
    square = np.ones((2 * near_px + 1,) * 2, np.uint8)
    near = between.copy()
    for mask in (one, other):
        near &= np.asarray(cv2.dilate(mask.view(np.uint8), square)) > 0
    rows, cols = np.flatnonzero(near.any(axis=1)), np.flatnonzero(near.any(axis=0))
    if not len(rows):
        return None
    top, left = max(0, int(rows[0]) - near_px), max(0, int(cols[0]) - near_px)
    box = (slice(top, int(rows[-1]) + near_px + 1), slice(left, int(cols[-1]) + near_px + 1))
    farther = np.maximum(*(_distance_in(~mask[box]) for mask in (one, other)))
    at = np.unravel_index(int(np.where(near[box], farther, np.inf).argmin()), farther.shape)
    return int(at[0]) + top, int(at[1]) + left


def _distance_in(mask: NDArray[np.bool_]) -> NDArray[np.float32]:
    """Return how far each place of a mask is from what is not in it, in pixels."""
    places = np.ascontiguousarray(mask).view(np.uint8)
    found = cv2.distanceTransform(places, cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
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
    return _flood(fenced, place)


def _flood(mask: NDArray[np.uint8], place: tuple[int, int]) -> NDArray[np.bool_]:
    """Return, in the same memory, what of a mask of 0 and 1 hangs together with one of its places."""
    if mask[place]:
        cv2.floodFill(mask, None, place[::-1], 2, flags=4)
    return np.equal(mask, 2, out=mask.view(np.bool_))


def _span(
    cleared: NDArray[np.bool_], row: int, col: int, widest: float
) -> tuple[tuple[int, int], tuple[int, int]] | None:
    """Return the ends of the shortest line through a place from figure to figure."""
    best: tuple[float, tuple[int, int], tuple[int, int]] | None = None
    reach = int(4 * widest) + 4
    for angle in np.linspace(0, np.pi, _DIRECTIONS, endpoint=False):
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
