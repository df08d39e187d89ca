"""A watched folder: whole pictures become sheets, once; half ones wait; bad ones are said and spoil nothing."""

import os
import time
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import to_png
from tests.formats.test_unpacking import write_pdf, write_zip
from tidymargin.core.base.errors import StorageFullError, UnusableArgumentError
from tidymargin.demo.scanner import make_page, scan_into
from tidymargin.formats.decode import decode_picture
from tidymargin.services.folder import keeping
from tidymargin.services.folder.watching import CALM_S, TRY_AGAIN_S, Watcher
from tidymargin.services.workshop.workshop import open_workshop
from tidymargin.web.app import create_app


class Clock:
    """Time that passes only when somebody waits."""

    def __init__(self):
        self.seconds = 0.0

    def __call__(self):
        return self.seconds

    def wait(self, seconds):
        self.seconds += seconds


@pytest.fixture
def folder(tmp_path):
    (tmp_path / "scans").mkdir()
    return tmp_path / "scans"


def names(workshop):
    return sorted(sheet.name for sheet in workshop.sheets.list_all())


def test_a_slow_scanners_pages_all_come_once_though_some_rest_half_written(workshop, folder):
    clock = Clock()
    watcher = Watcher(workshop, folder, clock)
    half = []

    def wait(seconds):  # a look each second, as the thread does
        for _ in range(max(1, round(seconds))):
            clock.wait(1)
            watcher.look()
            half.extend(watcher.seen.refused)

    pages = list(scan_into(folder, 4, 4.0, wait, stall_s=3 * CALM_S))
    wait(2 * CALM_S)
    assert names(workshop) == [place.name for place in pages]
    assert set(half) == {"page-004.jpg"}  # it was looked at while it was half
    assert (watcher.seen.came, watcher.seen.refused) == (4, {})
    kept = {workshop.originals.load(sheet.original) for sheet in workshop.sheets.list_all()}
    assert kept == {place.read_bytes() for place in pages}


def test_what_is_here_already_is_not_taken_again_after_a_restart(workshop, folder, badge_png, monkeypatch):  # fmt: skip
    (folder / "badge.png").write_bytes(badge_png)
    for _ in range(2):
        clock = Clock()
        watcher = Watcher(workshop, folder, clock)
        watcher.look()
        clock.wait(CALM_S)
        watcher.look()
        watcher.look()
    assert names(workshop) == ["badge.png"]
    assert watcher.seen.came == 0
    # ended between taking it and noting that: it is noted when it is seen again
    monkeypatch.setattr(workshop.trays.__class__, "note_taken", lambda *_: 1 / 0)
    (folder / "other.png").write_bytes(to_png(np.zeros((9, 9, 3), np.uint8)))
    look_until_calm(Watcher(workshop, folder, Clock()))
    monkeypatch.undo()
    look_until_calm(Watcher(workshop, folder, Clock()))
    for sheet in workshop.sheets.list_all():
        keeping.bin_sheet(workshop, sheet.id)
    keeping.empty_bin(workshop)
    look_until_calm(Watcher(workshop, folder, Clock()))
    assert names(workshop) == []


def test_a_bad_file_among_good_ones_is_said_and_taken_once_it_is_mended(
    workshop, folder, badge_png
):
    clock = Clock()
    (folder / "notes.txt").write_text("no picture")
    (folder / "empty.png").touch()
    (folder / ".hidden.png").write_bytes(badge_png)
    (folder / "link.png").symlink_to(folder / ".hidden.png")
    (folder / "below").mkdir()
    (folder / "good.png").write_bytes(badge_png)
    watcher = Watcher(workshop, folder, clock)
    for _ in range(3):
        watcher.look()
        clock.wait(CALM_S)
    assert names(workshop) == ["good.png"]
    assert [tray.name for tray in workshop.trays.list_all()] == ["scans"]
    assert set(watcher.seen.refused) == {"notes.txt", "empty.png"}
    assert "none of PNG" in watcher.seen.refused["notes.txt"]
    (folder / "empty.png").write_bytes(to_png(decode_picture(make_page(1)).picture.rgb[:90, :90]))
    (folder / "notes.txt").unlink()
    for _ in range(3):
        watcher.look()
        clock.wait(CALM_S)
    assert names(workshop) == ["empty.png", "good.png"]
    assert watcher.seen.refused == {}


def look_until_calm(watcher, times=3):
    for _ in range(times):
        watcher.look()
        watcher._now.wait(max(CALM_S, TRY_AGAIN_S))


