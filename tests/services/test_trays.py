"""Trays: rules and numbers that sheets share, exceptions that stay, the doubtful first, and all of one written."""

import hashlib
import json
import os
import shutil
import signal
import subprocess
import sys
import time
import zipfile
from contextlib import closing
from pathlib import Path

import huey
import numpy as np
import pytest

from benchmarks.keying import key_file
from benchmarks.trays import serve_redis
from tests.conftest import draw_pad, to_png
from tidymargin.core.base.errors import (
    BadParameterError,
    DamagedFileError,
    NotFoundError,
    StaleHeadError,
    StoppedError,
    UnusableArgumentError,
)
from tidymargin.formats.decode import decode_picture
from tidymargin.formats.recipe import Recipe, change_recipe, read_recipe
from tidymargin.formats.sharing import list_exceptions, share, take_shared
from tidymargin.services.edits import settings
from tidymargin.services.edits.changing import begin
from tidymargin.services.edits.marking import add_area
from tidymargin.services.folder import keeping
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.folder.doctoring import examine
from tidymargin.services.picture.keyjob import Order, read_report
from tidymargin.services.picture.manifest import CSV_NAME, JSON_NAME
from tidymargin.services.trays import writer
from tidymargin.services.trays.exporter import SILENT_S, Exporter
from tidymargin.services.trays.exports import (
    begin_export,
    folder_of,
    list_files,
    list_without_tray,
    stand,
    write_again,
    write_zip,
)
from tidymargin.services.trays.keeper import TrayKeeper
from tidymargin.services.trays.queueing import Jobs, open_queue
from tidymargin.services.trays.trays import make_tray, overview_of, share_of, share_values
from tidymargin.services.workshop.workshop import open_workshop
from tidymargin.store.merging import bring_over


def busy_png(seed=1):
    random = np.random.default_rng(seed)
    return to_png(random.integers(0, 255, (50, 60, 3), np.uint8).repeat(4, 0).repeat(4, 1))


def disc_png(tone):
    """A disc of a tone of its own on white."""
    rows, cols = np.mgrid[:90, :120]
    disc = (rows - 45) ** 2 + (cols - 50) ** 2 < 900
    return to_png(np.where(disc[..., None], (tone, 40, 90), (255, 255, 255)).astype(np.uint8))


def queue_in(folder):
    """A queue that needs no server."""
    return huey.SqliteHuey("queue", filename=str(folder / "queue.db"), results=False)


@pytest.fixture
def keeper(workshop):
    return TrayKeeper(workshop)


@pytest.fixture
def tray(workshop, badge_png):
    sheets = [add_sheet(workshop, badge_png, "badge.png")]
    sheets += [add_sheet(workshop, disc_png(tone), "disc.png") for tone in (10, 60)]
    return make_tray(workshop, "Harbour  prints\n", [sheet.id for sheet in sheets])


def now(workshop, tray):
    """The tray's sheets by number, and its head."""
    tray = workshop.trays.load(tray.id)
    return tray, workshop.trays.list_sheets(tray.id)[::-1]


def test_what_is_shared_reaches_sheets_value_by_value_and_exceptions_and_places_stay():
    own = change_recipe(Recipe(), "reach", tolerance=9, picks=[{"x": 3, "y": 4}], crumbs_px=5)
    own = change_recipe(own, "rim", choke_px=0.5)
    after = change_recipe(Recipe(), "reach", tolerance=4, crumbs_px=7, pinholes_px=3)
    after = change_recipe(after, "export", trim=True)
    after = change_recipe(after, "reach", start="everywhere")
    got = share(Recipe(), after, own)
    assert (got.reach.tolerance, got.reach.crumbs_px, got.reach.pinholes_px) == (9, 5, 3)
    assert (got.reach.start, got.export.trim, got.rim.choke_px) == ("everywhere", True, 0.5)
    assert got.reach.picks == own.reach.picks
    assert set(list_exceptions(after, got)) == {("reach", "tolerance"), ("reach", "crumbs_px"), ("rim", "choke_px")}  # fmt: skip
    # back again, and nothing but what it had of its own is left
    assert share(after, Recipe(), got) == own
    placed = change_recipe(own, "reach", start="picks", guards=[{"colour": "#112233", "x": 1, "y": 2}])  # fmt: skip
    placed = change_recipe(placed, "ground", area=[[0, 0], [9, 0], [9, 9], [0, 9]], kind="paper")
    shared = take_shared(placed)
    assert (shared.ground.area, shared.ground.kind, shared.reach.picks) == ("auto", "paper", ())
    assert (shared.reach.start, shared.reach.guards[0].x) == ("outside", None)
    assert read_recipe(shared.to_json()) == shared


