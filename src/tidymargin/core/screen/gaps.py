"""What the hue of a screen betrays near a rim: gaps too narrow for any of it to be cleared."""

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.base.colour import lean_kernel, to_luma_chroma_kernel

_MOSTLY = 0.6  # of the ground's chroma
_PARTLY = 0.38  # of screen; typed, judged on hair
_ALIKE = 0.7  # of the places around; typed, judged on hair
_MOST_ALIKE = 0.85  # of the places around; typed, judged on hair
_GAP_PX = 5  # a patch of screen colour this wide is figure, and not a gap
_BESIDE_PX = 7  # of what is this near around a gap, an eighth is neither ground nor gap
_FROM_GROUND_PX = 24  # how far into a figure a gap is looked for

GAPS_HALO_PX = _FROM_GROUND_PX + max(_GAP_PX - 1, _BESIDE_PX // 2)
"""How much of the surroundings finding gaps needs: what is near ground, and what is wide of that."""


@njit(cache=True, nogil=True)
def has_lean_kernel(red, green, blue, ground_red, ground_green, ground_blue):  # type: ignore[no-untyped-def]
    """Whether a colour has most of the ground's own chroma, in its direction."""
    _, bu, bv = to_luma_chroma_kernel(ground_red, ground_green, ground_blue)
    _, cu, cv = to_luma_chroma_kernel(red, green, blue)
    share, alike = lean_kernel(cu, cv, bu, bv)
    return share > _MOSTLY and alike > _ALIKE


@njit(cache=True, nogil=True)
def _leans_kernel(rgb, ground, palette_yuv, slack, near, cleared, out):  # type: ignore[no-untyped-def]
    """Mark what has most of the ground's chroma, or some of it and is lighter than the ground.

    Only what is near ground and not cleared is looked at. The second is how a gap between light things looks once coding has blurred its chroma. What is one of the
    figure's even colours is neither.
    """
    for row in range(out.shape[0]):
        for col in range(out.shape[1]):
            out[row, col] = False
            if cleared[row, col] or near[row, col] == 0:
                continue
            by, bu, bv = to_luma_chroma_kernel(
                ground[row, col, 0], ground[row, col, 1], ground[row, col, 2]
            )
            y, u, v = to_luma_chroma_kernel(
                float(rgb[row, col, 0]), float(rgb[row, col, 1]), float(rgb[row, col, 2])
            )
            share, alike = lean_kernel(u, v, bu, bv)
            leans = share > _MOSTLY and alike > _ALIKE
            if not leans and share > _PARTLY and alike > _MOST_ALIKE and y > by - slack:
                leans = True
                for entry in range(palette_yuv.shape[0]):
                    away = max(
                        abs(y - palette_yuv[entry, 0]),
                        abs(u - palette_yuv[entry, 1]),
                        abs(v - palette_yuv[entry, 2]),
                    )
                    leans = leans and away > slack
            out[row, col] = leans


def find_gaps(
    rgb: NDArray[np.uint8],
    ground: NDArray[np.float32],
    cleared: NDArray[np.bool_],
    palette_rgb: NDArray[np.float32],
    grain: float,
) -> NDArray[np.bool_]:
    """Find what is mostly screen in gaps too narrow for any of it to be cleared.

    Parameters
    ----------
    rgb : (h, w, 3) ndarray of uint8
        A region of the picture.
    ground : (h, w, 3) ndarray of float32
        The ground there, 0 to 255.
    cleared : (h, w) ndarray of bool
        What reach clears there. Not modified.
    palette_rgb : (N, 3) ndarray of float32
        The figure's even colours, 0 to 255.
    grain : float
        Coding noise near edges in 8-bit levels.

    Returns
    -------
    (h, w) ndarray of bool
        Nothing of it is cleared.
    """
    leans = np.empty(cleared.shape, np.bool_)
    of_palette = [to_luma_chroma_kernel(*map(float, colour)) for colour in palette_rgb]
    palette_yuv = np.array(of_palette).reshape(-1, 3)
    side = 2 * _FROM_GROUND_PX + 1
    near = np.asarray(cv2.dilate(cleared.view(np.uint8), np.ones((side, side), np.uint8)))
    _leans_kernel(rgb, ground, palette_yuv, 4.0 * grain, near, cleared, leans)
    other = (~cleared & ~leans).view(np.uint8)
    # first, as of a patch that is looked at by what is beside it only its edge would be left
    wide = cv2.morphologyEx(
        leans.view(np.uint8), cv2.MORPH_OPEN, np.ones((_GAP_PX, _GAP_PX), np.uint8)
    )
    leans &= np.asarray(wide) == 0
    beside = cv2.boxFilter(
        other, cv2.CV_16U, (_BESIDE_PX, _BESIDE_PX), normalize=False, borderType=cv2.BORDER_CONSTANT
    )
    leans &= np.asarray(beside) >= _BESIDE_PX**2 // 8  # a figure of the screen's hue has none of it
    return leans
