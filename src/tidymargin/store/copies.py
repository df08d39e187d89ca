"""Copies of the database, so that a damaged or lost one can be put back as it was."""

import contextlib
import os
import shutil
import tempfile
from contextlib import closing
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from tidymargin.core.base.errors import DomainError
from tidymargin.store.aside import sync_folder
from tidymargin.store.database import UNREADABLE, check_database, connect_to_read, copy_database

KEPT = 3
_STAMP = "sheets-%Y%m%dT%H%M%S%f.sqlite"


@dataclass(frozen=True, slots=True)
class Copy:
    """A copy of the database that was whole when it was made.

    Parameters
    ----------
    place : Path
        Where it is.
    made_at : datetime
        When, in UTC.
    """

    place: Path
    made_at: datetime

    def is_good(self) -> bool:
        """Whether it is still whole."""
        try:
            return check_database(self.place) is not None
        except DomainError:
            return False

    def list_originals(self) -> set[str]:
        """Return the originals that it names; none where it cannot be read."""
        with contextlib.suppress(*UNREADABLE), closing(connect_to_read(self.place)) as read:
            return {name for (name,) in read.execute("SELECT original FROM sheet")}
        return set()

    def count_sheets(self) -> int:
        """Return how many sheets are in it, those in its bin included."""
        with contextlib.suppress(*UNREADABLE), closing(connect_to_read(self.place)) as read:
            return int(read.execute("SELECT count(*) FROM sheet").fetchone()[0])
        return 0


class Copies:
    """The folder of copies.

    Parameters
    ----------
    folder : Path
        Made when the first one is.
    """

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    def list_all(self) -> list[Copy]:
        """Return the copies, the newest first."""
        found = []
        for place in self._folder.glob("sheets-*.sqlite"):
            with contextlib.suppress(ValueError):
                made_at = datetime.strptime(place.name, _STAMP).replace(tzinfo=UTC)
                found.append(Copy(place, made_at))
        return sorted(found, key=lambda copy: copy.made_at, reverse=True)

    def find_good(self) -> Copy | None:
        """Return the newest copy that is whole."""
        return next((copy for copy in self.list_all() if copy.is_good()), None)

    def keep(self, database: Path, now: datetime | None = None) -> bool:
        """Copy the database, unless the newest copy is the same; return whether it was copied.

        Three are kept: the newest, and beside it rather those of other days.

        Raises
        ------
        OSError, sqlite3.Error
            There is no room, or the database cannot be read; the copies are as they were.
        """
        self._folder.mkdir(exist_ok=True)
        for stray in self._folder.glob(".*.part*"):
            stray.unlink()
        handle, name = tempfile.mkstemp(prefix=".", suffix=".part", dir=self._folder)
        os.close(handle)
        aside = Path(name)
        try:
            copy_database(database, aside)
            check_database(aside)
            newest = next(iter(self.list_all()), None)
            if newest is not None and newest.place.read_bytes() == aside.read_bytes():
                return False
            with aside.open("rb") as file:
                os.fsync(file.fileno())
            stamp = (now or datetime.now(UTC)).strftime(_STAMP)
            aside.replace(self._folder / stamp)
            sync_folder(self._folder)
        finally:
            aside.unlink(missing_ok=True)
        self._drop_old()
        return True

    def _drop_old(self) -> None:
        listed = self.list_all()
        by_day = {copy.made_at.date(): copy for copy in reversed(listed)}  # the newest of each day
        rather = sorted(listed, key=lambda copy: copy is not by_day[copy.made_at.date()])
        for copy in rather[KEPT:]:
            copy.place.unlink(missing_ok=True)

    def set_aside(self, folder: Path, names: set[str]) -> bool:
        """Keep, in a folder where nothing is dropped, the newest copy that names any of some originals.

        Returns whether there is one.
        """
        for copy in self.list_all() if names else ():
            if names & copy.list_originals():
                folder.mkdir(exist_ok=True)
                shutil.copy2(copy.place, folder / copy.place.name)
                return True
        return False


def list_set_aside(folder: Path) -> list[Path]:
    """Return the databases that were set aside, damaged ones too, the newest first."""
    found = [*folder.glob("sheets-*.sqlite"), *folder.glob("*/sheets.sqlite")]
    return sorted(found, key=lambda place: place.stat().st_mtime, reverse=True)
