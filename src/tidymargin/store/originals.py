"""Original files, kept under the hash of their content and never changed."""

import contextlib
import hashlib
import os
import threading
from collections.abc import Iterable
from pathlib import Path

from typing_extensions import Buffer

from tidymargin.core.base.errors import DamagedFileError, NotFoundError, StorageFullError
from tidymargin.process import FULL
from tidymargin.store.aside import sync_folder, write_aside

_NAME_CHARACTERS = set("0123456789abcdef")
_NAME_LENGTH = 64


def name_of(data: Buffer) -> str:
    """Return the name that a file is kept under: the hash of its content."""
    return hashlib.sha256(data).hexdigest()


def is_name(text: str) -> bool:
    """Whether a text is such a name."""
    return len(text) == _NAME_LENGTH and set(text) <= _NAME_CHARACTERS


class Originals:
    """The folder of originals, and beside it that of files that no sheet names.

    Parameters
    ----------
    folder, aside : Path
        Where they are; made when needed. What is set aside is kept until somebody brings it back.

    Attributes
    ----------
    naming : RLock
        Held from saving a file until a sheet names it, while files are deleted, and while something that is
        derived of one is kept.
    """

    def __init__(self, folder: Path, aside: Path) -> None:
        self._folder = folder
        self._aside = aside
        self.naming = threading.RLock()

    def _place(self, name: str) -> Path:
        return self._folder / name[:2] / name

    def drop_parts(self) -> None:
        """Delete what a killed process had begun to write and never acknowledged; for the folder's owner only."""
        for stray in (*self._folder.glob("*.part"), *self._folder.glob("??/.*.part")):
            stray.unlink(missing_ok=True)

    def save(self, data: Buffer, name: str | None = None) -> str:
        """Keep a file and return its name, the hash of its content, where that is not known already.

        It is written aside, synced and named, so that it is there whole or not at all.

        Raises
        ------
        StorageFullError
            The disk has no room.
        """
        name = name or name_of(data)
        place = self._place(name)
        if place.exists() and name_of(place.read_bytes()) == name:
            os.utime(place)  # younger than any older wish to have it deleted
            return name
        try:
            place.parent.mkdir(parents=True, exist_ok=True)
            with write_aside(place, replace=True) as file:
                file.write(data)
            sync_folder(self._folder)
        except OSError as error:
            if error.errno in FULL:
                raise StorageFullError(
                    f"The disk is full: this picture needs {memoryview(data).nbytes / 1e6:,.1f} MB.",
                    hint="Free some disk space and add it again; everything saved before is safe.",
                ) from error
            raise
        return name

    def load(self, name: str) -> bytes:
        """Return a file's bytes, after looking whether they are still those that were kept.

        Raises
        ------
        NotFoundError
            It is not there.
        DamagedFileError
            It is another by now.
        """
        try:
            data = self._place(name).read_bytes()
        except FileNotFoundError as error:
            raise NotFoundError(
                "The original file of this picture is missing from the data folder.",
                hint="Put the data folder back as it was, or add the picture again.",
            ) from error
        if name_of(data) != name:
            raise DamagedFileError(
                "The original file of this picture was changed or damaged on the disk.",
                hint="Add the picture again, which mends it, or put it back from a backup.",
            )
        return data

    def is_there(self, name: str) -> bool:
        """Whether a file of that name is kept."""
        return self._place(name).exists()

    def is_whole(self, name: str) -> bool:
        """Whether a file is there and still what it was."""
        with contextlib.suppress(OSError), self._place(name).open("rb") as file:
            return hashlib.file_digest(file, "sha256").hexdigest() == name
        return False

    def delete(self, names: Iterable[str], wished_at: float | None = None) -> None:
        """Delete files that somebody wanted deleted; those that are gone already are passed over.

        Parameters
        ----------
        names : iterable of str
            Of files that no sheet needs any more.
        wished_at : float, optional
            When that was wished, in seconds since 1970: what was brought in again since then stays.
        """
        for name in names:
            place = self._place(name)
            with contextlib.suppress(FileNotFoundError):
                if wished_at is None or place.stat().st_mtime <= wished_at:
                    place.unlink()

    def reconcile(self, named: set[str]) -> None:
        """Set aside what no sheet names, and take back what a sheet names after all.

        Nothing is deleted: a file may be unnamed because a process was killed before its sheet was saved, or
        because the database is not the one that belongs to it.
        """
        for name in self.list_all() - named:
            self._move(self._place(name), self._aside / name)
        for name in self.list_aside() & named:
            if not self.is_there(name):
                self._move(self._aside / name, self._place(name))

    @staticmethod
    def _move(source: Path, target: Path) -> None:
        target.parent.mkdir(parents=True, exist_ok=True)
        source.replace(target)

    def list_all(self) -> set[str]:
        """Return the names of all files that are kept."""
        return {place.name for place in self._folder.glob("??/*") if is_name(place.name)}

    def list_aside(self) -> set[str]:
        """Return the names of those that are set aside."""
        return {place.name for place in self._aside.glob("*") if is_name(place.name)}

    def load_aside(self, name: str) -> bytes:
        """Return the bytes of a file that is set aside."""
        return (self._aside / name).read_bytes()

    def drop_aside(self, name: str) -> None:
        """Forget that a file was set aside, once it is kept as another sheet's."""
        if self.is_there(name):
            (self._aside / name).unlink(missing_ok=True)

    def size_of(self, name: str) -> int:
        """Return a file's size in bytes; 0 where it is missing."""
        place = self._place(name)
        return place.stat().st_size if place.exists() else 0
