"""What the places of thin things of several colours before a screen may be read as.

By its luma a place may be half of a pale colour over the screen, or all of a darker one: each is a reading. Only
where the figure is of even colours is there anything to choose from.
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.colour import (
    fill_luma_kernel,
    lean_kernel,
    luma_at_kernel,
    to_luma_chroma_kernel,
    to_rgb_kernel,
)

_NEAR_PX = 6  # from a place, where a colour of the figure shows that it may be made of
_RIM_PX = 2  # from what is not solid

FOUND_HALO_PX = max(_NEAR_PX, _RIM_PX)
"""How much of the surroundings finding them needs."""

_CONTRAST = (
    40.0  # levels of luma between colours, and to the screen, below which luma tells nothing
)
_TRACE = 4.0  # levels that a place differs from the screen by, at least
_LIKE = 14.0  # levels between a colour and what counts as it
_MOSTLY_PERCENT = 50  # of solid places near by, that have one of the even colours
_BESIDE = 3  # places of a colour that luma does not tell; fewer are no part of it
_OVER = 4.0  # deviation, in levels, of what lies beyond the colour it is taken for
_SOLID = 0.9
_OPEN = 0.95
_COLOURS = 5  # that one place is read as, with halves of two
_HALF = 0.7  # cost of half of one colour and half of the next
_MIXED = 0.2  # cost of any other mixture of two colours with nothing of the screen
READINGS = _COLOURS + 2
"""How many there may be of one place."""

_AS_SEEN, _AS_SOLVED = _COLOURS, _COLOURS + 1  # all of it figure; as it came


@dataclass(frozen=True, slots=True, eq=False)
class Readings:
    """What N places of a region may be read as.

    Parameters
    ----------
    number : (h, w) ndarray of int32
        Which of the N each place is; -1 for none.
    luma : (h, w) ndarray of float32
        Of the figure's colour as it was solved.
    parts, lumas, leans : (N, READINGS) ndarray of float32
        Each reading's share, its figure's luma, and how far the place as a whole leans to the screen's hue.
    costs : (N, READINGS) ndarray of float32
        What speaks against each; below 0 where there is no such reading.
    colours : (N, READINGS, 3) ndarray of float32
        The figure's colour, 0 to 255.
    """

    number: NDArray[np.int32]
    luma: NDArray[np.float32]
    parts: NDArray[np.float32]
    lumas: NDArray[np.float32]
    leans: NDArray[np.float32]
    costs: NDArray[np.float32]
    colours: NDArray[np.float32]


def _show(
    colours: NDArray[np.float32], solid: NDArray[np.bool_], own_rgb: NDArray[np.float32]
) -> NDArray[np.int64]:
    """Return a bit for each even colour near by; none where the figure near by is not mostly of such."""
    side = 2 * _NEAR_PX + 1
    shown = np.zeros(solid.shape, np.int64)
    is_even = np.zeros(solid.shape, np.uint8)
    for entry, own in enumerate(own_rgb):
        low, high = (tuple(map(float, own + way * np.float32(_LIKE))) for way in (-1, 1))
        has_it = np.asarray(cv2.inRange(colours, low, high)) & solid.view(np.uint8)
        is_even |= has_it
        spread = np.asarray(cv2.dilate(has_it, np.ones((side, side), np.uint8)))
        shown |= spread.astype(np.int64) << entry

    def count(places: NDArray[np.uint8]) -> NDArray[np.int32]:
        box = cv2.boxFilter(
            places, cv2.CV_16U, (side, side), normalize=False, borderType=cv2.BORDER_CONSTANT
        )
        return np.asarray(box).astype(np.int32)

    shown[100 * count(is_even) < _MOSTLY_PERCENT * count(solid.view(np.uint8))] = 0
    return shown


@njit(cache=True, nogil=True, inline="always")
def _may_tell(own, entry, by, way):  # type: ignore[no-untyped-def]
    """Whether luma tells a colour from the screen's, on the side that a place is on."""
    return way * (own[entry, 0] - by) > _CONTRAST


@njit(cache=True, nogil=True)
def _number_places_kernel(rgb, ground, top, left, luma, share, rim, own, shown, number):  # type: ignore[no-untyped-def]
    """Fill a number for each place that two of the colours near by may explain, -1 elsewhere; return how many."""
    height, width = share.shape
    count = 0
    for row in range(height):
        for col in range(width):
            number[row, col] = -1
            if not rim[row, col] or shown[row, col] == 0:
                continue
            by = luma_at_kernel(ground, row + top, col + left)
            y = luma_at_kernel(rgb, row + top, col + left)
            if abs(y - by) <= _TRACE:
                continue
            way = 1.0 if y > by else -1.0
            least, most, explains = 255.0, 0.0, False
            for entry in range(own.shape[0]):
                if shown[row, col] >> entry & 1 and _may_tell(own, entry, by, way):
                    least, most = min(least, own[entry, 0]), max(most, own[entry, 0])
                    explains = explains or way * (y - own[entry, 0]) <= _LIKE
            if most - least <= _CONTRAST or not explains:
                continue
            # beside a colour that is no lighter than the screen, or no darker, luma tells nothing of mixtures
            hidden = 0
            for there in range(max(0, row - 1), min(height, row + 2)):
                for here in range(max(0, col - 1), min(width, col + 2)):
                    if share[there, here] > 0.5:
                        for entry in range(own.shape[0]):
                            if abs(luma[there, here] - own[entry, 0]) <= _LIKE and not _may_tell(
                                own, entry, by, way
                            ):
                                hidden += 1
                                break
            if hidden < _BESIDE:
                number[row, col] = count
                count += 1
    return count


