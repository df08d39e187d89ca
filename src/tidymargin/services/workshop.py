"""What every service works with: the store, the executor and the caches of one data folder."""

import ctypes
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.area import Area
from tidymargin.core.cut import Cutter, Levels
from tidymargin.core.facts import SheetFacts
from tidymargin.core.picture import Picture
from tidymargin.services.cache import ByteCache, DiskCache
from tidymargin.services.executor import Executor
from tidymargin.store.database import open_database
from tidymargin.store.originals import Originals
from tidymargin.store.sheets import Sheets

_MB = 1024 * 1024
_M_MMAP_THRESHOLD = -3
_RETURNED_BYTES = 4 * _MB
_DISK_BYTES = 2048 * _MB


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
    """A data folder, open."""

    folder: Path
    sheets: Sheets
    originals: Originals
    disk: DiskCache
    proofs: DiskCache
    executor: Executor = field(default_factory=Executor)
    pictures: ByteCache[Picture] = field(default_factory=lambda: ByteCache(1024 * _MB))
    measured: ByteCache[Measured] = field(default_factory=lambda: ByteCache(1024 * _MB))
    levels: ByteCache[Levels] = field(default_factory=lambda: ByteCache(512 * _MB))
    cutters: ByteCache[Cutter] = field(default_factory=lambda: ByteCache(256 * _MB))
    tiles: ByteCache[NDArray[np.uint8]] = field(default_factory=lambda: ByteCache(256 * _MB))
    small: ByteCache[Any] = field(default_factory=lambda: ByteCache(64 * _MB))
    stopped: set[str] = field(default_factory=set)

    def close(self) -> None:
        """Stop computing and let go of the database; what is saved stays."""
        self.executor.close()
        self.sheets.close()


def hold_memory_low() -> None:
    """Have large arrays go back to the system when they are freed, where the C library can be told to.

    By default it raises the size from which it does so whenever one is freed, and keeps the rest.
    """
    try:
        ctypes.CDLL("libc.so.6").mallopt(_M_MMAP_THRESHOLD, _RETURNED_BYTES)
    except (OSError, AttributeError):
        return  # another C library: memory is then only less tight


def open_workshop(folder: Path) -> Workshop:
    """Open a data folder, making it when missing."""
    folder.mkdir(parents=True, exist_ok=True)
    engine = open_database(folder / "sheets.sqlite")
    disk = DiskCache(folder / "cache", _DISK_BYTES)
    # no cache: an older engine's cut cannot be made again
    proofs = DiskCache(folder / "proofs", _DISK_BYTES)
    sheets, originals = Sheets(engine), Originals(folder / "originals")
    originals.sweep(sheets.list_originals())
    return Workshop(folder, sheets, originals, disk, proofs)
