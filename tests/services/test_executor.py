"""The one place that computes: what goes first, what is computed once, what stops, and what gives way."""

import threading

import pytest

from tidymargin.core.base.errors import StoppedError
from tidymargin.services.workshop.executor import Executor, Priority


def test_a_job_is_stopped_while_it_waits_and_at_its_next_tick_when_it_runs():
    executor = Executor(workers=1)
    begun, go_on = threading.Event(), threading.Event()

    def long_work():
        executor.tick(0.25)
        begun.set()
        go_on.wait(10)
        executor.tick(0.5)

    running = executor.submit("running", Priority.EXPORT, long_work)
    waiting = executor.submit("waiting", Priority.EXPORT, lambda: None)
    assert begun.wait(10)
    assert (executor.progress("running"), executor.progress("waiting")) == (0.25, 0.0)
    assert executor.stop("waiting")
    assert executor.stop("running")
    go_on.set()
    for future in (running, waiting):
        with pytest.raises(StoppedError):
            future.result(10)
    assert executor.progress("running") is None
    assert not executor.stop("running")
    executor.close()


def test_heavy_jobs_run_together_only_within_the_budget_and_leave_a_worker_to_views():
    executor = Executor(workers=4, budget_bytes=100)
    begun = {name: threading.Event() for name in "abc"}
    go_on = threading.Event()

    def work(name):
        begun[name].set()
        go_on.wait(10)

    jobs = [
        executor.submit(name, Priority.OPENING, lambda name=name: work(name), cost_bytes=cost)
        for name, cost in (("a", 80), ("b", 80), ("c", 10))
    ]
    assert begun["a"].wait(10)
    assert begun["c"].wait(10)  # it fits beside the first; the second has to wait
    assert not begun["b"].is_set()
    assert executor.run("view", Priority.VIEW, lambda: "seen") == "seen"
    go_on.set()
    for job in jobs:
        job.result(10)
    assert begun["b"].is_set()
    executor.close()


def test_a_part_of_a_job_is_computed_once_whoever_comes_to_it_first():
    executor = Executor(workers=1)
    counts = []
    queued = threading.Event()

    def part():
        counts.append(1)
        return 7

    def outer():
        queued.wait(10)
        return executor.run_inside("part", part)  # takes over what still waits in the queue

    job = executor.submit("outer", Priority.VIEW, outer)
    asked = executor.submit("part", Priority.EXPORT, part)
    queued.set()
    assert (job.result(10), asked.result(10), len(counts)) == (7, 7, 1)
    executor.close()


def test_a_name_is_computed_once_however_many_ask():
    executor, calls, gate = Executor(), [], threading.Event()
    futures = [
        executor.submit("same", Priority.VIEW, lambda: (gate.wait(5), calls.append(1), 42)[2])
        for _ in range(20)
    ]
    gate.set()
    assert [future.result(5) for future in futures] == [42] * 20
    assert len(calls) == 1
    executor.close()


def test_the_most_urgent_waiting_job_goes_first_and_errors_reach_who_asked():
    executor, order, gate = Executor(workers=1), [], threading.Event()
    first = executor.submit("block", Priority.EXPORT, lambda: gate.wait(5))
    jobs = [
        executor.submit(kind.name, kind, lambda kind=kind: order.append(kind))
        for kind in (Priority.EXPORT, Priority.THUMBNAIL, Priority.VIEW)
    ]
    moved = executor.submit("EXPORT", Priority.VIEW, lambda: None)  # the same job, now urgent
    gate.set()
    for job in [first, *jobs, moved]:
        job.result(5)
    assert order == [Priority.VIEW, Priority.EXPORT, Priority.THUMBNAIL]
    with pytest.raises(ZeroDivisionError):
        executor.run("bad", Priority.VIEW, lambda: 1 // 0)
    executor.close()


def test_what_is_kept_for_later_gives_way_to_what_is_looked_at_and_can_be_stopped_meanwhile():
    executor = Executor()
    begun, looked, go_on, ticked = (threading.Event() for _ in range(4))

    def keep():
        begun.set()
        looked.wait(10)
        executor.tick(0.5)
        ticked.set()
        return "kept"

    def look():
        looked.set()
        go_on.wait(10)
        return ticked.is_set()

    kept = executor.submit("keep", Priority.KEEPING, keep)
    assert begun.wait(10)
    view = executor.submit("look", Priority.VIEW, look)
    assert looked.wait(10)
    assert not ticked.wait(0.3)
    go_on.set()
    assert view.result(10) is False
    assert kept.result(10) == "kept"

    for each in (begun, looked, go_on, ticked):
        each.clear()
    stopped = executor.submit("keep", Priority.KEEPING, keep)
    assert begun.wait(10)
    view = executor.submit("look", Priority.VIEW, look)
    assert looked.wait(10)
    assert executor.stop("keep")
    with pytest.raises(StoppedError):  # not only once the view is there
        stopped.result(10)
    assert not view.done()
    go_on.set()
    view.result(10)
    executor.close()


def test_what_has_given_way_holds_no_place_of_what_somebody_waits_for():
    executor = Executor()
    begun, go_on, opened = threading.Event(), threading.Event(), threading.Barrier(3, timeout=10)

    def keep():
        begun.set()
        go_on.wait(10)
        executor.tick(0.5)
        return "kept"

    kept = executor.submit("keep", Priority.KEEPING, keep)
    assert begun.wait(10)
    opening = [executor.submit(name, Priority.OPENING, opened.wait) for name in "ab"]
    later = executor.submit("later", Priority.KEEPING, lambda: "later")
    go_on.set()
    opened.wait()  # both are computed at once, beside it
    for job in opening:
        job.result(10)
    assert (kept.result(10), later.result(10)) == ("kept", "later")
    executor.close()
