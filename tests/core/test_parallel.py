"""Parts done on every core: all of them once, errors told, and nobody waits for a helper that is busy."""

import threading

import pytest

from tidymargin.core.base.parallel import run_together, work_out, work_through


def test_every_part_is_done_once_and_results_keep_their_order():
    done = []
    work_through(done.append, range(500))
    assert sorted(done) == list(range(500))
    assert work_out(lambda n: n * n, range(20)) == [n * n for n in range(20)]
    assert run_together(lambda: "one", lambda: 2) == ["one", 2]


def test_an_error_is_raised_and_no_further_part_is_begun():
    begun = []

    def work(part):
        begun.append(part)
        if part == 3:
            raise ValueError("part 3")

    with pytest.raises(ValueError, match="part 3"):
        work_through(work, range(1000))
    assert len(begun) < 1000


def test_work_ends_while_every_helper_is_held_up_elsewhere():
    release, held = threading.Event(), []

    def hold(part):
        held.append(part)
        release.wait(30)

    others = [threading.Thread(target=work_through, args=(hold, range(50))) for _ in range(2)]
    for other in others:
        other.start()
    try:
        done = []
        work_through(lambda part: work_through(done.append, [part, part]), range(10))
        assert sorted(done) == sorted(2 * list(range(10)))
        assert len(held) < 100
    finally:
        release.set()
        for other in others:
            other.join()
    assert len(held) == 100
