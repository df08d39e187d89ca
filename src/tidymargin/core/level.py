"""Levelling a broad part's edge where its pixels are in doubt, and colours that fit a raised share.

Where a figure is about as light as the screen, the last pixels of its edge are told by blurred chroma alone, or one
by one by what is beside each, and come out wavering or ragged. The edge of a broad part runs evenly, though: such
places, and what touches them, are drawn to the straight or evenly bent edge that fits. In thin parts nothing says so.
"""

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.colour import luma_at_kernel, to_luma_chroma_kernel, to_rgb_kernel
from tidymargin.core.steady import STEADY_HALO_PX, steady_share

_AS_LIGHT = 24.0  # levels of luma between figure and screen, below which chroma alone tells a rim
_BROAD_PX = 8  # from the ground, what only a broad part has
_MISREAD = 0.1  # by which mending changes the share of what was misread
_TOUCHES_PX = 2
_DOUBT = 0.09  # variance of such a share
_MOST_OVER = 2.0  # variances that the edge may leave over
_RISEN = 0.25  # of a share, above which the colour that was solved with it fits no more
_SOLID = 0.9
_COLOURS_PX = 2  # around a place, where solid places tell its colour

LEVEL_HALO_PX = STEADY_HALO_PX + _COLOURS_PX
"""How much of the surroundings levelling needs, as far as the shares go."""


@njit(cache=True, nogil=True)
def recolour_kernel(rgb, ground, top, left, solved, share, figure):  # type: ignore[no-untyped-def]
    """Give places whose share has risen far the chroma of solid ones near by, and the luma that their share asks.

    `solved` is what their colour was found with; a little of a colour out of all proportion, often.
    """
    reach = _COLOURS_PX
    for row in range(reach, share.shape[0] - reach):
        for col in range(reach, share.shape[1] - reach):
            own = share[row, col]
            if own - solved[row, col] <= _RISEN:
                continue
            chroma_u, chroma_v, count = 0.0, 0.0, 0
            least, most = 255.0, 0.0
            for there in range(row - reach, row + reach + 1):
                for here in range(col - reach, col + reach + 1):
                    if solved[there, here] <= _SOLID:
                        continue
                    y, u, v = to_luma_chroma_kernel(
                        figure[there, here, 0], figure[there, here, 1], figure[there, here, 2]
                    )
                    chroma_u, chroma_v, count = chroma_u + u, chroma_v + v, count + 1
                    least, most = min(least, y), max(most, y)
            if count == 0:
                continue
            screen = luma_at_kernel(ground, row + top, col + left)
            luma = screen + (luma_at_kernel(rgb, row + top, col + left) - screen) / own
            luma = min(most, max(least, luma))
            colour = to_rgb_kernel(luma, chroma_u / count, chroma_v / count)
            for channel in range(3):
                figure[row, col, channel] = min(255.0, max(0.0, colour[channel]))


@njit(cache=True, nogil=True)
def _mark_as_light_kernel(ground, top, left, share, figure, out):  # type: ignore[no-untyped-def]
    """Mark places of a rim where the figure is about as light as the screen, so that luma tells little of it."""
    for row in range(share.shape[0]):
        for col in range(share.shape[1]):
            if 0.0 < share[row, col] < 1.0:
                gap = luma_at_kernel(figure, row, col) - luma_at_kernel(
                    ground, row + top, col + left
                )
                if abs(gap) <= _AS_LIGHT:
                    out[row, col] = 1


def level_edges(
    rgb: NDArray[np.uint8],
    ground: NDArray[np.float32],
    inside_px: NDArray[np.float32],
    corner: tuple[int, int],
    before: NDArray[np.float32],
    doubt: NDArray[np.float32],
    softness_px: float,
    share: NDArray[np.float32],
    figure: NDArray[np.float32],
) -> None:
    """Level the edges of broad parts where places were misread, or are as light as the screen.

    Parameters
    ----------
    rgb : (h, w, 3) ndarray of uint8
        A region of the picture.
    ground : (h, w, 3) ndarray of float32
        The screen there, 0 to 255.
    inside_px : (h, w) ndarray of float32
        An uncleared place's distance to the nearest cleared one there, 0 on cleared ones.
    corner : tuple of 2 int
        Where in the region the first place of what was solved lies.
    before, doubt : (h', w') ndarray of float32
        The matte before misread places were mended, and its variance, 0 where it is known.
    softness_px : float
        Pixels from ground to figure across a clean edge of the picture, 1 and up.
    share : (h', w') ndarray of float32
        The mended matte, 0 to 1. Modified, but not within `STEADY_HALO_PX` of its ends.
    figure : (h', w', 3) ndarray of float32
        The figure colours there, 0 to 255. Modified.
    """
    doubtful = (np.abs(share - before) > _MISREAD).view(np.uint8)
    _mark_as_light_kernel(ground, *corner, share, figure, doubtful)
    if not doubtful.any():
        return
    rows, cols = (
        slice(first, first + size) for first, size in zip(corner, share.shape, strict=True)
    )
    side = 2 * _BROAD_PX + 3
    broad = cv2.dilate((inside_px > _BROAD_PX).view(np.uint8), np.ones((side, side), np.uint8))
    touched = np.asarray(cv2.dilate(doubtful, np.ones((2 * _TOUCHES_PX + 1,) * 2, np.uint8))) > 0
    doubted = np.where(touched, np.float32(_DOUBT), doubt)
    # what touches nothing doubtful stays, or it would depend on what else the region holds
    asked = touched & (np.asarray(broad)[rows, cols] > 0)
    levelled = steady_share(share, doubted, softness_px, _MOST_OVER, asked)
    mended = share.copy()
    inner = (slice(STEADY_HALO_PX, -STEADY_HALO_PX),) * 2
    share[inner] = np.where(asked[inner], levelled, share[inner])
    recolour_kernel(rgb, ground, *corner, mended, share, figure)
