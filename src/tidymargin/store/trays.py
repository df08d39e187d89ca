"""Trays, what their sheets share, and exports of all of one, as plain values."""

import secrets
from collections.abc import Collection, Iterable
from datetime import datetime
from typing import Any

from sqlalchemy import Engine, delete, func, select, update
from sqlalchemy.orm import Session

from tidymargin.core.base.errors import NotFoundError, StaleHeadError
from tidymargin.store.database import told, transaction
from tidymargin.store.loading import in_batches, now, to_sheets
from tidymargin.store.models import (
    SheetRow,
    TakenFileRow,
    TrayExportRow,
    TrayJobRow,
    TrayRow,
    TrayStateRow,
)
from tidymargin.store.values import (
    ExportState,
    JobState,
    NewJob,
    Sheet,
    Tray,
    TrayExport,
    TrayJob,
)


def _require_tray(session: Session, tray_id: int) -> TrayRow:
    row = session.get(TrayRow, tray_id)
    if row is None:
        raise NotFoundError(f"There is no tray {tray_id}.", hint="Go back to the trays.")
    return row


def _to_tray(session: Session, row: TrayRow) -> Tray:
    head = session.get(TrayStateRow, row.head_id)
    assert head is not None
    return Tray(
        id=row.id,
        name=row.name,
        head=head.id,
        recipe=head.recipe,
        undo=head.change if head.parent_id is not None else None,
        created_at=datetime.fromisoformat(row.created_at),
    )


def _add_state(session: Session, tray: TrayRow, recipe: str, change: str) -> None:
    state = TrayStateRow(
        tray_id=tray.id, parent_id=tray.head_id, recipe=recipe, change=change, created_at=now()
    )
    session.add(state)
    session.flush()
    tray.head_id = state.id