def test_a_file_that_could_not_be_read_for_now_is_named_and_taken_later(workshop, folder, badge_png, monkeypatch):  # fmt: skip
    (folder / "badge.png").write_bytes(badge_png)
    (folder / "other.png").write_bytes(to_png(np.zeros((9, 9, 3), np.uint8)))
    watcher = Watcher(workshop, folder, Clock())
    real = Path.read_bytes
    troubles = [
        PermissionError(13, "Permission denied"),
        StorageFullError("The disk is full."),
        RuntimeError("ours"),
    ]

    def read(place):
        if place.name == "badge.png" and troubles:
            raise troubles[0]
        return real(place)

    monkeypatch.setattr(Path, "read_bytes", read)
    said = []
    while troubles:
        look_until_calm(watcher)
        said.append(watcher.seen.waiting["badge.png"])
        troubles.pop(0)
    assert names(workshop) == ["other.png"]
    assert said == ["The file could not be read: Permission denied.", "The disk is full.", "The file could not be taken, because of a fault in Tidy Margin."]  # fmt: skip
    look_until_calm(watcher)
    assert names(workshop) == ["badge.png", "other.png"]
    assert (watcher.seen.waiting, watcher.seen.refused) == ({}, {})


def test_a_file_of_several_pictures_is_taken_once_whatever_becomes_of_it_and_of_the_server(workshop, folder, badge_png, monkeypatch):  # fmt: skip
    (folder / "pages.pdf").write_bytes(write_pdf())
    (folder / "logos.zip").write_bytes(write_zip({"a.png": badge_png, "b.png": badge_png[:900]}))
    watcher = Watcher(workshop, folder, Clock())
    look_until_calm(watcher)
    there = ["a.png", "pages page 1.png", "pages page 2.png"]
    assert names(workshop) == there
    assert set(watcher.seen.refused) == {"logos.zip, b.png"}
    (folder / "pages.pdf").touch()
    keeping.bin_sheet(workshop, workshop.sheets.list_all()[0].id)
    keeping.empty_bin(workshop)
    left = names(workshop)
    for _ in range(2):  # touched, renamed, and a restart
        look_until_calm(watcher)
        (folder / "pages.pdf").rename(folder / "again.pdf") if (
            folder / "pages.pdf"
        ).exists() else None
        watcher = Watcher(workshop, folder, Clock())
        look_until_calm(watcher)
    assert names(workshop) == left
    # ended between taking its pictures and noting that
    (folder / "more.pdf").write_bytes(write_pdf(3))
    monkeypatch.setattr(workshop.trays.__class__, "note_taken", lambda *_: 1 / 0)
    look_until_calm(watcher)
    monkeypatch.undo()
    watcher = Watcher(workshop, folder, Clock())
    look_until_calm(watcher)
    assert (
        len(names(workshop)) == len(set(names(workshop))) == len(left) + 2
    )  # one of its pages is here


def test_any_name_can_be_shown_and_nothing_ends_the_watching(workshop, folder, badge_png, monkeypatch):  # fmt: skip
    (folder / os.fsdecode(b"caf\xe9.png")).write_bytes(badge_png)
    (folder / os.fsdecode(b"\xff.txt")).write_bytes(b"no picture")
    watcher = Watcher(workshop, folder, Clock())
    look_until_calm(watcher)
    page = create_app(workshop, watched=watcher.seen).test_client().get("/")
    assert page.status_code == 200
    assert names(workshop) == ["caf\ufffd.png"]
    assert "<strong>\ufffd.txt</strong>: This file" in page.text
    monkeypatch.setattr("tidymargin.services.folder.watching._LOOK_EVERY_S", 0.01)
    calls = []
    real = watcher.look

    def look():
        calls.append(1)
        if len(calls) < 4:
            raise RuntimeError("nobody foresaw this")
        return real()

    monkeypatch.setattr(watcher, "look", look)
    watcher.start()
    latest = time.monotonic() + 20
    while len(calls) < 6 and time.monotonic() < latest:
        time.sleep(0.01)
    watcher.stop()
    assert len(calls) >= 6
    assert watcher.seen.trouble == ""


def test_a_folder_that_is_not_there_is_refused_in_a_sentence(tmp_path):
    shop = open_workshop(tmp_path / "data")
    with pytest.raises(UnusableArgumentError, match="There is no folder to watch"):
        Watcher(shop, tmp_path / "nowhere")
    shop.close()


def test_a_scanner_writes_over_nothing(folder):
    (folder / "page-001.jpg").write_bytes(b"mine")
    (made,) = scan_into(folder, 1, 0, lambda _: None)
    assert made.name == "page-002.jpg"
    assert (folder / "page-001.jpg").read_bytes() == b"mine"
