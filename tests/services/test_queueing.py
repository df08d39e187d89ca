"""Jobs on the queue: done once, refused in words, and whatever a worker gives back can do no harm."""

import hashlib
import io
import json
import time
import zipfile
from contextlib import closing
from pathlib import Path

import pytest

from tests.services.test_trays import disc_png, queue_in
from tidymargin.core.base.errors import NotFoundError
from tidymargin.formats.recipe import Recipe
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.picture.keyjob import Order, read_report
from tidymargin.services.trays import queueing
from tidymargin.services.trays.exporter import LONGEST_S, MOST_TRIES, SILENT_S, Exporter
from tidymargin.services.trays.exports import begin_export, folder_of
from tidymargin.services.trays.queueing import Jobs, WrongAnswerError, unpack_outcome
from tidymargin.services.trays.trays import make_tray
from tidymargin.services.workshop.workshop import open_workshop

ORDER = Order("disc", Recipe().to_json())


@pytest.fixture
def jobs(tmp_path):
    return Jobs(queue_in(tmp_path))


def pack(report, files, order="", method=zipfile.ZIP_STORED):
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", method) as archive:
        archive.writestr("order.txt", order)
        archive.writestr("report.json", json.dumps(report))
        for number, data in enumerate(files):
            archive.writestr(f"files/{number}", data)
    return out.getvalue()


def report_of(*names, body=b"x"):
    return {
        "sha256": [hashlib.sha256(body).hexdigest()] * len(names), "renamed": [],
        "files": list(names), "width": 1, "height": 1, "ground": "flat", "nature": "ink", "faults": 0, "severe": 0,
        "doubt": 0.0, "to_look_at": False, "reasons": [], "box": None,
    }  # fmt: skip


def test_a_job_says_that_it_is_done_while_it_is_and_is_not_done_twice(jobs, monkeypatch):
    monkeypatch.setattr(queueing, "BEAT_S", 0.02)
    calls, seen = [], []
    real = queueing.do_order

    def slow(data, order):
        calls.append(order)
        for _ in range(20):
            seen.append(jobs.beat_of("1"))
            time.sleep(0.01)
        return real(data, order)

    monkeypatch.setattr(queueing, "do_order", slow)
    for _ in range(2):  # given out twice
        jobs.put("1", ORDER, disc_png(30))
    assert jobs.beat_of("1") is None
    assert jobs.take_one()
    assert jobs.take_one()
    assert not jobs.take_one()
    assert len(calls) == 1
    assert len(set(seen)) > 2
    files, report = jobs.collect("1", ORDER)
    assert [name for name, _ in files] == list(report.files) == ["disc.png"]
    jobs.forget("1")
    assert jobs._storage.result_store_size() == 0


def test_a_job_that_was_taken_back_is_not_begun_and_what_comes_too_late_is_dropped(jobs, monkeypatch):  # fmt: skip
    jobs.put("1", ORDER, disc_png(30))
    jobs.forget("1")
    assert jobs.take_one()
    assert jobs.collect("1", ORDER) is None
    real = queueing.do_order

    def meanwhile(data, order):
        jobs.forget("2")  # another worker was quicker, and that was collected
        return real(data, order)

    monkeypatch.setattr(queueing, "do_order", meanwhile)
    jobs.put("2", ORDER, disc_png(30))
    jobs.take_one()
    assert jobs.collect("2", ORDER) is None
    assert jobs._storage.result_store_size() == 0


@pytest.mark.parametrize(
    ("error", "said"),
    [
        (MemoryError(), "more memory than there is"),
        (RuntimeError("of ours"), "the fault is ours"),
        (NotFoundError("It is gone.", hint="Add it again."), "It is gone. Add it again."),
    ],
)
def test_whatever_goes_wrong_in_a_job_is_said_in_words(jobs, monkeypatch, error, said):
    def fail(*_):
        raise error

    monkeypatch.setattr(queueing, "do_order", fail)
    jobs.put("1", ORDER, disc_png(30))
    jobs.take_one()
    assert said in jobs.collect("1", ORDER)