@njit(cache=True, nogil=True)
def _list_readings_kernel(  # type: ignore[no-untyped-def]
    rgb, ground, top, left, luma, share, figure, own, own_rgb, shown, number,
    parts, lumas, leans, costs, colours,
):  # fmt: skip
    """Fill each place's readings: its share, and its figure's luma, lean and colour, and what speaks against it.

    A cost below 0 stands for a reading that there is not.
    """
    order = np.argsort(own[:, 0])
    for row in range(share.shape[0]):
        for col in range(share.shape[1]):
            at = number[row, col]
            if at < 0:
                continue
            by, bu, bv = to_luma_chroma_kernel(
                ground[row + top, col + left, 0],
                ground[row + top, col + left, 1],
                ground[row + top, col + left, 2],
            )
            y = luma_at_kernel(rgb, row + top, col + left)
            way = 1.0 if y > by else -1.0
            costs[at, :] = -1.0
            count, before, first = 0, -1, y
            near, near_u, near_v = 1e9, 0.0, 0.0
            for place in range(order.size):
                entry = order[place if way > 0 else order.size - 1 - place]
                if not (shown[row, col] >> entry & 1 and _may_tell(own, entry, by, way)):
                    continue
                if before < 0:
                    first = own[entry, 0]
                elif abs(own[entry, 0] - own[before, 0]) <= _CONTRAST:
                    continue
                if abs(y - own[entry, 0]) < near:
                    near, near_u, near_v = abs(y - own[entry, 0]), own[entry, 1], own[entry, 2]
                for other in (before, entry):  # half of both, and all of this one
                    if other < 0:
                        continue
                    light = 0.5 * (own[entry, 0] + own[other, 0])
                    over = way * (y - light)
                    if over > _LIKE or count == _COLOURS:
                        continue
                    leant, _ = lean_kernel(
                        0.5 * (own[entry, 1] + own[other, 1]),
                        0.5 * (own[entry, 2] + own[other, 2]),
                        bu,
                        bv,
                    )
                    part = min(1.0, (y - by) / (light - by))
                    parts[at, count], lumas[at, count] = part, light
                    leans[at, count] = part * leant + 1.0 - part
                    costs[at, count] = max(0.0, over) ** 2 / (2.0 * _OVER * _OVER)
                    costs[at, count] += 0.0 if other == entry else _HALF
                    for channel in range(3):
                        both = own_rgb[entry, channel] + own_rgb[other, channel]
                        colours[at, count, channel] = 0.5 * both
                    count += 1
                before = entry
            leant, _ = lean_kernel(near_u, near_v, bu, bv)
            parts[at, _AS_SEEN], lumas[at, _AS_SEEN], leans[at, _AS_SEEN] = 1.0, y, leant
            if way * (y - first) >= -_LIKE:  # as light as a mixture of the figure's own can be
                costs[at, _AS_SEEN] = _MIXED
            seen = to_rgb_kernel(y, near_u, near_v)
            _, fu, fv = to_luma_chroma_kernel(
                figure[row, col, 0], figure[row, col, 1], figure[row, col, 2]
            )
            leant, _ = lean_kernel(fu, fv, bu, bv)
            part = share[row, col]
            parts[at, _AS_SOLVED], lumas[at, _AS_SOLVED] = part, luma[row, col]
            leans[at, _AS_SOLVED] = part * leant + 1.0 - part
            costs[at, _AS_SOLVED] = 0.0
            for channel in range(3):
                colours[at, _AS_SEEN, channel] = min(255.0, max(0.0, seen[channel]))
                colours[at, _AS_SOLVED, channel] = figure[row, col, channel]


def find_readings(
    rgb: NDArray[np.uint8],
    ground: NDArray[np.float32],
    corner: tuple[int, int],
    own_rgb: NDArray[np.float32],
    share: NDArray[np.float32],
    figure: NDArray[np.float32],
) -> Readings | None:
    """Find the places that two of the figure's even colours may explain; None without any.

    The parameters are those of `weighing.weigh_readings`.
    """
    if len(own_rgb) < 2:
        return None
    own = np.array([to_luma_chroma_kernel(*map(float, colour)) for colour in own_rgb])
    luma = np.empty(share.shape, np.float32)
    fill_luma_kernel(figure, luma)
    beside = np.ones((2 * _RIM_PX + 1,) * 2, np.uint8)
    rim = np.asarray(cv2.dilate((share < _OPEN).view(np.uint8), beside)) > 0
    shown, number = _show(figure, share > _SOLID, own_rgb), np.empty(share.shape, np.int32)
    count = _number_places_kernel(rgb, ground, *corner, luma, share, rim, own, shown, number)
    if count == 0:
        return None
    parts, lumas, leans, costs = (np.zeros((count, READINGS), np.float32) for _ in range(4))
    colours = np.zeros((count, READINGS, 3), np.float32)
    _list_readings_kernel(
        rgb, ground, *corner, luma, share, figure, own, own_rgb, shown, number,
        parts, lumas, leans, costs, colours,
    )  # fmt: skip
    return Readings(number, luma, parts, lumas, leans, costs, colours)
