"""What else is done to a rim once it is solved: its colours drawn to the figure's, its matte softened and scaled."""

import math

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.base.distance import list_round

Layer = NDArray[np.float32]

_LEVELS = 65535  # of the matte while it is softened: whole numbers come out alike from any region
_SOLID = 0.997  # of a share: less than a level from it
_SOME = 0.5 / 255  # of a share: a level, rounded
_REACH = 3.0  # spreads of a bell that are counted
_AROUND_PX = 2  # of a solid place, over which the figure's colour is averaged
_LEAST_STRETCH = 1e-3  # of a share, that is divided by


def feather_halo_px(feather_px: float) -> int:
    """Return how much of the surroundings softening takes."""
    return math.ceil(_REACH * feather_px / 2)


def feather_rim(share: Layer, feather_px: float) -> Layer:
    """Return a matte softened over so many pixels: by a bell of half of that as its spread.

    Parameters
    ----------
    share : (h, w) ndarray of float32
        The matte, 0 to 1, of a region with `feather_halo_px` around it, but for what lies beyond the picture.
    feather_px : float
        0 to 40.
    """
    side = 2 * feather_halo_px(feather_px) + 1
    whole = np.rint(share * _LEVELS).astype(np.uint16)
    soft = cv2.GaussianBlur(whole, (side, side), feather_px / 2, borderType=cv2.BORDER_REPLICATE)
    return np.asarray(soft, np.float32) / np.float32(_LEVELS)


def scale_matte(share: Layer, black: float, white: float, gamma: float) -> Layer:
    """Return a matte with all at and below `black` clear, at and above `white` solid, and a power between."""
    stretched = np.clip(
        (share - np.float32(black)) / np.float32(max(white - black, _LEAST_STRETCH)), 0, 1
    )
    return np.asarray(stretched ** np.float32(1 / gamma), np.float32)


@njit(cache=True, nogil=True)
def _carry_kernel(share, figure, is_near, steps, top, left, bottom, right):  # type: ignore[no-untyped-def]
    """Lay the nearest figure colour under what is clear, in place; only clear places are written."""
    for row in range(top, bottom):
        for col in range(left, right):
            if share[row, col] > _SOME or not is_near[row, col]:
                continue
            for number in range(steps.shape[0]):
                there, here = row + steps[number, 0], col + steps[number, 1]
                if not (0 <= there < share.shape[0] and 0 <= here < share.shape[1]):
                    continue
                if share[there, here] > _SOME:
                    figure[row, col] = figure[there, here]
                    break


def carry_on(share: Layer, figure: Layer, far_px: int) -> None:
    """Carry the nearest figure colour so far on under what is clear, so that a rim may be spread over it, in place."""
    some = (share > _SOME).view(np.uint8)
    around = np.ones((2 * far_px + 1,) * 2, np.uint8)
    is_near = np.asarray(cv2.dilate(some, around)) > 0
    _carry_kernel(share, figure, is_near, list_round(far_px), 0, 0, *share.shape)


@njit(cache=True, nogil=True)
def _fringe_kernel(share, figure, solid, steps, amount, depth, top, left, out):  # type: ignore[no-untyped-def]
    """Fill `out`, which begins at (top, left), with figure colours drawn to those just inside the rim."""
    for row in range(out.shape[0]):
        for col in range(out.shape[1]):
            r, c = row + top, col + left
            if share[r, c] <= 0.0 or solid[r, c] > depth + 1:
                continue
            for number in range(steps.shape[0]):
                there, here = r + steps[number, 0], c + steps[number, 1]
                if not (0 <= there < share.shape[0] and 0 <= here < share.shape[1]):
                    continue
                if solid[there, here] <= depth:
                    continue
                red, green, blue, count = 0.0, 0.0, 0.0, 0
                for i in range(
                    max(0, there - _AROUND_PX), min(share.shape[0], there + _AROUND_PX + 1)
                ):
                    for j in range(
                        max(0, here - _AROUND_PX), min(share.shape[1], here + _AROUND_PX + 1)
                    ):
                        if solid[i, j] > depth:
                            red += figure[i, j, 0]
                            green += figure[i, j, 1]
                            blue += figure[i, j, 2]
                            count += 1
                # it grows from nothing at its depth to all of it a pixel farther out
                weight = amount * min(1.0, max(0.0, depth + 1 - solid[r, c]))
                out[row, col, 0] += weight * (red / count - out[row, col, 0])
                out[row, col, 1] += weight * (green / count - out[row, col, 1])
                out[row, col, 2] += weight * (blue / count - out[row, col, 2])
                break


def fringe_halo_px(depth_px: float) -> int:
    """Return how much of the surroundings cleaning a fringe takes."""
    return 3 * math.ceil(depth_px) + _AROUND_PX + 4


def clean_fringe(share: Layer, figure: Layer, amount: float, depth_px: float, *, out: Layer, corner: tuple[int, int]) -> None:  # fmt: skip
    """Draw the colours of a rim to those of the figure just inside it.

    Parameters
    ----------
    share, figure : (h, w) and (h, w, 3) ndarray of float32
        Matte, 0 to 1, and colours, 0 to 255, of a region with `fringe_halo_px` around it, but for what lies beyond the picture.
    amount : float
        0 to 1.
    depth_px : float
        How far into the solid figure the rim's colours go, 1 to 12.
    out : (h', w', 3) ndarray of float32
        The colours of the region, which are changed.
    corner : tuple of 2 int
        Where in `share` it begins.
    """
    reach_px = 2 * math.ceil(depth_px) + 3
    inside = (share >= _SOLID).view(np.uint8)
    rows = np.pad(inside, reach_px, mode="edge")  # what goes on beyond the picture is no rim
    away = cv2.distanceTransform(rows, cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    inner = np.s_[reach_px:-reach_px, reach_px:-reach_px]
    solid = np.minimum(np.asarray(away)[inner], np.float32(depth_px + 2))
    _fringe_kernel(share, figure, solid, list_round(reach_px), amount, float(depth_px), *corner, out)  # fmt: skip
