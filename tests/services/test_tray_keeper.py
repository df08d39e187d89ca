"""What goes on for trays in the background: it goes on whatever happens to one sheet, to the disk or to the server."""

import threading
import time

import pytest

from tests.services.test_trays import busy_png, disc_png
from tidymargin.core.base.errors import NoGroundError, OlderEngineError, StorageFullError
from tidymargin.services.edits import settings
from tidymargin.services.edits.changing import begin
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.trays import exports, trays
from tidymargin.services.trays import keeper as keeping
from tidymargin.services.trays.exports import begin_export, list_files, stand, write_again
from tidymargin.services.trays.keeper import TrayKeeper
from tidymargin.services.trays.trays import failure_name, make_tray, overview_of, share_values
from tidymargin.services.workshop import states
from tidymargin.web.app import create_app
from tidymargin.web.sentences.tray import list_notices


@pytest.fixture
def keeper(workshop):
    return TrayKeeper(workshop)


@pytest.fixture
def tray(workshop):
    sheets = [add_sheet(workshop, disc_png(tone), f"{tone}.png").id for tone in (10, 60, 110)]
    return make_tray(workshop, "Quay", sheets)


def share(workshop, tray, **reach):
    return share_values(workshop, tray.id, workshop.trays.load(tray.id).head, "rules", {"reach": reach})  # fmt: skip


def tolerances(workshop, tray):
    return [s.recipe.reach.tolerance for s in workshop.trays.list_sheets(tray.id)[::-1]]


def wait_until(is_so, within_s=60.0):
    latest = time.monotonic() + within_s
    while not is_so():
        assert time.monotonic() < latest
        time.sleep(0.02)


def test_a_sheet_that_cannot_be_measured_as_is_asked_is_named_and_the_others_follow(workshop, tray, keeper):  # fmt: skip
    busy = add_sheet(workshop, busy_png(), "cloth.png")
    workshop.trays.put_in(tray.id, [busy.id])
    head = workshop.trays.load(tray.id).head
    changed = share_values(workshop, tray.id, head, "rules", {"ground": {"kind": "checker"}})
    keeper.finish(60)
    overview = overview_of(workshop, changed)
    assert overview.behind == 0
    failed = [card for card in overview.cards if card.failed]
    assert busy.id in [card.sheet.id for card in failed]
    assert all("pattern" in card.failed for card in failed)
    assert overview.cards[0].failed  # what cannot be done comes first of all
    assert overview.doubtful >= len(failed)


def test_a_person_who_changes_a_sheet_meanwhile_is_never_written_over(workshop, tray, keeper, monkeypatch):  # fmt: skip
    changed = share(workshop, tray, tolerance=4)
    real = trays.commit_recipe

    def meanwhile(edit, recipe, change):
        sheet = edit.sheet
        if change == "tray" and sheet.name == "60.png" and sheet.undo is None:
            settings.set_values(begin(workshop, sheet.id, sheet.head), "tolerance", tolerance=9)
        return real(edit, recipe, change)

    monkeypatch.setattr(trays, "commit_recipe", meanwhile)
    assert keeper.follow_all() == 2
    assert overview_of(workshop, changed).behind == 1
    keeper.follow_all()
    assert tolerances(workshop, tray) == [4, 9, 4]  # its own by now, and an exception
    assert overview_of(workshop, changed).behind == 0


def test_what_an_older_engine_cut_of_a_tray_stays_and_is_cut_anew_when_that_is_asked(
    workshop, tray, keeper, monkeypatch
):
    keeper.finish(60)
    monkeypatch.setattr(states, "ENGINE_VERSION", states.ENGINE_VERSION + 1)
    changed = share(workshop, tray, tolerance=4)
    keeper.finish(60)
    overview = overview_of(workshop, changed)
    seen = (overview.older, overview.behind, overview.unknown, overview.clean, overview.doubtful)
    assert seen == (3, 0, 0, 0, 0)  # nothing is said to go on, as nothing does
    assert tolerances(workshop, tray) == ["auto"] * 3
    with pytest.raises(OlderEngineError, match="3 of 3 pictures"):
        begin_export(workshop, tray.id)

    gone, *_ = workshop.trays.list_sheets(tray.id)
    trays.renew_all(workshop, tray.id)
    assert overview_of(workshop, changed).renewing == 3
    workshop.sheets.bin(gone.id)
    keeper.finish(60)
    overview = overview_of(workshop, changed)
    assert (overview.older, overview.renewing, overview.unknown) == (0, 0, 0)
    assert tolerances(workshop, tray) == [4, 4]  # and they have got what is shared
    assert not workshop.renewing
    assert len(begin_export(workshop, tray.id).jobs) == 2


