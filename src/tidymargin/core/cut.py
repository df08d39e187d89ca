"""From a picture and a few decisions to the cut: global facts once, then any region on its own."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.curve import Calm, Jump, find_calm, find_jumps, measure_curve
from tidymargin.core.difference import Difference, measure_difference
from tidymargin.core.ground import FlatGround, measure_flat_ground
from tidymargin.core.picture import Picture, Region, whole
from tidymargin.core.profile import measure_rim
from tidymargin.core.reach import Pick, Reach, build_reach, clear, seed_outside, to_step
from tidymargin.core.rim import HALO_PX, RimFacts, solve_cut


@dataclass(frozen=True, slots=True, eq=False)
class SheetFacts:
    """What is true of a whole sheet before anybody decides anything.

    `outside` are the levels from the border alone; `curve`, `jumps` and `calm` are theirs.
    """

    ground: FlatGround
    difference: Difference
    outside: NDArray[np.uint8]
    curve: NDArray[np.float64]
    jumps: tuple[Jump, ...]
    calm: Calm
    rim: RimFacts

    @property
    def size_bytes(self) -> int:
        """Memory that the arrays take."""
        return self.difference.steps.nbytes + self.outside.nbytes


def measure_sheet(picture: Picture) -> SheetFacts:
    """Measure ground, difference, levels, curve and rim of a whole picture, at full size.

    Raises
    ------
    NoGroundError
        The border shows no ground.
    """
    ground = measure_flat_ground(picture)
    difference = measure_difference(picture, ground)
    outside = seed_outside(difference.steps, picture.alpha)
    curve = measure_curve(outside)
    jumps = find_jumps(outside, difference.steps)
    calm = find_calm(curve, jumps)
    rim = measure_rim(picture, ground, difference, outside, to_step(calm.tolerance))
    return SheetFacts(ground, difference, outside, curve, jumps, calm, rim)


@dataclass(frozen=True, slots=True, eq=False)
class Cutter:
    """A sheet's facts and its decisions, ready to render any region.

    Parameters
    ----------
    picture, facts :
        The sheet.
    reach : Reach
        Levels with the picks.
    tolerance : float
        The sheet's, 0 to 50.
    """

    picture: Picture
    facts: SheetFacts
    reach: Reach
    tolerance: float

    def render(self, region: Region) -> NDArray[np.uint8]:
        """Return the cut in a region, (h, w, 4) uint8 straight RGBA; equals the crop of the whole."""
        outer = region.grown(HALO_PX, whole(self.picture.height, self.picture.width))
        alpha = self.picture.alpha
        return solve_cut(
            self.picture.rgb[outer.slices],
            self.facts.ground.over(outer),
            clear(self.reach, self.tolerance, outer),
            self.facts.rim,
            margins=(
                region.top - outer.top,
                region.left - outer.left,
                outer.bottom - region.bottom,
                outer.right - region.right,
            ),
            alpha=None if alpha is None else alpha[outer.slices],
        )

    def render_whole(self) -> NDArray[np.uint8]:
        """Return the whole cut, (H, W, 4) uint8."""
        return self.render(whole(self.picture.height, self.picture.width))


def cut_out(
    picture: Picture,
    facts: SheetFacts,
    *,
    picks: tuple[Pick, ...] = (),
    tolerance: float | None = None,
) -> Cutter:
    """Apply decisions to a measured sheet; `tolerance` None is the one the calm proposes."""
    reach = build_reach(facts.difference.steps, facts.outside, picks)
    return Cutter(picture, facts, reach, facts.calm.tolerance if tolerance is None else tolerance)
