"""What a click at a place would do, before it is made."""

from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.errors import BadParameterError
from tidymargin.core.base.picture import Region, whole
from tidymargin.core.cut import Cutter
from tidymargin.core.ground.difference import STEP
from tidymargin.core.marks.covering import cover, cover_edge
from tidymargin.core.reach.clearing import HIGHEST_TOLERANCE, Pick, to_step
from tidymargin.core.reach.minimax import measure_levels
from tidymargin.core.reach.pockets import PocketChoice

_ROOM = 1.0  # a pick on what differs more than the sheet's tolerance takes in this much more of the like


class Meaning(StrEnum):
    """The one meaning that a click at a place has."""

    CLEARED = "cleared"
    POCKET = "pocket"
    OPENED_POCKET = "opened_pocket"
    CLEAR_FROM_HERE = "clear_from_here"
    FIGURE = "figure"
    KEPT_BY_HAND = "kept_by_hand"
    CLEARED_BY_HAND = "cleared_by_hand"


@dataclass(frozen=True, slots=True, eq=False)
class Place:
    """A place and what a click there would do.

    Parameters
    ----------
    meaning : Meaning
        FIGURE, CLEARED and what a mark decides change nothing.
    goes_at : float or None
        The tolerance at which the place goes when clearing starts there; None beyond 50.
    reached_at : float or None
        The tolerance at which clearing from the sheet's own seeds gets there; None beyond 50.
    decision : Pick or PocketChoice or None
        What a click would add.
    takes : (H, W) ndarray of bool or None
        What that would clear on top of what is cleared, or bring back.
    share : float
        That area's share of the sheet, 0 to 1.
    """

    meaning: Meaning
    goes_at: float | None = None
    reached_at: float | None = None
    decision: Pick | PocketChoice | None = None
    takes: NDArray[np.bool_] | None = None
    share: float = 0.0


def describe_place(cutter: Cutter, row: int, col: int) -> Place:
    """Say what a click at a place would do.

    Parameters
    ----------
    cutter : Cutter
        The sheet with its present decisions.
    row, col : int
        The place, in full-size pixels.

    Raises
    ------
    BadParameterError
        It lies outside the picture.
    """
    picture, steps = cutter.picture, cutter.levels.steps
    if not (0 <= row < picture.height and 0 <= col < picture.width):
        raise BadParameterError(
            f"Expected a place inside {picture.width} × {picture.height} px, got {col},{row}.",
            field="picks",
        )
    here = Region(row, col, row + 1, col + 1)
    for mark in reversed(cutter.plan.marks.near(here).marks):
        if mark.like is not None or mark.verdict == "solve":
            continue
        if cover(mark, here)[0, 0] > 0.5 and cover_edge(mark, here)[0, 0] < 0.5:
            is_kept = mark.verdict == "keep"
            return Place(Meaning.KEPT_BY_HAND if is_kept else Meaning.CLEARED_BY_HAND)
    reached_at = _to_tolerance(int(cutter.reach.lowest(here)[0, 0]))
    cleared = cutter.cleared(whole(picture.height, picture.width))
    opened = cutter.pockets.opened
    step = int(steps[row, col])
    goes_at = _to_tolerance(step)
    if opened is not None and opened.over(here)[0, 0]:
        back = _area_around(steps, row, col, to_step(cutter.tolerance))
        back &= opened.over(whole(picture.height, picture.width))
        choice = PocketChoice(row, col, "keep")
        return Place(Meaning.OPENED_POCKET, goes_at, reached_at, choice, back, float(back.mean()))
    if cleared[row, col]:
        return Place(Meaning.CLEARED, goes_at, reached_at)
    if goes_at is None:
        return Place(Meaning.FIGURE)
    if step <= to_step(cutter.tolerance) and _is_beyond(reached_at, cutter.tolerance):
        takes = _area_around(steps, row, col, to_step(cutter.tolerance)) & ~cleared
        choice = PocketChoice(row, col, "clear")
        return Place(Meaning.POCKET, goes_at, reached_at, choice, takes, float(takes.mean()))
    own = round(min(HIGHEST_TOLERANCE, goes_at + _ROOM), 1)
    takes = _area_around(steps, row, col, to_step(own)) & ~cleared
    if cutter.reach.figure is not None:  # a figure pick holds what it gets to sooner
        takes &= cutter.reach.figure > step
    if not takes[row, col]:
        return Place(Meaning.FIGURE, reached_at=reached_at)
    pick = Pick(row, col, tolerance=own)
    return Place(Meaning.CLEAR_FROM_HERE, goes_at, reached_at, pick, takes, float(takes.mean()))


def _to_tolerance(step: int) -> float | None:
    return round(step * STEP, 1) if step * STEP <= HIGHEST_TOLERANCE else None


def _is_beyond(reached_at: float | None, tolerance: float) -> bool:
    """Whether clearing gets to a place only beyond a tolerance."""
    return reached_at is None or reached_at > tolerance


def _area_around(steps: NDArray[np.uint8], row: int, col: int, highest: int) -> NDArray[np.bool_]:
    """Return what hangs together with a place up to a step."""
    levels = measure_levels(steps, np.array([row * steps.shape[1] + col]), highest=highest)
    return np.asarray(levels <= highest)
