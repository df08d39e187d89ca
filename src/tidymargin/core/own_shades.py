"""Lines of one of the figure's own colours along a screen, that luma alone takes for a mixture.

A grey line beside white reads, in luma, as half of the white over a dark screen. Chroma tells them apart: a mixture
holds screen, a grey line none. Coding blurs chroma but keeps its sum, so both readings are blurred alike and held
against the blurred picture around the line.
"""

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.colour import lean_kernel, to_luma_chroma_kernel
from tidymargin.core.slivers import find_as_light

_FROM_GROUND = (
    48.0  # levels of luma that an even colour is away from the ground, or rims hold too many of it
)
_LEAST, _MOST = 0.15, 0.92  # share of a mixture that may as well be a line
_BESIDE = 1  # of the eight places beside one that are as light
_BLUR = (5, 5)  # of chroma sampled at half the size and smoothed as it is enlarged, near enough
_ASKED_PX = 3  # how far around a place both readings are held against what is seen
_ENOUGH = 0.75  # of the way from what the mixture holds of the screen to what a line would
_MOST_LEAN = 1.9
LEAN_UNIT = 8192
"""Of leans, in whole numbers, so that every region gets the same."""

LEAN_FREE = 2 * LEAN_UNIT
"""Added to leans, so that none is negative."""


OWN_SHADES_HALO_PX = _ASKED_PX + 2 * (_BLUR[0] // 2) + 2
"""How much of the surroundings a place needs."""


@njit(cache=True, nogil=True, inline="always")
def to_lean_unit_kernel(lean):  # type: ignore[no-untyped-def]
    """Return a lean in whole numbers of `LEAN_UNIT`, with `LEAN_FREE` added."""
    return int(np.rint(min(_MOST_LEAN, max(-_MOST_LEAN, lean)) * LEAN_UNIT)) + LEAN_FREE


@njit(cache=True, nogil=True)
def read_leans_kernel(rgb, ground, row, col, part, figure, top, left):  # type: ignore[no-untyped-def]
    """Return how far a place leans to the screen, as seen and as solved; (row, col) is where in what was solved.

    And the screen's luma and chroma there.
    """
    by, bu, bv = to_luma_chroma_kernel(
        ground[top + row, left + col, 0],
        ground[top + row, left + col, 1],
        ground[top + row, left + col, 2],
    )
    _, u, v = to_luma_chroma_kernel(
        float(rgb[top + row, left + col, 0]),
        float(rgb[top + row, left + col, 1]),
        float(rgb[top + row, left + col, 2]),
    )
    along, _ = lean_kernel(u, v, bu, bv)
    _, fu, fv = to_luma_chroma_kernel(figure[row, col, 0], figure[row, col, 1], figure[row, col, 2])
    leant, _ = lean_kernel(fu, fv, bu, bv)
    return along, part * leant + 1.0 - part, by, bu, bv


@njit(cache=True, nogil=True)
def _read_kernel(rgb, luma, ground, share, figure, top, left, own, seen, mixed, gain):  # type: ignore[no-untyped-def]
    """Fill how far each place leans to the screen: as seen, as solved, and how much less were it a line.

    `seen` and `mixed` have `LEAN_FREE` added; `gain` is 0 where there is nothing to ask.
    """
    height, width = share.shape
    for row in range(height):
        for col in range(width):
            part = float(share[row, col])
            along, solved, by, bu, bv = read_leans_kernel(
                rgb, ground, row, col, part, figure, top, left
            )
            solved = min(_MOST_LEAN, max(-_MOST_LEAN, solved))
            seen[row, col] = to_lean_unit_kernel(along)
            mixed[row, col] = to_lean_unit_kernel(solved)
            gain[row, col] = 0
            if not (_LEAST < part < _MOST and 0 < row < height - 1 and 0 < col < width - 1):
                continue
            entry = find_as_light(luma, own, top + row, left + col, _BESIDE)
            if entry < 0 or abs(own[entry, 0] - by) <= _FROM_GROUND:
                continue
            leant, _ = lean_kernel(own[entry, 1], own[entry, 2], bu, bv)
            if solved > leant:
                gain[row, col] = int(np.rint(min(_MOST_LEAN, solved - leant) * LEAN_UNIT))


@njit(cache=True, nogil=True)
def _decide_kernel(excess, gain, blurred, out):  # type: ignore[no-untyped-def]
    """Mark lines: `excess` is how much more screen the solved matte holds than is seen, both blurred."""
    for row in range(out.shape[0]):
        for col in range(out.shape[1]):
            if gain[row, col] == 0:
                continue
            fit, power = np.int64(0), np.int64(0)
            for there in range(max(0, row - _ASKED_PX), min(out.shape[0], row + _ASKED_PX + 1)):
                for here in range(max(0, col - _ASKED_PX), min(out.shape[1], col + _ASKED_PX + 1)):
                    less = np.int64(blurred[there, here])
                    fit += less * excess[there, here]
                    power += less * less
            out[row, col] = fit > _ENOUGH * power


def find_own_shades(
    rgb: NDArray[np.uint8],
    ground: NDArray[np.float32],
    share: NDArray[np.float32],
    figure: NDArray[np.float32],
    corner: tuple[int, int],
    own_rgb: NDArray[np.float32],
) -> NDArray[np.bool_]:
    """Find what is solved as a mixture and is a line of one of the figure's even colours.

    Parameters
    ----------
    rgb : (h, w, 3) ndarray of uint8
        A region of the picture.
    ground : (h, w, 3) ndarray of float32
        The screen there, 0 to 255.
    share : (h', w') ndarray of float32
        The matte as solved in a part of it, 0 to 1.
    figure : (h', w', 3) ndarray of float32
        The figure's colour there, 0 to 255.
    corner : tuple of 2 int
        The part's top row and left column in the region.
    own_rgb : (N, 3) ndarray of float32
        The figure's even colours, 0 to 255.

    Returns
    -------
    (h', w') ndarray of bool
        The same for a region and for the crop of a larger one, `OWN_SHADES_HALO_PX` from its ends.
    """
    found = np.zeros(share.shape, np.bool_)
    own = np.array([to_luma_chroma_kernel(*map(float, c)) for c in own_rgb]).reshape(-1, 3)
    seen, mixed, gain = (np.empty(share.shape, np.uint16) for _ in range(3))
    luma = np.asarray(cv2.cvtColor(rgb, cv2.COLOR_RGB2GRAY))
    _read_kernel(rgb, luma, ground, share, figure, *corner, own, seen, mixed, gain)
    if not gain.any():
        return found

    def blur(leans: NDArray[np.uint16]) -> NDArray[np.int32]:
        return np.asarray(cv2.GaussianBlur(leans, _BLUR, 0)).astype(np.int32)

    def blur_twice(leans: NDArray[np.uint16]) -> NDArray[np.int32]:
        return blur(np.asarray(cv2.GaussianBlur(leans, _BLUR, 0)))

    _decide_kernel(blur_twice(mixed) - blur(seen), gain, blur_twice(gain), found)
    # a single place is no line, and would be seen as a speck
    among = cv2.boxFilter(
        found.view(np.uint8), cv2.CV_8U, (3, 3), normalize=False, borderType=cv2.BORDER_CONSTANT
    )
    return found & (np.asarray(among) > 1)
