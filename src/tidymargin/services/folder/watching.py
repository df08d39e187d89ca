"""Watching a folder, such as a scanner's: every picture that has come to rest there becomes a sheet of the folder's tray.

A slow device writes a file bit by bit, and may pause in the middle. So a file is taken once it has not changed for a while and can be
decoded; one that cannot is looked at again when it changes, and one that could not be read for now after a while. What was taken
is remembered by its content, so that nothing is taken twice, whatever becomes of its sheets. The folder's own files are never changed.
"""

import logging
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from tidymargin.core.base.errors import (
    BusyError,
    DomainError,
    StoppedError,
    StorageFullError,
    UnusableArgumentError,
    UnusableFolderError,
)
from tidymargin.formats.limits import MAX_FILE_BYTES
from tidymargin.formats.names import to_shown_name
from tidymargin.services.folder.unpacking import bring_in
from tidymargin.services.trays.trays import make_tray
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.store.originals import name_of
from tidymargin.store.values import Sheet

log = logging.getLogger(__name__)

CALM_S = 2.0
"""How long a file must be as it is before it is taken."""

TRY_AGAIN_S = 10.0
"""After how long a file is tried again that could not be read for now."""

_LOOK_EVERY_S = 1.0
_FOR_NOW = (StorageFullError, BusyError, UnusableFolderError, StoppedError, OSError, MemoryError)
_Signature = tuple[int, int]


@dataclass(slots=True)
class _Known:
    """A file as it was at the last look: since when it is so, when it may be tried, and whether that is over."""

    signature: _Signature
    try_at: float
    is_done: bool = False


@dataclass(slots=True)
class Watched:
    """What has been seen so far.

    Parameters
    ----------
    folder : Path
        What is watched.
    came : int
        How many files were taken since the start.
    refused : dict
        By file, why it cannot be read; it is looked at again when it changes.
    waiting : dict
        By file, why it could not be taken as yet; it is tried again.
    trouble : str
        Why the folder itself cannot be read now; empty where it can.
    most : int or None
        How many there will be, where they are drawn here and no folder is watched.
    """

    folder: Path
    came: int = 0
    refused: dict[str, str] = field(default_factory=dict)
    waiting: dict[str, str] = field(default_factory=dict)
    trouble: str = ""
    most: int | None = None

    @property
    def is_over(self) -> bool:
        """Whether nothing more will come."""
        return self.most is not None and (self.came >= self.most or bool(self.trouble))


class Watcher:
    """Looks into a folder again and again.

    Parameters
    ----------
    workshop : Workshop
        Where sheets go.
    folder : Path
        What is watched; not what lies in folders below it.
    now : callable, optional
        Seconds that never go back.

    Raises
    ------
    UnusableArgumentError
        There is no such folder.
    """

    def __init__(
        self, workshop: Workshop, folder: Path, now: Callable[[], float] = time.monotonic
    ) -> None:
        if not folder.is_dir():
            raise UnusableArgumentError(
                f"There is no folder to watch at {folder}.",
                hint="Make it, or name the one that the scanner writes to.",
                field="watch",
            )
        self._workshop = workshop
        self._now = now
        self._known: dict[str, _Known] = {}
        self._ends = threading.Event()
        self.seen = Watched(folder)

    def look(self) -> list[Sheet]:
        """Look once; return the sheets that were made."""
        made: list[Sheet] = []
        there = set()
        for place in sorted(self.seen.folder.iterdir()):
            if place.name.startswith(".") or place.is_symlink() or not place.is_file():
                continue
            there.add(place.name)
            try:
                made += self._look_at(place)
            except FileNotFoundError:  # it was taken away while this looked
                continue
        for gone in self._known.keys() - there:
            del self._known[gone]
            self._forget_words(gone)
        return made

    def _look_at(self, place: Path) -> list[Sheet]:
        """Take a file if it has come to rest; say why where it cannot be."""
        about = place.stat()
        signature = (about.st_size, about.st_mtime_ns)
        known = self._known.get(place.name)
        if known is None or known.signature != signature:
            self._known[place.name] = _Known(signature, self._now() + CALM_S)
            self._forget_words(place.name)
            return []
        if known.is_done or self._now() < known.try_at:
            return []
        known.is_done = True
        try:
            made = self._take(place, signature)
        except Exception as error:
            log.info("a file of the watched folder was not taken", exc_info=True)
            shown = to_shown_name(place.name)
            self._forget_words(place.name)
            if isinstance(error, DomainError) and not isinstance(error, _FOR_NOW):
                self.seen.refused[shown] = error.message
                return []
            self.seen.waiting[shown] = _say(error)
            known.is_done, known.try_at = False, self._now() + TRY_AGAIN_S
            return []
        self._forget_words(place.name, keeps_parts=True)
        return made

    def _forget_words(self, name: str, *, keeps_parts: bool = False) -> None:
        """Forget what was said of a file, and by itself of the pictures in it."""
        shown = to_shown_name(name)
        for said in (self.seen.refused, self.seen.waiting):
            said.pop(shown, None)
            for part in () if keeps_parts else [p for p in said if p.startswith(f"{shown}, ")]:
                del said[part]

    def _take(self, place: Path, signature: _Signature) -> list[Sheet]:
        if not 0 < signature[0] <= MAX_FILE_BYTES:
            raise UnusableArgumentError("This file is empty, or larger than 500 MB.")
        data = place.read_bytes()
        content = name_of(data)
        sheets, trays = self._workshop.sheets, self._workshop.trays
        shown = to_shown_name(place.name)
        if trays.has_taken(content):
            return []
        if (
            sheets.find_same(content) is not None
        ):  # added by hand, or by a server that was ended before it noted that
            trays.note_taken(content, shown)
            return []
        # what was taken of it before a server was ended is not taken again
        brought = bring_in(
            self._workshop, data, shown, tray=self._find_tray,
            has_left=self._ends.is_set, is_new=lambda part: sheets.find_same(name_of(part)) is None,
        )  # fmt: skip
        trays.note_taken(content, shown)
        self.seen.came += 1
        self.seen.refused |= {f"{shown}, {name}": e.message for name, e in brought.refused}
        return list(brought.sheets)

    def _find_tray(self) -> int:
        """Return the tray named as the folder is, the newest where there are several; it is made where there is none."""
        name = self.seen.folder.resolve().name or "Watched"
        for tray in self._workshop.trays.list_all():
            if tray.name == name:
                return tray.id
        return make_tray(self._workshop, name).id

    def start(self) -> None:
        """Look from now on, in a thread of its own, until `stop`."""
        threading.Thread(target=self._go_on, name="watch", daemon=True).start()

    def _go_on(self) -> None:
        while not self._ends.wait(_LOOK_EVERY_S):
            try:
                self.look()
                self.seen.trouble = ""
            except Exception as error:  # a share that is away for a while comes back
                if not self.seen.trouble:  # once, and not every second
                    log.warning("the watched folder cannot be read", exc_info=True)
                self.seen.trouble = _say(error)

    def stop(self) -> None:
        """Look no more."""
        self._ends.set()


def _say(error: Exception) -> str:
    """Return why something could not be done for now, in words."""
    if isinstance(error, DomainError):
        return error.message
    if isinstance(error, OSError) and error.strerror:
        return f"The file could not be read: {error.strerror}."
    log.error("a file of the watched folder could not be taken, by our own fault", exc_info=error)
    return "The file could not be taken, because of a fault in Tidy Margin."