def test_sheets_follow_a_change_as_rows_of_their_own_and_its_undoing_though_the_server_was_ended(workshop, tray, keeper, tmp_path):  # fmt: skip
    assert tray.name == "Harbour prints"
    keeper.follow_all()
    _, sheets = now(workshop, tray)
    assert [len(workshop.sheets.list_states(s.id)) for s in sheets] == [
        1,
        1,
        1,
    ]  # nothing to follow
    own = settings.set_values(
        begin(workshop, sheets[0].id, sheets[0].head), "tolerance", tolerance=2.5
    )
    tuned = settings.set_values(
        begin(workshop, sheets[1].id, sheets[1].head), "tolerance", tolerance=6.0
    )
    tuned = add_area(begin(workshop, tuned.id, tuned.head), "keep", [[(1, 1), (9, 1), (9, 9)]])
    changed = share_of(workshop, tray.id, tray.head, tuned.id)
    assert overview_of(workshop, changed).behind == 3
    with pytest.raises(StaleHeadError):
        share_values(workshop, tray.id, tray.head, "export", {"export": {"trim": True}})
    keeper.stop()
    workshop.close()
    with closing(open_workshop(workshop.folder)) as again:
        keeper = TrayKeeper(again)
        assert keeper.follow_all() == 3
        _, sheets = now(again, tray)
        assert [s.recipe.reach.tolerance for s in sheets] == [2.5, 6.0, 6.0]
        assert not sheets[2].recipe.by_hand.marks
        assert [card.exceptions for card in overview_of(again, changed).cards if card.sheet.id == own.id] == [(("reach", "tolerance"),)]  # fmt: skip
        # one sheet alone goes back, and then the tray does
        again.sheets.undo(sheets[2].id, sheets[2].head)
        undone = again.trays.undo(tray.id, changed.head)
        keeper.follow_all()
        _, sheets = now(again, undone)
        assert [s.recipe.reach.tolerance for s in sheets] == [2.5, "auto", "auto"]


def test_a_tray_names_the_doubtful_first_with_reasons_and_counts_them(workshop, tray, keeper):
    busy = add_sheet(workshop, busy_png(), "cloth.png")
    pad = add_sheet(workshop, draw_pad(), "pad.png")
    workshop.trays.put_in(tray.id, [busy.id, pad.id])
    before = overview_of(workshop, tray)
    assert (before.unknown, before.clean, before.doubtful) == (5, 0, 0)
    keeper.finish()
    cards = overview_of(workshop, now(workshop, tray)[0])
    assert (cards.unknown, cards.behind) == (0, 0)
    assert cards.clean + cards.doubtful == 5
    assert cards.cards[0].sheet.id == busy.id
    assert "no background was found that could be removed" in cards.cards[0].report.reasons
    doubts = [card.doubt for card in cards.cards]
    assert doubts == sorted(doubts, reverse=True)
    # one that is taken out and binned is not among them any more
    workshop.trays.put_in(None, [pad.id])
    keeping.bin_sheet(workshop, busy.id)
    assert len(overview_of(workshop, tray).cards) == 3
    workshop.trays.take_apart(tray.id)
    assert workshop.trays.list_all() == []
    assert len(workshop.trays.list_sheets(None)) == 4


