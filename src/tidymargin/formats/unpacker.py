"""A process that takes the pictures out of one file, and lays them into a folder: `python -m tidymargin.formats.unpacker`.

What it reads comes from anywhere, so that it has a process of its own, with bounds of its own, which ends with the one that
started it. What it has done so far stands in the folder line by line: whoever waits sees how far it has come.
"""

import json
import sys
from pathlib import Path
from typing import Any

from tidymargin.core.base.errors import DomainError
from tidymargin.formats.asked import Asked
from tidymargin.formats.unpacking import take_apart
from tidymargin.process import end_with_parent

INDEX = "index.jsonl"
_MOST_MEMORY = 6 * 1024**3


def _bound() -> None:
    try:
        import resource
    except ImportError:  # there is none on Windows
        return
    resource.setrlimit(resource.RLIMIT_AS, (_MOST_MEMORY, _MOST_MEMORY))


def to_row(error: DomainError) -> dict[str, Any]:
    """Return an error as JSON can hold it."""
    return {"error": type(error).__name__, "message": error.message, "hint": error.hint, "field": error.field}  # fmt: skip


def main() -> None:
    """Read what is to be done from the first line of the input, and the file from the rest."""
    said = json.loads(sys.stdin.buffer.readline())
    end_with_parent(said["parent"])
    _bound()
    folder = Path(said["folder"])
    with (folder / INDEX).open("w") as index:

        def tell(row: dict[str, Any]) -> None:
            index.write(json.dumps(row) + "\n")
            index.flush()

        tell({"begun": True})
        try:
            asked = Asked(said["dots_per_inch"], said["drawing_px"])
            for number, part in enumerate(take_apart(sys.stdin.buffer.read(), said["name"], asked)):
                if part.error is not None:
                    tell({"name": part.name, **to_row(part.error)})
                    continue
                (folder / str(number)).write_bytes(part.data)
                tell({"name": part.name, "remark": part.remark, "file": str(number)})
            tell({"done": True})
        except DomainError as error:
            tell({"done": True, **to_row(error)})


if __name__ == "__main__":
    main()