class Trays:
    """All trays of a data folder."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine

    def add(self, name: str, recipe: str) -> Tray:
        """Add an empty tray whose sheets will share a recipe, given as JSON."""
        with transaction(self._engine) as session:
            row = TrayRow(name=name, head_id=None, created_at=now())
            session.add(row)
            session.flush()
            _add_state(session, row, recipe, "begun")
            session.flush()
            return _to_tray(session, row)

    def load(self, tray_id: int) -> Tray:
        """Return a tray.

        Raises
        ------
        NotFoundError
            There is none of that number.
        """
        with told(self._engine) as session:
            return _to_tray(session, _require_tray(session, tray_id))

    def list_all(self) -> list[Tray]:
        """Return every tray, the newest first."""
        with told(self._engine) as session:
            rows = session.scalars(select(TrayRow).order_by(TrayRow.id.desc()))
            return [_to_tray(session, row) for row in rows]

    def rename(self, tray_id: int, name: str) -> None:
        """Give a tray another name."""
        with transaction(self._engine) as session:
            _require_tray(session, tray_id).name = name

    def take_apart(self, tray_id: int) -> None:
        """Let a tray be no more; its sheets stay as they are, and so does what was written of it."""
        with transaction(self._engine) as session:
            row = _require_tray(session, tray_id)
            own = update(SheetRow).where(SheetRow.tray_id == tray_id)
            session.execute(own.values(tray_id=None, tray_state_id=None))
            session.execute(delete(TrayStateRow).where(TrayStateRow.tray_id == tray_id))
            session.delete(row)

    def commit(self, tray_id: int, seen_head: int, recipe: str, change: str) -> Tray:
        """Let a tray's sheets share another recipe.

        Raises
        ------
        StaleHeadError
            What they share is another by now; nothing is changed.
        """
        with transaction(self._engine) as session:
            row = self._require_head(session, tray_id, seen_head)
            _add_state(session, row, recipe, change)
            session.flush()
            return _to_tray(session, row)

    def undo(self, tray_id: int, seen_head: int) -> Tray:
        """Let a tray's sheets share again what they shared before; stays put at the first state."""
        with transaction(self._engine) as session:
            row = self._require_head(session, tray_id, seen_head)
            head = session.get(TrayStateRow, row.head_id)
            if head is not None and head.parent_id is not None:
                row.head_id = head.parent_id
                session.flush()
            return _to_tray(session, row)

    @staticmethod
    def _require_head(session: Session, tray_id: int, seen_head: int) -> TrayRow:
        row = _require_tray(session, tray_id)
        if row.head_id != seen_head:
            raise StaleHeadError(
                "This tray was changed in another tab since this page was loaded.",
                hint="Nothing was lost. Reload the page and do your change again.",
            )
        return row

    def load_recipe(self, state_id: int | None) -> str | None:
        """Return what was shared at one of the states; None where there is none of that number."""
        with told(self._engine) as session:
            row = None if state_id is None else session.get(TrayStateRow, state_id)
            return None if row is None else row.recipe

    def put_in(self, tray_id: int | None, sheet_ids: Iterable[int]) -> None:
        """Put sheets into a tray, or with None into none; what they have not got of what it shares, follows."""
        with transaction(self._engine) as session:
            if tray_id is not None:
                _require_tray(session, tray_id)
            for ids in in_batches(sheet_ids):
                chosen = update(SheetRow).where(
                    SheetRow.id.in_(ids), SheetRow.tray_id.is_distinct_from(tray_id)
                )
                session.execute(chosen.values(tray_id=tray_id, tray_state_id=None))

    def note_followed(self, sheet_id: int, state_id: int) -> None:
        """Note that a sheet has what its tray shares at a state."""
        with transaction(self._engine) as session:
            chosen = update(SheetRow).where(SheetRow.id == sheet_id)
            session.execute(chosen.values(tray_state_id=state_id))

    def list_sheets(self, tray_id: int | None, most: int | None = None) -> list[Sheet]:
        """Return the sheets of a tray, or with None of no tray, that are not in the bin, the newest first."""
        with told(self._engine) as session:
            chosen = select(*SheetRow.__table__.c).where(
                SheetRow.tray_id.is_not_distinct_from(tray_id), SheetRow.binned_at.is_(None)
            )
            rows = session.execute(chosen.order_by(SheetRow.id.desc()).limit(most))
            return to_sheets(session, list(rows))

    def count_sheets(self, tray_id: int | None) -> int:
        """Return how many sheets a tray has, or with None how many are in none."""
        with told(self._engine) as session:
            counted = select(func.count()).where(
                SheetRow.tray_id.is_not_distinct_from(tray_id), SheetRow.binned_at.is_(None)
            )
            return session.scalar(counted) or 0

    def list_behind(self, tray: Tray) -> list[Sheet]:
        """Return the sheets that have not got yet what their tray shares, the oldest first."""
        with told(self._engine) as session:
            chosen = select(*SheetRow.__table__.c).where(
                SheetRow.tray_id == tray.id,
                SheetRow.binned_at.is_(None),
                SheetRow.tray_state_id.is_distinct_from(tray.head),
            )
            return to_sheets(session, list(session.execute(chosen.order_by(SheetRow.id))))

    def list_heads(self) -> list[tuple[int, int]]:
        """Return number and head of every sheet that lies in a tray and has what that shares, the newest first."""
        with told(self._engine) as session:
            chosen = select(SheetRow.id, SheetRow.head_id).join(
                TrayRow, TrayRow.id == SheetRow.tray_id
            )
            chosen = chosen.where(
                SheetRow.binned_at.is_(None), SheetRow.tray_state_id == TrayRow.head_id
            )
            rows = session.execute(chosen.order_by(SheetRow.id.desc()))
            return [(number, head) for number, head in rows if head is not None]

    def begin_export(self, tray: Tray, jobs: list[NewJob]) -> TrayExport:
        """Note that all of a tray is to be written."""
        with transaction(self._engine) as session:
            row = TrayExportRow(tray_id=tray.id, name=tray.name, state="working", created_at=now())
            session.add(row)
            session.flush()
            session.add_all(
                TrayJobRow(
                    export_id=row.id, sheet_id=job.sheet, stem=job.stem, original=job.original,
                    recipe=job.recipe, engine_version=job.engine_version, state="waiting", said="", report="",
                    token=secrets.token_hex(16),
                )
                for job in jobs
            )  # fmt: skip
            session.flush()
            return self._to_export(session, row)

    @staticmethod
    def _to_export(session: Session, row: TrayExportRow) -> TrayExport:
        chosen = select(TrayJobRow).where(TrayJobRow.export_id == row.id).order_by(TrayJobRow.id)
        jobs = tuple(_to_job(job) for job in session.scalars(chosen))
        made_at = datetime.fromisoformat(row.created_at)
        return TrayExport(row.id, row.tray_id, row.name, row.state, made_at, jobs)  # type: ignore[arg-type]

    def load_export(self, export_id: int) -> TrayExport:
        """Return an export of a tray.

        Raises
        ------
        NotFoundError
            There is none of that number.
        """
        with told(self._engine) as session:
            row = session.get(TrayExportRow, export_id)
            if row is None:
                raise NotFoundError(f"There is no export {export_id}.", hint="Begin a new one.")
            return self._to_export(session, row)

    def list_exports(self, tray_id: int | None = None, most: int | None = None) -> list[TrayExport]:
        """Return the exports of a tray, or of all, the newest first, so many at most."""
        with told(self._engine) as session:
            chosen = select(TrayExportRow).order_by(TrayExportRow.id.desc()).limit(most)
            if tray_id is not None:
                chosen = chosen.where(TrayExportRow.tray_id == tray_id)
            return [self._to_export(session, row) for row in session.scalars(chosen)]

    def list_loose_exports(self) -> list[TrayExport]:
        """Return the exports of trays that are no more, the newest first."""
        with told(self._engine) as session:
            chosen = select(TrayExportRow).where(TrayExportRow.tray_id.not_in(select(TrayRow.id)))
            rows = session.scalars(chosen.order_by(TrayExportRow.id.desc()))
            return [self._to_export(session, row) for row in rows]

    def list_working(self) -> list[TrayExport]:
        """Return the exports of which something is still to come, the newest first."""
        to_come = select(TrayJobRow.export_id).where(TrayJobRow.state.in_(("waiting", "begun")))
        with told(self._engine) as session:
            chosen = select(TrayExportRow).where(
                TrayExportRow.state == "working", TrayExportRow.id.in_(to_come)
            )
            rows = session.scalars(chosen.order_by(TrayExportRow.id.desc()))
            return [self._to_export(session, row) for row in rows]

    def find_waiting(self, others: Collection[int]) -> TrayJob | None:
        """Return the next job that is to be done, but for some that are being done already; None where there is none."""
        with told(self._engine) as session:
            chosen = select(TrayJobRow).join(
                TrayExportRow, TrayJobRow.export_id == TrayExportRow.id
            )
            chosen = chosen.where(
                TrayExportRow.state == "working",
                TrayJobRow.state.in_(("waiting", "begun")),
                TrayJobRow.id.not_in(others),
            )
            row = session.scalars(
                chosen.order_by(TrayExportRow.id.desc(), TrayJobRow.id).limit(1)
            ).first()
            return None if row is None else _to_job(row)

    def is_wanted(self, job: TrayJob) -> bool:
        """Whether what comes of a job is still waited for."""
        with told(self._engine) as session:
            row = session.get(TrayJobRow, job.id)
            export = session.get(TrayExportRow, job.export)
            is_working = export is not None and export.state == "working"
            return row is not None and row.token == job.token and is_working

    def set_export(self, export_id: int, state: ExportState) -> None:
        """Pause an export, let it go on, or stop it."""
        with transaction(self._engine) as session:
            chosen = update(TrayExportRow).where(TrayExportRow.id == export_id)
            session.execute(chosen.values(state=state))

    def forget_export(self, export_id: int) -> None:
        """Forget an export; its files are the caller's to delete."""
        with transaction(self._engine) as session:
            session.execute(delete(TrayJobRow).where(TrayJobRow.export_id == export_id))
            session.execute(delete(TrayExportRow).where(TrayExportRow.id == export_id))

    def load_job(self, job_id: int) -> TrayJob:
        """Return one job.

        Raises
        ------
        NotFoundError
            There is none of that number.
        """
        with told(self._engine) as session:
            row = session.get(TrayJobRow, job_id)
            if row is None:
                raise NotFoundError(f"There is no job {job_id}.")
            return _to_job(row)

    def set_job(
        self, job_id: int, state: JobState, *, said: str = "", report: str | None = None
    ) -> bool:
        """Note what came of a job; False where it was done before, which stays.

        The report of an earlier time stays until there is another: by it the files keep their names.
        """
        values = {"state": state, "said": said} | ({} if report is None else {"report": report})
        with transaction(self._engine) as session:
            chosen = update(TrayJobRow).where(TrayJobRow.id == job_id, TrayJobRow.state != "done")
            done = session.execute(chosen.values(values))
            return bool(done.rowcount)  # type: ignore[attr-defined]

    def note_damaged(self, job_id: int, said: str) -> None:
        """Note that what a job wrote was damaged since."""
        with transaction(self._engine) as session:
            chosen = update(TrayJobRow).where(TrayJobRow.id == job_id)
            session.execute(chosen.values(state="failed", said=said))

    def do_again(self, export_id: int, job_ids: Iterable[int], engine_version: int) -> None:
        """Let jobs of an export wait again, to be done by an engine; no answer to what they were before counts."""
        with transaction(self._engine) as session:
            rows = session.scalars(select(TrayJobRow).where(TrayJobRow.export_id == export_id))
            wanted = set(job_ids)
            for row in rows:
                if row.id in wanted:
                    row.state, row.said, row.token = "waiting", "", secrets.token_hex(16)
                    row.engine_version = engine_version
            export = session.get(TrayExportRow, export_id)
            if export is not None:
                export.state = "working"

    def list_jobs(self) -> dict[int, set[int]]:
        """Return the numbers of all jobs, by the export that they are of."""
        with told(self._engine) as session:
            found: dict[int, set[int]] = {
                number: set() for number in session.scalars(select(TrayExportRow.id))
            }
            for export, number in session.execute(select(TrayJobRow.export_id, TrayJobRow.id)):
                found[export].add(number)
            return found

    def forget_empty_exports(self) -> None:
        """Forget the exports of which every sheet was deleted."""
        with transaction(self._engine) as session:
            left = select(TrayJobRow.export_id)
            session.execute(delete(TrayExportRow).where(TrayExportRow.id.not_in(left)))

    def has_taken(self, content: str) -> bool:
        """Whether a file of this content was taken out of the watched folder before."""
        with told(self._engine) as session:
            return session.get(TakenFileRow, content) is not None

    def note_taken(self, content: str, name: str) -> None:
        """Note that a file of the watched folder was taken."""
        with transaction(self._engine) as session:
            session.merge(TakenFileRow(content=content, name=name, taken_at=now()))


def _to_job(row: Any) -> TrayJob:
    return TrayJob(
        row.id, row.export_id, row.sheet_id, row.stem, row.original, row.recipe,
        row.engine_version, row.state, row.said, row.report, row.token,
    )  # fmt: skip
