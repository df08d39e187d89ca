"""Rows of the database as plain values: sheets at their heads, states with what their steps name."""

import json
from collections.abc import Iterable, Iterator
from datetime import UTC, datetime
from typing import Any, TypeVar

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidymargin.store.models import STEP_COLUMNS, SheetRow, StateRow, StepRow
from tidymargin.store.rows import list_parts
from tidymargin.store.values import Bodies, NewState, Sheet

T = TypeVar("T")

_MOST_REMEMBERED = 8192
_parts: dict[str, str] = {}
"""Bodies by their hash, so that they are the same in every database."""

_MOST_NAMED = 5000  # things that one query names; SQLite allows 32 766


def now() -> str:
    """Return the time as rows have it."""
    return datetime.now(UTC).isoformat(timespec="seconds")


def in_batches(wanted: Iterable[T]) -> Iterator[list[T]]:
    """Yield what is wanted in lists that one query may name; in order, so that plans are the same each time."""
    left = list(dict.fromkeys(wanted))
    for first in range(0, len(left), _MOST_NAMED):
        yield left[first : first + _MOST_NAMED]


def names_of(state: Any) -> dict[str, str]:
    """Return the hash that each step of a state is stored under."""
    return {step: getattr(state, step) for step in STEP_COLUMNS}


def load_bodies(session: Session, states: list[Any]) -> list[Bodies]:
    """Return the steps of each state; what states agree on is read once."""
    by_name: dict[str, str] = {}
    for names in in_batches(getattr(state, step) for state in states for step in STEP_COLUMNS):
        found = session.execute(select(StepRow.name, StepRow.body).where(StepRow.name.in_(names)))
        by_name.update((name, body) for name, body in found)
    return [{step: by_name[getattr(state, step)] for step in STEP_COLUMNS} for state in states]


def load_parts(session: Session, bodies: list[Bodies]) -> list[dict[str, str]]:
    """Return what each state's steps name, by its hash; what was read before is remembered."""
    named = [list_parts(each.values()) for each in bodies]
    missing = [name for names in named for name in names if name not in _parts]
    for names in in_batches(missing):
        found = session.execute(select(StepRow.name, StepRow.body).where(StepRow.name.in_(names)))
        _parts.update((name, body) for name, body in found)
    there = [{name: _parts[name] for name in names if name in _parts} for names in named]
    if len(_parts) > _MOST_REMEMBERED:
        _parts.clear()
    return there


def load_states(session: Session, ids: Iterable[int | None]) -> dict[int, Any]:
    """Return states by their number, as plain rows, which cost far less than objects; None is left out."""
    found: dict[int, Any] = {}
    for wanted in in_batches(state_id for state_id in ids if state_id is not None):
        rows = session.execute(select(*StateRow.__table__.c).where(StateRow.id.in_(wanted)))
        found.update((row.id, row) for row in rows)
    return found


def to_sheets(session: Session, rows: list[Any]) -> list[Sheet]:
    """Return sheets, given as rows or objects, at their heads, with as many queries for all as for one."""
    by_id = load_states(session, (row.head_id for row in rows))
    heads = [by_id[row.head_id] for row in rows if row.head_id is not None]
    redos = load_states(session, (head.redo_id for head in heads))
    loaded = load_bodies(session, heads)
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
            names=names_of(head),
            bodies=bodies,
            parts=parts,
            resolved=json.loads(head.resolved),
            engine_version=head.engine_version,
            saved_at=datetime.fromisoformat(head.created_at),
            undo=head.change if head.parent_id is not None else None,
            redo=redos[head.redo_id].change if head.redo_id is not None else None,
            before=head.parent_id,
            tray=row.tray_id,
            tray_state=row.tray_state_id,
        )
        for row, head, bodies, parts in zip(
            rows, heads, loaded, load_parts(session, loaded), strict=True
        )
    ]


def to_sheet(session: Session, row: SheetRow) -> Sheet:
    """Return a sheet at its head."""
    return to_sheets(session, [row])[0]


def add_state(session: Session, sheet_id: int, parent_id: int | None, new: NewState) -> StateRow:
    """Add a state with the steps that no other has, and with what those name."""
    wanted = {new.names[step]: body for step, body in new.bodies.items()}
    there = set(session.scalars(select(StepRow.name).where(StepRow.name.in_(list(wanted)))))
    if not set(wanted) <= there:  # or all that its steps name is there as well
        wanted |= new.parts
        for names in in_batches(new.parts):
            there.update(session.scalars(select(StepRow.name).where(StepRow.name.in_(names))))
    session.add_all(
        StepRow(name=name, body=body) for name, body in wanted.items() if name not in there
    )
    session.flush()
    state = StateRow(
        sheet_id=sheet_id,
        parent_id=parent_id,
        redo_id=None,
        change=new.change,
        resolved=json.dumps(new.resolved, sort_keys=True),
        engine_version=new.engine_version,
        created_at=now(),
        **new.names,
    )
    session.add(state)
    session.flush()
    return state
