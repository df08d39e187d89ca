"""Opening the database: SQLite in WAL mode, looked over and brought up to date by migrations."""

import os
import sqlite3
from collections.abc import Iterator
from contextlib import closing, contextmanager, suppress
from pathlib import Path
from typing import Any

from alembic import command
from alembic.config import Config
from alembic.script import ScriptDirectory
from sqlalchemy import URL, Engine, create_engine, event
from sqlalchemy.exc import DatabaseError
from sqlalchemy.orm import Session

from tidymargin.core.base.errors import (
    BusyError,
    DamagedDatabaseError,
    DomainError,
    StorageFullError,
    UnusableFolderError,
)
from tidymargin.process import program
from tidymargin.store.rows import find_fault, find_foreign

_MIGRATIONS = Path(__file__).parent / "migrations"
_BUSY_MS = 10_000
_TO_MEND = f"{program()} doctor says what there is to put in its place; nothing was changed."


UNREADABLE = (sqlite3.Error, UnicodeDecodeError)
"""What reading a damaged database raises: its complaints may hold bytes that are no text, which then is the error."""


def _set_migrating_pragmas(connection: Any, _record: Any) -> None:
    cursor = connection.cursor()
    cursor.execute(f"PRAGMA busy_timeout={_BUSY_MS}")
    cursor.execute("PRAGMA journal_mode=WAL")
    cursor.execute("PRAGMA synchronous=FULL")  # what was acknowledged survives a pulled plug
    cursor.close()


def _set_pragmas(connection: Any, record: Any) -> None:
    _set_migrating_pragmas(connection, record)
    connection.execute("PRAGMA foreign_keys=ON").close()


def to_words(error: Exception) -> DomainError | None:
    """Return what an error of the database means to a person; None where it is our own fault."""
    said = str(error).lower()
    if "full" in said or "disk i/o" in said:
        return StorageFullError(
            "The disk is full, so this change could not be saved.",
            hint="Free some disk space and do it again; everything saved before is safe.",
        )
    if "locked" in said or "busy" in said:
        return BusyError(
            "The database is held by another program, so this had to be given up.",
            hint="Do it again in a moment; everything saved before is safe.",
        )
    if "readonly" in said or "unable to open" in said or "permission" in said:
        return UnusableFolderError(
            "The data folder cannot be written to.",
            hint="Let it be written to and do it again; everything saved before is safe.",
        )
    if "malformed" in said or "not a database" in said:
        return DamagedDatabaseError("The database is damaged.", hint=_TO_MEND)
    return None


def _config() -> Config:
    config = Config()
    config.set_main_option("script_location", str(_MIGRATIONS).replace("%", "%%"))
    return config


def list_revisions() -> list[str]:
    """Return the revisions of the database that this version knows, the newest first."""
    return [found.revision for found in ScriptDirectory.from_config(_config()).walk_revisions()]


def connect_to_read(path: Path) -> sqlite3.Connection:
    """Open a database beside its owner, only to read it."""
    connection = sqlite3.connect(f"{path.absolute().as_uri()}?mode=ro", uri=True)
    connection.execute(f"PRAGMA busy_timeout={_BUSY_MS}")
    return connection


def read_revision(connection: sqlite3.Connection) -> str | None:
    """Return the revision that a database is of, None for one that is empty."""
    tables = {name for (name,) in connection.execute("SELECT name FROM sqlite_master")}
    if "alembic_version" not in tables:
        return None
    found = connection.execute("SELECT version_num FROM alembic_version").fetchone()
    return str(found[0]) if found else None


def check_database(path: Path) -> str | None:
    """Look a database over: every page, and every row.

    Returns
    -------
    str or None
        Its revision; None where there are no tables yet.

    Raises
    ------
    DamagedDatabaseError
        It is missing, no database, damaged, or of a revision that this version does not know.
    BusyError
        It is held by another program.
    """
    if path.is_dir():
        raise DamagedDatabaseError(
            f"There is a folder at {path}, where the database should be.", hint=_TO_MEND
        )
    if not path.exists() or not path.stat().st_size:
        raise DamagedDatabaseError(f"The database {path} is missing or empty.", hint=_TO_MEND)
    known = list_revisions()
    try:
        with closing(connect_to_read(path)) as connection:
            found = connection.execute("PRAGMA integrity_check(1)").fetchone()[0]
            revision = read_revision(connection)
            if found == "ok" and revision in known:
                found = find_foreign(connection) or find_fault(connection) or "ok"
        if found != "ok":
            raise DamagedDatabaseError(f"The database {path} is damaged: {found}.", hint=_TO_MEND)
    except UNREADABLE as error:
        words = to_words(error) if isinstance(error, sqlite3.Error) else None
        if isinstance(words, BusyError | UnusableFolderError):
            raise words from error
        raise DamagedDatabaseError(
            f"The database {path} is damaged: {error}.", hint=_TO_MEND
        ) from error
    if revision is not None and revision not in known:
        newer = DamagedDatabaseError(
            f"The database {path} was written by a newer Tidy Margin (revision {revision}; this one knows {known[0]}).",
            hint="Use that version; nothing was changed.",
        )
        newer.is_newer = True
        raise newer
    return revision


def open_database(path: Path) -> Engine:
    """Open the database file, making it or bringing it up to date as needed.

    Raises
    ------
    DamagedDatabaseError, BusyError, UnusableFolderError, StorageFullError
        It cannot be used; nothing was changed.
    """
    if path.exists() and path.stat().st_size:
        check_database(path)
    else:  # by itself SQLite lets everybody read what it makes
        with suppress(FileExistsError):
            os.close(os.open(path, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o600))
    url = URL.create("sqlite", database=str(path))
    # tables that others name can be made anew only while nothing looks after those names
    migrating = create_engine(url)
    event.listen(migrating, "connect", _set_migrating_pragmas)
    config = _config()
    try:
        with migrating.begin() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, "head")
    except DatabaseError as error:
        words = to_words(error)
        if words is None:
            raise
        raise words from error
    finally:
        migrating.dispose()
    engine = create_engine(url)
    event.listen(engine, "connect", _set_pragmas)
    return engine


def copy_database(source: Path, target: Path) -> None:
    """Copy a database as it is at one moment, while it may be in use, to a file that is one file.

    Raises
    ------
    sqlite3.Error, OSError
        It could not be read or written whole; the target may then be there in part.
    """
    with closing(connect_to_read(source)) as read, closing(sqlite3.connect(target)) as written:
        read.backup(written)
        written.execute("PRAGMA journal_mode=DELETE")  # or reading it would need files beside it


@contextmanager
def transaction(engine: Engine) -> Iterator[Session]:
    """Give a session whose changes are saved together at the end, or not at all.

    Raises
    ------
    StorageFullError, BusyError, UnusableFolderError, DamagedDatabaseError
        They could not be.
    """
    with told(engine) as session, session.begin():
        # a write lock from the start: reading a head and moving it must not interleave
        session.connection().exec_driver_sql("BEGIN IMMEDIATE")
        yield session


@contextmanager
def told(engine: Engine) -> Iterator[Session]:
    """Give a session to read by, in which what the database complains of is said in words."""
    try:
        with Session(engine, expire_on_commit=False) as session:
            yield session
    except DatabaseError as error:
        words = to_words(error)
        if words is None:
            raise
        raise words from error
