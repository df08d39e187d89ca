"""The data folder: one process owns it, and every part of it has its name here."""

import contextlib
import os
import re
import secrets
import shlex
from pathlib import Path

from filelock import FileLock, Timeout

from tidymargin.core.base.errors import FolderInUseError, UnusableFolderError
from tidymargin.process import program
from tidymargin.store.aside import write_aside

DATABASE = "sheets.sqlite"
SET_ASIDE = "set-aside"
EXPORTS = "exports"
_OWN = 0o700  # nobody but its owner can read a new folder
_LOCK = "lock"
_LOOKS_S = 0.2


class FolderLock:
    """The right to a data folder, until it is let go or the process ends, however it ends.

    Attributes
    ----------
    folder : Path
        What is owned.
    """

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        place = folder / _LOCK
        self._lock = FileLock(place, mode=0o600, thread_local=False)
        try:
            # not at once: somebody may only be looking who has it
            self._lock.acquire(timeout=_LOOKS_S, poll_interval=_LOOKS_S / 5)
        except Timeout as error:
            owner = find_owner(folder)
            raise FolderInUseError(
                f"Another Tidy Margin{f' (process {owner})' if owner else ''} has the data folder {folder} open.",
                hint="Use its page, or end it first; another folder is chosen with TIDYMARGIN_DATA.",
            ) from error
        except OSError as error:
            raise unusable(folder, error) from error
        with contextlib.suppress(OSError):  # a full disk: only the sentence above is poorer for it
            place.write_text(f"{os.getpid()}\n")

    def let_go(self) -> None:
        """Let another process have the folder."""
        self._lock.release()


def unusable(folder: Path, error: OSError) -> UnusableFolderError:
    """Return the error that says why a data folder cannot be used."""
    return UnusableFolderError(
        f"The data folder {folder} cannot be used: {error.strerror}.",
        hint="Let it be written to, or choose another with TIDYMARGIN_DATA.",
    )


def doctor_command(folder: Path, options: str = "") -> str:
    """Return the command that looks after a data folder, as it is typed."""
    return f"TIDYMARGIN_DATA={shlex.quote(str(folder))} {program()} doctor{options}"


def load_identity(folder: Path) -> str:
    """Return what tells a data folder from every other one, also from a copy of it: made where there is none.

    It is in no backup, so that a restored folder is another.

    Raises
    ------
    OSError
        It can be neither read nor written.
    """
    place = folder / "identity"
    with contextlib.suppress(FileNotFoundError):
        found = place.read_text("ascii", "replace").strip()
        if re.fullmatch("[0-9a-f]{32}", found):
            return found
    made = secrets.token_hex(16)
    with write_aside(place, replace=True) as file:
        file.write(made.encode())
    return made


def make_folder(folder: Path) -> None:
    """Make a data folder where there is none.

    Raises
    ------
    UnusableFolderError
        Something else stands in its place, or it cannot be written.
    """
    if folder.exists() and not folder.is_dir():
        raise UnusableFolderError(
            f"There is a file at {folder}, where the data folder should be.",
            hint="Move the file away, or choose another place with TIDYMARGIN_DATA.",
        )
    try:
        folder.parent.mkdir(parents=True, exist_ok=True)
        folder.mkdir(mode=_OWN, exist_ok=True)
    except OSError as error:
        raise unusable(folder, error) from error


def find_owner(folder: Path) -> int | None:
    """Return the process that has a data folder open, 0 where that is not known, None when none has."""
    place = folder / _LOCK
    if not place.exists():
        return None
    looking = FileLock(place, mode=0o600, thread_local=False)
    try:
        looking.acquire(blocking=False)
    except (Timeout, OSError):
        with contextlib.suppress(OSError, ValueError):
            return int(place.read_text().strip()[:20])
        return 0
    looking.release()
    return None