def test_all_of_a_tray_is_written_once_with_a_manifest_though_some_failed_and_it_was_ended_between(workshop, tray, keeper):  # fmt: skip
    bad = add_sheet(workshop, disc_png(99), "lost.png")
    workshop.trays.put_in(tray.id, [bad.id])
    keeper.follow_all()
    export = begin_export(workshop, tray.id)
    assert [job.stem for job in export.jobs] == ["badge", "disc", "disc-2", "lost"]
    (place,) = [p for p in (workshop.folder / "originals").rglob("*") if p.name.startswith(bad.original)]  # fmt: skip
    kept = place.read_bytes()
    place.unlink()
    assert keeper.writer.write_one()
    assert len(stand(workshop, workshop.trays.load_export(export.id)).written) == 1
    keeper.stop()
    workshop.close()
    with closing(open_workshop(workshop.folder)) as again:
        keeper = TrayKeeper(again)
        keeper.finish(60)
        found = again.trays.load_export(export.id)
        standing = stand(again, found)
        assert (len(standing.written), len(standing.failed), standing.is_over) == (3, 1, True)
        with write_zip(again, found) as data, zipfile.ZipFile(data) as archive:
            assert sorted(archive.namelist()) == ["badge.png", "disc-2.png", "disc.png", "manifest.csv", "manifest.json"]  # fmt: skip
            rows = json.loads(archive.read("manifest.json"))["pictures"]
            assert archive.read("disc-2.png") == key_file(disc_png(60), Recipe())
        assert [row["name"] for row in rows if row["failed"]] == ["lost"]
        place.write_bytes(kept)
        write_again(again, export.id)
        keeper.finish(60)
        found = again.trays.load_export(export.id)
        assert len(stand(again, found).written) == 4
        assert all(place.is_file() for job in found.jobs for place in list_files(again, job))


def rename_by_pattern(workshop, tray, names, pattern="auto", pieces=False):
    """Give the tray's sheets names, and all of them a pattern."""
    for sheet, name in zip(now(workshop, tray)[1], names, strict=True):
        keeping.rename_sheet(workshop, sheet.id, name)
    values = {"export": {"pattern": pattern, "pieces": pieces}}
    return share_values(workshop, tray.id, now(workshop, tray)[0].head, "export", values)


def read_names(workshop, export):
    """The names in an export's ZIP, which are those in its manifest, file by file and hash by hash."""
    with write_zip(workshop, workshop.trays.load_export(export.id)) as data, zipfile.ZipFile(data) as archive:  # fmt: skip
        rows = json.loads(archive.read("manifest.json"))["pictures"]
        files = [pair for row in rows for pair in zip(row.get("files", ()), row.get("sha256", ()), strict=True)]  # fmt: skip
        found = [(n, hashlib.sha256(archive.read(n)).hexdigest()) for n in archive.namelist() if n not in (CSV_NAME, JSON_NAME)]  # fmt: skip
        assert files == found
        assert sum(len(row.get("files", ())) for row in rows) == len(files)
        return [name for name, _ in files], [said for row in rows for said in row.get("renamed", ())]  # fmt: skip


def test_no_two_names_in_an_export_are_alike_and_what_was_renamed_is_said(workshop, tray, keeper):
    rename_by_pattern(workshop, tray, ["A.png", "a.png", "b.png"], pattern="cut")
    keeper.follow_all()
    export = begin_export(workshop, tray.id)
    keeper.finish(60)
    assert read_names(workshop, export) == (["cut.png", "cut-2.png", "cut-3.png"], ["cut.png as cut-2.png", "cut.png as cut-3.png"])  # fmt: skip
    # a piece's number beside a sheet of such a name
    rename_by_pattern(workshop, tray, ["q.png", "q-1.png", "Q-1.jpg"], pieces=True)
    keeper.follow_all()
    export = begin_export(workshop, tray.id)
    assert [job.stem for job in export.jobs] == ["q", "q-1", "Q-1-2"]
    keeper.finish(60)
    names, _ = read_names(workshop, export)
    assert len({name.lower() for name in names}) == len(names) == 3
    rename_by_pattern(workshop, tray, ["manifest.png", ".hidden.png", "\u65e5" * 110 + ".png"], pattern="{name}")  # fmt: skip
    keeper.follow_all()
    export = begin_export(workshop, tray.id)
    keeper.finish(60)
    assert read_names(workshop, export)[0][:2] == ["manifest.png", "hidden.png"]


