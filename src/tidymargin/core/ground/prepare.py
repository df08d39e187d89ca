"""Preparations for the key only: they change what is measured, and never a colour that is exported."""

from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

Preparation = Literal["lift_paper", "hold_lines", "ignore_grain"]

PREPARATIONS: tuple[Preparation, ...] = ("ignore_grain", "lift_paper", "hold_lines")
"""In the order in which they are applied."""

_LIFT_PX = 41  # wider than what is lifted; typed
_HOLD_PX = 5  # wider than a hairline; typed


def prepare_steps(
    steps: NDArray[np.uint8], preparations: tuple[Preparation, ...]
) -> NDArray[np.uint8]:
    """Return the quantised difference as preparations leave it.

    Parameters
    ----------
    steps : (H, W) ndarray of uint8
        Quantised difference. Not modified; returned as it is without preparations.
    preparations : tuple of str
        ``ignore_grain`` takes the median of 3 x 3; ``lift_paper`` takes off what is even over 41 px, such
        as a stain, and with it a figure as broad; ``hold_lines`` closes breaks of up to 4 px in a line.
    """
    if "ignore_grain" in preparations:
        steps = np.asarray(cv2.medianBlur(steps, 3), np.uint8)
    if "lift_paper" in preparations:
        disc = cv2.getStructuringElement(cv2.MORPH_RECT, (_LIFT_PX, _LIFT_PX))
        steps = np.asarray(cv2.morphologyEx(steps, cv2.MORPH_TOPHAT, disc), np.uint8)
    if "hold_lines" in preparations:
        disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (_HOLD_PX, _HOLD_PX))
        steps = np.asarray(cv2.morphologyEx(steps, cv2.MORPH_CLOSE, disc), np.uint8)
    return steps
