"""Tables: sheets, the steps of their recipes stored once under their hash, and the history of states."""

from sqlalchemy import ForeignKey, Index, MetaData, String, Text
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

STEP_COLUMNS = ("ground", "reach", "by_hand", "rim", "colour", "proof", "export")
"""The columns of a state that name its steps."""


class Base(DeclarativeBase):
    """Names every constraint, so that later migrations can find it."""

    metadata = MetaData(
        naming_convention={
            "ix": "ix_%(column_0_label)s",
            "fk": "fk_%(table_name)s_%(column_0_name)s",
            "pk": "pk_%(table_name)s",
        }
    )


class SheetRow(Base):
    """One picture brought in."""

    __tablename__ = "sheet"
    __table_args__ = ({"sqlite_autoincrement": True},)  # or a deleted one's number is given again

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    name: Mapped[str] = mapped_column(String(200))
    original: Mapped[str] = mapped_column(String(64), index=True)
    format_name: Mapped[str] = mapped_column(String(16))
    width: Mapped[int]
    height: Mapped[int]
    dots_per_inch: Mapped[float | None]
    remarks: Mapped[str] = mapped_column(Text)
    head_id: Mapped[int | None] = mapped_column(
        ForeignKey("state.id", use_alter=True, name="fk_sheet_head_id")
    )
    created_at: Mapped[str] = mapped_column(String(32))
    binned_at: Mapped[str | None] = mapped_column(String(32))
    tray_id: Mapped[int | None]
    tray_state_id: Mapped[int | None]


class StepRow(Base):
    """One step of a recipe as canonical JSON, shared by all states that agree on it."""

    __tablename__ = "step"

    name: Mapped[str] = mapped_column(String(64), primary_key=True)
    body: Mapped[str] = mapped_column(Text)


class StateRow(Base):
    """One state in a sheet's history: its parent, its seven steps and what made it."""

    __tablename__ = "state"
    __table_args__ = (Index("ix_state_sheet_id", "sheet_id"), {"sqlite_autoincrement": True})

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    sheet_id: Mapped[int] = mapped_column(ForeignKey("sheet.id"))
    parent_id: Mapped[int | None] = mapped_column(ForeignKey("state.id"))
    redo_id: Mapped[int | None] = mapped_column(ForeignKey("state.id"))
    ground: Mapped[str] = mapped_column(ForeignKey("step.name"))
    reach: Mapped[str] = mapped_column(ForeignKey("step.name"))
    by_hand: Mapped[str] = mapped_column(ForeignKey("step.name"))
    rim: Mapped[str] = mapped_column(ForeignKey("step.name"))
    colour: Mapped[str] = mapped_column(ForeignKey("step.name"))
    proof: Mapped[str] = mapped_column(ForeignKey("step.name"))
    export: Mapped[str] = mapped_column(ForeignKey("step.name"))
    change: Mapped[str] = mapped_column(String(40))
    resolved: Mapped[str] = mapped_column(Text)
    engine_version: Mapped[int]
    created_at: Mapped[str] = mapped_column(String(32))


class VersionRow(Base):
    """A state that a person kept under a name."""

    __tablename__ = "version"

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    state_id: Mapped[int] = mapped_column(ForeignKey("state.id"), index=True)
    name: Mapped[str] = mapped_column(String(80))
    created_at: Mapped[str] = mapped_column(String(32))


class DiscardRow(Base):
    """An original that a person wanted deleted, from then until it is: a kill in between forgets nothing."""

    __tablename__ = "discard"

    original: Mapped[str] = mapped_column(String(64), primary_key=True)
    wished_at: Mapped[float]


class TrayRow(Base):
    """A named set of sheets, and the state of what they share."""

    __tablename__ = "tray"
    __table_args__ = ({"sqlite_autoincrement": True},)

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    name: Mapped[str] = mapped_column(String(80))
    head_id: Mapped[int | None]
    created_at: Mapped[str] = mapped_column(String(32))