def test_files_that_are_gone_are_not_counted_and_are_written_again_under_their_names(workshop, tray, keeper):  # fmt: skip
    rename_by_pattern(workshop, tray, ["A.png", "B.png", "C.png"], pattern="cut")
    keeper.follow_all()
    export = begin_export(workshop, tray.id)
    keeper.finish(60)
    before = read_names(workshop, export)[0]
    shutil.rmtree(folder_of(workshop, export.id) / str(export.jobs[0].id))
    standing = stand(workshop, workshop.trays.load_export(export.id))
    assert [len(standing.written), len(standing.missing), standing.is_over] == [2, 1, True]
    assert read_names(workshop, export)[0] == before[1:]
    shutil.rmtree(folder_of(workshop, export.id))  # as after a restore
    with pytest.raises(NotFoundError, match="None of the files"):
        write_zip(workshop, workshop.trays.load_export(export.id))
    assert any("3 files of an export" in found.said for found in examine(workshop.folder))
    write_again(workshop, export.id)
    keeper.finish(60)
    assert read_names(workshop, export)[0] == before
    # a file that is not what was written makes no ZIP, and is written again as well
    list_files(workshop, workshop.trays.load_job(export.jobs[1].id))[0].write_bytes(b"spoilt")
    with pytest.raises(DamagedFileError, match=r"cut-2\.png"):
        write_zip(workshop, workshop.trays.load_export(export.id))
    write_again(workshop, export.id)
    keeper.finish(60)
    assert read_names(workshop, export)[0] == before


def test_an_unfinished_export_of_an_older_version_says_so_and_is_written_by_this_one(workshop, tray, keeper, monkeypatch):  # fmt: skip
    keeper.follow_all()
    monkeypatch.setattr("tidymargin.services.trays.exports.ENGINE_VERSION", 1)
    export = begin_export(workshop, tray.id)
    monkeypatch.undo()
    keeper.finish(60)
    standing = stand(workshop, workshop.trays.load_export(export.id))
    assert (len(standing.failed), standing.older) == (3, 3)
    write_again(workshop, export.id)
    keeper.finish(60)
    standing = stand(workshop, workshop.trays.load_export(export.id))
    assert (len(standing.written), standing.older) == (3, 0)


def test_what_is_shared_is_written_though_the_sheets_have_not_got_it_yet(workshop, tray, keeper):
    keeper.follow_all()
    share_values(workshop, tray.id, now(workshop, tray)[0].head, "export", {"export": {"formats": ["webp"]}})  # fmt: skip
    export = begin_export(workshop, tray.id)  # nothing has followed yet
    keeper.finish(60)
    assert read_names(workshop, export)[0] == ["badge.webp", "disc.webp", "disc-2.webp"]


def test_cuts_of_deleted_sheets_go_with_the_bin_and_those_of_no_tray_are_listed(workshop, tray, keeper):  # fmt: skip
    keeper.follow_all()
    export = begin_export(workshop, tray.id)
    keeper.finish(60)
    before = keeping.measure_disk(workshop)
    assert before.exports == sum(p.stat().st_size for p in folder_of(workshop, export.id).rglob("*") if p.is_file())  # fmt: skip
    assert before.total >= before.exports + before.originals
    keeping.bin_sheet(workshop, export.jobs[0].sheet)
    keeping.empty_bin(workshop)
    assert len(workshop.trays.load_export(export.id).jobs) == 2
    assert not (folder_of(workshop, export.id) / str(export.jobs[0].id)).exists()
    workshop.trays.take_apart(tray.id)
    assert [found.export.id for found in list_without_tray(workshop)] == [export.id]
    for job in export.jobs[1:]:
        keeping.bin_sheet(workshop, job.sheet)
    keeping.empty_bin(workshop)
    assert workshop.trays.list_exports() == []
    assert not folder_of(workshop, export.id).exists()
    assert keeping.measure_disk(workshop).exports == 0


