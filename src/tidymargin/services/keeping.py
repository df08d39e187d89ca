"""Keeping sheets: their names, the bin, and what all of it takes on the disk."""

import os
import shutil
import tempfile
from dataclasses import dataclass
from pathlib import Path

from tidymargin.core.errors import BadParameterError, StorageFullError
from tidymargin.formats.recipe import from_steps
from tidymargin.services.opening import to_shown_name
from tidymargin.services.viewing import proof_name
from tidymargin.services.workshop import Workshop
from tidymargin.store.sheets import Sheet


@dataclass(frozen=True, slots=True)
class DiskUse:
    """What a data folder takes, in bytes.

    `history` is the database with the pictures kept of cuts; `binned` the part of the originals that is
    in the bin.
    """

    originals: int
    history: int
    cache: int
    binned: int

    @property
    def total(self) -> int:
        """All of it."""
        return self.originals + self.history + self.cache


def _size_below(folder: Path) -> int:
    total = 0
    try:
        entries = list(os.scandir(folder))
    except FileNotFoundError:  # nothing was kept there as yet
        return 0
    for entry in entries:
        try:
            is_folder = entry.is_dir(follow_symlinks=False)
            total += _size_below(Path(entry)) if is_folder else entry.stat().st_size
        except FileNotFoundError:  # written aside and renamed since it was listed
            continue
    return total


def measure_disk(workshop: Workshop) -> DiskUse:
    """Return what the data folder takes on the disk."""
    folder = workshop.folder
    binned = workshop.sheets.list_binned_originals()
    return DiskUse(
        originals=_size_below(folder / "originals"),
        history=sum(place.stat().st_size for place in folder.glob("sheets.sqlite*"))
        + _size_below(folder / "proofs"),
        cache=_size_below(folder / "cache"),
        binned=sum(workshop.originals.size_of(name) for name in binned),
    )


def check_room(workshop: Workshop, size_bytes: int, aside_bytes: int = 0) -> None:
    """See whether the disk has room for a picture that is about to be sent.

    Parameters
    ----------
    size_bytes : int
        What is kept in the data folder.
    aside_bytes : int
        What is laid aside in the machine's folder for temporary files while it is sent.

    Raises
    ------
    StorageFullError
        There is less room than that.
    """
    aside = Path(tempfile.gettempdir())
    same_disk = aside.stat().st_dev == workshop.folder.stat().st_dev
    needs = [(workshop.folder, size_bytes + aside_bytes * same_disk), (aside, aside_bytes)]
    for folder, needed in needs:
        free = shutil.disk_usage(folder).free
        if needed > free:
            raise StorageFullError(
                f"The disk is full: this picture needs {needed / 1e6:,.1f} MB, and {free / 1e6:,.1f} MB are free.",
                hint="Free some room and add it again; everything saved before is safe.",
            )


def rename_sheet(workshop: Workshop, sheet_id: int, name: str) -> Sheet:
    """Give a sheet another name.

    Raises
    ------
    BadParameterError
        It is empty.
    """
    if not name.strip():
        raise BadParameterError(
            "Expected a name, got nothing.",
            hint="Type what the sheet is to be called.",
            field="name",
        )
    return workshop.sheets.rename(sheet_id, to_shown_name(name))


def bin_sheet(workshop: Workshop, sheet_id: int) -> Sheet:
    """Put a sheet into the bin, with its original and its history."""
    return workshop.sheets.bin(sheet_id)


def take_out(workshop: Workshop, sheet_id: int) -> Sheet:
    """Take a sheet out of the bin."""
    return workshop.sheets.take_out(sheet_id)


def empty_bin(workshop: Workshop) -> None:
    """Delete for good what is in the bin, with every picture that was made of it."""
    proofs = [
        (sheet.original, proof_name(sheet, from_steps(state.bodies), state.engine_version))
        for sheet in workshop.sheets.list_binned()
        for state in workshop.sheets.list_states(sheet.id)
    ]
    with workshop.originals.naming:
        gone = workshop.sheets.empty_bin()
        workshop.originals.delete(gone)
    for original, name in proofs:
        if original in gone:  # another sheet of the same picture needs its own
            workshop.proofs.drop(name)
    workshop.disk.clear()
