"""Where a command may write: never over what it reads, and over nothing else unless told to."""

import os
from collections.abc import Sequence
from pathlib import Path

from tidymargin.core.base.errors import UnusableArgumentError
from tidymargin.formats.format_names import SPELLINGS
from tidymargin.formats.names import to_file_name, to_key
from tidymargin.store.aside import refuse_there, write_output


def place_outputs(
    inputs: tuple[Path, ...], output: str, endings: Sequence[str] = ("png",)
) -> list[Path]:
    """Return the file that each picture's cut goes to.

    Parameters
    ----------
    inputs, output :
        As given.
    endings : sequence of str
        Of the files that each picture gives; several go into a folder only.

    Raises
    ------
    UnusableArgumentError
        The inputs cannot all go there.
    """
    folder = output.endswith(("/", os.sep)) or Path(output).is_dir()
    if not folder and len(inputs) > 1:
        raise UnusableArgumentError(
            f"{len(inputs)} pictures cannot go into the one file {output}.",
            hint="Give a folder, ending in /.",
        )
    if not folder and len(endings) > 1:
        raise UnusableArgumentError(
            f"{len(endings)} files cannot go into the one file {output}.",
            hint="Give a folder, ending in /.",
        )
    if not folder and Path(output).suffix.lower().lstrip(".") not in SPELLINGS.get(endings[0], (endings[0],)):  # fmt: skip
        raise UnusableArgumentError(
            f"Expected an output ending in .{endings[0]}, or a folder ending in /, got {output}."
        )
    if not folder:
        return [Path(output)]
    places = [Path(output) / to_file_name(path.stem, endings[0]) for path in inputs]
    if len({to_key(place.name) for place in places}) < len(places):
        raise UnusableArgumentError(
            "Two of the pictures have the same name and would overwrite each other.",
            hint="Key them into different folders.",
        )
    return places


class Outputs:
    """The files that a command writes, beside those that it reads.

    Parameters
    ----------
    inputs : sequence of Path
        What is read, which is never written over.
    replace : bool
        Whether any other file that is there may be replaced.
    """

    def __init__(self, inputs: tuple[Path, ...], *, replace: bool) -> None:
        self._inputs = [self._resolve(path) for path in inputs]
        self._replace = replace
        self._claimed: set[Path] = set()

    @staticmethod
    def _resolve(path: Path) -> Path:
        # as the system would open it; what is not there yet is passed over as if it were
        return Path(os.path.realpath(path))

    def claim(self, place: Path) -> Path:
        """Return the file that a path leads to, if it may be written, and let nothing else be written there.

        Raises
        ------
        UnusableArgumentError
            It is what the command reads or writes elsewhere, or no file.
        FileThereError
            There is one already.
        """
        found = self._resolve(place)
        for path in self._inputs:
            is_same = found.exists() and path.exists() and found.samefile(path)
            if found == path or is_same:
                raise UnusableArgumentError(
                    f"{place} is the original itself, which is never overwritten.",
                    hint="Choose another output.",
                )
        if found in self._claimed:
            raise UnusableArgumentError(
                f"Two things would be written to {place}.", hint="Choose another output."
            )
        if found.exists() and not found.is_file():
            raise UnusableArgumentError(
                f"{place} is no file that could be written.", hint="Choose another output."
            )
        if os.path.lexists(found) and not self._replace:
            raise refuse_there(place)
        self._claimed.add(found)
        return found

    def write(self, place: Path, data: bytes) -> None:
        """Write a file that was claimed, whole or not at all."""
        write_output(place, data, replace=self._replace)
