"""What clearing cannot cross: colours that are guarded, and fences."""

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.errors import BadParameterError
from tidymargin.core.base.picture import Picture
from tidymargin.core.ground.guards import Guard, set_guarded
from tidymargin.core.reach.minimax import NEVER

Fence = tuple[tuple[int, int], ...]
"""A line through places of (row, col), in full-size pixels."""


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
    set_guarded(picture.rgb, guards, NEVER, walled)
    for fence in fences:
        if len(fence) < 2:
            raise BadParameterError("Expected a fence of at least two places.", field="fences")
        line = np.array([(col, row) for row, col in fence], np.int32)
        # two pixels thick: 4-connected clearing cannot step between the pixels of a slanted line
        cv2.polylines(walled, [line], False, int(NEVER), thickness=2, lineType=cv2.LINE_4)
    return walled
