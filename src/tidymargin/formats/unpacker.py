"""A process that takes the pictures out of one file, and lays them into a folder: `python -m tidymargin.formats.unpacker`.

What it reads comes from anywhere, so that it has a process of its own, with bounds of its own.
"""

import json
import sys
from pathlib import Path

from tidymargin.core.base.errors import DomainError
from tidymargin.formats.unpacking import Asked, unpack

INDEX = "index.json"
_MOST_MEMORY = 6 * 1024**3
_MOST_SECONDS = 600


def _bound() -> None:
    try:
        import resource
    except ImportError:  # there is none on Windows
        return
    resource.setrlimit(resource.RLIMIT_AS, (_MOST_MEMORY, _MOST_MEMORY))
    resource.setrlimit(resource.RLIMIT_CPU, (_MOST_SECONDS, _MOST_SECONDS))


def main() -> None:
    """Read what is to be done from the first line of the input, and the file from the rest."""
    _bound()
    said = json.loads(sys.stdin.buffer.readline())
    folder = Path(said["folder"])
    answer: dict[str, object]
    try:
        asked = Asked(said["dots_per_inch"], said["drawing_px"])
        rows = []
        for number, part in enumerate(unpack(sys.stdin.buffer.read(), said["name"], asked)):
            (folder / str(number)).write_bytes(part.data)
            rows.append([part.name, part.remark])
        answer = {"parts": rows}
    except DomainError as error:
        answer = {"error": type(error).__name__, "message": error.message, "hint": error.hint, "field": error.field}  # fmt: skip
    (folder / INDEX).write_text(json.dumps(answer))


if __name__ == "__main__":
    main()
