"""The one place that computes: a queue with priorities, one computation per name."""

import heapq
import itertools
import os
import sys
import threading
from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import Future
from dataclasses import dataclass, field
from enum import IntEnum
from typing import Any, TypeVar

import cv2

from tidymargin.core.base.errors import StoppedError
from tidymargin.process import give_memory_back

T = TypeVar("T")

_WORKERS = 4
_BUDGET_BYTES = 3 * 1024**3
_MOST_ASKERS = 1000
_LAST_SECONDS = 20
_NICENESS = 5


class Priority(IntEnum):
    """Who goes first; lower is sooner."""

    VIEW = 0
    OPENING = 1
    THUMBNAIL = 2
    EXPORT = 3
    KEEPING = 4


@dataclass(slots=True, eq=False)
class _Job:
    """One computation, from being asked for to its result."""

    name: str
    priority: Priority
    compute: Callable[[], Any]
    cost_bytes: int
    future: "Future[Any]" = field(default_factory=Future)
    is_started: bool = False
    is_stopped: bool = False
    share: float = 0.0
    waiting: int = 0


class Executor:
    """Worker threads that take the most urgent job first.

    However many ask for a name while it waits or runs, it is computed once. HTTP threads only wait. Who may run:

    - what somebody looks at (VIEW): always;
    - what is waited for (OPENING to EXPORT): while two workers are left to the others;
    - what is only kept for later (KEEPING): one at a time, while nothing above runs. If something above begins, it
      stands still at its next tick until that is done, unless somebody has come to wait for it.

    Whatever it is, jobs run together only as far as their memory stays within the budget.

    Parameters
    ----------
    workers : int
        Threads, 1 or more; 3 and more serve all that is said above.
    budget_bytes : int
        What running jobs together may take; one that alone takes more runs when nothing heavy does.
    """

    def __init__(self, workers: int = _WORKERS, budget_bytes: int = _BUDGET_BYTES) -> None:
        self._ready = threading.Condition()
        self._queue: list[tuple[int, int, _Job]] = []
        self._jobs: dict[str, _Job] = {}
        self._running: list[_Job] = []
        self._numbers = itertools.count()
        self._closed = False
        self._most_waited_for = max(1, workers - 2)
        self._budget = budget_bytes
        self._here = threading.local()
        self._followed: OrderedDict[str, str] = OrderedDict()
        cv2.setNumThreads(1)  # the workers are the parallelism
        self._threads = [
            threading.Thread(target=self._work, name=f"compute-{number}", daemon=True)
            for number in range(workers)
        ]
        for thread in self._threads:
            thread.start()

    def submit(
        self, name: str, priority: Priority, compute: Callable[[], T], *, cost_bytes: int = 0
    ) -> "Future[T]":
        """Queue a computation, or join the one of that name; a more urgent call moves it forward."""
        with self._ready:
            job = self._jobs.get(name)
            if job is None:
                job = self._jobs[name] = _Job(name, priority, compute, cost_bytes)
            elif job.is_started or priority >= job.priority:
                return job.future
            job.priority = priority
            heapq.heappush(self._queue, (priority, next(self._numbers), job))
            self._ready.notify_all()  # jobs that stand still wait for the same
            return job.future

    def run(
        self, name: str, priority: Priority, compute: Callable[[], T], *, cost_bytes: int = 0
    ) -> T:
        """Queue a computation and wait for its result; its error is raised here."""
        future = self.submit(name, priority, compute, cost_bytes=cost_bytes)
        with self._ready:
            job = self._jobs.get(name)
            if job is not None and job.future is future:
                job.waiting += 1
                self._ready.notify_all()
        return future.result()

    def follow(self, asker: str, name: str) -> None:
        """Note what somebody waits for now; what they alone waited for before is stopped."""
        with self._ready:
            before = self._followed.pop(asker, None)
            self._followed[asker] = name
            while len(self._followed) > _MOST_ASKERS:
                self._followed.popitem(last=False)
            job = self._jobs.get(before) if before is not None and before != name else None
            is_alone = job is not None and job.waiting <= 1
        if before is not None and is_alone:
            self.stop(before)

    def run_inside(self, name: str, compute: Callable[[], T]) -> T:
        """Compute a part of the job that calls this, or wait for the worker that is at it already."""
        with self._ready:
            job = self._jobs.get(name)
            is_others = job is not None and job.is_started
            if job is None:
                job = self._jobs[name] = _Job(name, Priority.VIEW, compute, 0)
            if not is_others:
                job.is_started = True
        if not is_others:
            self._finish(job)
        found: T = job.future.result()
        return found

    def tick(self, share: float) -> None:
        """Note how far the calling thread's job has come, 0 to 1.

        Raises
        ------
        StoppedError
            Somebody has stopped it.
        """
        jobs: tuple[_Job, ...] = getattr(self._here, "jobs", ())
        for job in jobs:
            job.share = share
        # a part that others may wait for goes on when only the job that came to it first is given up
        if len(jobs) == 1 and jobs[0].priority == Priority.KEEPING:
            self._stand_still(jobs[0])
        if jobs and jobs[-1].is_stopped:
            raise StoppedError("This was stopped.", hint="Begin it again when you want it.")

    def _stand_still(self, job: _Job) -> None:
        """Wait as long as what is only kept for later is in the way of others."""
        with self._ready:
            self._ready.wait_for(
                lambda: not self._is_in_the_way(job) or job.is_stopped or self._closed
            )

    def _is_in_the_way(self, job: _Job) -> bool:
        """Whether a job that nobody waits for would run beside one that somebody does."""
        return job.waiting == 0 and any(o.priority < Priority.KEEPING for o in self._running)

    def progress(self, name: str) -> float | None:
        """Return how far a job has come, 0 while it waits, None when there is none of that name."""
        with self._ready:
            job = self._jobs.get(name)
            return None if job is None else job.share

    def stop(self, name: str) -> bool:
        """Stop a job: at once while it waits, at its next tick when it runs; False without one."""
        with self._ready:
            job = self._jobs.pop(name, None)  # whoever asks from now on begins anew
            if job is None:
                return False
            job.is_stopped = True
            self._ready.notify_all()
            if job.is_started:
                return True
        job.future.set_exception(StoppedError("This was stopped."))
        return True

    def close(self) -> None:
        """Stop what is being computed at its next tick and wait for the workers to end."""
        with self._ready:
            self._closed = True
            for job in self._jobs.values():
                job.is_stopped = True
            self._ready.notify_all()
        for thread in self._threads:
            thread.join(_LAST_SECONDS)

    def _may_run(self, job: _Job) -> bool:
        if job.priority == Priority.KEEPING:
            if self._is_in_the_way(job) or any(o.priority == job.priority for o in self._running):
                return False
        elif job.priority > Priority.VIEW:
            # one that stands still is not among them, though it has a worker
            waited_for = [o for o in self._running if Priority.VIEW < o.priority < Priority.KEEPING]
            if len(waited_for) >= self._most_waited_for:
                return False
        held = sum(other.cost_bytes for other in self._running)
        return held == 0 or held + job.cost_bytes <= self._budget

    def _take(self) -> _Job | None:
        """Take the most urgent job that may run now off the queue."""
        put_back = []
        found = None
        while self._queue and found is None:
            entry = heapq.heappop(self._queue)
            job = entry[2]
            if self._jobs.get(job.name) is not job or job.is_started:
                continue  # stopped, or moved forward earlier and taken by now
            if self._may_run(job):
                found = job
            else:
                put_back.append(entry)
        for entry in put_back:
            heapq.heappush(self._queue, entry)
        return found

    def _work(self) -> None:
        # threads that answer pages go first; on Linux each thread has a niceness, and its helpers inherit it
        if sys.platform == "linux":
            os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), _NICENESS)
        while True:
            with self._ready:
                job = self._take()
                while job is None and not self._closed:
                    self._ready.wait()
                    job = self._take()
                if job is None or self._closed:
                    return
                job.is_started = True
                self._running.append(job)
            self._finish(job)

    def _finish(self, job: _Job) -> None:
        """Compute a job in this thread and hand its result or error to whoever waits."""
        jobs = getattr(self._here, "jobs", ())
        self._here.jobs = (*jobs, job)
        result, failure = None, None
        try:
            result = job.compute()
        except BaseException as error:  # noqa: BLE001 - handed to whoever waits
            failure = error
        self._here.jobs = jobs
        if job.cost_bytes:  # or what is left over of one large job adds to the next one's peak
            give_memory_back()
        with self._ready:
            if self._jobs.get(job.name) is job:
                del self._jobs[job.name]
            if job in self._running:
                self._running.remove(job)
            self._ready.notify_all()
        if failure is None:
            job.future.set_result(result)
        else:
            job.future.set_exception(failure)