HOSTILE = [
    b"", b"null", b"[1]", b'{"message": 5}', b"\x80\x04K\x01.", b"[" * 100_000, b'{"job": "a", "order": null}',
    b'{"job": "../up", "order": {"stem": "a", "recipe": "{}"}}', b'{"job": 5, "order": {"stem": "a", "recipe": "{}"}}',
    b'{"job": "a", "order": {"stem": "a", "recipe": "{}", "engine_version": ' + b"9" * 401 + b"}}",
    b'{"job": "a", "order": {"stem": "a", "recipe": "{}", "retries": 1e9}}', b"\xff\xfe" * 50, b'{"job": "a"}' * 2,
]  # fmt: skip


def test_what_is_no_job_is_dropped_and_said_once_and_the_next_one_is_done(jobs, caplog):
    for message in HOSTILE * 3:
        jobs._storage.enqueue(message)
    jobs.put("1", ORDER, disc_png(30))
    while jobs.take_one():
        pass
    assert jobs.collect("1", ORDER)[1].files == ("disc.png",)
    assert caplog.text.count("no job of this version") == 1


@pytest.fixture
def tray_job(workshop):
    """A tray of one sheet, an exporter with a clock as for workers elsewhere, and its job once that is on the queue."""
    sheet = add_sheet(workshop, disc_png(30), "disc.png")
    tray = make_tray(workshop, "T", [sheet.id])
    clock = [0.0]
    exporter = Exporter(workshop, Jobs(queue_in(workshop.folder)), lambda: clock[0])
    (job,) = begin_export(workshop, tray.id).jobs
    exporter.step()
    return exporter, job, clock


def answer(exporter, job, data):
    exporter.jobs._storage.put_data(f"out:{exporter.name_job(job)}", data)
    exporter.step()
    return exporter._workshop.trays.load_job(job.id)


def digest_of(exporter, job):
    return Order(job.stem, job.recipe, job.engine_version, job.original).digest(
        exporter.name_job(job)
    )


@pytest.mark.parametrize(
    "name", ["../../up.png", "/abs.png", "a/b.png", ".hidden", "..", "", "a\\b.png", "x" * 300]
)
def test_what_a_worker_gives_back_is_never_laid_outside_of_its_folder(workshop, tray_job, name):
    exporter, job, _ = tray_job
    found = answer(exporter, job, pack(report_of(name), [b"x"], digest_of(exporter, job)))
    assert found.state == "waiting"  # it is done again
    assert not [p for p in folder_of(workshop, job.export).rglob("*") if p.is_file()]
    assert not list(Path(workshop.folder).glob("**/up.png"))
    assert not Path("/abs.png").exists()
    assert exporter.jobs.count_waiting() == 2
    for _ in range(MOST_TRIES - 1):
        found = answer(exporter, job, pack(report_of(name), [b"x"], digest_of(exporter, job)))
    assert (found.state, exporter.step()) == ("failed", False)
    assert "No worker gave an answer" in found.said


def test_two_files_of_one_name_out_of_a_worker_are_both_kept(workshop, tray_job):
    exporter, job, _ = tray_job
    found = answer(
        exporter,
        job,
        pack(report_of("same.png", "SAME.png"), [b"x", b"x"], digest_of(exporter, job)),
    )
    assert found.state == "done"
    assert sorted(p.name for p in folder_of(workshop, job.export).rglob("*.png")) == [
        "SAME-2.png",
        "same.png",
    ]
    assert read_report(found.report).renamed == ("SAME.png as SAME-2.png",)


WRONG = [b"", b"PK", b"no zip", pack({"files": ["a.png"]}, []), pack(report_of("a.png"), []), pack("text", []),
         pack(report_of("a.png"), [b"other bytes"]), pack(report_of("a.png") | {"more": 1}, [b"x"]), pack([[]] * 10, [])]  # fmt: skip


@pytest.mark.parametrize("wrong", WRONG)
def test_an_answer_that_is_none_is_dropped_and_the_job_done_again(tray_job, wrong):
    exporter, job, _ = tray_job
    assert answer(exporter, job, wrong).state == "waiting"
    assert exporter.jobs.take_one()
    assert exporter.jobs.take_one()
    exporter.step()
    assert exporter._workshop.trays.load_job(job.id).state == "done"
    assert exporter.jobs._storage.result_store_size() == 0


