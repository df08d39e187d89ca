"""What is judged: a cut, and where it is known, the picture and the ground that it was made of."""

from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.picture import Region, whole
from tidymargin.core.cut import Cutter
from tidymargin.core.ground.difference import STEP
from tidymargin.core.plan import Plan


@dataclass(frozen=True, slots=True, eq=False)
class Seen:
    """A region of a cut, (h, w).

    Parameters
    ----------
    rgba : (h, w, 4) ndarray of uint8
        The cut.
    rgb, ground : (h, w, 3) ndarray or None
        The picture, and the ground behind, 0 to 255.
    away : (h, w) ndarray of float32 or None
        Difference of the picture from the ground.
    of_ink : (h, w) ndarray of bool or None
        Which places are of ink beside an opaque figure, where some are.
    """

    rgba: NDArray[np.uint8]
    rgb: NDArray[np.uint8] | None = None
    ground: NDArray[np.float32] | None = None
    away: NDArray[np.float32] | None = None
    of_ink: NDArray[np.bool_] | None = None


class Judged(Protocol):
    """A cut that can be looked at region by region."""

    @property
    def shape(self) -> tuple[int, int]:
        """Height and width."""

    @property
    def is_opaque(self) -> bool:
        """Whether only rims should be partly clear."""

    @property
    def has_own_colours(self) -> bool:
        """Whether the figure's colours are meant to be those of the picture."""

    def see(self, region: Region) -> Seen:
        """Return a region."""


@dataclass(frozen=True, slots=True, eq=False)
class JudgedAlone:
    """A cut of which nothing else is known, or as much as is given."""

    seen: Seen
    is_opaque: bool = True
    has_own_colours: bool = True

    @property
    def shape(self) -> tuple[int, int]:
        """Height and width."""
        height, width = self.seen.rgba.shape[:2]
        return height, width

    def see(self, region: Region) -> Seen:
        """Return a region."""
        seen = self.seen
        layers = (seen.rgba, seen.rgb, seen.ground, seen.away, seen.of_ink)
        return Seen(*(None if layer is None else layer[region.slices] for layer in layers))  # type: ignore[arg-type]


@dataclass(frozen=True, slots=True, eq=False)
class JudgedSheet:
    """A sheet's cut, rendered as it is looked at."""

    cutter: Cutter

    @property
    def shape(self) -> tuple[int, int]:
        """Height and width."""
        return self.cutter.picture.height, self.cutter.picture.width

    @property
    def is_opaque(self) -> bool:
        """Whether only rims should be partly clear."""
        return self.cutter.facts.nature == "opaque"

    @property
    def has_own_colours(self) -> bool:
        """Whether nothing is done to colours or mattes after they are solved, nor a screen's light taken off."""
        plan = self.cutter.plan
        is_plain = (plan.rim, plan.tint) == (Plan().rim, Plan().tint)
        return is_plain and self.cutter.facts.rim.spill is None and not self.cutter.facts.is_busy

    def see(self, region: Region) -> Seen:
        """Return a region."""
        cutter = self.cutter
        region = region.within(whole(*self.shape))
        rgba = cutter.render(region)
        if cutter.facts.is_busy:
            return Seen(rgba)
        steps = cutter.facts.difference.steps[region.slices]
        away = np.asarray(steps, np.float32) * np.float32(STEP)
        parts = cutter.facts.ink_parts
        of_ink = None if parts is None else parts.over(region)
        rgb = cutter.picture.rgb[region.slices]
        return Seen(rgba, rgb, cutter.facts.ground.over(region), away, of_ink)
