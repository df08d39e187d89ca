"""A watched folder: whole pictures become sheets, once; half ones wait; bad ones are said and spoil nothing."""

import pytest

from tests.conftest import to_png
from tidymargin.core.base.errors import UnusableArgumentError
from tidymargin.demo.scanner import make_page, scan_into
from tidymargin.formats.decode import decode_picture
from tidymargin.services.watching import CALM_S, Watcher
from tidymargin.services.workshop import open_workshop


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
            half.extend(watcher.seen.unreadable)

    pages = list(scan_into(folder, 4, 4.0, wait, stall_s=3 * CALM_S))
    wait(2 * CALM_S)
    assert names(workshop) == [place.name for place in pages]
    assert set(half) == {"page-004.jpg"}  # it was looked at while it was half
    assert (watcher.seen.came, watcher.seen.unreadable) == (4, {})
    kept = {workshop.originals.load(sheet.original) for sheet in workshop.sheets.list_all()}
    assert kept == {place.read_bytes() for place in pages}


def test_what_is_here_already_is_not_taken_again_after_a_restart(workshop, folder, badge_png):
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
    assert set(watcher.seen.unreadable) == {"notes.txt", "empty.png"}
    assert "none of them" in watcher.seen.unreadable["notes.txt"]
    (folder / "empty.png").write_bytes(to_png(decode_picture(make_page(1)).picture.rgb[:90, :90]))
    (folder / "notes.txt").unlink()
    for _ in range(3):
        watcher.look()
        clock.wait(CALM_S)
    assert names(workshop) == ["empty.png", "good.png"]
    assert watcher.seen.unreadable == {}


def test_a_folder_that_is_not_there_is_refused_in_a_sentence(tmp_path):
    shop = open_workshop(tmp_path / "data")
    with pytest.raises(UnusableArgumentError, match="Expected a folder to watch"):
        Watcher(shop, tmp_path / "nowhere")
    shop.close()


def test_a_scanner_writes_over_nothing(folder):
    (folder / "page-001.jpg").write_bytes(b"mine")
    (made,) = scan_into(folder, 1, 0, lambda _: None)
    assert made.name == "page-002.jpg"
    assert (folder / "page-001.jpg").read_bytes() == b"mine"
