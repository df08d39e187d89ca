"""What the colours of one place depend on elsewhere: the outer silhouette, the box around the figure, its pieces."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.mask import PackedMask
from tidymargin.core.base.picture import Region
from tidymargin.core.tint.plan import Rgb, TintPlan

_OUTSIDE, _PIECE = 2, 3
_AROUND = np.ones((9, 9), np.uint8)


@dataclass(frozen=True, slots=True, eq=False)
class Outlook:
    """What is known of the whole figure.

    Parameters
    ----------
    outside : PackedMask or None
        What lies outside of the outer silhouette, or of all of it where holes are not filled; None where nothing asks for it.
    box : Region
        Around the figure.
    pieces : tuple of (PackedMask, colour)
        Those that get a colour of their own.
    """

    outside: PackedMask | None
    box: Region
    pieces: tuple[tuple[PackedMask, Rgb], ...] = ()

    def tell(self, region: Region) -> bytes:
        """Return what of it a region depends on, to be hashed."""
        masks = [] if self.outside is None else [self.outside]
        masks += [mask for mask, _ in self.pieces]
        box = self.box
        places = np.array([box.top, box.left, box.bottom, box.right], np.int32).tobytes()
        return b"".join([places, *(np.packbits(mask.over(region)).tobytes() for mask in masks)])


def look_out(stands: NDArray[np.bool_], tint: TintPlan) -> Outlook:
    """Look at a whole figure.

    Parameters
    ----------
    stands : (H, W) ndarray of bool
        What is not cleared.
    tint : TintPlan
        What is asked for.
    """
    outside = None
    if tint.backing is not None:
        cleared = np.pad((~stands).view(np.uint8), 1, constant_values=1)
        if tint.backing.fills_holes:
            cv2.floodFill(cleared, None, (0, 0), _OUTSIDE)
        else:
            cleared *= _OUTSIDE
        outside = PackedMask.of(cleared[1:-1, 1:-1] == _OUTSIDE)
    pieces = []
    if tint.recolour is not None and tint.recolour.pieces:
        left = np.pad(stands.view(np.uint8), 1)
        for number, (row, col, colour) in enumerate(tint.recolour.pieces):
            if (
                not (0 <= row < stands.shape[0] and 0 <= col < stands.shape[1])
                or not stands[row, col]
            ):
                continue  # it was cleared since, and may come back
            mark = _PIECE + number % 250
            cv2.floodFill(left, None, (col + 1, row + 1), mark, flags=8)
            piece = left[1:-1, 1:-1] == mark
            # a rim goes on a little where reach has cleared
            beside = np.asarray(cv2.dilate(piece.view(np.uint8), _AROUND)) > 0
            pieces.append((PackedMask.of(piece | (beside & ~stands)), colour))
    rows, cols = np.flatnonzero(stands.any(axis=1)), np.flatnonzero(stands.any(axis=0))
    if len(rows):
        box = Region(int(rows[0]), int(cols[0]), int(rows[-1]) + 1, int(cols[-1]) + 1)
    else:
        box = Region(0, 0, *stands.shape)
    return Outlook(outside, box, tuple(pieces))
