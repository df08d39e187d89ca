"""The pictures of a file that a command is given."""

from pathlib import Path

from tidymargin.cli.telling import read_input
from tidymargin.core.base.errors import DomainError
from tidymargin.formats.asked import Asked
from tidymargin.formats.containers import HEAD_BYTES, find_kind
from tidymargin.formats.limits import MAX_FILE_BYTES
from tidymargin.formats.names import to_stem


def open_parts(path: Path, asked: Asked) -> list[tuple[str, bytes | DomainError]]:
    """Return the pictures of a file by their names without endings, or why one is none: itself, or those that it holds.

    Raises
    ------
    DomainError
        It cannot be read.
    """
    data = read_input(path, MAX_FILE_BYTES)
    if not find_kind(data[:HEAD_BYTES]):
        return [(path.stem, data)]
    from tidymargin.services.picture.unpacking import taken_apart

    with taken_apart(None, data, path.name, asked) as parts:
        return [(to_stem(part.name), part.error or part.data) for part in parts]
