"""What goes on in the background for trays: sheets follow what is shared, are looked over, and are written."""

import logging
import threading
import time

from tidymargin.core.base.errors import (
    BusyError,
    DomainError,
    NotFoundError,
    StaleHeadError,
    StoppedError,
    StorageFullError,
    UnusableFolderError,
)
from tidymargin.services.edits.changing import Edit, use_new_cut
from tidymargin.services.trays.exporter import Exporter
from tidymargin.services.trays.queueing import Jobs, open_queue
from tidymargin.services.trays.trays import failure_name, follow_tray, look_over
from tidymargin.services.trays.writer import Writer
from tidymargin.services.workshop.states import is_of_older_engine
from tidymargin.services.workshop.workshop import Workshop

log = logging.getLogger(__name__)

_FOR_NOW = (StorageFullError, BusyError, UnusableFolderError, StoppedError)
_HANDS = 2  # jobs at once, where they are done here
_AT_ONCE = 4  # sheets that are looked over before it is asked again who has to follow
_REST_S, _SHORT_S = 0.5, 0.1


class TrayKeeper:
    """Looks after all trays of a workshop, in threads of its own.

    Parameters
    ----------
    workshop : Workshop
        Whose trays.
    url : str, optional
        The Redis whose workers write exports; by itself they are written here.
    """

    def __init__(self, workshop: Workshop, url: str | None = None) -> None:
        self._workshop = workshop
        self.writer = Writer(workshop) if url is None else None
        self.exporter = None if url is None else Exporter(workshop, Jobs(open_queue(url)))
        self._ends = threading.Event()
        self._threads: list[threading.Thread] = []
        self._looked_over: set[tuple[int, int]] = set()

    def renew_asked(self) -> None:
        """Cut by the present engine what somebody asked for of what older ones cut."""
        for number in sorted(self._workshop.renewing):
            if self._ends.is_set():
                return
            try:
                sheet = self._workshop.sheets.load(number)
                use_new_cut(Edit(self._workshop, sheet, sheet.head))
            except (*_FOR_NOW, StaleHeadError):
                return  # it is asked again
            except NotFoundError:
                pass  # it was binned meanwhile
            except DomainError as error:
                self._workshop.failed[failure_name(sheet)] = error
            self._workshop.renewing.discard(number)

    def follow_all(self) -> int:
        """Bring every sheet to what its tray shares, as far as that can be; return how many were."""
        self.renew_asked()
        count = 0
        for tray in self._workshop.trays.list_all():
            for sheet in self._workshop.trays.list_behind(tray):
                if self._ends.is_set():
                    return count
                try:
                    count += follow_tray(self._workshop, tray, sheet)
                    self._workshop.failed.pop(failure_name(sheet), None)
                except _FOR_NOW:
                    return count  # nothing of this is the sheet's own fault, and later it may go
                except DomainError as error:  # it cannot be measured as is asked; its card says so
                    self._workshop.failed[failure_name(sheet)] = error
                    self._workshop.trays.note_followed(sheet.id, tray.head)
        return count

    def look_over_some(self, most: int | None = None) -> bool:
        """Look over sheets of trays that nobody has looked over yet, so many at most; False where there is none left."""
        heads = self._workshop.trays.list_heads()
        self._looked_over &= set(heads)
        count = 0
        for number, head in heads:
            if (number, head) in self._looked_over:
                continue
            if count == most or self._ends.is_set():
                return True
            count += 1
            try:
                sheet = self._workshop.sheets.load(number)
                if failure_name(sheet) in self._workshop.failed or is_of_older_engine(sheet):
                    continue  # until it is changed
                look_over(self._workshop, sheet)
            except _FOR_NOW:
                return False
            except NotFoundError:
                continue  # it was binned meanwhile
            except DomainError as error:
                self._workshop.failed[failure_name(sheet)] = error
            self._looked_over.add((number, sheet.head))
        return False

    def start(self) -> None:
        """Look after trays from now on, until `stop`."""
        works = [self._follow_on]
        works += [self._export_on] if self.exporter is not None else [self._write_on] * _HANDS
        for work in works:
            thread = threading.Thread(target=self._guard, args=(work,), name="trays", daemon=True)
            thread.start()
            self._threads.append(thread)

    def _guard(self, work: object) -> None:
        while not self._ends.is_set():
            try:
                rests = work()  # type: ignore[operator]
            except StoppedError:
                rests = _REST_S
            except Exception:
                log.warning("trays could not be looked after", exc_info=True)
                rests = 4 * _REST_S
            self._ends.wait(rests)

    def _follow_on(self) -> float:
        self.follow_all()
        return 0.0 if self.look_over_some(_AT_ONCE) else _REST_S

    def _export_on(self) -> float:
        assert self.exporter is not None
        return _SHORT_S if self.exporter.step() else _REST_S

    def _write_on(self) -> float:
        assert self.writer is not None
        return 0.0 if self.writer.write_one() else _REST_S

    def finish(self, within_s: float = 600.0) -> None:
        """Do here and now all that there is to do for trays; for tests and commands, which start no threads."""
        latest = time.monotonic() + within_s
        self.follow_all()
        self.look_over_some()
        while self.writer is not None and self.writer.write_one() and time.monotonic() < latest:
            pass
        while self.exporter is not None and self.exporter.step() and time.monotonic() < latest:
            time.sleep(_SHORT_S)

    def stop(self) -> None:
        """Let trays be; what is under way is given up, and goes on when somebody starts again."""
        self._ends.set()
