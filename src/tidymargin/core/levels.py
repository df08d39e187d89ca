"""At which tolerance clearing gets where, from the decided start, past walls and through holes."""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.picture import Picture
from tidymargin.core.facts import SheetFacts
from tidymargin.core.marks.likeness import Found
from tidymargin.core.marks.plan import Mark
from tidymargin.core.reach.clearing import Reach, build_reach, seed_outside, to_step
from tidymargin.core.reach.minimax import NEVER, lower_levels
from tidymargin.core.reach.plan import ReachPlan
from tidymargin.core.reach.regions import Regions, part_regions
from tidymargin.core.reach.walls import wall_off


@dataclass(frozen=True, slots=True, eq=False)
class Levels:
    """The levels of a sheet's seeds, past its walls; what a change of tolerance leaves as it is.

    Parameters
    ----------
    steps : (H, W) ndarray of uint8
        Quantised difference with the walls.
    reach : Reach
        Levels from the start and the picks.
    found : dict
        What marks take of what is like a colour, by the mark and how far that is from it; guards are among the walls.
    """

    steps: NDArray[np.uint8]
    reach: Reach
    found: dict[tuple[Mark, float], Found] = field(default_factory=dict)

    @property
    def size_bytes(self) -> int:
        """Memory that the arrays take, at most."""
        figure = 0 if self.reach.figure is None else self.reach.figure.nbytes
        own = sum(levels.nbytes for _, levels in self.reach.own)
        return self.steps.nbytes + self.reach.levels.nbytes + own + figure

    def are_of(self, facts: SheetFacts) -> bool:
        """Whether they are those from outside that were measured, with no walls and no picks."""
        reach = self.reach
        is_plain = not reach.own and reach.figure is None
        return is_plain and reach.levels is facts.outside and self.steps is facts.difference.steps


def find_regions(picture: Picture, facts: SheetFacts) -> Regions:
    """Part a measured sheet into regions; the same ones whatever was decided."""
    gone = facts.outside <= to_step(facts.calm.tolerance)
    return part_regions(picture, facts.ground, gone, is_lossy=not facts.rim.is_lossless)


def find_levels(picture: Picture, facts: SheetFacts, reach: ReachPlan) -> Levels:
    """Find the levels of the decided start, picks and walls.

    Raises
    ------
    BadParameterError
        A pick or fence lies outside the picture.
    """
    steps = wall_off(picture, facts.difference.steps, reach.guards, reach.fences)
    holes = None
    if reach.regions:
        gone = facts.outside <= to_step(facts.calm.tolerance)
        holes, walls = find_regions(picture, facts).decide(reach.regions, gone)
        steps = np.where(walls, np.uint8(NEVER), np.where(holes, np.uint8(0), steps))
    if reach.start == "everywhere":
        start = steps
    elif reach.start == "picks":
        start = np.full(steps.shape, NEVER, np.uint8)
    elif steps is facts.difference.steps:
        start = facts.outside
    else:
        start = seed_outside(steps, picture.alpha, from_border=not facts.is_busy)
    if holes is not None and holes.any():
        start = lower_levels(steps, start, np.flatnonzero(holes))
    return Levels(steps, build_reach(steps, start, reach.picks))
