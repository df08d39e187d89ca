"""Thin lines that a choke would break."""

import math

import cv2
import numpy as np
from numpy.typing import NDArray

_RIM_PX = 0.5  # of a rim on either side, which stands though it is only partly solid
_LEAST_PX = 12  # of a piece that is said


def count_broken(stands: NDArray[np.bool_], by_px: float) -> int:
    """Return of how many places something is lost that no drawing in by so much brings back by itself.

    Parameters
    ----------
    stands : (H, W) ndarray of bool
        What is not cleared, rims included.
    by_px : float
        How far the rim is drawn in.
    """
    solid = np.pad(stands, 1).view(np.uint8)
    deep = np.asarray(cv2.distanceTransform(solid, cv2.DIST_L2, cv2.DIST_MASK_5))
    left = (deep > by_px + _RIM_PX + 0.5).view(np.uint8)
    side = 2 * math.ceil(by_px + 1.5) + 1
    around = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side))
    lost = (solid > 0) & (np.asarray(cv2.dilate(left, around)) == 0)
    _, _, found, _ = cv2.connectedComponentsWithStats(lost.view(np.uint8), connectivity=8)
    return int((found[1:, cv2.CC_STAT_AREA] >= _LEAST_PX).sum())
