"""Watching a folder, such as a scanner's: every picture that has come to rest there becomes a sheet of the folder's tray.

A slow device writes a file bit by bit, and may pause in the middle. So a file is taken once it has not changed for a while and can be
decoded; one that cannot is looked at again when it changes. What is here already, by its content, is not taken twice, so that
nothing need be remembered over a restart. The folder's own files are never changed.
"""

import logging
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from tidymargin.core.base.errors import DomainError, UnusableArgumentError
from tidymargin.formats.decode import MAX_FILE_BYTES
from tidymargin.services.trays import make_tray
from tidymargin.services.unpacking import bring_in
from tidymargin.services.workshop import Workshop
from tidymargin.store.originals import name_of
from tidymargin.store.values import Sheet

log = logging.getLogger(__name__)

CALM_S = 2.0
"""How long a file must be as it is before it is taken."""

_LOOK_EVERY_S = 1.0
_Signature = tuple[int, int]


@dataclass(slots=True)
class _Known:
    signature: _Signature
    since: float
    is_done: bool = False


@dataclass(slots=True)
class Watched:
    """What has been seen so far: how many sheets came, and by file what is wrong with those that cannot be read."""

    folder: Path
    came: int = 0
    unreadable: dict[str, str] = field(default_factory=dict)


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
                f"Expected a folder to watch, found none at {folder}.",
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
        made = []
        there = {}
        for place in sorted(self.seen.folder.iterdir()):
            if place.name.startswith(".") or place.is_symlink() or not place.is_file():
                continue
            about = place.stat()
            there[place.name] = signature = (about.st_size, about.st_mtime_ns)
            known = self._known.get(place.name)
            if known is None or known.signature != signature:
                self._known[place.name] = _Known(signature, self._now())
                self.seen.unreadable.pop(place.name, None)
            elif not known.is_done and self._now() - known.since >= CALM_S:
                known.is_done = True
                made += self._take(place, signature)
        for gone in self._known.keys() - there.keys():
            del self._known[gone]
            self.seen.unreadable.pop(gone, None)
        return made

    def _take(self, place: Path, signature: _Signature) -> list[Sheet]:
        try:
            if not 0 < signature[0] <= MAX_FILE_BYTES:
                raise UnusableArgumentError("Expected a file of up to 500 MB with something in it.")
            data = place.read_bytes()
            if self._workshop.sheets.find_same(name_of(data)) is not None:
                return []
            brought = bring_in(self._workshop, data, place.name, tray=self._find_tray())
        except DomainError as error:
            self.seen.unreadable[place.name] = error.message
            return []
        self.seen.came += 1
        self.seen.unreadable |= {f"{place.name}, {name}": e.message for name, e in brought.refused}
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
            except OSError:  # a share that is away for a while comes back
                log.warning("the watched folder cannot be read", exc_info=True)

    def stop(self) -> None:
        """Look no more."""
        self._ends.set()
