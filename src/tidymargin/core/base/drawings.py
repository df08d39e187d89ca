"""Drawings of a page told apart: what stands closer together than drawings do is of one."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.picture import Region

APART = 0.25
"""How far drawings stand apart, at least, over their own size; parts that are closer together are of one."""

_WORKING_PX = 1000  # of the longer side that grouping is done at
_SPECK = 0.04  # of the largest part's size: what is smaller goes with the drawing that it is nearest to; typed
_STEP = 1.25  # from one distance that is tried to the next


def take_at_scale(small: NDArray[np.bool_], scale: float, region: Region) -> NDArray[np.bool_]:
    """Return a mask that is kept averaged down, over a region at full size, (h, w) bool."""
    rows = ((np.arange(region.top, region.bottom) + 0.5) / scale).astype(int)
    cols = ((np.arange(region.left, region.right) + 0.5) / scale).astype(int)
    height, width = small.shape
    return small[np.ix_(np.minimum(rows, height - 1), np.minimum(cols, width - 1))]


@dataclass(frozen=True, slots=True, eq=False)
class Drawings:
    """Which drawing each place is of, averaged down.

    Parameters
    ----------
    solid : (h, w) ndarray of bool
        What stands.
    numbers : (h, w) ndarray of int32
        The drawing that a place is of, from 1; places between drawings, and specks, are 0.
    nearest : (h, w) ndarray of int32
        The drawing that is nearest to a place, from 1.
    count : int
        How many there are.
    scale : float
        Pixels at full size per pixel of these.
    """

    solid: NDArray[np.bool_]
    numbers: NDArray[np.int32]
    nearest: NDArray[np.int32]
    count: int
    scale: float


def _size_of(stats: NDArray[np.int32]) -> NDArray[np.int32]:
    return np.asarray(stats[:, [cv2.CC_STAT_WIDTH, cv2.CC_STAT_HEIGHT]].max(axis=1), np.int32)


def _usual_size(stats: NDArray[np.int32], radius: float) -> float:
    """Return how large groups are that were widened by a radius: their mean, each as often as it takes room."""
    sizes = np.maximum(_size_of(stats) - 2 * radius, 1)  # a lone pixel has one
    return float((sizes**3).sum() / (sizes**2).sum())


def _group(away: NDArray[np.float32], radius: float) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
    """Return the numbers of what hangs together within twice a radius, 0 for none, and the boxes of each."""
    near = (away <= radius).view(np.uint8)
    _, numbers, stats, _ = cv2.connectedComponentsWithStats(near, connectivity=8)
    return np.asarray(numbers, np.int32), np.asarray(stats[1:], np.int32)


def _spread_numbers(numbers: NDArray[np.int32]) -> NDArray[np.int32]:
    """Return at every place the number of the group that is nearest to it."""
    _, labels = cv2.distanceTransformWithLabels(
        (numbers == 0).view(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_5, labelType=cv2.DIST_LABEL_PIXEL
    )
    owners = np.zeros(int(labels.max()) + 1, np.int32)
    there = numbers > 0
    owners[labels[there]] = numbers[there]
    return owners[labels]


def group_drawings(stands: NDArray[np.bool_], apart: float = APART) -> Drawings | None:
    """Tell the drawings of a page apart; None where nothing stands.

    Parts belong together that are closer than drawings stand apart; how far that is, their own size says: the
    smallest distance is taken at which all that stays apart does so by `apart` of how large it is, larger ones counting more.

    Parameters
    ----------
    stands : (H, W) ndarray of bool
        What is figure.
    apart : float
        Over a drawing's longer side, above 0.
    """
    height, width = stands.shape
    scale = max(1.0, max(height, width) / _WORKING_PX)
    small = (max(1, round(height / scale)), max(1, round(width / scale)))
    solid = stands.view(np.uint8)
    if scale > 1:  # a thin line stays whole
        solid = (np.asarray(cv2.resize(solid * 255, small[::-1], interpolation=cv2.INTER_AREA)) > 0).view(np.uint8)  # fmt: skip
    if not solid.any():
        return None
    _, parts, stats, _ = cv2.connectedComponentsWithStats(solid, connectivity=8)
    sizes = _size_of(np.asarray(stats[1:], np.int32))
    large = np.concatenate([[False], sizes >= _SPECK * sizes.max()])
    away = cv2.distanceTransform((~large[parts]).view(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    radius = 0.5
    numbers, stats = _group(away, radius)
    while len(stats) > 1 and 2 * radius < apart * _usual_size(stats, radius):
        radius *= _STEP
        numbers, stats = _group(away, radius)
    return Drawings(solid.view(np.bool_), numbers, _spread_numbers(numbers), len(stats), scale)
