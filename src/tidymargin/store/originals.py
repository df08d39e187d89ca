"""Original files, kept under the hash of their content and never changed."""

import errno
import hashlib
import os
import tempfile
import threading
import time
from pathlib import Path

from tidymargin.core.errors import NotFoundError, StorageFullError

FULL = (errno.ENOSPC, errno.EDQUOT, errno.EFBIG)
"""What the system says when a disk, a quota or a file can grow no more."""


_SETTLED_S = 3600
"""How old a file is that nobody can be about to name any more."""


class Originals:
    """The folder of originals.

    Parameters
    ----------
    folder : Path
        Made when missing.

    Attributes
    ----------
    naming : Lock
        Held from saving a file until a sheet names it, and while files that no sheet names are deleted.
    """

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self.naming = threading.Lock()
        folder.mkdir(parents=True, exist_ok=True)
        for stray in folder.glob("*.part"):  # a write that a killed process left behind
            stray.unlink(missing_ok=True)

    def _place(self, name: str) -> Path:
        return self._folder / name[:2] / name

    def save(self, data: bytes) -> str:
        """Keep a file and return its name, the hash of its content.

        It is written aside, synced and renamed, so that it is there whole or not at all.

        Raises
        ------
        StorageFullError
            The disk has no room.
        """
        name = hashlib.sha256(data).hexdigest()
        place = self._place(name)
        if place.exists():
            return name
        aside = ""
        try:
            place.parent.mkdir(exist_ok=True)
            handle, aside = tempfile.mkstemp(suffix=".part", dir=self._folder)
            with os.fdopen(handle, "wb") as file:
                file.write(data)
                file.flush()
                os.fsync(file.fileno())
            Path(aside).replace(place)
            for folder in (place.parent, self._folder):
                opened = os.open(folder, os.O_RDONLY)
                os.fsync(opened)
                os.close(opened)
        except OSError as error:
            if aside:
                Path(aside).unlink(missing_ok=True)
            if error.errno in FULL:
                raise StorageFullError(
                    f"The disk is full: this picture needs {len(data) / 1e6:,.1f} MB.",
                    hint="Free some room and add it again; everything saved before is safe.",
                ) from error
            raise
        return name

    def load(self, name: str) -> bytes:
        """Return a file's bytes.

        Raises
        ------
        NotFoundError
            It is not there.
        """
        try:
            return self._place(name).read_bytes()
        except FileNotFoundError as error:
            raise NotFoundError(
                "The original file of this sheet is missing from the data folder.",
                hint="Put the data folder back as it was, or add the picture again.",
            ) from error

    def delete(self, names: list[str]) -> None:
        """Delete files that no sheet needs any more; those that are gone already are passed over."""
        for name in names:
            self._place(name).unlink(missing_ok=True)

    def sweep(self, named: set[str]) -> None:
        """Delete what no sheet names: a process was killed after it had emptied the bin, or before a sheet was added."""
        for place in self._folder.glob("??/*"):
            if place.name not in named and time.time() - place.stat().st_mtime > _SETTLED_S:
                place.unlink(missing_ok=True)

    def size_of(self, name: str) -> int:
        """Return a file's size in bytes; 0 where it is missing."""
        place = self._place(name)
        return place.stat().st_size if place.exists() else 0
