"""What clearing cannot cross: colours that are guarded, and fences."""

from dataclasses import dataclass

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.base.colour import LINEAR_OF_U8, linear_to_oklab, oklab_kernel, srgb_to_linear
from tidymargin.core.base.errors import BadParameterError
from tidymargin.core.base.picture import Picture
from tidymargin.core.reach.minimax import NEVER


@dataclass(frozen=True, slots=True)
class Guard:
    """A colour that is never cleared.

    `rgb_srgb` is display-coded, 0 to 255; `tolerance` the difference from it that is guarded, 0 to 50.
    """

    rgb_srgb: tuple[int, int, int]
    tolerance: float


Fence = tuple[tuple[int, int], ...]
"""A line through places of (row, col), in full-size pixels."""


@njit(cache=True, nogil=True)
def _guard_kernel(rgb, linear, colour, reach, wall, steps):  # type: ignore[no-untyped-def]
    for row in range(rgb.shape[0]):
        for col in range(rgb.shape[1]):
            lightness, green_red, blue_yellow = oklab_kernel(
                linear[rgb[row, col, 0]], linear[rgb[row, col, 1]], linear[rgb[row, col, 2]]
            )
            away = (
                (lightness - colour[0]) ** 2
                + (green_red - colour[1]) ** 2
                + (blue_yellow - colour[2]) ** 2
            )
            if away <= reach * reach:
                steps[row, col] = wall


def wall_off(
    picture: Picture, steps: NDArray[np.uint8], guards: tuple[Guard, ...], fences: tuple[Fence, ...]
) -> NDArray[np.uint8]:
    """Return the quantised difference with guarded colours and fences beyond every tolerance.

    Parameters
    ----------
    picture : Picture
        The whole picture.
    steps : (H, W) ndarray of uint8
        Quantised difference. Returned as it is where there is nothing to wall off; not modified.
    guards : tuple of Guard
        Colours that are never cleared.
    fences : tuple of Fence
        Drawn so that no path of side-by-side pixels slips through; they may run beyond the picture.

    Raises
    ------
    BadParameterError
        A fence has fewer than two places.
    """
    if not guards and not fences:
        return steps
    walled = steps.copy()
    for guard in guards:
        colour = linear_to_oklab(srgb_to_linear(np.array(guard.rgb_srgb) / 255)).astype(np.float32)
        _guard_kernel(picture.rgb, LINEAR_OF_U8, colour, guard.tolerance / 100, NEVER, walled)
    for fence in fences:
        if len(fence) < 2:
            raise BadParameterError("Expected a fence of at least two places.", field="fences")
        line = np.array([(col, row) for row, col in fence], np.int32)
        # two pixels thick: 4-connected clearing cannot step between the pixels of a slanted line
        cv2.polylines(walled, [line], False, int(NEVER), thickness=2, lineType=cv2.LINE_4)
    return walled
