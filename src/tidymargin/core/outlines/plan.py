"""What a person decides about outlines."""

from dataclasses import dataclass
from typing import Literal

MOST_COLOURS = 32
MOST_RINGS = 100_000
"""That are traced of one picture; more are dust, or noise."""

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
    """

    colours: int | Literal["auto"] = 1
    tolerance_px: float | Literal["auto"] = "auto"
    cutoff: float | None = None
    smallest_px: float = 4.0
    as_strokes: bool = False
