"""The one place that computes: a queue with priorities, one computation per name."""

import heapq
import itertools
import threading
from collections.abc import Callable
from concurrent.futures import Future
from enum import IntEnum
from typing import Any, TypeVar

import cv2

T = TypeVar("T")

_WORKERS = 2


class Priority(IntEnum):
    """Who goes first; lower is sooner."""

    VIEW = 0
    OPENING = 1
    THUMBNAIL = 2
    EXPORT = 3


class Executor:
    """Worker threads that take the most urgent job first.

    However many ask for a name while it waits or runs, it is computed once. HTTP threads only wait.
    """

    def __init__(self, workers: int = _WORKERS) -> None:
        self._ready = threading.Condition()
        self._queue: list[tuple[int, int, str]] = []
        self._jobs: dict[str, tuple[Callable[[], Any], Future[Any]]] = {}
        self._started: set[str] = set()
        self._numbers = itertools.count()
        self._closed = False
        cv2.setNumThreads(1)  # the workers are the parallelism
        for number in range(workers):
            threading.Thread(target=self._work, name=f"compute-{number}", daemon=True).start()

    def submit(self, name: str, priority: Priority, compute: Callable[[], T]) -> "Future[T]":
        """Queue a computation, or join the one of that name; a more urgent call moves it forward."""
        with self._ready:
            if name in self._jobs:
                future: Future[T] = self._jobs[name][1]
                if name not in self._started:
                    heapq.heappush(self._queue, (priority, next(self._numbers), name))
                return future
            future = Future()
            self._jobs[name] = (compute, future)
            heapq.heappush(self._queue, (priority, next(self._numbers), name))
            self._ready.notify()
            return future

    def run(self, name: str, priority: Priority, compute: Callable[[], T]) -> T:
        """Queue a computation and wait for its result; its error is raised here."""
        return self.submit(name, priority, compute).result()

    def close(self) -> None:
        """Let the workers end after what they are computing now."""
        with self._ready:
            self._closed = True
            self._ready.notify_all()

    def _work(self) -> None:
        while True:
            with self._ready:
                while not self._queue and not self._closed:
                    self._ready.wait()
                if self._closed:
                    return
                _, _, name = heapq.heappop(self._queue)
                if name not in self._jobs or name in self._started:
                    continue  # moved forward earlier, and done or running by now
                self._started.add(name)
                compute, future = self._jobs[name]
            result, failure = None, None
            try:
                result = compute()
            except BaseException as error:  # noqa: BLE001 - handed to whoever waits
                failure = error
            with self._ready:
                del self._jobs[name]
                self._started.discard(name)
            if failure is None:
                future.set_result(result)
            else:
                future.set_exception(failure)