def test_a_full_disk_holds_following_up_and_loses_nothing(workshop, tray, keeper, monkeypatch):
    share(workshop, tray, tolerance=4)
    real = trays.commit_recipe
    full = [True]

    def commit(*given):
        if full[0]:
            raise StorageFullError("The disk is full.")
        return real(*given)

    monkeypatch.setattr(trays, "commit_recipe", commit)
    before = [sheet.head for sheet in workshop.sheets.list_all()]
    keeper.follow_all()
    assert [sheet.head for sheet in workshop.sheets.list_all()] == before
    full[0] = False
    keeper.follow_all()
    assert tolerances(workshop, tray) == [4, 4, 4]


def test_files_that_find_no_room_are_said_so_and_written_again_when_asked(workshop, tray, keeper, monkeypatch):  # fmt: skip
    export = begin_export(workshop, tray.id)

    def full(_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(exports.os, "fsync", full)
    keeper.finish(60)
    found = workshop.trays.load_export(export.id)
    standing = stand(workshop, found)
    assert (len(standing.failed), standing.is_over) == (3, True)
    assert "the disk is full" in found.jobs[0].said
    assert not list((workshop.folder / "exports").rglob("*.png"))
    monkeypatch.undo()
    with create_app(workshop).test_request_context():
        (said,) = list_notices(standing)  # what failed alike is named together
    assert said.endswith(f": {found.jobs[0].said}")
    assert all(job.stem in said for job in found.jobs)
    write_again(workshop, export.id)
    keeper.finish(60)
    found = workshop.trays.load_export(export.id)
    assert len(stand(workshop, found).written) == 3
    assert all(place.stat().st_size for job in found.jobs for place in list_files(workshop, job))


def test_threads_follow_look_over_and_write_by_themselves_and_end_when_they_are_told(workshop, tray, keeper):  # fmt: skip
    changed = share(workshop, tray, tolerance=4)
    export = begin_export(workshop, tray.id)
    keeper.start()
    wait_until(lambda: overview_of(workshop, changed).unknown == 0)
    wait_until(lambda: len(stand(workshop, workshop.trays.load_export(export.id)).written) == 3)
    assert tolerances(workshop, tray) == [4, 4, 4]
    keeper.stop()
    for thread in keeper._threads:
        thread.join(10)
        assert not thread.is_alive()


def test_a_thread_goes_on_after_an_error_that_nobody_foresaw(workshop, keeper, monkeypatch):
    monkeypatch.setattr(keeping, "_REST_S", 0.01)
    calls = []
    again = threading.Event()

    def fail_once():
        calls.append(1)
        if len(calls) == 1:
            raise RuntimeError("a share that is away")
        again.set()
        return 0.01

    thread = threading.Thread(target=keeper._guard, args=(fail_once,), daemon=True)
    thread.start()
    assert again.wait(10)
    keeper.stop()
    thread.join(10)
    assert not thread.is_alive()


def test_what_could_not_be_looked_over_is_not_tried_for_ever_and_is_after_a_change(workshop, tray, keeper, monkeypatch):  # fmt: skip
    tried = []

    def fail(_, sheet):
        tried.append(sheet.id)
        raise NoGroundError("There is no ground.")

    keeper.follow_all()
    monkeypatch.setattr(keeping, "look_over", fail)
    for _ in range(3):
        keeper.look_over_some()
    assert sorted(tried) == sorted(sheet.id for sheet in workshop.trays.list_sheets(tray.id))
    cards = overview_of(workshop, workshop.trays.load(tray.id)).cards
    assert all(card.failed == "There is no ground." for card in cards)
    monkeypatch.undo()
    first = workshop.trays.list_sheets(tray.id)[0]
    settings.set_values(begin(workshop, first.id, first.head), "tolerance", tolerance=5)
    assert failure_name(workshop.sheets.load(first.id)) not in workshop.failed
    assert keeper.look_over_some(0)  # there is one to look over again
    keeper.look_over_some()
    cards = overview_of(workshop, workshop.trays.load(tray.id)).cards
    assert [card.sheet.id for card in cards if not card.failed] == [first.id]
