"""What a person decides about outlines."""

from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

Rgb = tuple[int, int, int]

MOST_COLOURS = 32
MOST_RINGS = 100_000
"""That are traced of one picture; more are dust, or noise."""

PieceWay = Literal["as_it_is", "simpler", "left_out"]
"""What becomes of one outline: all of its contour is kept, it is traced more loosely, or it goes."""

LEAST_TOLERANCE_PX, MOST_TOLERANCE_PX = 0.05, 10.0


@dataclass(frozen=True, slots=True)
class OutlinePlan:
    """How a cut is traced.

    Parameters
    ----------
    colours : int or "auto"
        In how many, 1 to 32; auto: as many as there is evidence for.
    tolerance_px : float or "auto"
        How far a line or curve may keep from the contour; auto: by the contour's own noise.
    cutoff : float or None
        Lightness, 0 black to 100 white, up to which the cut laid on white is traced, in one colour; None: all that is solid.
    smallest_px : float
        Areas under so many px², holes too, are dropped.
    as_strokes : bool
        Whether lines are traced along their middle, with a width.
    pieces : tuple of (float, float, str)
        Places, x and y in px, and what becomes of the innermost outline around each.
    merged : tuple of ((int, int, int), (int, int, int))
        Colours that are taken for another: which, and for which.
    names : tuple of ((int, int, int), str)
        What colours are called.
    loop : tuple of (float, float)
        Places, x and y in px, of a line around what is traced; with none, all is.
    """

    colours: int | Literal["auto"] = 1
    tolerance_px: float | Literal["auto"] = "auto"
    cutoff: float | None = None
    smallest_px: float = 4.0
    as_strokes: bool = False
    pieces: tuple[tuple[float, float, PieceWay], ...] = ()
    merged: tuple[tuple[Rgb, Rgb], ...] = ()
    names: tuple[tuple[Rgb, str], ...] = ()
    loop: tuple[tuple[float, float], ...] = ()

    def limit(self, rgba: NDArray[np.uint8]) -> NDArray[np.uint8]:
        """Return a cut, (H, W, 4) uint8, as solid as it was within the loop, and clear beyond it."""
        if not self.loop:
            return rgba
        ring = np.round((np.array(self.loop) - 0.5) * 16).astype(np.int32)
        inside: NDArray[np.uint8] = np.zeros(rgba.shape[:2], np.uint8)
        cv2.fillPoly(inside, [ring], (255,), cv2.LINE_AA, 4)
        return np.dstack([rgba[..., :3], cv2.multiply(rgba[..., 3], inside, scale=1 / 255)])
