"""The demo: it is served at once, and its sheets come in as they are drawn."""

import pytest

from tests.services.test_trays import disc_png
from tidymargin.cli.serving import bring_almanac
from tidymargin.core.base.errors import FileThereError
from tidymargin.demo import almanac
from tidymargin.services.folder.watching import Watched
from tidymargin.web.app import create_app
from tidymargin.web.sentences.trays import say_watched


def names_of(workshop):
    return [sheet.name for sheet in workshop.sheets.list_all()]


def test_sheets_come_in_as_they_are_drawn_and_each_once(workshop, tmp_path, monkeypatch):
    came = []

    def draw(folder):
        for number, name in enumerate(("feather", "bell")):
            place = folder / name
            place.mkdir(parents=True, exist_ok=True)
            (place / "picture.png").write_bytes(disc_png(10 + number))
            came.append(names_of(workshop))
            yield place

    monkeypatch.setattr(almanac, "draw_almanac", draw)
    coming = Watched(tmp_path / "almanac", most=2)
    with create_app(workshop).test_request_context():
        assert say_watched(coming).endswith("are being drawn: 0 of 2 are here.")
        bring_almanac(workshop, coming)
        assert (say_watched(coming), coming.is_over) == ("", True)
    harbour = "harbour-at-dusk.jpg"  # that a scene lies on
    assert came == [[], [harbour, "feather.png"]]
    # the server was ended before all had come
    bring_almanac(workshop, Watched(tmp_path / "almanac", most=2))
    assert names_of(workshop) == ["bell.png", harbour, "feather.png"]


def test_a_sheet_is_drawn_whole_and_once_and_never_over_anything(tmp_path, monkeypatch):
    monkeypatch.setattr(almanac, "SHEETS", ("tide-stamp",))
    (place,) = almanac.draw_almanac(tmp_path)
    assert sorted(file.name for file in place.iterdir()) == ["case.json", "picture.png", "true.png"]
    before = (place / "picture.png").stat()
    assert list(almanac.draw_almanac(tmp_path)) == [place]
    assert (place / "picture.png").stat() == before
    (place / "case.json").unlink()
    with pytest.raises(FileThereError, match="is no demo sheet"):
        list(almanac.draw_almanac(tmp_path))
    assert sorted(file.name for file in tmp_path.iterdir()) == ["tide-stamp"]
