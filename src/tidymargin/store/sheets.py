"""Sheets and their history, as plain values; no query leaves this file."""

import json
import time
from collections.abc import Iterable
from dataclasses import replace
from datetime import datetime
from typing import TypeVar

from sqlalchemy import Engine, delete, select, union
from sqlalchemy.orm import Session

from tidymargin.core.base.errors import NotFoundError, StaleHeadError
from tidymargin.store.database import told, transaction
from tidymargin.store.histories import go_back, go_forward, go_on, go_to, require_state
from tidymargin.store.loading import (
    add_state,
    in_batches,
    load_bodies,
    load_parts,
    names_of,
    now,
    to_sheet,
    to_sheets,
)
from tidymargin.store.models import (
    STEP_COLUMNS,
    DiscardRow,
    ExportRow,
    SheetRow,
    StateRow,
    StepRow,
    TrayJobRow,
    VersionRow,
)
from tidymargin.store.rows import list_parts
from tidymargin.store.values import NewSheet, NewState, Sheet, State, Version

T = TypeVar("T")


def _require_sheet(session: Session, sheet_id: int, *, binned: bool = False) -> SheetRow:
    row = session.get(SheetRow, sheet_id)
    if row is None:
        raise NotFoundError(
            f"There is no picture {sheet_id}.", hint="Go back to the trays and choose another."
        )
    if row.binned_at is not None and not binned:
        raise NotFoundError(
            f"“{row.name}” is in the bin.", hint="Take it out of the bin on the page of trays."
        )
    return row


