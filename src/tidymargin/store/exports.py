"""What was exported of sheets, and settings of exports that are kept under names."""

from datetime import datetime

from sqlalchemy import Engine, delete, select

from tidymargin.core.base.errors import NotFoundError
from tidymargin.store.database import told, transaction
from tidymargin.store.loading import now
from tidymargin.store.models import ExportRow, KeptExportRow
from tidymargin.store.values import KeptExport, MadeExport, Sheet

_KEPT = 20  # of each sheet


class Exports:
    """All exports of a data folder."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine

    def note(self, sheet: Sheet, files: str) -> None:
        """Note that a sheet was exported as it is; `files` say as JSON what was read back. The oldest are forgotten."""
        with transaction(self._engine) as session:
            session.add(ExportRow(sheet_id=sheet.id, state_id=sheet.head, files=files, created_at=now()))  # fmt: skip
            session.flush()
            own = select(ExportRow.id).where(ExportRow.sheet_id == sheet.id)
            old = list(session.scalars(own.order_by(ExportRow.id.desc()).offset(_KEPT)))
            session.execute(delete(ExportRow).where(ExportRow.id.in_(old)))

    def list_of(self, sheet_id: int, most: int = _KEPT) -> list[MadeExport]:
        """Return the exports of a sheet, the newest first."""
        with told(self._engine) as session:
            chosen = select(ExportRow).where(ExportRow.sheet_id == sheet_id)
            rows = session.scalars(chosen.order_by(ExportRow.id.desc()).limit(most))
            return [_to_made(row) for row in rows]

    def load(self, sheet_id: int, export_id: int) -> MadeExport:
        """Return one export of a sheet.

        Raises
        ------
        NotFoundError
            It has none of that number.
        """
        with told(self._engine) as session:
            row = session.get(ExportRow, export_id)
            if row is None or row.sheet_id != sheet_id:
                raise NotFoundError("There is no such export of this picture.", hint="Export it anew.")  # fmt: skip
            return _to_made(row)

    def keep(self, name: str, body: str) -> None:
        """Keep settings under a name, in place of what was kept under it."""
        with transaction(self._engine) as session:
            session.execute(delete(KeptExportRow).where(KeptExportRow.name == name))
            session.add(KeptExportRow(name=name, body=body, created_at=now()))

    def list_kept(self) -> list[KeptExport]:
        """Return the settings that are kept, by their names."""
        with told(self._engine) as session:
            rows = session.scalars(select(KeptExportRow).order_by(KeptExportRow.name))
            return [KeptExport(row.id, row.name, row.body) for row in rows]

    def load_kept(self, kept_id: int) -> KeptExport:
        """Return settings that are kept.

        Raises
        ------
        NotFoundError
            There are none of that number.
        """
        with told(self._engine) as session:
            row = session.get(KeptExportRow, kept_id)
            if row is None:
                raise NotFoundError("These settings are not kept any more.", hint="Choose others.")
            return KeptExport(row.id, row.name, row.body)

    def forget_kept(self, kept_id: int) -> None:
        """Keep settings no more."""
        with transaction(self._engine) as session:
            session.execute(delete(KeptExportRow).where(KeptExportRow.id == kept_id))


def _to_made(row: ExportRow) -> MadeExport:
    made_at = datetime.fromisoformat(row.created_at)
    return MadeExport(row.id, row.sheet_id, row.state_id, row.files, made_at)
