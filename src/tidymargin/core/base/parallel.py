"""Parts of one piece of work, done on every core at once: the kernels let go of the interpreter's lock."""

import os
import threading
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from functools import cache
from typing import Any, TypeVar

import cv2

T = TypeVar("T")
R = TypeVar("R")


_most_cores: int | None = None


def hold_to_cores(cores: int) -> None:
    """Use at most so many cores in this process; to be said before the first work."""
    global _most_cores
    _most_cores = cores
    cv2.setNumThreads(1)


def _count_cores() -> int:
    """Return how many cores this process may use."""
    if _most_cores is not None:
        return _most_cores
    return len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1


@cache
def _helpers() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(_count_cores(), thread_name_prefix="helper")


def work_through(work: Callable[[T], object], parts: Iterable[T]) -> None:
    """Call `work` with each part, in no order, on this thread and on helpers as far as they are free.

    The caller never waits for a helper to become free, so that long work elsewhere holds nothing up. After an
    error no further part is begun; it is raised once those under way have ended.
    """
    left = list(parts)[::-1]
    lock = threading.Lock()

    def take_parts() -> None:
        while True:
            with lock:
                if not left:
                    return
                part = left.pop()
            try:
                work(part)
            except BaseException:
                with lock:
                    left.clear()
                raise

    wanted = min(_count_cores(), len(left)) - 1
    helping = [_helpers().submit(take_parts) for _ in range(wanted)]
    try:
        take_parts()
    finally:
        ended = [helper.exception() for helper in helping if not helper.cancel()]
    for error in ended:
        if error is not None:
            raise error


def work_out(call: Callable[[T], R], parts: Iterable[T]) -> list[R]:
    """Return what `call` makes of each part, in the parts' order; see `work_through`."""
    given = list(parts)
    found: dict[int, R] = {}

    def run(number: int) -> None:
        found[number] = call(given[number])

    work_through(run, range(len(given)))
    return [found[number] for number in range(len(given))]


def run_together(*calls: Callable[[], Any]) -> list[Any]:
    """Return what each call returns, in their order, having run them side by side; see `work_through`."""
    return work_out(lambda call: call(), calls)
