"""Sheets and their history, as plain values; no query leaves this file."""

import json
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import Engine, select
from sqlalchemy.orm import Session

from tidymargin.core.errors import NotFoundError, StaleHeadError
from tidymargin.store.database import transaction
from tidymargin.store.models import STEP_COLUMNS, SheetRow, StateRow, StepRow

Bodies = dict[str, str]


@dataclass(frozen=True, slots=True)
class NewSheet:
    """What is known of a picture when it is brought in."""

    name: str
    original: str
    format_name: str
    width: int
    height: int
    dots_per_inch: float | None
    remarks: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class NewState:
    """A state to add to a sheet's history.

    Parameters
    ----------
    names, bodies : dict of str to str
        Hash and JSON of each step, by step.
    change : str
        What made this state, as a key of the sentence catalogue.
    resolved : dict
        The values that `auto` stood for.
    engine_version : int
        Of the engine that resolved them.
    """

    names: dict[str, str]
    bodies: Bodies
    change: str
    resolved: dict[str, Any]
    engine_version: int


@dataclass(frozen=True, slots=True)
class Sheet:
    """A sheet at its present state.

    `undo` and `redo` are the changes that undoing and redoing would take back and bring again.
    """

    id: int
    name: str
    original: str
    format_name: str
    width: int
    height: int
    dots_per_inch: float | None
    remarks: tuple[str, ...]
    created_at: datetime
    head: int
    bodies: Bodies
    resolved: dict[str, Any]
    engine_version: int
    saved_at: datetime
    undo: str | None
    redo: str | None


def _now() -> str:
    return datetime.now(UTC).isoformat(timespec="seconds")


def _require_sheet(session: Session, sheet_id: int) -> SheetRow:
    row = session.get(SheetRow, sheet_id)
    if row is None:
        raise NotFoundError(
            f"There is no sheet {sheet_id}.", hint="Go back to the trays and choose another."
        )
    return row


def _require_state(session: Session, state_id: int | None) -> StateRow:
    row = session.get(StateRow, state_id) if state_id is not None else None
    if row is None:
        raise NotFoundError("This state is not in the sheet’s history.")
    return row


def _to_sheet(session: Session, row: SheetRow) -> Sheet:
    head = _require_state(session, row.head_id)
    names = {step: getattr(head, step) for step in STEP_COLUMNS}
    found = session.execute(
        select(StepRow.name, StepRow.body).where(StepRow.name.in_(set(names.values())))
    )
    bodies: dict[str, str] = {name: body for name, body in found}  # noqa: C416 - rows, not pairs
    redo = session.get(StateRow, head.redo_id) if head.redo_id is not None else None
    return Sheet(
        id=row.id,
        name=row.name,
        original=row.original,
        format_name=row.format_name,
        width=row.width,
        height=row.height,
        dots_per_inch=row.dots_per_inch,
        remarks=tuple(json.loads(row.remarks)),
        created_at=datetime.fromisoformat(row.created_at),
        head=head.id,
        bodies={step: bodies[name] for step, name in names.items()},
        resolved=json.loads(head.resolved),
        engine_version=head.engine_version,
        saved_at=datetime.fromisoformat(head.created_at),
        undo=head.change if head.parent_id is not None else None,
        redo=redo.change if redo is not None else None,
    )


def _add_state(session: Session, sheet_id: int, parent_id: int | None, new: NewState) -> StateRow:
    for step, body in new.bodies.items():
        if session.get(StepRow, new.names[step]) is None:
            session.add(StepRow(name=new.names[step], body=body))
            session.flush()
    state = StateRow(
        sheet_id=sheet_id,
        parent_id=parent_id,
        redo_id=None,
        change=new.change,
        resolved=json.dumps(new.resolved, sort_keys=True),
        engine_version=new.engine_version,
        created_at=_now(),
        **new.names,
    )
    session.add(state)
    session.flush()
    return state


class Sheets:
    """All sheets of a data folder."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine

    def close(self) -> None:
        """Close every connection."""
        self._engine.dispose()

    def add(self, new: NewSheet, state: NewState) -> Sheet:
        """Add a sheet with its first state."""
        with transaction(self._engine) as session:
            row = SheetRow(
                name=new.name,
                original=new.original,
                format_name=new.format_name,
                width=new.width,
                height=new.height,
                dots_per_inch=new.dots_per_inch,
                remarks=json.dumps(new.remarks),
                head_id=None,
                created_at=_now(),
            )
            session.add(row)
            session.flush()
            row.head_id = _add_state(session, row.id, None, state).id
            session.flush()
            return _to_sheet(session, row)

    def load(self, sheet_id: int) -> Sheet:
        """Return a sheet.

        Raises
        ------
        NotFoundError
            There is none of that number.
        """
        with Session(self._engine) as session:
            return _to_sheet(session, _require_sheet(session, sheet_id))

    def list_all(self) -> list[Sheet]:
        """Return all sheets, the newest first."""
        with Session(self._engine) as session:
            rows = session.scalars(select(SheetRow).order_by(SheetRow.id.desc()))
            return [_to_sheet(session, row) for row in rows]

    def find_same(self, original: str) -> str | None:
        """Return the name of a sheet with that original, if there is one."""
        with Session(self._engine) as session:
            found = select(SheetRow.name).where(SheetRow.original == original)
            return session.scalars(found.order_by(SheetRow.id)).first()

    def commit(self, sheet_id: int, seen_head: int, state: NewState) -> Sheet:
        """Add a state after the head that the change was made from.

        Raises
        ------
        StaleHeadError
            The head is another by now; nothing is changed.
        """
        with transaction(self._engine) as session:
            row = self._require_head(session, sheet_id, seen_head)
            added = _add_state(session, sheet_id, row.head_id, state)
            _require_state(session, row.head_id).redo_id = added.id
            row.head_id = added.id
            session.flush()
            return _to_sheet(session, row)

    def undo(self, sheet_id: int, seen_head: int) -> Sheet:
        """Go back to the head's parent; stays put at the first state."""
        with transaction(self._engine) as session:
            row = self._require_head(session, sheet_id, seen_head)
            head = _require_state(session, row.head_id)
            if head.parent_id is not None:
                _require_state(session, head.parent_id).redo_id = head.id
                row.head_id = head.parent_id
                session.flush()
            return _to_sheet(session, row)

    def redo(self, sheet_id: int, seen_head: int) -> Sheet:
        """Go to the state that was left last from here; stays put when there is none."""
        with transaction(self._engine) as session:
            row = self._require_head(session, sheet_id, seen_head)
            head = _require_state(session, row.head_id)
            if head.redo_id is not None:
                row.head_id = head.redo_id
                session.flush()
            return _to_sheet(session, row)

    @staticmethod
    def _require_head(session: Session, sheet_id: int, seen_head: int) -> SheetRow:
        row = _require_sheet(session, sheet_id)
        if row.head_id != seen_head:
            raise StaleHeadError(
                "This sheet was changed in another tab since this page was loaded.",
                hint="Nothing was lost: the page now shows the newest state. Do your change again.",
            )
        return row
