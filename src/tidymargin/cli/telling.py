"""How commands say what went wrong, and read what they are given."""

import functools
import os
import stat
from collections.abc import Callable
from pathlib import Path
from typing import Any

import click
import platformdirs

from tidymargin.core.base.errors import DomainError, TooLargeError, UnusableArgumentError
from tidymargin.outcomes import outcome_of

_AT_ONCE = getattr(os, "O_NONBLOCK", 0) | getattr(os, "O_BINARY", 0)


def tell(error: DomainError, about: str = "") -> None:
    """Say an error in one sentence or two on stderr."""
    before = f"{about}: " if about else ""
    click.echo(f"tidy: {before}{error.message} {error.hint}".rstrip(), err=True)


def told(command: Callable[..., None]) -> Callable[..., None]:
    """Tell an error in one sentence on stderr and exit as the table says."""

    @functools.wraps(command)
    def run(*args: Any, **kwargs: Any) -> None:
        try:
            command(*args, **kwargs)
        except DomainError as error:
            tell(error)
            raise SystemExit(outcome_of(error)[1]) from error
        except MemoryError as error:
            full = TooLargeError(
                "This takes more memory than there is.", hint="Scale the picture down and key that."
            )
            tell(full)
            raise SystemExit(outcome_of(full)[1]) from error

    return run


def data_folder() -> Path:
    """Return the folder that sheets are kept in."""
    asked = os.environ.get("TIDYMARGIN_DATA")
    return Path(asked) if asked else Path(platformdirs.user_data_dir("tidymargin"))


def read_input(path: Path, most_bytes: int) -> bytes:
    """Return a file's bytes; how many there are is known before any is read.

    Raises
    ------
    UnusableArgumentError
        It cannot be read, or is a device or a pipe, which may never end.
    TooLargeError
        There are more than that.
    """
    try:
        # without waiting: a pipe that nobody writes to would never open
        handle = os.open(path, os.O_RDONLY | _AT_ONCE)
        with os.fdopen(handle, "rb") as file:
            about = os.fstat(handle)
            if not stat.S_ISREG(about.st_mode):
                kind = "a folder" if stat.S_ISDIR(about.st_mode) else "a device or a pipe"
                raise UnusableArgumentError(f"Expected a file, {path} is {kind}.")
            if about.st_size > most_bytes:
                raise TooLargeError(
                    f"Expected a file of at most {most_bytes / 1024**2:,.0f} MB, {path} has {about.st_size / 1024**2:,.0f} MB."
                )
            return file.read(most_bytes + 1)[:most_bytes]
    except OSError as error:
        raise UnusableArgumentError(f"{path} cannot be read: {error.strerror}.") from error
