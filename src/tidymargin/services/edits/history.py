"""Going through a sheet's history, and versions: states of it kept under a name."""

from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from typing import Generic, TypeVar

from tidymargin.core.base.errors import BadParameterError, NotFoundError, UnreadableStepError
from tidymargin.formats.recipe import Recipe
from tidymargin.formats.steps import ByHandStep, GroundStep
from tidymargin.services.edits.changing import Edit
from tidymargin.services.views.measuring import start_measuring
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.store.values import SceneState, Sheet, State

T = TypeVar("T", State, SceneState)


@dataclass(frozen=True, slots=True)
class HistoryRow(Generic[T]):
    """One state of a history as it is listed.

    Parameters
    ----------
    state, before : State or SceneState
        It, and the one that it was made from; None for the first.
    lane : int
        0 for the way that was taken first, higher for each further branch.
    is_here, is_on_way : bool
        Whether it is the present state; whether undo and redo alone get to it.
    """

    state: T
    before: T | None
    lane: int
    is_here: bool
    is_on_way: bool


def _find_way(head: int, states: Mapping[int, State | SceneState]) -> set[int]:
    """Return the states that undo and redo alone get to from the present one."""
    way = set()
    at: int | None = head
    while at is not None:
        way.add(at)
        at = states[at].parent
    at = states[head].redo
    while at is not None:
        way.add(at)
        at = states[at].redo
    return way


def list_history(workshop: Workshop, sheet: Sheet) -> list[HistoryRow[State]]:
    """Return all states of a sheet, the newest first."""
    return arrange_history(workshop.sheets.list_states(sheet.id), sheet.head)


def arrange_history(listed: Sequence[T], head: int) -> list[HistoryRow[T]]:
    """Return states, given the first one first, as they are listed: the newest first."""
    states = {state.id: state for state in listed}
    way = _find_way(head, states)
    lanes: dict[int, int] = {}
    taken: set[int] = set()  # states that have a child in their own lane
    lane_count = 0
    for state in listed:
        if state.parent is not None and state.parent not in taken:
            taken.add(state.parent)
            lanes[state.id] = lanes[state.parent]
        else:
            lanes[state.id] = lane_count
            lane_count += 1
    return [
        HistoryRow(
            state,
            states.get(state.parent or 0),
            lanes[state.id],
            state.id == head,
            state.id in way,
        )
        for state in reversed(listed)
    ]


def _begin(workshop: Workshop, sheet: Sheet) -> None:
    """Start measuring a state, unless another version saved it: then there is nothing to go by."""
    with suppress(UnreadableStepError):
        start_measuring(workshop, sheet)


def undo_change(edit: Edit) -> Sheet:
    """Take the last change back."""
    sheet = edit.workshop.sheets.undo(edit.sheet.id, edit.seen)
    _begin(edit.workshop, sheet)
    return sheet


def redo_change(edit: Edit) -> Sheet:
    """Bring the change back that was undone last."""
    sheet = edit.workshop.sheets.redo(edit.sheet.id, edit.seen)
    _begin(edit.workshop, sheet)
    return sheet


def visit_state(edit: Edit, state: int) -> Sheet:
    """Go to any state of a sheet's history."""
    sheet = edit.workshop.sheets.visit(edit.sheet.id, edit.seen, state)
    _begin(edit.workshop, sheet)
    return sheet


MOST_NAME = 80
_MOST_VERSIONS = 200


def keep_version(edit: Edit, name: str) -> Sheet:
    """Keep a sheet's present state, which is the one that was seen, under a name; its history is as it was.

    Raises
    ------
    StaleHeadError
        The present state is another than the one that was seen.
    BadParameterError
        The name is empty or too long, or there are too many versions.
    """
    name = require_version_name(name, len(edit.workshop.sheets.list_versions(edit.sheet.id)))
    return edit.workshop.sheets.keep_version(edit.sheet.id, edit.seen, name)


def require_version_name(name: str, there: int) -> str:
    """Return a version's name without spaces that nobody sees, where there may be one more of them.

    Raises
    ------
    BadParameterError
        It is empty or too long, or there are too many versions.
    """
    name = " ".join(name.split())
    if not 1 <= len(name) <= MOST_NAME:
        raise BadParameterError(
            f"Expected a name of 1 to {MOST_NAME} letters for this version.", field="version"
        )
    if there >= _MOST_VERSIONS:
        raise BadParameterError(
            f"There are at most {_MOST_VERSIONS} versions; take the name off one.", field="version"
        )
    return name


def see_as(workshop: Workshop, sheet: Sheet, way: str) -> Sheet:
    """Return a sheet as it would be in another state, to be looked at only.

    Parameters
    ----------
    workshop, sheet :
        The sheet at its present state.
    way : str
        ``now``; ``key``, without what was done by hand; ``automatic``, with nothing decided but the work area;
        or the number of a state.

    Raises
    ------
    NotFoundError
        There is no such way.
    """
    if way in ("", "now"):
        return sheet
    recipe = sheet.recipe
    if way == "key":
        return sheet.decided_by(recipe.model_copy(update={"by_hand": ByHandStep()}))
    if way == "automatic":
        return sheet.decided_by(Recipe(ground=GroundStep(area=recipe.ground.area)))
    if not (way.isascii() and way.isdigit() and len(way) < 12):
        raise NotFoundError("There is no such state to compare.")
    return workshop.sheets.load_at(sheet, int(way))