def test_what_was_looked_over_is_written_without_being_judged_again_and_as_it_is_cut_alone(workshop, tray, keeper, monkeypatch):  # fmt: skip
    keeper.follow_all()
    keeper.look_over_some()
    monkeypatch.setattr(writer, "report_on", lambda *_: pytest.fail("judged again"))
    export = begin_export(workshop, tray.id)
    keeper.finish(60)
    found = workshop.trays.load_export(export.id)
    written = {job.stem: list_files(workshop, job)[0].read_bytes() for job in found.jobs}
    assert written["disc-2"] == key_file(disc_png(60), Recipe())
    looked_over = overview_of(workshop, workshop.trays.load(tray.id)).cards
    doubts = {card.sheet.id: card.report.doubt for card in looked_over}
    assert {job.sheet: read_report(job.report).doubt for job in found.jobs} == doubts


def test_what_ends_a_job_is_said_unless_it_is_the_server_that_ends(workshop, tray, keeper, monkeypatch):  # fmt: skip
    export = begin_export(workshop, tray.id)

    def fail(error):
        def run(*_, **__):
            raise error

        monkeypatch.setattr(workshop.executor, "run", run)

    fail(StoppedError("The server ends."))
    assert not keeper.writer.write_one()
    fail(MemoryError())
    assert keeper.writer.write_one()
    monkeypatch.undo()
    keeper.finish(60)
    states = [job.state for job in workshop.trays.load_export(export.id).jobs]
    assert states == ["failed", "done", "done"]
    assert "more memory than there is" in workshop.trays.load_export(export.id).jobs[0].said


def test_an_export_can_be_paused_and_stopped_and_an_empty_tray_has_none(workshop, tray, keeper, monkeypatch):  # fmt: skip
    export = begin_export(workshop, tray.id)
    workshop.trays.set_export(export.id, "paused")
    assert not keeper.writer.write_one()
    workshop.trays.set_export(export.id, "working")
    real = writer.write_files

    def meanwhile(*given):
        workshop.trays.set_export(export.id, "stopped")
        return real(*given)

    monkeypatch.setattr(writer, "write_files", meanwhile)
    assert keeper.writer.write_one()
    keeper.finish(5)
    assert not stand(workshop, workshop.trays.load_export(export.id)).written
    with pytest.raises(BadParameterError, match="There are no pictures"):
        begin_export(workshop, make_tray(workshop, "empty").id)


@pytest.fixture
def redis_url():
    """Debian's redis-server on loopback."""
    with serve_redis() as url:
        yield url


@pytest.fixture
def open_there(redis_url):
    """Open the queue on that Redis; what was opened is closed with the test."""
    opened = []

    def open_one():
        opened.append(open_queue(redis_url))
        return opened[-1]

    yield open_one
    for queue in opened:
        queue.storage.pool.disconnect()


def start_worker(url):
    env = {**os.environ, "TIDYMARGIN_QUEUE": url, "PYTHONPATH": os.pathsep.join(sys.path)}
    command = [sys.executable, "-m", "tidymargin.cli", "work"]
    return subprocess.Popen(command, env=env, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)  # fmt: skip


