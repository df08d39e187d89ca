"""Files that hold several pictures become sheets with a word on where they are from, and a tray of their own."""

import signal
import socket
import threading
import time
from contextlib import closing, suppress
from http.client import HTTPException
from pathlib import Path

import pytest

from benchmarks.kills import Server
from tests.formats.test_unpacking import SVG, write_pdf, write_tiff, write_zip
from tidymargin.core.base.errors import BadImageError, StoppedError, TooLargeError
from tidymargin.formats import unpacking
from tidymargin.formats.asked import Asked
from tidymargin.services.folder.doctoring import examine
from tidymargin.services.folder.unpacking import bring_in
from tidymargin.services.workshop.workshop import open_workshop


def test_a_zip_becomes_a_tray_of_its_name_and_what_is_no_picture_in_it_is_named(workshop, badge_png):  # fmt: skip
    brought = bring_in(workshop, write_zip({"a.png": badge_png, "b.png": badge_png[:900], "c.tif": write_tiff()}), "logos.zip")  # fmt: skip
    assert [sheet.name for sheet in brought.sheets] == ["a.png"] + [f"c page {n}.tif" for n in (1, 2, 3)]  # fmt: skip
    assert workshop.trays.load(brought.tray).name == "logos"
    assert workshop.trays.count_sheets(brought.tray) == 4
    assert [name for name, _ in brought.refused] == ["b.png"]
    assert brought.sheets[0].remarks[0] == "Out of logos.zip"
    assert workshop.originals.load(brought.sheets[0].original) == badge_png
    assert not list(workshop.folder.glob("parts-*"))


def test_pages_and_drawings_are_drawn_as_asked_and_say_so(workshop):
    brought = bring_in(workshop, write_pdf(1), "sheet.pdf", Asked(dots_per_inch=72))
    (sheet,) = brought.sheets
    assert (sheet.width, sheet.height, brought.tray) == (144, 72, None)
    assert sheet.remarks[0] == "Page 1 of 1 of sheet.pdf, drawn at 72 dots to the inch"
    tray = workshop.trays.add("Quay", "{}")
    (drawn,) = bring_in(workshop, SVG.format("").encode(), "mark.svg", tray=tray.id).sheets
    assert (drawn.width, workshop.sheets.load(drawn.id).tray) == (2048, tray.id)


def test_what_cannot_be_taken_apart_is_refused_in_words_and_leaves_nothing(workshop, monkeypatch, badge_png):  # fmt: skip
    for data, error, words in (
        (b"%PDF-1.7 ...", BadImageError, "PDF is damaged"),
        (write_zip({"a.txt": b"x"}), BadImageError, "no picture"),
        (write_zip({"a.png": badge_png[:500]}), BadImageError, "damaged|part"),
        (write_pdf(1, 100_000, 100_000), TooLargeError, "too large"),
    ):
        with pytest.raises(error, match=words):
            bring_in(workshop, data, "x")
    assert workshop.sheets.list_all() == []
    assert not list(workshop.folder.glob("parts-*"))
    assert unpacking.MOST_PICTURES == 500


SLOW = '<filter id="f" x="0" y="0" width="1" height="1"><feTurbulence baseFrequency="0.01" numOctaves="200"/></filter>' + '<rect width="20" height="10" filter="url(#f)"/>' * 400  # fmt: skip


def test_a_drawing_that_takes_too_long_is_given_up_and_what_came_before_it_is_kept(workshop, monkeypatch, badge_png):  # fmt: skip
    monkeypatch.setattr("tidymargin.services.picture.unpacking.PART_S", 2.0)
    brought = bring_in(workshop, write_zip({"a.png": badge_png, "b.svg": SVG.format(SLOW)}), "logos.zip")  # fmt: skip
    assert [sheet.name for sheet in brought.sheets] == ["a.png"]
    assert [error.message for _, error in brought.refused] == ["A picture in this file takes too long to be drawn."]  # fmt: skip
    with pytest.raises(BadImageError, match="takes too long"):
        bring_in(workshop, SVG.format(SLOW).encode(), "slow.svg")
    assert list_unpackers() == []


def test_a_file_is_given_up_when_whoever_asked_has_left(workshop):
    begun = time.monotonic()
    with pytest.raises(StoppedError):
        bring_in(workshop, SVG.format(SLOW).encode(), "slow.svg", has_left=lambda: time.monotonic() - begun > 1)  # fmt: skip
    assert list_unpackers() == []
    assert not list(workshop.folder.glob("parts-*"))


def list_unpackers():
    """The processes of this machine that unpack something, by what they were started with."""
    found = []
    for place in Path("/proc").glob("[0-9]*/cmdline"):
        with suppress(OSError):
            if b"tidymargin.formats.unpacker" in place.read_bytes():
                found.append(place.parent.name)
    return found


@pytest.mark.parametrize("how", [signal.SIGTERM, signal.SIGKILL])
def test_what_unpacks_ends_with_the_server_and_what_it_left_is_swept_at_the_next_start(tmp_path, how):  # fmt: skip
    with closing(Server(tmp_path)) as server:
        sending = threading.Thread(target=_send, args=(server, SVG.format(SLOW).encode()))
        sending.start()
        wait_until(lambda: list_unpackers() and list(tmp_path.glob("parts-*")))
        server.process.send_signal(how)
        server.process.wait(60)
        sending.join()
        wait_until(lambda: not list_unpackers())
    (tmp_path / "parts-left").mkdir(exist_ok=True)
    assert any("being unpacked" in found.said for found in examine(tmp_path))
    open_workshop(tmp_path).close()
    assert not list(tmp_path.glob("parts-*"))


def test_a_browser_that_leaves_has_nothing_drawn_for_it(tmp_path):
    with closing(Server(tmp_path)) as server:
        body = SVG.format(SLOW).encode()
        with socket.create_connection(("127.0.0.1", server.port)) as line:
            line.sendall(server.to_upload(body, "slow.svg"))
            wait_until(list_unpackers)
        wait_until(lambda: not list_unpackers())


def _send(server, body):
    with suppress(OSError, HTTPException):
        server.upload(body, "slow.svg")


def wait_until(is_so, within_s=60.0):
    latest = time.monotonic() + within_s
    while not is_so():
        assert time.monotonic() < latest
        time.sleep(0.05)
