"""What every service works with: the store, the executor and the caches of one data folder."""

import ctypes
import os
import shutil
import time
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.area import Area
from tidymargin.core.cut import Cutter, Levels, SheetFacts, cut_out, measure_sheet
from tidymargin.core.picture import Picture
from tidymargin.core.place import describe_place
from tidymargin.services.cache import ByteCache, DiskCache
from tidymargin.services.executor import Executor
from tidymargin.store.database import open_database
from tidymargin.store.originals import Originals
from tidymargin.store.sheets import Sheets

_MB = 1024 * 1024
_M_MMAP_THRESHOLD = -3
_RETURNED_BYTES = 4 * _MB
_DISK_BYTES = 2048 * _MB
_KERNELS_KEPT_S = 30 * 24 * 3600


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


def drop_old_kernels(own: Path) -> None:
    """Delete compiled kernels of other versions that nobody has used for a month.

    Parameters
    ----------
    own : Path
        The folder of this version's kernels; nothing is deleted unless it is named as one.
    """
    if not own.name.startswith("kernels-") or not own.is_dir():
        return
    os.utime(own)
    for folder in own.parent.glob("kernels-*"):
        if time.time() - folder.stat().st_mtime > _KERNELS_KEPT_S:
            shutil.rmtree(folder, ignore_errors=True)


def warm_kernels() -> None:
    """Compile or load every kernel on tiny pictures, so that nobody's first click waits for it."""
    random = np.random.default_rng(0)
    for ground_rgb, spread in (((255, 255, 255), 0), ((60, 155, 80), 3), ((240, 236, 225), 3)):
        rgb = np.full((160, 160, 3), ground_rgb, np.float64)
        rgb[50:110, 50:110] = (20, 40, 60)
        rgb[70:90, 70:90] = np.add(ground_rgb, (-1, -1, 0))
        rgb += spread * random.standard_normal(rgb.shape)
        picture = Picture(np.clip(rgb, 0, 255).astype(np.uint8))
        for nature in ("opaque", "ink"):
            cutter: Cutter = cut_out(picture, measure_sheet(picture, nature=nature))
            cutter.render_whole()
            describe_place(cutter, 75, 75)
    drop_old_kernels(Path(os.environ["NUMBA_CACHE_DIR"]))
