"""Pieces: the drawings of one page, each on its own, in the order in which a page is read."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.picture import Region

APART = 0.25
"""How far pieces stand apart, at least, over their own size; parts that are closer together are of one piece."""

_WORKING_PX = 1000  # of the longer side that grouping is done at
_SPECK = (
    0.04  # of the largest part's size: what is smaller goes with the piece that it is nearest to
)
_STEP = 1.25  # from one distance that is tried to the next


@dataclass(frozen=True, slots=True, eq=False)
class Piece:
    """One drawing.

    Parameters
    ----------
    box : Region
        Around it, in pixels of the cut.
    owned : (h, w) ndarray of bool
        Which places of the cut are its own, averaged down by `scale`; places between pieces are nobody's.
    scale : float
        Pixels of the cut per pixel of `owned`.
    """

    box: Region
    owned: NDArray[np.bool_]
    scale: float

    def take(self, rgba: NDArray[np.uint8], box: Region) -> NDArray[np.uint8]:
        """Return what lies in a box within the cut, (h, w, 4) uint8, with all that is not this piece's own wholly clear."""
        out = np.ascontiguousarray(rgba[box.slices])
        rows = ((np.arange(box.top, box.bottom) + 0.5) / self.scale).astype(int)
        cols = ((np.arange(box.left, box.right) + 0.5) / self.scale).astype(int)
        height, width = self.owned.shape
        own = self.owned[np.ix_(np.minimum(rows, height - 1), np.minimum(cols, width - 1))]
        out[~own, 3] = 0
        return out


def _size_of(stats: NDArray[np.int32]) -> NDArray[np.int32]:
    return np.asarray(stats[:, [cv2.CC_STAT_WIDTH, cv2.CC_STAT_HEIGHT]].max(axis=1), np.int32)


def _usual_size(stats: NDArray[np.int32], radius: float) -> float:
    """Return how large groups are that were widened by a radius: their mean, each as often as it takes room."""
    sizes = _size_of(stats) - 2 * radius
    return float((sizes**3).sum() / (sizes**2).sum())


def _group(away: NDArray[np.float32], radius: float) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
    """Return the numbers of what hangs together within twice a radius, 0 for none, and the boxes of each."""
    near = (away <= radius).view(np.uint8)
    _, numbers, stats, _ = cv2.connectedComponentsWithStats(near, connectivity=8)
    return np.asarray(numbers, np.int32), np.asarray(stats[1:], np.int32)


def find_drawings(alpha: NDArray[np.uint8], apart: float = APART) -> list[Piece]:
    """Find the drawings of a page.

    Parts belong together that are closer than drawings stand apart; how far that is, their own size says: the
    smallest distance is taken at which all that stays apart does so by `apart` of how large it is, larger ones counting more.

    Parameters
    ----------
    alpha : (H, W) ndarray of uint8
        The cut's matte.
    apart : float
        Over a piece's longer side, above 0.

    Returns
    -------
    list of Piece
        In reading order: rows from the top, each from the left; empty where there is no figure.
    """
    height, width = alpha.shape
    scale = max(1.0, max(height, width) / _WORKING_PX)
    small = (max(1, round(height / scale)), max(1, round(width / scale)))
    solid = (alpha > 0).view(np.uint8)
    if scale > 1:  # a thin line stays whole
        solid = (np.asarray(cv2.resize(solid * 255, small[::-1], interpolation=cv2.INTER_AREA)) > 0).view(np.uint8)  # fmt: skip
    if not solid.any():
        return []
    _, parts, stats, _ = cv2.connectedComponentsWithStats(solid, connectivity=8)
    sizes = _size_of(np.asarray(stats[1:], np.int32))
    large = np.concatenate([[False], sizes >= _SPECK * sizes.max()])
    bodies = large[parts]
    away = cv2.distanceTransform((~bodies).view(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    radius = 0.5
    numbers, stats = _group(away, radius)
    while len(stats) > 1 and 2 * radius < apart * _usual_size(stats, radius):
        radius *= _STEP
        numbers, stats = _group(away, radius)
    # specks go with the piece that they are nearest to
    nearest = _nearest(numbers)
    owner = np.where(solid > 0, nearest, numbers)
    found = []
    for number in range(1, len(stats) + 1):
        owned = owner == number
        rows = np.flatnonzero((owned & (solid > 0)).any(axis=1))
        cols = np.flatnonzero((owned & (solid > 0)).any(axis=0))
        box = Region(
            int(rows[0] * scale), int(cols[0] * scale),
            min(height, int(np.ceil((rows[-1] + 1) * scale))), min(width, int(np.ceil((cols[-1] + 1) * scale))),
        )  # fmt: skip
        wider = np.asarray(cv2.dilate(owned.view(np.uint8), np.ones((3, 3), np.uint8))) > 0
        found.append(Piece(box, wider & ((owner == number) | (owner == 0)), scale))
    return _in_reading_order(found)


def _nearest(numbers: NDArray[np.int32]) -> NDArray[np.int32]:
    """Return at every place the number of the group that is nearest to it."""
    _, labels = cv2.distanceTransformWithLabels(
        (numbers == 0).view(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_5, labelType=cv2.DIST_LABEL_PIXEL
    )
    owners = np.zeros(int(labels.max()) + 1, np.int32)
    there = numbers > 0
    owners[labels[there]] = numbers[there]
    return owners[labels]


def _in_reading_order(pieces: list[Piece]) -> list[Piece]:
    rows: list[list[Piece]] = []
    for piece in sorted(pieces, key=lambda each: (each.box.top + each.box.bottom) / 2):
        middle = (piece.box.top + piece.box.bottom) / 2
        if rows and any(other.box.top <= middle < other.box.bottom for other in rows[-1]):
            rows[-1].append(piece)
        else:
            rows.append([piece])
    return [piece for row in rows for piece in sorted(row, key=lambda each: each.box.left)]
