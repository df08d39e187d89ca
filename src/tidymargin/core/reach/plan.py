"""What a person decided of reach."""

from dataclasses import dataclass
from typing import Literal

from tidymargin.core.ground.guards import Guard
from tidymargin.core.reach.clearing import Pick
from tidymargin.core.reach.pockets import PocketChoice, PocketRule
from tidymargin.core.reach.regions import RegionChoice
from tidymargin.core.reach.walls import Fence

Start = Literal["outside", "picks", "everywhere"]


@dataclass(frozen=True, slots=True)
class ReachPlan:
    """Step 2; the defaults are nobody's decisions.

    Parameters
    ----------
    start : str
        Where clearing starts: ``outside``, ``picks`` or ``everywhere``.
    tolerance : float or None
        None is the one the calm proposes.
    picks, choices, rules, regions, guards, fences :
        See `Pick`, `PocketChoice`, `PocketRule`, `RegionChoice`, `Guard`, `Fence`.
    crumb_px : int or None
        Standing pieces smaller than this are dropped; None is by the ground's noise.
    pinhole_px : int
        Cleared pieces smaller than this are filled.
    drops : tuple of (row, col)
        Places of solid pieces that are not wanted.
    """

    start: Start = "outside"
    tolerance: float | None = None
    picks: tuple[Pick, ...] = ()
    choices: tuple[PocketChoice, ...] = ()
    rules: tuple[PocketRule, ...] = ()
    regions: tuple[RegionChoice, ...] = ()
    guards: tuple[Guard, ...] = ()
    fences: tuple[Fence, ...] = ()
    crumb_px: int | None = None
    pinhole_px: int = 0
    drops: tuple[tuple[int, int], ...] = ()
