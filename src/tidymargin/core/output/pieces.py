"""Pieces: the drawings of one page, each on its own, in the order in which a page is read."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.drawings import APART, group_drawings, take_at_scale
from tidymargin.core.base.picture import Region


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
        own = take_at_scale(self.owned, self.scale, box)
        out[~own, 3] = 0
        return out


def find_drawings(alpha: NDArray[np.uint8], apart: float = APART) -> list[Piece]:
    """Find the drawings of a page: `base.drawings` says what belongs together.

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
    drawings = group_drawings(alpha > 0, apart)
    if drawings is None:
        return []
    solid, scale = drawings.solid, drawings.scale
    # specks go with the drawing that they are nearest to
    owner = np.where(solid, drawings.nearest, drawings.numbers)
    found = []
    for number in range(1, drawings.count + 1):
        owned = owner == number
        rows = np.flatnonzero((owned & solid).any(axis=1))
        cols = np.flatnonzero((owned & solid).any(axis=0))
        box = Region(
            int(rows[0] * scale), int(cols[0] * scale),
            min(height, int(np.ceil((rows[-1] + 1) * scale))), min(width, int(np.ceil((cols[-1] + 1) * scale))),
        )  # fmt: skip
        wider = np.asarray(cv2.dilate(owned.view(np.uint8), np.ones((3, 3), np.uint8))) > 0
        found.append(Piece(box, wider & ((owner == number) | (owner == 0)), scale))
    return _in_reading_order(found)


def _in_reading_order(pieces: list[Piece]) -> list[Piece]:
    rows: list[list[Piece]] = []
    for piece in sorted(pieces, key=lambda each: (each.box.top + each.box.bottom) / 2):
        middle = (piece.box.top + piece.box.bottom) / 2
        if rows and any(other.box.top <= middle < other.box.bottom for other in rows[-1]):
            rows[-1].append(piece)
        else:
            rows.append([piece])
    return [piece for row in rows for piece in sorted(row, key=lambda each: each.box.left)]
