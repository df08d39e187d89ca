"""Trays as they are stored: a tray's states, which sheets lie in it, and jobs of which each is done once."""

import pytest

from tidymargin.core.base.errors import NotFoundError, StaleHeadError
from tidymargin.services.folder.bringing import keep_picture
from tidymargin.services.folder.keeping import bin_sheet, take_out
from tidymargin.store.values import NewJob


@pytest.fixture
def trays(workshop):
    return workshop.trays


@pytest.fixture
def sheets(workshop, badge_png):
    return [keep_picture(workshop, badge_png, f"{n}.png").id for n in range(4)]


def ids(sheets):
    return [sheet.id for sheet in sheets]


def new_job(number, stem="a"):
    return NewJob(number, stem, "0" * 64, "{}", 18)


def test_a_trays_states_go_on_and_back_and_a_stale_page_changes_nothing(trays):
    tray = trays.add("Quay", '{"n": 0}')
    assert (tray.recipe, tray.undo) == ('{"n": 0}', None)
    first = trays.commit(tray.id, tray.head, '{"n": 1}', "rules")
    second = trays.commit(tray.id, first.head, '{"n": 2}', "export")
    assert (second.recipe, second.undo) == ('{"n": 2}', "export")
    for seen in (tray.head, first.head, 999):
        with pytest.raises(StaleHeadError):
            trays.commit(tray.id, seen, '{"n": 3}', "rules")
        with pytest.raises(StaleHeadError):
            trays.undo(tray.id, seen)
    back = trays.undo(tray.id, second.head)
    assert (back.head, back.recipe, back.undo) == (first.head, '{"n": 1}', "rules")
    start = trays.undo(tray.id, back.head)
    assert trays.undo(tray.id, start.head) == start  # there is nothing before it
    assert [trays.load_recipe(n) for n in (first.head, second.head, None, 99)] == ['{"n": 1}', '{"n": 2}', None, None]  # fmt: skip
    # what was left is not taken up again by a number
    anew = trays.commit(tray.id, start.head, '{"n": 4}', "rules")
    assert anew.head > second.head


def test_a_sheet_lies_in_one_tray_at_most_and_the_bin_takes_it_out_of_sight(trays, workshop, sheets):  # fmt: skip
    one, other = trays.add("One", "{}"), trays.add("Other", "{}")
    trays.put_in(one.id, sheets[:3])
    trays.put_in(other.id, sheets[2:])
    assert ids(trays.list_sheets(one.id)) == [sheets[1], sheets[0]]
    assert ids(trays.list_sheets(other.id)) == [sheets[3], sheets[2]]
    assert trays.count_sheets(None) == 0
    bin_sheet(workshop, sheets[0])
    assert ids(trays.list_sheets(one.id)) == [sheets[1]]
    take_out(workshop, sheets[0])
    assert trays.count_sheets(one.id) == 2  # where it was
    trays.put_in(None, sheets)
    assert ids(trays.list_sheets(None, most=2)) == [sheets[3], sheets[2]]
    with pytest.raises(NotFoundError):
        trays.put_in(77, sheets)
    assert trays.count_sheets(None) == 4
    trays.put_in(one.id, [])
    trays.take_apart(one.id)
    assert [tray.name for tray in trays.list_all()] == ["Other"]
    with pytest.raises(NotFoundError):
        trays.load(one.id)


def test_who_is_behind_is_known_by_the_state_that_each_sheet_has(trays, sheets):
    tray = trays.add("Quay", "{}")
    trays.put_in(tray.id, sheets)
    assert ids(trays.list_behind(tray)) == sheets
    for number in sheets[:2]:
        trays.note_followed(number, tray.head)
    assert ids(trays.list_behind(tray)) == sheets[2:]
    then = trays.commit(tray.id, tray.head, '{"n": 1}', "rules")
    assert ids(trays.list_behind(then)) == sheets
    trays.note_followed(sheets[3], then.head)
    trays.put_in(tray.id, [sheets[3]])  # it lies there already, and is not behind for that
    assert ids(trays.list_behind(then)) == sheets[:3]
    trays.put_in(None, [sheets[3]])
    trays.put_in(tray.id, [sheets[3]])
    assert sheets[3] in ids(trays.list_behind(then))


def test_a_job_that_is_done_stays_done_whatever_comes_later(trays):
    tray = trays.add("Quay", "{}")
    export = trays.begin_export(tray, [new_job(1), new_job(2, "b"), new_job(3, "c")])
    first, second, third = export.jobs
    assert ({job.state for job in export.jobs}, export.name) == ({"waiting"}, "Quay")
    assert len({job.token for job in export.jobs}) == 3
    assert trays.set_job(first.id, "begun")
    assert trays.set_job(first.id, "done", report='{"n": 1}')
    assert not trays.set_job(first.id, "failed", said="too late")
    assert not trays.set_job(first.id, "begun")
    found = trays.load_job(first.id)
    assert (found.state, found.said, found.report) == ("done", "", '{"n": 1}')
    trays.set_job(second.id, "failed", said="No ground.")
    trays.set_job(third.id, "done", report="{}")
    trays.set_export(export.id, "stopped")
    trays.do_again(export.id, [second.id], 99)
    found = trays.load_export(export.id)
    assert [job.state for job in found.jobs] == ["done", "waiting", "done"]
    assert (found.jobs[1].said, found.jobs[1].engine_version, found.state) == ("", 99, "working")
    assert found.jobs[1].token != second.token
    trays.set_job(second.id, "begun")
    assert trays.load_job(first.id).report == '{"n": 1}'


def test_exports_are_listed_by_tray_set_and_forgotten_with_their_jobs(trays):
    one, other = trays.add("One", "{}"), trays.add("Other", "{}")
    made = [trays.begin_export(tray, [new_job(1)]) for tray in (one, other, one)]
    assert [each.id for each in trays.list_exports()] == [3, 2, 1]
    assert [each.id for each in trays.list_exports(one.id)] == [3, 1]
    trays.set_export(3, "paused")
    assert trays.load_export(3).state == "paused"
    trays.take_apart(other.id)  # what was written of it stays
    assert [each.id for each in trays.list_exports(other.id)] == [2]
    trays.forget_export(1)
    for missing in (lambda: trays.load_export(1), lambda: trays.load_job(made[0].jobs[0].id)):
        with pytest.raises(NotFoundError):
            missing()
    assert len(trays.list_exports()) == 2
