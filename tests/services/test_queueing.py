"""Jobs on the queue: done once, refused in words, and whatever a worker gives back can do no harm."""

import io
import json
import time
import zipfile
from pathlib import Path

import pytest

from tests.services.test_trays import disc_png
from tidymargin.core.base.errors import NotFoundError, StoppedError
from tidymargin.formats.recipe import Recipe
from tidymargin.services import queueing
from tidymargin.services.bringing import add_sheet
from tidymargin.services.keyjob import Order, read_report
from tidymargin.services.queueing import Jobs, JsonSerializer, open_queue, unpack_outcome
from tidymargin.services.tray_exports import Exporter, begin_export, folder_of
from tidymargin.services.trays import make_tray

ORDER = Order("disc", Recipe().to_json())


@pytest.fixture
def jobs(tmp_path):
    return Jobs(open_queue(tmp_path))


def pack(report, files):
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("report.json", json.dumps(report))
        for number, data in enumerate(files):
            archive.writestr(f"files/{number}", data)
    return out.getvalue()


def report_of(*names):
    return {
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
    files, report = jobs.collect("1")
    assert [name for name, _ in files] == list(report.files) == ["disc.png"]
    jobs.forget("1")
    assert jobs.queue.storage.result_store_size() == 0


def test_a_job_that_was_taken_back_is_not_begun_and_what_comes_too_late_is_dropped(jobs, monkeypatch):  # fmt: skip
    jobs.put("1", ORDER, disc_png(30))
    jobs.forget("1")
    assert jobs.take_one()
    assert jobs.collect("1") is None
    real = queueing.do_order

    def meanwhile(data, order):
        jobs.forget("2")  # another worker was quicker, and that was collected
        return real(data, order)

    monkeypatch.setattr(queueing, "do_order", meanwhile)
    jobs.put("2", ORDER, disc_png(30))
    jobs.take_one()
    assert jobs.collect("2") is None
    assert jobs.queue.storage.result_store_size() == 0


@pytest.mark.parametrize(
    ("error", "said"),
    [
        (MemoryError(), "more memory than there is"),
        (RuntimeError("of ours"), "our own fault"),
        (NotFoundError("It is gone.", hint="Add it again."), "It is gone. Add it again."),
    ],
)
def test_whatever_goes_wrong_in_a_job_is_said_in_words(jobs, monkeypatch, error, said):
    def fail(*_):
        raise error

    monkeypatch.setattr(queueing, "do_order", fail)
    jobs.put("1", ORDER, disc_png(30))
    jobs.take_one()
    assert said in jobs.collect("1")


def test_a_job_that_is_stopped_gives_nothing_and_can_be_done_again(tmp_path):
    stops = [True]

    def run(_, compute):
        if stops.pop():
            raise StoppedError("The server ends.")
        return compute()

    stops.insert(0, False)
    jobs = Jobs(open_queue(tmp_path), lambda _: disc_png(30), run)
    for wanted in (None, "disc.png"):
        jobs.put("1", ORDER, None)
        jobs.take_one()
        found = jobs.collect("1")
        assert (found and found[0][0][0]) == wanted


def test_messages_are_values_and_nothing_else_is_read(tmp_path):
    serializer = JsonSerializer()
    queue = open_queue(tmp_path)
    jobs = Jobs(queue)
    jobs.put("1", ORDER, b"x")
    (message,) = queue.storage.enqueued_items()
    assert json.loads(message)["message"][1].endswith("key")
    for bad in (b"", b"null", b"[1]", b'{"message": 5}', b"\x80\x04K\x01."):
        with pytest.raises((ValueError, TypeError, UnicodeDecodeError, KeyError)):
            serializer.deserialize(bad)


def test_what_a_worker_gives_back_is_never_laid_outside_of_its_folder(workshop):
    sheet = add_sheet(workshop, disc_png(30), "disc.png")
    tray = make_tray(workshop, "T", [sheet.id])
    exporter = Exporter(workshop)
    for names in (["../../up.png"], ["/abs.png"], ["a/b.png"], [".hidden"], [".."], ["same.png", "same.png"]):  # fmt: skip
        export = begin_export(workshop, tray.id)
        (job,) = export.jobs
        exporter.step()
        exporter.jobs.queue.storage.put_data(f"out:{exporter._name(job.id)}", pack(report_of(*names), [b"x"] * len(names)))  # fmt: skip
        exporter.step()
        job = workshop.trays.load_job(job.id)
        assert job.state == "failed", names
        assert "could not be kept" in job.said
        assert not [p for p in folder_of(workshop, export.id).rglob("*") if p.is_file()]
    assert not list(Path(workshop.folder).glob("**/up.png"))
    assert not Path("/abs.png").exists()


@pytest.mark.parametrize(
    "outcome", [b"", b"PK", b"no zip", pack({"files": ["a.png"]}, []), pack(report_of("a.png"), []), pack("text", [])]
)  # fmt: skip
def test_what_a_worker_gives_back_that_cannot_be_read_is_said_so(workshop, outcome):
    sheet = add_sheet(workshop, disc_png(30), "disc.png")
    tray = make_tray(workshop, "T", [sheet.id])
    exporter = Exporter(workshop)
    (job,) = begin_export(workshop, tray.id).jobs
    exporter.step()
    exporter.jobs.queue.storage.put_data(f"out:{exporter._name(job.id)}", outcome)
    exporter.step()
    job = workshop.trays.load_job(job.id)
    assert (job.state, job.said) == ("failed", "What the worker gave back cannot be read. Do it again.")  # fmt: skip


def test_far_more_than_a_job_can_be_is_refused_before_it_is_unpacked(monkeypatch):
    monkeypatch.setattr(queueing, "_MOST_BYTES", 1000)
    bomb = io.BytesIO()
    with zipfile.ZipFile(bomb, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("report.json", json.dumps(report_of("a.png")))
        archive.writestr("files/0", bytes(100_000))
    assert unpack_outcome(bomb.getvalue()) == "The worker gave back more than a job can be."
    assert read_report(json.dumps(report_of("a.png"))).files == ("a.png",)


def test_a_silent_workers_job_is_given_to_another_and_a_busy_ones_is_not(workshop, tmp_path):
    sheet = add_sheet(workshop, disc_png(30), "disc.png")
    tray = make_tray(workshop, "T", [sheet.id])
    clock = [0.0]
    exporter = Exporter(workshop, None, lambda: clock[0])
    exporter.is_here = False  # as with workers elsewhere
    exporter.jobs = Jobs(open_queue(tmp_path))
    begin_export(workshop, tray.id)
    exporter.step()
    storage = exporter.jobs.queue.storage
    name = exporter._name(1)
    assert storage.queue_size() == 1
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
