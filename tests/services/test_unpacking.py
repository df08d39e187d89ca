"""Files that hold several pictures become sheets with a word on where they are from, and a tray of their own."""

import pytest

from tests.formats.test_unpacking import SVG, write_pdf, write_tiff, write_zip
from tidymargin.core.base.errors import BadImageError, TooLargeError
from tidymargin.formats import unpacking
from tidymargin.formats.unpacking import Asked
from tidymargin.services.unpacking import bring_in


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
    monkeypatch.setattr("tidymargin.services.unpacking._MOST_S", 0.001)
    with pytest.raises(BadImageError, match="takes too long"):
        bring_in(workshop, write_pdf(), "slow.pdf")
    assert workshop.sheets.list_all() == []
    assert not list(workshop.folder.glob("parts-*"))
    assert unpacking.MOST_PICTURES == 500