class TrayStateRow(Base):
    """One state of what a tray's sheets share, as the JSON of a recipe without places."""

    __tablename__ = "tray_state"
    __table_args__ = ({"sqlite_autoincrement": True},)

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    tray_id: Mapped[int] = mapped_column(ForeignKey("tray.id"), index=True)
    parent_id: Mapped[int | None]
    recipe: Mapped[str] = mapped_column(Text)
    change: Mapped[str] = mapped_column(String(40))
    created_at: Mapped[str] = mapped_column(String(32))


class TrayExportRow(Base):
    """One time that all of a tray is written."""

    __tablename__ = "tray_export"
    __table_args__ = ({"sqlite_autoincrement": True},)

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    tray_id: Mapped[int] = mapped_column(index=True)
    name: Mapped[str] = mapped_column(String(80))
    state: Mapped[str] = mapped_column(String(16))
    created_at: Mapped[str] = mapped_column(String(32))


class TrayJobRow(Base):
    """One sheet of a tray's export: all that is needed to write it, and what came of it."""

    __tablename__ = "tray_job"
    __table_args__ = ({"sqlite_autoincrement": True},)

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    export_id: Mapped[int] = mapped_column(ForeignKey("tray_export.id"), index=True)
    sheet_id: Mapped[int]
    stem: Mapped[str] = mapped_column(String(200))
    original: Mapped[str] = mapped_column(String(64))
    recipe: Mapped[str] = mapped_column(Text)
    engine_version: Mapped[int]
    state: Mapped[str] = mapped_column(String(16))
    said: Mapped[str] = mapped_column(Text)
    report: Mapped[str] = mapped_column(Text)
    token: Mapped[str] = mapped_column(String(32))


class ExportRow(Base):
    """One time that a sheet was exported: the state that it was made of, and as JSON what its files held."""

    __tablename__ = "export"

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    sheet_id: Mapped[int] = mapped_column(index=True)
    state_id: Mapped[int]
    files: Mapped[str] = mapped_column(Text)
    created_at: Mapped[str] = mapped_column(String(32))


class TakenFileRow(Base):
    """A file of the watched folder that was taken, by the hash of its content: it is never taken twice."""

    __tablename__ = "taken_file"

    content: Mapped[str] = mapped_column(String(64), primary_key=True)
    name: Mapped[str] = mapped_column(String(255))
    taken_at: Mapped[str] = mapped_column(String(32))


class KeptExportRow(Base):
    """Settings of step 7 that a person kept under a name, as JSON."""

    __tablename__ = "kept_export"

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    name: Mapped[str] = mapped_column(String(80), unique=True)
    body: Mapped[str] = mapped_column(Text)
    created_at: Mapped[str] = mapped_column(String(32))


class SceneRow(Base):
    """Cuts arranged on a base."""

    __tablename__ = "scene"
    __table_args__ = ({"sqlite_autoincrement": True},)

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    name: Mapped[str] = mapped_column(String(200))
    head_id: Mapped[int | None]
    created_at: Mapped[str] = mapped_column(String(32))
    binned_at: Mapped[str | None] = mapped_column(String(32))


class SceneStateRow(Base):
    """One state in a scene's history, as JSON."""

    __tablename__ = "scene_state"
    __table_args__ = ({"sqlite_autoincrement": True},)

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    scene_id: Mapped[int] = mapped_column(ForeignKey("scene.id"), index=True)
    parent_id: Mapped[int | None] = mapped_column(ForeignKey("scene_state.id"))
    redo_id: Mapped[int | None] = mapped_column(ForeignKey("scene_state.id"))
    body: Mapped[str] = mapped_column(Text)
    change: Mapped[str] = mapped_column(String(40))
    created_at: Mapped[str] = mapped_column(String(32))


class SceneVersionRow(Base):
    """A state of a scene that a person kept under a name."""

    __tablename__ = "scene_version"

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    state_id: Mapped[int] = mapped_column(ForeignKey("scene_state.id"), index=True)
    name: Mapped[str] = mapped_column(String(80))
    created_at: Mapped[str] = mapped_column(String(32))
