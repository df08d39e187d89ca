"""Parts of a figure that are of another nature than the rest: handwriting under a printed logo, a stamp beside a photo."""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.drawings import Drawings, group_drawings, take_at_scale
from tidymargin.core.base.picture import Picture, Region, whole
from tidymargin.core.figure.inks import InkFacts, measure_inks
from tidymargin.core.figure.nature import (
    MEASURES,
    find_ink_probability,
    is_explained,
    measure_nature,
)
from tidymargin.core.ground.kinds import Ground

_APART = 0.1  # over a drawing's longer side: nearer than whole drawings of a page stand; typed
_LEAST_PX = 400  # of a drawing, for its nature to be told; typed
_MOST = 8  # drawings that are looked at, the largest: speed
_SURE = 0.9  # of either nature; typed: at 0.7 more letters come right, and more things in several natures are eaten
_STROKE_SHARE = 1.5  # percent of the picture's shorter side, that nine tenths of a stroke are no deeper than; typed


@dataclass(frozen=True, slots=True, eq=False)
class InkParts:
    """Drawings in ink beside an opaque figure.

    Parameters
    ----------
    owned : (h, w) ndarray of bool
        Whether the drawing that is nearest to a place is ink, averaged down by `scale`.
    scale : float
        Pixels of the picture per pixel of `owned`.
    rgb : (N, 3) ndarray of float32
        Their inks, 0 to 255.
    boxes : tuple of Region
        Around each of these drawings, the largest first.
    """

    owned: NDArray[np.bool_]
    scale: float
    rgb: NDArray[np.float32]
    boxes: tuple[Region, ...]

    def over(self, region: Region) -> NDArray[np.bool_]:
        """Return which places of a region are theirs, (h, w) bool."""
        return take_at_scale(self.owned, self.scale, region)

    def hold(self, places: NDArray[np.int32]) -> NDArray[np.bool_]:
        """Return which of some places are theirs, (N,) bool; a row and a column each."""
        height, width = self.owned.shape
        rows, cols = ((places.T + 0.5) / self.scale).astype(int)
        found = self.owned[np.minimum(rows, height - 1), np.minimum(cols, width - 1)]
        return np.asarray(found, np.bool_)


@dataclass(frozen=True, slots=True, eq=False)
class Strokes:
    """The inks of a figure, what speaks for either nature, and which of its parts are ink where the rest is not."""

    inks: InkFacts
    measures: tuple[float, ...]
    ink_parts: InkParts | None = None

    @property
    def are_ink(self) -> bool:
        """Whether all of the figure is ink."""
        return self.ink_parts is None and find_ink_probability(self.measures, self.inks) > 0.5


def measure_strokes(
    picture: Picture,
    ground: Ground,
    stands: NDArray[np.bool_],
    grain: float,
    has_ground: bool,
    in_parts: bool,
) -> Strokes:
    """Measure what speaks for either nature of a figure; of its opaque part alone where others are ink.

    Parameters
    ----------
    picture, ground, grain :
        The whole picture and what was measured of it.
    stands : (H, W) ndarray of bool
        What differs from the ground at the starting tolerance.
    has_ground : bool
        Whether there is one that a figure could be unmixed from; without it nothing speaks for either.
    in_parts : bool
        Whether its drawings may differ in nature.
    """

    def measure(some: NDArray[np.bool_]) -> Strokes:
        inks = measure_inks(picture, ground, some, grain)
        nature = measure_nature(picture, ground, some, inks, grain) if has_ground else ()
        return Strokes(inks, nature)

    together = measure(stands)
    drawings = group_drawings(stands, _APART) if has_ground and in_parts else None
    if drawings is None or drawings.count == 1:
        return together
    counted = np.bincount(drawings.nearest[drawings.solid], minlength=drawings.count + 1)
    area_px = counted * drawings.scale**2
    large = [int(n) for n in np.argsort(-area_px, kind="stable")[:_MOST] if area_px[n] >= _LEAST_PX]
    if len(large) < 2:
        return together
    everywhere = whole(picture.height, picture.width)
    is_ink, is_opaque = [], []
    for number in large:
        own = take_at_scale(drawings.nearest == number, drawings.scale, everywhere)
        drawing = measure(own & stands)
        measures = drawing.measures
        likely = find_ink_probability(measures, drawing.inks)
        # where all is ink together, an even line drawing may look opaque by itself, and is cut as well as ink
        if likely < 1 - _SURE and not (together.are_ink and is_explained(measures)):
            is_opaque.append(number)
        elif likely > _SURE and _is_of_strokes(measures):
            is_ink.append(number)
    if not (is_ink and is_opaque):
        return together
    if together.are_ink:  # what is not sure goes with the most
        is_ink = [number for number in range(1, drawings.count + 1) if number not in is_opaque]
    owned = np.isin(drawings.nearest, is_ink)
    of_ink = take_at_scale(owned, drawings.scale, everywhere)
    inks = measure_inks(picture, ground, stands & of_ink, grain)
    rest = measure(stands & ~of_ink)
    boxes = tuple(_box_of(drawings, number, everywhere) for number in is_ink)
    return Strokes(rest.inks, rest.measures, InkParts(owned, drawings.scale, inks.rgb, boxes))


def _box_of(drawings: Drawings, number: int, everywhere: Region) -> Region:
    """Return the box around a drawing, at full size."""
    rows, cols = np.nonzero(drawings.solid & (drawings.nearest == number))
    scale = drawings.scale
    top, left = int(rows.min() * scale), int(cols.min() * scale)
    bottom, right = (math.ceil((int(far.max()) + 1) * scale) for far in (rows, cols))
    return Region(top, left, bottom, right).within(everywhere)


def _is_of_strokes(measures: tuple[float, ...]) -> bool:
    """Whether a drawing is all strokes: a shaded thing has ink's measures too, and areas."""
    deep = np.expm1(measures[MEASURES.index("half_of_side")])
    return bool(deep <= _STROKE_SHARE)
