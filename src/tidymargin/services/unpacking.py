"""Bringing in files that hold several pictures: each becomes a sheet, and several of one file a tray."""

import json
import os
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from typing_extensions import Buffer

import tidymargin
from tidymargin.core.base import errors
from tidymargin.core.base.errors import BadImageError, DomainError, StorageFullError
from tidymargin.formats.unpacker import INDEX
from tidymargin.formats.unpacking import Asked, find_kind
from tidymargin.services.bringing import add_sheet, to_shown_name
from tidymargin.services.trays import make_tray
from tidymargin.services.workshop import Workshop
from tidymargin.store.aside import FULL
from tidymargin.store.values import Sheet

_MOST_S = 900.0


@dataclass(frozen=True, slots=True)
class Brought:
    """What came of a file: its sheets, the tray that they were put into, and what of it was refused, by name."""

    sheets: tuple[Sheet, ...]
    tray: int | None
    refused: tuple[tuple[str, DomainError], ...]


def bring_in(
    workshop: Workshop,
    data: Buffer,
    name: str,
    asked: Asked = Asked(),  # noqa: B008 - frozen
    tray: int | None = None,
) -> Brought:
    """Bring in a picture, or every picture of a file that holds several.

    Parameters
    ----------
    workshop : Workshop
        Where they go.
    data : buffer
        The file.
    name : str
        As it was given.
    asked : Asked
        How large pages and drawings become.
    tray : int, optional
        The tray that they go to; without one, several go to a new one of the file's name.

    Raises
    ------
    DomainError
        Nothing of it could be brought in, and why.
    """
    shown = to_shown_name(name)
    sheets: list[Sheet] = []
    refused: list[tuple[str, DomainError]] = []
    if not find_kind(bytes(memoryview(data)[:4096])):
        sheets.append(add_sheet(workshop, data, name))
    else:
        with taken_apart(workshop.folder, data, shown, asked) as parts:
            for part_name, remark, body in parts:
                try:
                    sheets.append(add_sheet(workshop, body, part_name, remark=remark))
                except DomainError as error:
                    refused.append((part_name, error))
    if not sheets:
        raise refused[0][1]
    if tray is None and len(sheets) > 1:
        tray = make_tray(workshop, shown.rsplit(".", 1)[0] or shown).id
    if tray is not None:
        workshop.trays.put_in(tray, [sheet.id for sheet in sheets])
    return Brought(tuple(sheets), tray, tuple(refused))


@contextmanager
def taken_apart(
    folder: Path | None, data: Buffer, name: str, asked: Asked
) -> Iterator[Iterator[tuple[str, str, bytes]]]:
    """Give the pictures of a file, one after the other: name, what was done to get it, and bytes.

    It is taken apart by a process of its own.

    Raises
    ------
    DomainError
        It cannot be.
    """
    source = str(Path(tidymargin.__file__).parents[1])
    paths = [source, *os.environ.get("PYTHONPATH", "").split(os.pathsep)]
    with tempfile.TemporaryDirectory(prefix="parts-", dir=folder) as place:
        said = {"folder": place, "name": name, "dots_per_inch": asked.dots_per_inch, "drawing_px": asked.drawing_px}  # fmt: skip
        running = subprocess.Popen(
            [sys.executable, "-m", "tidymargin.formats.unpacker"],
            stdin=subprocess.PIPE,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            env={**os.environ, "PYTHONPATH": os.pathsep.join(path for path in paths if path)},
            start_new_session=True,
        )
        try:
            running.communicate(json.dumps(said).encode() + b"\n" + bytes(data), _MOST_S)
        except subprocess.TimeoutExpired as error:
            raise BadImageError("This file takes too long to be read.", hint="Divide it and add the parts.") from error  # fmt: skip
        except OSError as error:
            if error.errno not in FULL:
                raise
            raise StorageFullError("The disk is full: this file could not be taken apart.", hint="Free some room and add it again.") from error  # fmt: skip
        finally:
            running.kill()
            running.wait()
        try:
            answer = json.loads((Path(place) / INDEX).read_text())
        except (
            OSError,
            ValueError,
        ) as error:  # the process was ended by what it read, or by its bounds
            raise BadImageError("This file cannot be read: it is damaged, or takes more memory than there is.", hint="Save it anew, or divide it.") from error  # fmt: skip
        if "error" in answer:
            kind = getattr(errors, str(answer["error"]), BadImageError)
            raise kind(answer["message"], hint=answer["hint"], field=answer["field"])
        yield (
            (to_shown_name(part), remark, (Path(place) / str(number)).read_bytes())
            for number, (part, remark) in enumerate(answer["parts"])
        )
