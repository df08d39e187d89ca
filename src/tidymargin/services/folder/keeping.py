"""Keeping sheets: their names, the bin, and what all of it takes on the disk."""

import contextlib
import os
import shutil
import tempfile
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path

from tidymargin.core.base.errors import (
    BadImageError,
    BadParameterError,
    StorageFullError,
    TooLargeError,
)
from tidymargin.formats.names import to_shown_name
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.trays.exports import sweep_exports
from tidymargin.services.workshop.identity import facts_name, proof_name
from tidymargin.services.workshop.workshop import Workshop, keep_copy
from tidymargin.store.copies import list_set_aside
from tidymargin.store.database import UNREADABLE
from tidymargin.store.folder import EXPORTS, SET_ASIDE
from tidymargin.store.merging import bring_over
from tidymargin.store.originals import name_of
from tidymargin.store.values import Sheet

_LOOK_EVERY_S = 1800
_ENDINGS = {b"\x89PNG": ".png", b"\xff\xd8": ".jpg", b"RIFF": ".webp", b"GIF8": ".gif", b"BM": ".bmp",
            b"II": ".tif", b"MM": ".tif"}  # fmt: skip


@dataclass(frozen=True, slots=True)
class DiskUse:
    """What a data folder takes, in bytes.

    `history` is the database with the pictures kept of cuts; `binned` the part of the originals that is
    in the bin.
    """

    originals: int
    history: int
    cache: int
    exports: int
    binned: int

    @property
    def total(self) -> int:
        """All of it."""
        return self.originals + self.history + self.cache + self.exports


def size_below(folder: Path) -> int:
    """Return what the files below a folder take, in bytes; nothing where there is none."""
    total = 0
    try:
        entries = list(os.scandir(folder))
    except FileNotFoundError:  # nothing was kept there as yet
        return 0
    for entry in entries:
        try:
            is_folder = entry.is_dir(follow_symlinks=False)
            total += size_below(Path(entry)) if is_folder else entry.stat().st_size
        except FileNotFoundError:  # written aside and renamed since it was listed
            continue
    return total


def measure_disk(workshop: Workshop) -> DiskUse:
    """Return what the data folder takes on the disk."""
    folder = workshop.folder
    binned = workshop.sheets.list_binned_originals()
    return DiskUse(
        originals=size_below(folder / "originals"),
        history=sum(place.stat().st_size for place in folder.glob("sheets.sqlite*"))
        + size_below(folder / "proofs"),
        cache=size_below(folder / "cache"),
        exports=size_below(folder / EXPORTS),
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
                hint="Free some disk space and add it again; everything saved before is safe.",
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
            "The name is empty.",
            hint="Type what the picture is to be called.",
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
        (sheet.original, proof_name(sheet.at(state)))
        for sheet in workshop.sheets.list_binned()
        for state in workshop.sheets.list_states(sheet.id)
    ]
    measuring = {facts_name(sheet): sheet.original for sheet in workshop.sheets.list_binned()}
    with (
        workshop.originals.naming
    ):  # what is being made of them now is kept only while they are there
        workshop.scenes.empty_bin()
        gone = workshop.sheets.empty_bin()
        workshop.originals.delete(gone)
        workshop.sheets.forget_discards(gone)
        for original, name in proofs:
            if original in gone:  # another sheet of the same picture needs its own
                workshop.proofs.drop(name)
        workshop.disk.clear()
    sweep_exports(workshop)
    for name, original in measuring.items():
        if original in gone:
            workshop.executor.stop(name)


@dataclass(frozen=True, slots=True)
class BroughtBack:
    """What came of bringing back pictures that were set aside.

    Parameters
    ----------
    sheets : int
        How many sheets came back with their histories, from a copy of the database.
    anew : int
        How many came back as sheets without a history.
    unreadable : int
        How many files are no pictures, and stay set aside.
    left : int
        How many there was no time for; they stay set aside.
    """

    sheets: int
    anew: int
    unreadable: int
    left: int


def bring_back(
    workshop: Workshop, most_s: float = float("inf"), tell: Callable[[str], None] = lambda _: None
) -> BroughtBack:
    """Make sheets again of originals that no sheet names: with their histories where a copy of the database has them.

    Parameters
    ----------
    most_s : float
        After so many seconds the rest is left for another time.
    tell : callable
        Called with the name of each sheet that came back without its history.
    """
    latest = time.monotonic() + most_s
    originals = workshop.originals
    sheets = 0
    with originals.naming:
        for source in list_set_aside(workshop.folder / SET_ASIDE):
            with contextlib.suppress(*UNREADABLE):  # one that cannot be read at all
                sheets += bring_over(source, workshop.database, originals.list_aside())[0]
            originals.reconcile(workshop.sheets.list_originals())
    anew = unreadable = 0
    waiting = sorted(originals.list_aside())
    for done, name in enumerate(waiting):
        if time.monotonic() > latest:
            return BroughtBack(sheets, anew, unreadable, len(waiting) - done)
        try:
            data = originals.load_aside(name)
            if name_of(data) != name:
                raise BadImageError("It is not what it was when it was kept.")
            sheet = add_sheet(workshop, data, f"brought back {name[:8]}{_guess_ending(data)}")
        except (BadImageError, TooLargeError):
            unreadable += 1
            continue
        originals.drop_aside(name)
        anew += 1
        tell(sheet.name)
    return BroughtBack(sheets, anew, unreadable, 0)


def _guess_ending(data: bytes) -> str:
    for head, ending in _ENDINGS.items():
        if data.startswith(head):
            return ending
    return ""


def copy_daily(workshop: Workshop) -> None:
    """See to it, for as long as this process runs, that there is a copy of the database of each day."""

    def watch() -> None:
        while True:
            time.sleep(_LOOK_EVERY_S)
            newest = next(iter(workshop.copies.list_all()), None)
            if newest is None or datetime.now(UTC) - newest.made_at > timedelta(days=1):
                keep_copy(workshop.copies, workshop.database)

    threading.Thread(target=watch, name="copies", daemon=True).start()
