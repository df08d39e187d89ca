"""Sheets and their history, as plain values; no query leaves this file."""

import json
import time
from collections.abc import Iterable, Iterator
from dataclasses import replace
from datetime import UTC, datetime
from typing import Any, TypeVar

from sqlalchemy import Engine, delete, func, select, union
from sqlalchemy.orm import Session

from tidymargin.core.base.errors import NotFoundError, StaleHeadError
from tidymargin.store.database import told, transaction
from tidymargin.store.models import STEP_COLUMNS, DiscardRow, SheetRow, StateRow, StepRow
from tidymargin.store.values import Bodies, NewSheet, NewState, Sheet, State

T = TypeVar("T")

_MOST_NAMED = 5000  # things that one query names; SQLite allows 32 766


def _now() -> str:
    return datetime.now(UTC).isoformat(timespec="seconds")


def _require_sheet(session: Session, sheet_id: int, *, binned: bool = False) -> SheetRow:
    row = session.get(SheetRow, sheet_id)
    if row is None:
        raise NotFoundError(
            f"There is no sheet {sheet_id}.", hint="Go back to the trays and choose another."
        )
    if row.binned_at is not None and not binned:
        raise NotFoundError(
            f"“{row.name}” is in the bin.", hint="Take it out of the bin on the page of trays."
        )
    return row


def _require_state(session: Session, state_id: int | None) -> StateRow:
    row = session.get(StateRow, state_id) if state_id is not None else None
    if row is None:
        raise NotFoundError("This state is not in the sheet’s history.")
    return row


def _in_batches(wanted: Iterable[T]) -> Iterator[list[T]]:
    """Yield what is wanted in lists that one query may name; in order, so that plans are the same each time."""
    left = list(dict.fromkeys(wanted))
    for first in range(0, len(left), _MOST_NAMED):
        yield left[first : first + _MOST_NAMED]


def _names_of(state: Any) -> dict[str, str]:
    """Return the hash that each step of a state is stored under."""
    return {step: getattr(state, step) for step in STEP_COLUMNS}


def _load_bodies(session: Session, states: list[Any]) -> list[Bodies]:
    """Return the steps of each state; what states agree on is read once."""
    by_name: dict[str, str] = {}
    for names in _in_batches(getattr(state, step) for state in states for step in STEP_COLUMNS):
        found = session.execute(select(StepRow.name, StepRow.body).where(StepRow.name.in_(names)))
        by_name.update((name, body) for name, body in found)
    return [{step: by_name[getattr(state, step)] for step in STEP_COLUMNS} for state in states]


def _load_states(session: Session, ids: Iterable[int | None]) -> dict[int, Any]:
    """Return states by their number, as plain rows, which cost far less than objects; None is left out."""
    found: dict[int, Any] = {}
    for wanted in _in_batches(state_id for state_id in ids if state_id is not None):
        rows = session.execute(select(*StateRow.__table__.c).where(StateRow.id.in_(wanted)))
        found.update((row.id, row) for row in rows)
    return found


def _to_sheets(session: Session, rows: list[Any]) -> list[Sheet]:
    """Return sheets, given as rows or objects, at their heads, with as many queries for all as for one."""
    by_id = _load_states(session, (row.head_id for row in rows))
    heads = [by_id[row.head_id] for row in rows if row.head_id is not None]
    redos = _load_states(session, (head.redo_id for head in heads))
    return [
        Sheet(
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
            names=_names_of(head),
            bodies=bodies,
            resolved=json.loads(head.resolved),
            engine_version=head.engine_version,
            saved_at=datetime.fromisoformat(head.created_at),
            undo=head.change if head.parent_id is not None else None,
            redo=redos[head.redo_id].change if head.redo_id is not None else None,
        )
        for row, head, bodies in zip(rows, heads, _load_bodies(session, heads), strict=True)
    ]


