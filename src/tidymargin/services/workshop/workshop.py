"""What every service works with: the store, the executor and the caches of one data folder."""

import logging
import shutil
import threading
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.area import Area
from tidymargin.core.base.errors import DamagedDatabaseError, DomainError
from tidymargin.core.base.picture import Picture
from tidymargin.core.cut import Cutter
from tidymargin.core.facts import SheetFacts
from tidymargin.core.levels import Levels
from tidymargin.core.scenes.sources import Source
from tidymargin.core.scenes.standing import Scene
from tidymargin.formats.encode import is_whole_png
from tidymargin.process import PARTS
from tidymargin.services.picture.reading import Readers
from tidymargin.services.workshop.cache import ByteCache, DiskCache
from tidymargin.services.workshop.executor import Executor, Priority
from tidymargin.store.copies import Copies, Copy
from tidymargin.store.database import UNREADABLE, check_database, list_revisions, open_database
from tidymargin.store.exports import Exports
from tidymargin.store.folder import (
    DATABASE,
    SET_ASIDE,
    FolderLock,
    doctor_command,
    load_identity,
    make_folder,
    unusable,
)
from tidymargin.store.originals import Originals
from tidymargin.store.scenes import Scenes
from tidymargin.store.sheets import Sheets
from tidymargin.store.trays import Trays

log = logging.getLogger(__name__)

T = TypeVar("T")

_MB = 1024 * 1024
_DISK_BYTES = 2048 * _MB
_MOST_PICTURES = 500
_MOST_OPEN = 3  # scenes, which hold on to what their cuts show


@dataclass(frozen=True, slots=True, eq=False)
class Measured:
    """What a work area holds with its facts, and the page to square up where one is proposed."""

    picture: Picture
    facts: SheetFacts
    spot: tuple[int, int]
    blotter: str
    page: Area | None


@dataclass(frozen=True, slots=True)
class Workshop:
    """A data folder, open; no other process has it."""

    folder: Path
    identity: str
    lock: FolderLock
    sheets: Sheets
    trays: Trays
    scenes: Scenes
    exports: Exports
    originals: Originals
    copies: Copies
    disk: DiskCache
    proofs: DiskCache
    executor: Executor = field(default_factory=Executor)
    readers: Readers = field(default_factory=Readers)
    pictures: ByteCache[Picture] = field(
        default_factory=lambda: ByteCache(1024 * _MB, _MOST_PICTURES)
    )
    measured: ByteCache[Measured] = field(default_factory=lambda: ByteCache(1024 * _MB))
    levels: ByteCache[Levels] = field(default_factory=lambda: ByteCache(512 * _MB))
    cutters: ByteCache[Cutter] = field(default_factory=lambda: ByteCache(256 * _MB))
    tiles: ByteCache[NDArray[np.uint8]] = field(default_factory=lambda: ByteCache(256 * _MB))
    sources: ByteCache[Source] = field(default_factory=lambda: ByteCache(768 * _MB))
    scenes_open: ByteCache[Scene] = field(default_factory=lambda: ByteCache(_MOST_OPEN, _MOST_OPEN))
    small: ByteCache[Any] = field(default_factory=lambda: ByteCache(64 * _MB))
    stopped: set[str] = field(default_factory=set)
    failed: dict[str, DomainError] = field(default_factory=dict)
    renewing: set[int] = field(default_factory=set)
    exporting: threading.Lock = field(default_factory=threading.Lock)

    @property
    def database(self) -> Path:
        """The database's file."""
        return self.folder / DATABASE

    def look_up(
        self, name: str, priority: Priority, compute: Callable[[], T], size_of: Callable[[T], int], *, cost_bytes: int = 0
    ) -> T:  # fmt: skip
        """Return something small that is kept under a name; else the executor computes it, and it is kept.

        Raises
        ------
        StoppedError
            Nobody wants it any more.
        """

        def compute_and_keep() -> T:
            made = compute()
            self.small.put(name, made, size_of(made))
            return made

        found: T | None = self.small.get(name)
        if found is not None:
            return found
        return self.executor.run(name, priority, compute_and_keep, cost_bytes=cost_bytes)

    def keep(self, cache: DiskCache, original: str, name: str, data: bytes) -> None:
        """Keep on the disk what was made of an original, unless it was deleted meanwhile."""
        with self.originals.naming:
            if self.originals.is_there(original):
                cache.put(name, data)

    def close(self) -> None:
        """Stop computing and let go of the folder; what is saved stays."""
        self.readers.close()
        self.executor.close()
        self.sheets.close()
        self.lock.let_go()