def test_an_answer_is_taken_only_for_the_order_that_asked_for_it(workshop, tray_job):
    exporter, job, _ = tray_job
    other = Order(job.stem, job.recipe, job.engine_version, "0" * 64)
    for order in (other.digest(exporter.name_job(job)), digest_of(exporter, job)[::-1]):
        assert answer(exporter, job, pack(report_of("a.png"), [b"x"], order)).state == "waiting"
    # another picture under this job's name is not keyed for it
    exporter.jobs._storage.put_data(f"in:{exporter.name_job(job)}", disc_png(99))
    exporter.jobs.take_one()
    assert exporter.jobs.collect(exporter.name_job(job), Order(job.stem, job.recipe, job.engine_version, job.original)) is None  # fmt: skip


def test_no_two_data_folders_or_exports_name_a_job_alike(workshop, tray_job, tmp_path):
    exporter, job, _ = tray_job
    with closing(open_workshop(tmp_path / "other")) as other:
        sheet = add_sheet(other, disc_png(60), "disc.png")
        (theirs,) = begin_export(other, make_tray(other, "T", [sheet.id]).id).jobs
        assert (theirs.id, theirs.export) == (job.id, job.export)
        assert Exporter(other, exporter.jobs).name_job(theirs) != exporter.name_job(job)
        identity = other.identity
    with closing(open_workshop(tmp_path / "other")) as again:
        assert again.identity == identity != workshop.identity
    before = exporter.name_job(job)
    workshop.trays.do_again(job.export, [job.id], job.engine_version)
    assert exporter.name_job(workshop.trays.load_job(job.id)) != before


def test_nothing_in_an_answer_becomes_larger_than_what_came():
    with pytest.raises(WrongAnswerError, match="packed"):
        unpack_outcome(pack(report_of("a.png"), [bytes(1000)], method=zipfile.ZIP_DEFLATED), "")
    assert read_report(json.dumps(report_of("a.png"))).files == ("a.png",)


def test_a_job_that_ends_its_workers_is_given_up_in_words_and_one_that_lasts_for_ever_too(
    workshop, tray_job
):
    exporter, job, clock = tray_job
    beats = iter(range(10**6))

    def be_silent(long_s):
        exporter.jobs._storage.put_data(f"beat:{exporter.name_job(job)}", str(next(beats)).encode())
        clock[0] += 3
        exporter.step()
        clock[0] += long_s
        exporter.step()
        return workshop.trays.load_job(job.id)

    states = [be_silent(SILENT_S + 1).state for _ in range(MOST_TRIES)]
    assert states == ["begun"] * (MOST_TRIES - 1) + ["failed"]
    assert "workers were ended" in workshop.trays.load_job(job.id).said
    workshop.trays.do_again(job.export, [job.id], job.engine_version)
    job = workshop.trays.load_job(job.id)
    exporter.step()
    found = job
    while found.state != "failed" and clock[0] < 2 * LONGEST_S:
        found = be_silent(SILENT_S - 5)
    assert "no answer in 30 minutes" in found.said


def test_a_silent_workers_job_is_given_to_another_and_a_busy_ones_is_not(workshop, tmp_path):
    sheet = add_sheet(workshop, disc_png(30), "disc.png")
    tray = make_tray(workshop, "T", [sheet.id])
    clock = [0.0]
    exporter = Exporter(workshop, Jobs(queue_in(tmp_path)), lambda: clock[0])
    begin_export(workshop, tray.id)
    exporter.step()
    storage = exporter.jobs._storage
    name = exporter.name_job(workshop.trays.load_job(1))
    assert exporter.jobs.count_waiting() == 1
    storage.dequeue()  # somebody takes it, and says so for a while
    for beat in range(5):
        storage.put_data(f"beat:{name}", str(beat).encode())
        clock[0] += 10
        exporter.step()
        assert storage.queue_size() == 0
    assert workshop.trays.load_job(1).state == "begun"
    clock[0] += 16
    exporter.step()
    assert storage.queue_size() == 1
    assert exporter.jobs.take_one()
    exporter.step()
    assert workshop.trays.load_job(1).state == "done"
