"""Going through a sheet's history."""

from contextlib import suppress
from dataclasses import dataclass

from tidymargin.core.base.errors import UnreadableStepError
from tidymargin.services.measuring import start_measuring
from tidymargin.services.workshop import Workshop
from tidymargin.store.values import Sheet, State


@dataclass(frozen=True, slots=True)
class HistoryRow:
    """One state of a history as it is listed.

    Parameters
    ----------
    state, before : State
        It, and the one that it was made from; None for the first.
    lane : int
        0 for the way that was taken first, higher for each further branch.
    is_here, is_on_way : bool
        Whether it is the present state; whether undo and redo alone get to it.
    """

    state: State
    before: State | None
    lane: int
    is_here: bool
    is_on_way: bool


def _find_way(sheet: Sheet, states: dict[int, State], redo: dict[int, int | None]) -> set[int]:
    """Return the states that undo and redo alone get to from the present one."""
    way = set()
    at: int | None = sheet.head
    while at is not None:
        way.add(at)
        at = states[at].parent
    at = redo.get(sheet.head)
    while at is not None:
        way.add(at)
        at = redo.get(at)
    return way


def list_history(workshop: Workshop, sheet: Sheet) -> list[HistoryRow]:
    """Return all states of a sheet, the newest first."""
    listed = workshop.sheets.list_states(sheet.id)
    states = {state.id: state for state in listed}
    way = _find_way(sheet, states, {state.id: state.redo for state in listed})
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
            state.id == sheet.head,
            state.id in way,
        )
        for state in reversed(listed)
    ]


def _begin(workshop: Workshop, sheet: Sheet) -> None:
    """Start measuring a state, unless another version saved it: then there is nothing to go by."""
    with suppress(UnreadableStepError):
        start_measuring(workshop, sheet)


def undo_change(workshop: Workshop, sheet_id: int, seen: int) -> Sheet:
    """Take the last change back."""
    sheet = workshop.sheets.undo(sheet_id, seen)
    _begin(workshop, sheet)
    return sheet


def redo_change(workshop: Workshop, sheet_id: int, seen: int) -> Sheet:
    """Bring the change back that was undone last."""
    sheet = workshop.sheets.redo(sheet_id, seen)
    _begin(workshop, sheet)
    return sheet


def visit_state(workshop: Workshop, sheet_id: int, seen: int, state: int) -> Sheet:
    """Go to any state of a sheet's history."""
    sheet = workshop.sheets.visit(sheet_id, seen, state)
    _begin(workshop, sheet)
    return sheet