def test_workers_on_redis_write_a_tray_once_though_one_is_killed_and_the_server_is_ended(workshop, tray, redis_url, open_there):  # fmt: skip
    sheets = [add_sheet(workshop, disc_png(120 + n), f"more {n}.png") for n in range(5)]
    workshop.trays.put_in(tray.id, [sheet.id for sheet in sheets])
    export = begin_export(workshop, tray.id)
    clock = [0.0]
    exporter = Exporter(workshop, Jobs(open_there()), lambda: clock[0])
    exporter.step()
    victim = start_worker(redis_url)
    begun = time.monotonic()
    while not any(job.state == "begun" for job in workshop.trays.load_export(export.id).jobs):
        exporter.step()
        assert time.monotonic() - begun < 600
        time.sleep(0.01)
    os.kill(victim.pid, signal.SIGKILL)
    victim.wait()
    workshop.close()
    with closing(open_workshop(workshop.folder)) as again:
        exporter = Exporter(again, Jobs(open_there()), lambda: clock[0])
        worker = start_worker(redis_url)
        while exporter.step():
            clock[0] += 0.05 * SILENT_S  # what is silent is given to another before long
            assert time.monotonic() - begun < 600
            time.sleep(0.1)
        worker.terminate()
        assert worker.wait(30) == 0
        found = again.trays.load_export(export.id)
        assert len(stand(again, found).written) == len(found.jobs) == 8
        with write_zip(again, found) as data, zipfile.ZipFile(data) as archive:
            assert len(archive.namelist()) == len(set(archive.namelist())) == 10
            assert archive.read("more 3.png") == key_file(disc_png(123), Recipe())
    left = exporter.jobs._storage
    assert left.result_store_size() == 0  # nothing of it stays there


def test_a_worker_refuses_another_engine_in_words_and_nothing_on_the_queue_is_more_than_values(tmp_path, badge_png):  # fmt: skip
    queue = queue_in(tmp_path)
    jobs = Jobs(queue)
    older, unread = Order("badge", Recipe().to_json(), 1), Order("badge", Recipe().to_json())
    jobs.put("1", older, badge_png)
    assert jobs.take_one()
    assert jobs.collect("1", older).startswith(
        "The server cuts with engine 1, and this worker with engine"
    )
    jobs.put("2", unread, b"no picture")
    jobs.take_one()
    assert jobs.collect("2", unread).startswith("This file’s content is none of PNG")
    queue.storage.enqueue(b"\x80\x04cos\nsystem\n(S'touch /tmp/never'\ntR.")
    assert jobs.take_one()  # and dropped
    assert not Path("/tmp/never").exists()
    with pytest.raises(UnusableArgumentError, match="No Redis answers"):
        open_queue("redis://127.0.0.1:1/0")
    with pytest.raises(UnusableArgumentError, match="redis://HOST"):
        open_queue("file:///etc")


def test_a_picture_out_of_a_worker_is_what_is_cut_here(tmp_path, badge_png):
    jobs = Jobs(queue_in(tmp_path))
    order = Order("badge", Recipe().to_json())
    jobs.put("1", order, badge_png)
    jobs.take_one()
    ((name, data),), report = jobs.collect("1", order)
    assert (name, report.ground, report.files) == ("badge.png", "flat", ("badge.png",))
    assert data == key_file(badge_png, Recipe())
    assert decode_picture(data).picture.width == report.width
    jobs.forget("1")
    assert jobs.collect("1", order) is None


def test_trays_come_over_with_their_sheets_out_of_another_database(tmp_path, tray, workshop):  # fmt: skip
    share_values(workshop, tray.id, tray.head, "rules", {"reach": {"tolerance": 5}})
    originals = workshop.sheets.list_originals()
    kept = [workshop.originals.load(name) for name in originals]
    workshop.close()
    target = tmp_path / "target"
    with closing(open_workshop(target)) as other:
        add_sheet(other, disc_png(200), "unlike.png")
        for data in kept:
            other.originals.save(data)
    for _ in range(2):  # a second time brings nothing twice
        bring_over(workshop.database, target / workshop.database.name, originals)
    with closing(open_workshop(target)) as other:
        (found,) = other.trays.list_all()
        assert (found.name, read_recipe(found.recipe).reach.tolerance) == ("Harbour prints", 5)
        assert len(other.trays.list_sheets(found.id)) == 3
        assert other.trays.count_sheets(None) == 1
        assert TrayKeeper(other).follow_all() == 3
