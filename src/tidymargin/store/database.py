"""Opening the database: SQLite in WAL mode, brought up to date by migrations."""

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, create_engine, event
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from tidymargin.core.errors import StorageFullError

_MIGRATIONS = Path(__file__).parent / "migrations"
_BUSY_MS = 10_000


def _set_pragmas(connection: Any, _record: Any) -> None:
    cursor = connection.cursor()
    cursor.execute("PRAGMA journal_mode=WAL")
    cursor.execute("PRAGMA synchronous=FULL")  # what was acknowledged survives a pulled plug
    cursor.execute("PRAGMA foreign_keys=ON")
    cursor.execute(f"PRAGMA busy_timeout={_BUSY_MS}")
    cursor.close()


def open_database(path: Path) -> Engine:
    """Open the database file, making it or bringing it up to date as needed."""
    engine = create_engine(f"sqlite:///{path}")
    event.listen(engine, "connect", _set_pragmas)
    config = Config()
    config.set_main_option("script_location", str(_MIGRATIONS))
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "head")
    return engine


@contextmanager
def transaction(engine: Engine) -> Iterator[Session]:
    """Give a session whose changes are saved together at the end, or not at all.

    Raises
    ------
    StorageFullError
        The disk has no room.
    """
    try:
        with Session(engine, expire_on_commit=False) as session, session.begin():
            # a write lock from the start: reading a head and moving it must not interleave
            session.connection().exec_driver_sql("BEGIN IMMEDIATE")
            yield session
    except OperationalError as error:
        if "full" in str(error).lower() or "disk i/o" in str(error).lower():
            raise StorageFullError(
                "The disk is full, so this change could not be saved.",
                hint="Free some room and do it again; everything saved before is safe.",
            ) from error
        raise
