"""Lines traced along their middle, with a width."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.outlines.paths import Piece, Point


@dataclass(frozen=True, slots=True)
class Stroke:
    """A line with a width; open, or closed where it ends at its start."""

    start: Point
    pieces: tuple[Piece, ...]
    width_px: float
    is_closed: bool = False


def find_strokes(
    alpha: NDArray[np.uint8], tolerance_px: float, noise_px: float
) -> tuple[Stroke, ...]:
    raise NotImplementedError
