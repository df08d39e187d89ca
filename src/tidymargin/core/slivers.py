"""Slivers of a screen: gaps of a pixel or two, where coding has blurred the chroma away.

Chroma is blurred but keeps its sum, so over a few pixels it says how much ground there is; luma says where, but a
narrow dip of it may as well be a line of the figure. Where the two agree, the dip is ground.
"""

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.colour import lean_kernel, to_luma_chroma_kernel

SLIVER_PX = 4
"""No dip of luma is filled that is wider."""

_CONTRAST = 24.0  # levels of luma between figure and ground, below which a dip tells nothing
_LEAST_DIP = 38  # of 256
_MOST_DIP = 300
_NOTICED = 4.0  # grains
_NO_LEVEL = -1000  # of luma, where none is looked for
_AGREE = 0.53
_OWN_PX = 6
_OTHER_PX = 3
_LEAST_OWN = 6
_LEAST_OTHER = 3

SLIVERS_HALO_PX = _OWN_PX + SLIVER_PX
"""How much of the surroundings finding them needs."""


@njit(cache=True, nogil=True)
def _dips_kernel(rgb, ground, cleared, near, light, dark, least, lean, dip, level):  # type: ignore[no-untyped-def]
    """Fill how much ground each pixel holds by its chroma (`lean`) and by its luma (`dip`), in 1/256.

    `light` and `dark` are the luma with narrow dark, or narrow light, places filled; `level` is the luma
    that a place would have without ground. In whole numbers, so that every region gets the same.
    """
    for row in range(cleared.shape[0]):
        for col in range(cleared.shape[1]):
            level[row, col] = _NO_LEVEL
            if cleared[row, col] or not near[row, col]:
                lean[row, col] = dip[row, col] = 256 if cleared[row, col] else 0
                continue
            by, bu, bv = to_luma_chroma_kernel(
                ground[row, col, 0], ground[row, col, 1], ground[row, col, 2]
            )
            y, u, v = to_luma_chroma_kernel(
                float(rgb[row, col, 0]), float(rgb[row, col, 1]), float(rgb[row, col, 2])
            )
            along, _ = lean_kernel(u, v, bu, bv)
            lean[row, col] = int(np.rint(256.0 * min(1.5, max(-1.0, along))))
            above, below = light[row, col] - by, by - dark[row, col]
            level[row, col] = int(np.rint(y))
            share = 0.0
            if above > _CONTRAST and (y > by - _CONTRAST or below <= _CONTRAST):
                if light[row, col] - y > least:
                    level[row, col] = light[row, col]
                    share = (light[row, col] - y) / above
            elif below > _CONTRAST and y - dark[row, col] > least:
                level[row, col] = dark[row, col]
                share = (y - dark[row, col]) / below
            dip[row, col] = int(np.rint(256.0 * min(2.0, max(0.0, share))))


@njit(cache=True, nogil=True)
def _slivers_kernel(lean, dip, level, cleared, leans, near, most_lean, out):  # type: ignore[no-untyped-def]
    """Mark where, around a dip, chroma holds more than half of the ground that luma would.

    The figure leans as its even places beside do, and where two of its colours meet, as the one that leans more;
    but no more than its even colours: among slivers no place is free of the ground's chroma.
    """
    height, width = dip.shape
    for row in range(height):
        for col in range(width):
            out[row, col] = False
            if cleared[row, col] or leans[row, col] or not near[row, col]:
                continue
            if not _LEAST_DIP <= dip[row, col] <= _MOST_DIP:
                continue
            own, owns, other, others = 0, 0, 0, 0
            for there in range(max(0, row - _OWN_PX), min(height, row + _OWN_PX + 1)):
                for here in range(max(0, col - _OWN_PX), min(width, col + _OWN_PX + 1)):
                    if dip[there, here] > 0 or leans[there, here] or level[there, here] < 0:
                        continue
                    if abs(level[there, here] - level[row, col]) <= _CONTRAST:
                        own += lean[there, here]
                        owns += 1
                    elif max(abs(there - row), abs(here - col)) <= _OTHER_PX:
                        other += lean[there, here]
                        others += 1
            if owns < _LEAST_OWN:
                continue
            figure = own / owns
            if others >= _LEAST_OTHER:
                figure = max(figure, other / others)
            figure = min(figure, most_lean)
            by_chroma, by_luma = 0.0, 0.0
            for there in range(max(0, row - 2), min(height, row + 3)):
                for here in range(max(0, col - 2), min(width, col + 3)):
                    weight = (3 - abs(there - row)) * (3 - abs(here - col))
                    by_chroma += weight * (lean[there, here] - figure)
                    by_luma += weight * dip[there, here]
            out[row, col] = by_chroma * 256.0 > _AGREE * by_luma * (256.0 - figure)


def find_slivers(
    rgb: NDArray[np.uint8],
    ground: NDArray[np.float32],
    cleared: NDArray[np.bool_],
    leans: NDArray[np.bool_],
    near: NDArray[np.uint8],
    most_lean: float,
    grain: float,
) -> NDArray[np.bool_]:
    """Find ground in gaps so narrow that their own colour does not tell.

    Parameters
    ----------
    rgb : (h, w, 3) ndarray of uint8
        A region of the picture.
    ground : (h, w, 3) ndarray of float32
        The screen there, 0 to 255.
    cleared, leans : (h, w) ndarray of bool
        What reach clears, and what is told to be ground by its own colour.
    near : (h, w) ndarray of uint8
        Where to look; 0 elsewhere.
    most_lean : float
        How far the figure's even colours lean to the screen's hue, as a share of the screen's chroma.
    grain : float
        Coding noise near edges in 8-bit levels.

    Returns
    -------
    (h, w) ndarray of bool
        Nothing of it is cleared or leans. The same for a region and for the crop of a larger one,
        `SLIVERS_HALO_PX` from its ends.
    """
    luma = np.asarray(cv2.cvtColor(rgb, cv2.COLOR_RGB2GRAY))
    window = np.ones((SLIVER_PX + 1, SLIVER_PX + 1), np.uint8)
    light = np.asarray(cv2.morphologyEx(luma, cv2.MORPH_CLOSE, window)).astype(np.int32)
    dark = np.asarray(cv2.morphologyEx(luma, cv2.MORPH_OPEN, window)).astype(np.int32)
    lean, dip, level = (np.empty(cleared.shape, np.int32) for _ in range(3))
    _dips_kernel(rgb, ground, cleared, near, light, dark, _NOTICED * grain, lean, dip, level)
    found = np.empty(cleared.shape, np.bool_)
    _slivers_kernel(lean, dip, level, cleared, leans, near, 256.0 * most_lean, found)
    return found