def _to_sheet(session: Session, row: SheetRow) -> Sheet:
    return _to_sheets(session, [row])[0]


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
            session.execute(delete(DiscardRow).where(DiscardRow.original == new.original))
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
        with told(self._engine) as session:
            return _to_sheet(session, _require_sheet(session, sheet_id))

    def count_all(self) -> int:
        """Return how many sheets are not in the bin."""
        with told(self._engine) as session:
            wanted = select(func.count()).where(SheetRow.binned_at.is_(None))
            return session.scalar(wanted) or 0

    def list_all(self, most: int | None = None) -> list[Sheet]:
        """Return the sheets that are not in the bin, the newest first, all or so many at most."""
        return self._list(in_bin=False, most=most)

    def list_binned(self) -> list[Sheet]:
        """Return the sheets in the bin, the newest first."""
        return self._list(in_bin=True)

    def _list(self, *, in_bin: bool, most: int | None = None) -> list[Sheet]:
        wanted = SheetRow.binned_at.is_not(None) if in_bin else SheetRow.binned_at.is_(None)
        with told(self._engine) as session:
            chosen = select(*SheetRow.__table__.c).where(wanted).order_by(SheetRow.id.desc())
            chosen = chosen.limit(most)
            return _to_sheets(session, list(session.execute(chosen)))

    def list_states(self, sheet_id: int) -> list[State]:
        """Return all states of a sheet's history, in the bin or not, the first one first."""
        with told(self._engine) as session:
            _require_sheet(session, sheet_id, binned=True)
            chosen = select(StateRow).where(StateRow.sheet_id == sheet_id).order_by(StateRow.id)
            rows = list(session.scalars(chosen))
            return [
                State(
                    row.id,
                    row.parent_id,
                    row.redo_id,
                    row.change,
                    _names_of(row),
                    bodies,
                    json.loads(row.resolved),
                    row.engine_version,
                    datetime.fromisoformat(row.created_at),
                )
                for row, bodies in zip(rows, _load_bodies(session, rows), strict=True)
            ]

    def load_at(self, sheet: Sheet, state_id: int) -> Sheet:
        """Return a sheet as it was at one of its states, which stays what it is.

        Raises
        ------
        NotFoundError
            It has none of that number.
        """
        with told(self._engine) as session:
            state = _require_state(session, state_id)
            if state.sheet_id != sheet.id:
                raise NotFoundError("This state is not in the sheet’s history.")
            (bodies,) = _load_bodies(session, [state])
            return replace(
                sheet,
                head=state.id,
                names=_names_of(state),
                bodies=bodies,
                resolved=json.loads(state.resolved),
                engine_version=state.engine_version,
            )

    def rename(self, sheet_id: int, name: str) -> Sheet:
        """Give a sheet another name; no part of its history."""
        with transaction(self._engine) as session:
            row = _require_sheet(session, sheet_id)
            row.name = name
            session.flush()
            return _to_sheet(session, row)

    def bin(self, sheet_id: int) -> Sheet:
        """Put a sheet into the bin; nothing of it is lost."""
        with transaction(self._engine) as session:
            row = _require_sheet(session, sheet_id, binned=True)
            row.binned_at = row.binned_at or _now()
            session.flush()
            return _to_sheet(session, row)

    def take_out(self, sheet_id: int) -> Sheet:
        """Take a sheet out of the bin."""
        with transaction(self._engine) as session:
            row = _require_sheet(session, sheet_id, binned=True)
            row.binned_at = None
            session.flush()
            return _to_sheet(session, row)

    def empty_bin(self) -> list[str]:
        """Delete the sheets in the bin with their history; return the originals nobody needs any more.

        Steps that no other state has go too. That the originals are to be deleted stays known until
        `forget_discards` is told that they are.
        """
        with transaction(self._engine) as session:
            binned = list(session.scalars(select(SheetRow).where(SheetRow.binned_at.is_not(None))))
            ids = [row.id for row in binned]
            originals = {row.original for row in binned}
            for row in binned:
                row.head_id = None
            session.flush()
            session.execute(delete(StateRow).where(StateRow.sheet_id.in_(ids)))
            session.execute(delete(SheetRow).where(SheetRow.id.in_(ids)))
            used = union(*(select(getattr(StateRow, step)) for step in STEP_COLUMNS))
            session.execute(delete(StepRow).where(StepRow.name.not_in(used)))
            kept = set(session.scalars(select(SheetRow.original)))
            gone = sorted(originals - kept)
            for name in gone:
                session.merge(DiscardRow(original=name, wished_at=time.time()))
            return gone

    def list_discards(self) -> dict[str, float]:
        """Return the originals that are still to be deleted, with when that was wished, in seconds since 1970."""
        with told(self._engine) as session:
            return {row.original: row.wished_at for row in session.scalars(select(DiscardRow))}

    def forget_discards(self, names: Iterable[str]) -> None:
        """Note that originals are deleted."""
        with transaction(self._engine) as session:
            for some in _in_batches(names):
                session.execute(delete(DiscardRow).where(DiscardRow.original.in_(some)))

    def list_originals(self) -> set[str]:
        """Return the originals that sheets name, those in the bin included."""
        with told(self._engine) as session:
            return set(session.scalars(select(SheetRow.original)))

    def list_binned_originals(self) -> set[str]:
        """Return the originals that only sheets in the bin name."""
        with told(self._engine) as session:
            kept = select(SheetRow.original).where(SheetRow.binned_at.is_(None))
            binned = select(SheetRow.original).where(SheetRow.binned_at.is_not(None))
            return set(session.scalars(binned.where(SheetRow.original.not_in(kept))))

    def find_same(self, original: str) -> str | None:
        """Return the name of a sheet with that original, if there is one."""
        with told(self._engine) as session:
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

    def visit(self, sheet_id: int, seen_head: int, state_id: int) -> Sheet:
        """Go to any state of the history; redoing from its forerunners then leads back to it."""
        with transaction(self._engine) as session:
            row = self._require_head(session, sheet_id, seen_head)
            there = _require_state(session, state_id)
            if there.sheet_id != sheet_id:
                raise NotFoundError("This state is not in the sheet’s history.")
            row.head_id = there.id
            while there.parent_id is not None:
                before = _require_state(session, there.parent_id)
                before.redo_id = there.id
                there = before
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
