"""Writing files whole or not at all, and never over one that nobody said may be replaced."""

import contextlib
import errno
import os
import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import BinaryIO

from tidymargin.core.base.errors import (
    FileThereError,
    StorageFullError,
    UnusableArgumentError,
)
from tidymargin.process import FULL

_PRIVATE = 0o600
_MASK = os.umask(
    0o077
)  # it can only be read by setting it, so this is done before there are threads
os.umask(_MASK)
_AS_USUAL = 0o666 & ~_MASK
_NO_LINKS = (errno.EPERM, errno.ENOTSUP, errno.EOPNOTSUPP, errno.ENOSYS, errno.EXDEV)


def sync_folder(folder: Path) -> None:
    """Have the names in a folder reach the disk, where a folder can be opened for that."""
    if os.name == "nt":
        return
    opened = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(opened)
    finally:
        os.close(opened)


def refuse_there(place: Path) -> FileThereError:
    """Return the error that says a file is there already."""
    return FileThereError(
        f"{place} is there already, and nothing is ever written over.",
        hint="Choose another place, or say --replace.",
    )


@contextlib.contextmanager
def write_aside(place: Path, *, replace: bool = False, mode: int = _PRIVATE) -> Iterator[BinaryIO]:
    """Give a file to write to that becomes `place` when all of it is written and synced.

    Parameters
    ----------
    place : Path
        Its folder must be there.
    replace : bool
        Whether a file that is there already may be replaced. Looked at in the same instant as the name is
        given, so that not even one that was made meanwhile is lost.
    mode : int
        Who may do what with it; by default only its owner may.

    Raises
    ------
    FileThereError
        There is one, and it may not be.
    OSError
        It cannot be written; nothing is left behind.
    """
    if not replace and os.path.lexists(place):
        raise refuse_there(place)
    handle, name = tempfile.mkstemp(prefix=".", suffix=".part", dir=place.parent)
    aside = Path(name)
    try:
        with os.fdopen(handle, "w+b") as file:
            yield file
            file.flush()
            os.fsync(file.fileno())
        aside.chmod(mode)
        if replace:
            aside.replace(place)
        else:
            _name_new(aside, place)
        sync_folder(place.parent)
    finally:
        aside.unlink(missing_ok=True)


def _name_new(aside: Path, place: Path) -> None:
    try:
        os.link(aside, place)
    except FileExistsError as error:
        raise refuse_there(place) from error
    except OSError as error:
        if error.errno not in _NO_LINKS:
            raise
        if os.path.lexists(place):  # a file system without links: the best there is
            raise refuse_there(place) from error
        aside.replace(place)


def write_output(place: Path, data: bytes, *, replace: bool = False) -> None:
    """Write a file where a person asked for it, making its folder.

    Raises
    ------
    FileThereError
        There is one already, and it may not be replaced.
    StorageFullError, UnusableArgumentError
        It cannot be written.
    """
    try:
        place.parent.mkdir(parents=True, exist_ok=True)
        with write_aside(place, replace=replace, mode=_AS_USUAL) as file:
            file.write(data)
    except OSError as error:
        said = f"{place} could not be written: {error.strerror}."
        if error.errno in FULL:
            raise StorageFullError(said, hint="Free some disk space and do it again.") from error
        raise UnusableArgumentError(said, hint="Choose another place.") from error
