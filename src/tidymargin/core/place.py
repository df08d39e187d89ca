"""What a click at a place would do, before it is made."""

from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.cut import Cutter
from tidymargin.core.difference import STEP
from tidymargin.core.errors import BadParameterError
from tidymargin.core.levels import NEVER
from tidymargin.core.picture import whole
from tidymargin.core.reach import HIGHEST_TOLERANCE, Pick, build_reach, clear, to_step

_ROOM = 1.0  # a pick on what differs more than the sheet's tolerance takes in this much more of the like


class Meaning(StrEnum):
    """The one meaning that a click at a place has."""

    CLEARED = "cleared"
    POCKET = "pocket"
    CLEAR_FROM_HERE = "clear_from_here"
    FIGURE = "figure"


@dataclass(frozen=True, slots=True, eq=False)
class Place:
    """A place and what a click there would do.

    Parameters
    ----------
    meaning : Meaning
        FIGURE and CLEARED change nothing.
    goes_at : float or None
        The tolerance at which the place goes when clearing starts there; None beyond 50.
    pick : Pick or None
        What a click would add.
    takes : (H, W) ndarray of bool or None
        What that would clear on top of what is cleared.
    share : float
        That area's share of the sheet, 0 to 1.
    """

    meaning: Meaning
    goes_at: float | None = None
    pick: Pick | None = None
    takes: NDArray[np.bool_] | None = None
    share: float = 0.0


def describe_place(cutter: Cutter, picks: tuple[Pick, ...], row: int, col: int) -> Place:
    """Say what a click at a place would do.

    Parameters
    ----------
    cutter : Cutter
        The sheet with its present decisions.
    picks : tuple of Pick
        Those that `cutter.reach` was built from.
    row, col : int
        The place, in full-size pixels.

    Raises
    ------
    BadParameterError
        It lies outside the picture.
    """
    picture, facts = cutter.picture, cutter.facts
    if not (0 <= row < picture.height and 0 <= col < picture.width):
        raise BadParameterError(
            f"Expected a place inside {picture.width} × {picture.height} px, got {col},{row}.",
            field="picks",
        )
    everywhere = whole(picture.height, picture.width)
    cleared = clear(cutter.reach, cutter.tolerance, everywhere)
    if cleared[row, col]:
        return Place(Meaning.CLEARED)
    step = int(facts.difference.steps[row, col])
    if step >= NEVER:
        return Place(Meaning.FIGURE)
    goes_at = round(step * STEP, 1)
    within = step <= to_step(cutter.tolerance)
    own = None if within else round(min(HIGHEST_TOLERANCE, goes_at + _ROOM), 1)
    pick = Pick(row, col, tolerance=own)
    reach = build_reach(facts.difference.steps, facts.outside, (*picks, pick))
    takes = clear(reach, cutter.tolerance, everywhere) & ~cleared
    share = float(np.count_nonzero(takes)) / takes.size
    if not takes[row, col]:  # a figure pick holds it
        return Place(Meaning.FIGURE)
    meaning = Meaning.POCKET if within else Meaning.CLEAR_FROM_HERE
    return Place(meaning, goes_at, pick, takes, share)