class Sheets:
    """All sheets of a data folder."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine

    @property
    def engine(self) -> Engine:
        """The database that they are in."""
        return self._engine

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
                created_at=now(),
            )
            session.add(row)
            session.execute(delete(DiscardRow).where(DiscardRow.original == new.original))
            session.flush()
            row.head_id = add_state(session, row.id, None, state).id
            session.flush()
            return to_sheet(session, row)

    def load(self, sheet_id: int) -> Sheet:
        """Return a sheet.

        Raises
        ------
        NotFoundError
            There is none of that number.
        """
        with told(self._engine) as session:
            return to_sheet(session, _require_sheet(session, sheet_id))

    def load_seen(self, sheet_id: int, seen_head: int) -> Sheet:
        """Return a sheet whose present state still is the one that was seen.

        Raises
        ------
        StaleHeadError
            It has gone on.
        """
        with told(self._engine) as session:
            return to_sheet(session, self._require_head(session, sheet_id, seen_head))

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
            return to_sheets(session, list(session.execute(chosen)))

    def list_states(self, sheet_id: int) -> list[State]:
        """Return all states of a sheet's history, in the bin or not, the first one first."""
        with told(self._engine) as session:
            _require_sheet(session, sheet_id, binned=True)
            chosen = select(StateRow).where(StateRow.sheet_id == sheet_id).order_by(StateRow.id)
            rows = list(session.scalars(chosen))
            loaded = load_bodies(session, rows)
            return [
                State(
                    row.id,
                    row.parent_id,
                    row.redo_id,
                    row.change,
                    names_of(row),
                    bodies,
                    parts,
                    json.loads(row.resolved),
                    row.engine_version,
                    datetime.fromisoformat(row.created_at),
                )
                for row, bodies, parts in zip(
                    rows, loaded, load_parts(session, loaded), strict=True
                )
            ]

    def load_at(self, sheet: Sheet, state_id: int) -> Sheet:
        """Return a sheet as it was at one of its states, which stays what it is.

        Raises
        ------
        NotFoundError
            It has none of that number.
        """
        with told(self._engine) as session:
            state = require_state(session, StateRow, state_id)
            if state.sheet_id != sheet.id:
                raise NotFoundError("This state is not in the history.")
            (bodies,) = loaded = load_bodies(session, [state])
            (parts,) = load_parts(session, loaded)
            return replace(
                sheet,
                head=state.id,
                names=names_of(state),
                bodies=bodies,
                parts=parts,
                resolved=json.loads(state.resolved),
                engine_version=state.engine_version,
            )

    def keep_version(self, sheet_id: int, seen_head: int, name: str) -> Sheet:
        """Keep a sheet's present state under a name, if that is the one that was looked at.

        Raises
        ------
        StaleHeadError
            The head is another by now; no name is given.
        """
        with transaction(self._engine) as session:
            row = self._require_head(session, sheet_id, seen_head)
            session.add(VersionRow(state_id=seen_head, name=name, created_at=now()))
            return to_sheet(session, row)

    def list_versions(self, sheet_id: int) -> list[Version]:
        """Return the states of a sheet that are kept under a name, the newest first."""
        chosen = select(VersionRow).join(StateRow, StateRow.id == VersionRow.state_id)
        chosen = chosen.where(StateRow.sheet_id == sheet_id).order_by(VersionRow.id.desc())
        with told(self._engine) as session:
            return [
                Version(row.id, row.state_id, row.name, datetime.fromisoformat(row.created_at))
                for row in session.scalars(chosen)
            ]

    def forget_version(self, sheet_id: int, version_id: int) -> Sheet:
        """Take the name off a state of a sheet, which stays in the history.

        Raises
        ------
        NotFoundError
            The sheet has no such version.
        """
        with transaction(self._engine) as session:
            row = _require_sheet(session, sheet_id)
            found = session.get(VersionRow, version_id)
            state = None if found is None else session.get(StateRow, found.state_id)
            if found is None or state is None or state.sheet_id != sheet_id:
                raise NotFoundError("This version is not there any more.")
            session.delete(found)
            return to_sheet(session, row)

    def rename(self, sheet_id: int, name: str) -> Sheet:
        """Give a sheet another name; no part of its history."""
        with transaction(self._engine) as session:
            row = _require_sheet(session, sheet_id)
            row.name = name
            session.flush()
            return to_sheet(session, row)

    def bin(self, sheet_id: int) -> Sheet:
        """Put a sheet into the bin; nothing of it is lost."""
        with transaction(self._engine) as session:
            row = _require_sheet(session, sheet_id, binned=True)
            row.binned_at = row.binned_at or now()
            session.flush()
            return to_sheet(session, row)

    def take_out(self, sheet_id: int) -> Sheet:
        """Take a sheet out of the bin."""
        with transaction(self._engine) as session:
            row = _require_sheet(session, sheet_id, binned=True)
            row.binned_at = None
            session.flush()
            return to_sheet(session, row)

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
            states = select(StateRow.id).where(StateRow.sheet_id.in_(ids))
            session.execute(delete(VersionRow).where(VersionRow.state_id.in_(states)))
            session.execute(delete(ExportRow).where(ExportRow.sheet_id.in_(ids)))
            session.execute(delete(TrayJobRow).where(TrayJobRow.sheet_id.in_(ids)))
            session.execute(delete(StateRow).where(StateRow.sheet_id.in_(ids)))
            session.execute(delete(SheetRow).where(SheetRow.id.in_(ids)))
            self._delete_unused_steps(session)
            kept = set(session.scalars(select(SheetRow.original)))
            gone = sorted(originals - kept)
            for name in gone:
                session.merge(DiscardRow(original=name, wished_at=time.time()))
            return gone

    @staticmethod
    def _delete_unused_steps(session: Session) -> None:
        """Delete the steps that no state has any more, and what only those named."""
        states = union(*(select(getattr(StateRow, step)) for step in STEP_COLUMNS))
        used = set(session.scalars(states))
        naming = select(StepRow.body).where(StepRow.name.in_(select(StateRow.by_hand)))
        used.update(list_parts(session.scalars(naming)))
        gone = set(session.scalars(select(StepRow.name))) - used
        for names in in_batches(sorted(gone)):
            session.execute(delete(StepRow).where(StepRow.name.in_(names)))

    def list_discards(self) -> dict[str, float]:
        """Return the originals that are still to be deleted, with when that was wished, in seconds since 1970."""
        with told(self._engine) as session:
            return {row.original: row.wished_at for row in session.scalars(select(DiscardRow))}

    def forget_discards(self, names: Iterable[str]) -> None:
        """Note that originals are deleted."""
        with transaction(self._engine) as session:
            for some in in_batches(names):
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
            go_on(session, row, add_state(session, sheet_id, row.head_id, state))
            return to_sheet(session, row)

    def undo(self, sheet_id: int, seen_head: int) -> Sheet:
        """Go back to the head's parent; stays put at the first state."""
        with transaction(self._engine) as session:
            row = self._require_head(session, sheet_id, seen_head)
            go_back(session, row, StateRow)
            return to_sheet(session, row)

    def redo(self, sheet_id: int, seen_head: int) -> Sheet:
        """Go to the state that was left last from here; stays put when there is none."""
        with transaction(self._engine) as session:
            row = self._require_head(session, sheet_id, seen_head)
            go_forward(session, row, StateRow)
            return to_sheet(session, row)

    def visit(self, sheet_id: int, seen_head: int, state_id: int) -> Sheet:
        """Go to any state of the history; redoing from its forerunners then leads back to it."""
        with transaction(self._engine) as session:
            row = self._require_head(session, sheet_id, seen_head)
            there = require_state(session, StateRow, state_id)
            if there.sheet_id != sheet_id:
                raise NotFoundError("This state is not in the history.")
            go_to(session, row, there)
            return to_sheet(session, row)

    @staticmethod
    def _require_head(session: Session, sheet_id: int, seen_head: int) -> SheetRow:
        row = _require_sheet(session, sheet_id)
        if row.head_id != seen_head:
            raise StaleHeadError(
                "This picture was changed in another tab since this page was loaded.",
                hint="Nothing was lost: the page now shows the newest state. Do your change again.",
            )
        return row