def offer_copy(
    error: DamagedDatabaseError, copy: Copy | None, folder: Path
) -> DamagedDatabaseError:
    """Return the error with what there is to put in the database's place."""
    command = doctor_command(folder, " --fix")
    offered = (
        f"There is no copy of it: {command} keeps it, brings over what can be read of it, and begins anew."
        if copy is None
        else f"The last good copy is of {copy.made_at:%d %B %Y, %H:%M} UTC, with {copy.count_sheets()} sheets: "
        f"{command} puts it in place and keeps what is there now beside it."
    )
    return DamagedDatabaseError(error.message, hint=offered)


def _open_sheets(folder: Path, copies: Copies) -> Sheets:
    """Open the database; where it is lost, it is not made anew while there is a copy of it."""
    place = folder / DATABASE
    is_lost = not place.exists() or (place.is_file() and not place.stat().st_size)
    copy = copies.find_good() if is_lost else None
    try:
        if copy is not None:
            check_database(place)  # says that it is lost
        if not is_lost and check_database(place) != list_revisions()[0]:
            keep_copy(copies, place)  # as it was before it is brought up to date
        return Sheets(open_database(place))
    except DamagedDatabaseError as error:
        if error.is_newer:
            raise
        raise offer_copy(error, copy or copies.find_good(), folder) from error


def open_workshop(folder: Path) -> Workshop:
    """Open a data folder, making it when missing, and own it until it is closed.

    What a person wanted deleted is deleted; what no sheet names is set aside and stays. A copy of the
    database is made, unless it may be the wrong one.

    Raises
    ------
    UnusableFolderError, FolderInUseError, DamagedDatabaseError, BusyError
        It cannot be opened; nothing in it was changed.
    """
    make_folder(folder)
    lock = FolderLock(folder)
    try:
        copies = Copies(folder / "copies")
        sheets = _open_sheets(folder, copies)
        try:
            originals = Originals(folder / "originals", folder / SET_ASIDE)
            _put_in_order(folder, sheets, originals, copies)
            identity = load_identity(folder)
        except OSError as error:
            sheets.close()
            raise unusable(folder, error) from error
    except BaseException:
        lock.let_go()
        raise
    disk = DiskCache(folder / "cache", _DISK_BYTES)
    # no cache: an older engine's cut cannot be made again
    proofs = DiskCache(folder / "proofs", _DISK_BYTES, is_kept_plain=is_whole_png)
    return Workshop(
        folder,
        identity,
        lock,
        sheets,
        Trays(sheets.engine),
        Scenes(sheets.engine),
        Exports(sheets.engine),
        originals,
        copies,
        disk,
        proofs,
    )


def _put_in_order(folder: Path, sheets: Sheets, originals: Originals, copies: Copies) -> None:
    originals.drop_parts()
    for place in folder.glob(f"{PARTS}*"):  # what an ended server had unpacked and not taken in
        shutil.rmtree(place, ignore_errors=True)
    named = sheets.list_originals()
    discards = sheets.list_discards()
    for name, wished_at in discards.items():
        if name not in named:
            originals.delete([name], wished_at)
    sheets.forget_discards(discards)
    before = originals.list_aside()
    originals.reconcile(named)
    lost = originals.list_aside() - before
    # what a copy names and the database does not was not given up: this may be an older or another database
    if not copies.set_aside(folder / SET_ASIDE, lost):
        keep_copy(copies, folder / DATABASE)


def keep_copy(copies: Copies, database: Path) -> None:
    """Copy the database; a full disk is no reason not to go on."""
    try:
        copies.keep(database)
    except (OSError, *UNREADABLE, DomainError):
        log.warning("the database could not be copied", exc_info=True)
