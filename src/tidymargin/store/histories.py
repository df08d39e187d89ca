"""Going through a history: states with parents, a head, and from each state the one that redoing leads to."""

from typing import TypeVar

from sqlalchemy.orm import Session

from tidymargin.core.base.errors import NotFoundError
from tidymargin.store.models import SceneRow, SceneStateRow, SheetRow, StateRow

Head = SheetRow | SceneRow
S = TypeVar("S", StateRow, SceneStateRow)


def require_state(session: Session, kind: type[S], state_id: int | None) -> S:
    """Return a state by its number.

    Raises
    ------
    NotFoundError
        There is none of that number.
    """
    row = session.get(kind, state_id) if state_id is not None else None
    if row is None:
        raise NotFoundError("This state is not in the history.")
    return row


def go_on(session: Session, row: Head, added: S) -> None:
    """Make a state that was added after the head the head."""
    require_state(session, type(added), row.head_id).redo_id = added.id
    row.head_id = added.id
    session.flush()


def go_back(session: Session, row: Head, kind: type[S]) -> None:
    """Make the head's parent the head; stays put at the first state."""
    head = require_state(session, kind, row.head_id)
    if head.parent_id is not None:
        require_state(session, kind, head.parent_id).redo_id = head.id
        row.head_id = head.parent_id
        session.flush()


def go_forward(session: Session, row: Head, kind: type[S]) -> None:
    """Go to the state that was left last from here; stays put when there is none."""
    head = require_state(session, kind, row.head_id)
    if head.redo_id is not None:
        row.head_id = head.redo_id
        session.flush()


def go_to(session: Session, row: Head, there: S) -> None:
    """Go to any state of the history; redoing from its forerunners then leads back to it."""
    row.head_id = there.id
    while there.parent_id is not None:
        before = require_state(session, type(there), there.parent_id)
        before.redo_id = there.id
        there = before
    session.flush()
