"""Having the jobs of exports done by workers elsewhere, and taking in what comes of them."""

import logging
import time
from collections.abc import Callable
from dataclasses import dataclass

from tidymargin.core.base.errors import DomainError
from tidymargin.services.picture.keyjob import Order
from tidymargin.services.trays.exports import keep_files, sweep_exports
from tidymargin.services.trays.queueing import BEAT_S, Jobs, Outcome, WrongAnswerError
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.store.values import TrayJob

log = logging.getLogger(__name__)

SILENT_S = 15.0
"""After how long without a word from its worker a job is given to another."""

LONGEST_S = 1800.0
"""How long a worker elsewhere may be at one job, whatever it says."""

MOST_TRIES = 3
"""How often a job is given out whose worker was ended, or whose answer was none."""

_AT_ONCE = 16  # jobs that are on the queue with their pictures


@dataclass(slots=True)
class _UnderWay:
    """A job on the queue: its name there, what its worker said last, since when, when it was asked and begun, and how often it was lost."""

    name: str
    beat: bytes | None
    since: float
    asked: float
    begun: float | None = None
    lost: int = 0


class Exporter:
    """Puts the jobs of exports on the queue and collects what comes of them; goes on where it was left.

    Parameters
    ----------
    workshop : Workshop
        Where sheets, and files that are written, are.
    jobs : Jobs
        The queue that the workers are at.
    now : callable, optional
        Seconds that never go back.
    """

    def __init__(
        self, workshop: Workshop, jobs: Jobs, now: Callable[[], float] = time.monotonic
    ) -> None:
        self._workshop = workshop
        self._now = now
        self.jobs = jobs
        self._under_way: dict[int, _UnderWay] = {}
        sweep_exports(workshop, is_start=True)

    def name_job(self, job: TrayJob) -> str:
        """Return the name of a job on the queue: no other folder's, and no other export's of this one."""
        return f"{self._workshop.identity}.{job.token}.{job.id}"

    def step(self) -> bool:
        """Collect what is done and put on the queue what waits; whether anything is still to come."""
        working = self._workshop.trays.list_working()
        left = [job for export in working for job in export.jobs if job.state in ("waiting", "begun")]  # fmt: skip
        wanted = {self.name_job(job) for job in left}
        for number, known in list(self._under_way.items()):
            if known.name not in wanted:
                self._let_go(number, known.name)
        for job in left:
            # what was done before a restart is found when its turn comes
            if job.id in self._under_way or len(self._under_way) < _AT_ONCE:
                self._look_after(job)
        return bool(left)

    def _let_go(self, job_id: int, name: str) -> None:
        """Take a job off the queue, whatever has come of it."""
        self._under_way.pop(job_id, None)
        self.jobs.forget(name)

    def _look_after(self, job: TrayJob) -> None:
        name = self.name_job(job)
        known = self._under_way.get(job.id)
        try:
            outcome = self.jobs.collect(name, _to_order(job))
        except WrongAnswerError as error:
            log.warning("an answer to a job was dropped: %s", error)
            self._give_out_again(job, name, "No worker gave an answer that can be used. Let the workers and the server be of one version of Tidy Margin, and try again.")  # fmt: skip
            return
        if outcome is not None:
            self._take_in(job, outcome)
            self._let_go(job.id, name)
            return
        if known is None:
            self._put(job, name)
            return
        if known.beat is not None and self._now() - known.asked < BEAT_S:
            return
        beat, known.asked = self.jobs.beat_of(name), self._now()
        lasts_s = 0.0 if known.begun is None else self._now() - known.begun
        if lasts_s > LONGEST_S:
            self._fail(job, name, f"The worker gave no answer in {LONGEST_S / 60:.0f} minutes. Check the worker, and try again.")  # fmt: skip
        elif beat != known.beat:
            if known.beat is None:
                self._workshop.trays.set_job(job.id, "begun")
                known.begun = known.asked
            known.beat, known.since = beat, known.asked
        elif self._now() - known.since > SILENT_S:
            if beat is not None:  # its worker was ended
                self._give_out_again(job, name, f"{MOST_TRIES} workers were ended while they cut this picture. It may need more memory than they have.")  # fmt: skip
            elif self.jobs.count_waiting() == 0:  # the queue was emptied
                self._put(job, name)

    def _give_out_again(self, job: TrayJob, name: str, at_last: str) -> None:
        """Put a job on the queue once more, or fail it in words after the last try."""
        known = self._under_way.get(job.id)
        lost = 1 if known is None else known.lost + 1
        if lost >= MOST_TRIES:
            self._fail(job, name, at_last)
            return
        self._put(job, name, lost)

    def _fail(self, job: TrayJob, name: str, said: str) -> None:
        self._workshop.trays.set_job(job.id, "failed", said=said)
        self._let_go(job.id, name)

    def _put(self, job: TrayJob, name: str, lost: int = 0) -> None:
        try:
            data = self._workshop.originals.load(job.original)
        except DomainError as error:
            self._fail(job, name, error.message)
            return
        self.jobs.put(name, _to_order(job), data)
        now = self._now()
        self._under_way[job.id] = _UnderWay(name, None, now, now, lost=lost)

    def _take_in(self, job: TrayJob, outcome: Outcome) -> None:
        if isinstance(outcome, str):
            self._workshop.trays.set_job(job.id, "failed", said=outcome)
        else:
            keep_files(self._workshop, job, *outcome)


def _to_order(job: TrayJob) -> Order:
    return Order(job.stem, job.recipe, job.engine_version, job.original)
