"""Taking files apart that hold several pictures, in a process that is bounded and ended with whoever asked."""

import json
import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

from typing_extensions import Buffer

import tidymargin
from tidymargin.core.base import errors
from tidymargin.core.base.errors import (
    BadImageError,
    DomainError,
    StoppedError,
    StorageFullError,
)
from tidymargin.formats.asked import Asked
from tidymargin.formats.containers import Member
from tidymargin.formats.names import to_shown_name
from tidymargin.formats.unpacker import INDEX, to_row
from tidymargin.process import FULL, PARTS, cpu_seconds_of

PART_S = 30.0
"""How long one picture of a file may take to be drawn, in seconds of work of the process that draws."""

WHOLE_S = 900.0
"""How long all of a file may take, counted alike."""

_LONGEST_S = 2 * 3600.0  # by the clock
_STEP_S = 0.1

HasLeft = Callable[[], bool]
"""Tells whether whoever asked has left, and waits for nothing any more."""


def stays() -> bool:
    """Return that whoever asked waits to the end."""
    return False


@contextmanager
def taken_apart(
    folder: Path | None, data: Buffer, name: str, asked: Asked, has_left: HasLeft = stays
) -> Iterator[Iterator[Member]]:
    """Give the pictures of a file, one after the other.

    It is taken apart by a process of its own, which is ended where one picture takes too long, or whoever asked has
    left. What was taken out by then is given, and the rest named.

    Raises
    ------
    DomainError
        It cannot be, and nothing came of it.
    """
    with tempfile.TemporaryDirectory(prefix=PARTS, dir=folder) as place:
        said = {"folder": place, "name": name, "dots_per_inch": asked.dots_per_inch, "drawing_px": asked.drawing_px, "parent": os.getpid()}  # fmt: skip
        ended = _run_unpacker(Path(place), json.dumps(said).encode() + b"\n", data, has_left)
        rows = _read_index(Path(place))
        last = rows.pop() if rows and rows[-1].get("done") else None
        if last is not None and "error" in last:
            ended = _to_error(last)
        elif (
            last is None and ended is None
        ):  # the process was ended by what it read, or by its bounds
            ended = BadImageError("This file cannot be read: it is damaged, or takes more memory than there is.", hint="Save it anew, or divide it.")  # fmt: skip
        if ended is not None and not any("file" in row for row in rows):
            raise ended
        if ended is not None:
            rows.append({"name": name, **to_row(ended)})
        yield (
            Member(to_shown_name(row["name"]), b"", "", _to_error(row))
            if "error" in row
            else Member(to_shown_name(row["name"]), (Path(place) / row["file"]).read_bytes(), row["remark"])
            for row in rows
        )  # fmt: skip


def _run_unpacker(place: Path, head: bytes, data: Buffer, has_left: HasLeft) -> DomainError | None:
    """Run the process to its end; return why it was ended before that, if it was."""
    source = str(Path(tidymargin.__file__).parents[1])
    paths = [source, *os.environ.get("PYTHONPATH", "").split(os.pathsep)]
    with tempfile.TemporaryFile(dir=place) as file:
        try:
            file.write(head)
            file.write(data)
            file.seek(0)
        except OSError as error:
            if error.errno not in FULL:
                raise
            raise StorageFullError("The disk is full: this file could not be taken apart.", hint="Free some disk space and add it again.") from error  # fmt: skip
        running = subprocess.Popen(
            [sys.executable, "-m", "tidymargin.formats.unpacker"],
            stdin=file,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            env={**os.environ, "PYTHONPATH": os.pathsep.join(path for path in paths if path)},
            start_new_session=True,
        )
    try:
        return _watch(running, place / INDEX, has_left)
    finally:
        running.kill()
        running.wait()


def _watch(running: "subprocess.Popen[bytes]", index: Path, has_left: HasLeft) -> DomainError | None:  # fmt: skip
    """Wait until the process ends; return why it has to be ended, if it has."""
    begun = time.monotonic()
    lines, at_line = 0, 0.0
    while True:
        try:
            running.wait(_STEP_S)
        except subprocess.TimeoutExpired:
            pass
        else:
            return None
        if has_left():
            raise StoppedError("This was stopped: whoever added the file has left.", hint="Add it again.")  # fmt: skip
        passed = time.monotonic() - begun
        worked = cpu_seconds_of(running.pid)
        own = passed if worked is None else worked
        count = _count_lines(index)
        if count != lines:
            lines, at_line = count, own
        if own - at_line > PART_S or own > WHOLE_S or passed > _LONGEST_S:
            what = "A picture in this file" if own - at_line > PART_S else "This file"
            return BadImageError(f"{what} takes too long to be drawn.", hint="Save it as PNG, or divide the file, and add that.")  # fmt: skip


def _count_lines(index: Path) -> int:
    with suppress(OSError):
        return index.read_bytes().count(b"\n")
    return 0


def _read_index(place: Path) -> list[dict[str, Any]]:
    """Return what the process has said so far, without that it has begun."""
    with suppress(OSError):
        lines = (place / INDEX).read_bytes().split(b"\n")[:-1]
        return [json.loads(line) for line in lines][1:]
    return []


def _to_error(row: dict[str, Any]) -> DomainError:
    kind: type[DomainError] = getattr(errors, str(row["error"]), BadImageError)
    return kind(row["message"], hint=row["hint"], field=row["field"])
