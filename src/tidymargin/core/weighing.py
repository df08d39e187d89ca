"""Thin things of several colours before a screen: their places are read together, not one by one.

Coding has blurred the chroma that would tell a little of a pale colour from more of a darker one, but kept its
sum, and a thin thing goes on along itself. So every reading of every such place is weighed until, blurred as coding
blurs, all of them make the chroma that is seen, and until they agree along the lines of the picture: a mean field
(G. Parisi, "Statistical field theory", 1988) cooled in a few rounds. What is left in doubt is mixed by its odds: a
line of which every third place is read wrongly looks dashed, one that is a little too light there does not.
"""

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.colour import luma_at_kernel
from tidymargin.core.own_shades import (
    LEAN_FREE,
    LEAN_UNIT,
    read_leans_kernel,
    to_lean_unit_kernel,
)
from tidymargin.core.readings import FOUND_HALO_PX, READINGS, find_readings

_ROUNDS = 5
_LINE_PX = 2  # around a place, that tell which way lines run
_BLUR = (5, 5)  # of chroma sampled at half the size and smoothed as it is enlarged: 1 4 6 4 1

READINGS_HALO_PX = _ROUNDS * 2 * (_BLUR[0] // 2) + max(FOUND_HALO_PX, _LINE_PX + 1)
"""How much of the surroundings weighing needs."""

_ALONG = 8.0  # cost of places along a line whose figures' lumas are `_APART` levels apart
_APART = 110.0
_LEAST_ALONG = 0.02  # of it, below which places have nothing to do with each other
_GRAINS = 2.0  # of coding noise, that leans to the screen are off by
_WARM, _COLD = 2.0, 1.0
_KEPT = 0.5  # of a round's odds that the next keeps, or neighbours would swap for ever
_POWER = (70.0 / 256.0) ** 2  # of one place's lean, blurred
_ROUND = np.array([(0, 1), (1, 1), (1, 0), (1, -1), (0, -1), (-1, -1), (-1, 0), (-1, 1)])
_TURNS = np.array([(1.0, 0.0), (0.0, 1.0), (-1.0, 0.0), (0.0, -1.0)])
"""Cosine and sine of twice the angle of each of `_ROUND`, which come again after four."""


@njit(cache=True, nogil=True)
def _follow_kernel(rgb, top, left, number, along):  # type: ignore[no-untyped-def]
    """Fill how much each place has to do with the eight beside it: all along a line, nothing across."""
    height, width = number.shape
    for row in range(height):
        for col in range(width):
            at = number[row, col]
            if at < 0:
                continue
            across, down, both = 0.0, 0.0, 0.0
            for there in range(row + top - _LINE_PX, row + top + _LINE_PX + 1):
                for here in range(col + left - _LINE_PX, col + left + _LINE_PX + 1):
                    if not (1 <= there < rgb.shape[0] - 1 and 1 <= here < rgb.shape[1] - 1):
                        continue
                    x = luma_at_kernel(rgb, there, here + 1) - luma_at_kernel(rgb, there, here - 1)
                    y = luma_at_kernel(rgb, there + 1, here) - luma_at_kernel(rgb, there - 1, here)
                    across, down, both = across + x * x, down + y * y, both + x * y
            power = np.sqrt((across - down) ** 2 + 4.0 * both * both)
            is_line = power / (across + down + 1.0)
            for turn in range(8):
                cosine, sine = _TURNS[turn % 4]
                # cosine squared of the angle between the line and the way to that place
                towards = 0.5 - 0.5 * ((across - down) * cosine + 2.0 * both * sine) / (power + 1.0)
                along[at, turn] = towards**4 * is_line


@njit(cache=True, nogil=True)
def _lean_both_kernel(rgb, ground, top, left, share, figure, number, grain, seen, made, noise):  # type: ignore[no-untyped-def]
    """Fill how far each place leans to the screen, as seen and as solved, and the variance coding gives that."""
    for row in range(share.shape[0]):
        for col in range(share.shape[1]):
            along, solved, _, bu, bv = read_leans_kernel(
                rgb, ground, row, col, float(share[row, col]), figure, top, left
            )
            seen[row, col] = to_lean_unit_kernel(along)
            made[row, col] = to_lean_unit_kernel(solved)
            if number[row, col] >= 0:
                power = max(1.0, bu * bu + bv * bv)
                noise[number[row, col]] = (_GRAINS * grain) ** 2 / power


@njit(cache=True, nogil=True)
def _make_kernel(number, odds, leans, made, held):  # type: ignore[no-untyped-def]
    """Fill what the readings make of the screen's lean, place by place and over the region, in `LEAN_UNIT`."""
    for row in range(number.shape[0]):
        for col in range(number.shape[1]):
            at = number[row, col]
            if at < 0:
                continue
            total = 0.0
            for reading in range(READINGS):
                total += odds[at, reading] * leans[at, reading]
            held[at] = total
            made[row, col] = to_lean_unit_kernel(total)


@njit(cache=True, nogil=True)
def _weigh_odds_kernel(  # type: ignore[no-untyped-def]
    number, luma, share, parts, lumas, leans, costs, along, noise, missing, held, warmth, odds, out,
):  # fmt: skip
    """Fill the next odds of every reading.

    `missing` is how much more of the screen's lean is seen than all readings make, blurred; `held` is what each
    place's readings make; `noise` is the variance of leans.
    """
    height, width = number.shape
    against = np.empty(READINGS)
    for row in range(height):
        for col in range(width):
            at = number[row, col]
            if at < 0:
                continue
            least = 1e18
            for reading in range(READINGS):
                if costs[at, reading] < 0.0:
                    continue
                more = leans[at, reading] - held[at]
                cost = (_POWER * more - 2.0 * missing[row, col]) * more / (2.0 * noise[at])
                cost += costs[at, reading]
                for turn in range(8):
                    if along[at, turn] < _LEAST_ALONG:
                        continue
                    there, here = row + _ROUND[turn, 0], col + _ROUND[turn, 1]
                    if not (0 <= there < height and 0 <= here < width):
                        continue
                    unlike, other = 0.0, number[there, here]
                    if other < 0:
                        apart = min(1.0, abs(luma[there, here] - lumas[at, reading]) / _APART)
                        unlike = apart * min(share[there, here], parts[at, reading])
                    else:
                        for theirs in range(READINGS):
                            if costs[other, theirs] >= 0.0:
                                apart = abs(lumas[other, theirs] - lumas[at, reading]) / _APART
                                both = min(parts[other, theirs], parts[at, reading])
                                unlike += odds[other, theirs] * min(1.0, apart) * both
                    cost += _ALONG * along[at, turn] * unlike
                against[reading] = cost
                least = min(least, cost)
            total = 0.0
            for reading in range(READINGS):
                if costs[at, reading] >= 0.0:
                    against[reading] = np.exp((least - against[reading]) / warmth)
                    total += against[reading]
            for reading in range(READINGS):
                if costs[at, reading] >= 0.0:
                    new = against[reading] / total
                    out[at, reading] = _KEPT * odds[at, reading] + (1.0 - _KEPT) * new


@njit(cache=True, nogil=True)
def _mix_odds_kernel(number, odds, parts, costs, colours, share, figure):  # type: ignore[no-untyped-def]
    """Give each place its readings mixed by their odds, so that over the screen it is as light as it was."""
    for row in range(number.shape[0]):
        for col in range(number.shape[1]):
            at = number[row, col]
            if at < 0:
                continue
            part, red, green, blue = 0.0, 0.0, 0.0, 0.0
            for reading in range(READINGS):
                if costs[at, reading] < 0.0:
                    continue
                weight = odds[at, reading] * parts[at, reading]
                part += weight
                red += weight * colours[at, reading, 0]
                green += weight * colours[at, reading, 1]
                blue += weight * colours[at, reading, 2]
            share[row, col] = part
            if part > 0.0:
                figure[row, col, 0] = red / part
                figure[row, col, 1] = green / part
                figure[row, col, 2] = blue / part


def weigh_readings(
    rgb: NDArray[np.uint8],
    ground: NDArray[np.float32],
    corner: tuple[int, int],
    own_rgb: NDArray[np.float32],
    grain: float,
    share: NDArray[np.float32],
    figure: NDArray[np.float32],
) -> None:
    """Read the places again that two of the figure's even colours may explain.

    Parameters
    ----------
    rgb : (h, w, 3) ndarray of uint8
        A region of the picture.
    ground : (h, w, 3) ndarray of float32
        The screen there, 0 to 255.
    corner : tuple of 2 int
        Where in the region the first place of what was solved lies.
    own_rgb : (N, 3) ndarray of float32
        The figure's even colours, 0 to 255; 62 at most.
    grain : float
        Coding noise near edges in 8-bit levels.
    share : (h', w') ndarray of float32
        The matte that was solved, 0 to 1. Modified; what is within `READINGS_HALO_PX` of its ends may be as it
        would not be in a larger region.
    figure : (h', w', 3) ndarray of float32
        The figure's colours there, 0 to 255. Modified.
    """
    found = find_readings(rgb, ground, corner, own_rgb, share, figure)
    if found is None:
        return
    number, leans, costs = found.number, found.leans, found.costs
    along = np.empty((len(costs), 8), np.float32)
    _follow_kernel(rgb, *corner, number, along)
    seen, made = np.empty((2, *share.shape), np.uint16)
    noise, held = np.empty((2, len(costs)), np.float32)
    _lean_both_kernel(rgb, ground, *corner, share, figure, number, grain, seen, made, noise)
    odds = np.where(costs < 0, np.float32(0), np.exp(-costs / np.float32(_WARM)))
    odds /= odds.sum(axis=1, keepdims=True)
    spare = np.zeros_like(odds)

    def blur(leans: NDArray[np.uint16]) -> NDArray[np.int32]:
        return np.asarray(cv2.GaussianBlur(leans, _BLUR, 0)).astype(np.int32)

    for warmth in np.geomspace(_WARM, _COLD, _ROUNDS):
        _make_kernel(number, odds, leans, made, held)
        short = (seen.astype(np.int32) - blur(made) + 2 * LEAN_FREE).astype(np.uint16)
        missing = ((blur(short) - 2 * LEAN_FREE) / np.float32(LEAN_UNIT)).astype(np.float32)
        _weigh_odds_kernel(
            number, found.luma, share, found.parts, found.lumas, leans, costs, along, noise, missing,
            held, warmth, odds, spare,
        )  # fmt: skip
        odds, spare = spare, odds
    _mix_odds_kernel(number, odds, found.parts, costs, found.colours, share, figure)
