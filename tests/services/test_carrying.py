"""An answer carried to the other sheets of a tray: what is alike, by one row each, kept over a restart, taken back by one step."""

import io
import time
from dataclasses import replace

import cv2
import numpy as np
import pytest
from PIL import Image

from tests.conftest import to_png
from tidymargin.core.base.errors import BadParameterError
from tidymargin.core.questions import signs
from tidymargin.services.edits.changing import begin, change_step
from tidymargin.services.edits.deciding import answer_question
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.trays.carrying import carry_answer, find_offer, list_carried, take_back
from tidymargin.services.trays.trays import make_tray
from tidymargin.services.views.asked import load_questions, spots_at_hand
from tidymargin.services.views.exporting import export_sheet
from tidymargin.services.workshop.cache import ByteCache
from tidymargin.services.workshop.workshop import open_workshop

PAGES = 5


def draw_page(number):
    """A page with a red stamp and its grey shadow, and a green block without one; each page has them elsewhere."""
    rgb = np.full((300, 400, 3), 255, np.uint8)
    left, top = 20 + 7 * number, 40 + 9 * number
    cv2.rectangle(rgb, (left, top + 120), (left + 120, top + 170), (206, 206, 206), -1)
    cv2.rectangle(rgb, (left + 10, top), (left + 110, top + 130), (170, 30, 40), -1)
    cv2.rectangle(rgb, (260, 40 + 20 * number), (360, 90 + 20 * number), (30, 120, 60), -1)
    return to_png(cv2.GaussianBlur(rgb, (0, 0), 0.7)), (top + 155, left + 60)


def shadows_only(measured):
    """How likely each region should go: what is grey and stays may as well, all else is right as it is."""
    return np.where(measured.stays > 0.5, 0.6 * (np.hypot(*measured.colour.T[1:]) < 4), 1.0)


@pytest.fixture
def pages(workshop, monkeypatch):
    """A tray of such pages, of which only the shadows could be either way, and where these are."""
    monkeypatch.setattr(signs.RegionSigns, "find_probability", shadows_only)
    drawn = [draw_page(number) for number in range(PAGES)]
    sheets = [add_sheet(workshop, data, f"page{n}.png") for n, (data, _) in enumerate(drawn)]
    make_tray(workshop, "Pages", [sheet.id for sheet in sheets])
    return [(sheet.id, place) for sheet, (_, place) in zip(sheets, drawn, strict=True)]


def answer_first(workshop, sheet_id, verdict="clear"):
    sheet = workshop.sheets.load(sheet_id)
    (question,) = load_questions(workshop, sheet)
    spot = question.spots[0]
    return answer_question(
        begin(workshop, sheet_id, sheet.head), spot.row, spot.col, verdict, alone=True
    )


def wait_for_offer(workshop, sheet):
    offer, ends = find_offer(workshop, sheet), time.monotonic() + 120
    while offer.looked < offer.of:
        assert time.monotonic() < ends, f"{offer.looked} of {offer.of}"
        time.sleep(0.02)
        offer = find_offer(workshop, sheet)
    return offer


def alpha_at(workshop, sheet_id, place):
    png = export_sheet(workshop, workshop.sheets.load(sheet_id)).data
    return np.asarray(Image.open(io.BytesIO(png)).convert("RGBA"))[place][3]


def test_one_answer_holds_on_all_pages_but_those_left_out_or_answered_and_is_taken_back_after_a_restart(workshop, pages):  # fmt: skip
    answer_first(workshop, pages[4][0], "keep")  # its own answer
    first = answer_first(workshop, pages[0][0])
    offer = wait_for_offer(workshop, first)
    names = {each.sheet.id: each.names() for each in offer.there}
    assert set(names) == {number for number, _ in pages[1:4]}
    assert offer.count == 3
    del names[pages[1][0]]
    heads = [len(workshop.sheets.list_states(number)) for number, _ in pages]
    assert carry_answer(workshop, first, [name for own in names.values() for name in own]) == 2
    now = [len(workshop.sheets.list_states(number)) for number, _ in pages]
    assert np.subtract(now, heads).tolist() == [0, 0, 1, 1, 0]  # one row each, and none unasked
    cleared = [alpha_at(workshop, *page) for page in pages]
    assert cleared == [0, 255, 0, 0, 255]

    folder = workshop.folder
    workshop.close()
    again = open_workshop(folder)
    try:
        source = again.sheets.load(pages[0][0])
        assert {sheet.id for sheet in list_carried(again, source)} == {pages[2][0], pages[3][0]}
        assert take_back(again, source) == 2
        assert [alpha_at(again, *page) for page in pages] == [255] * PAGES
        assert again.sheets.load(pages[4][0]).undo == "answered_keep"
        assert find_offer(again, again.sheets.load(pages[0][0])) is None  # nothing is answered now
    finally:
        again.close()


def test_a_tray_of_which_not_all_is_kept_at_hand_is_looked_through_to_its_end(workshop, pages):
    workshop = replace(workshop, small=ByteCache(45_000))  # what two pages hold at most
    offer = wait_for_offer(workshop, answer_first(workshop, pages[0][0]))
    assert (offer.count, len(offer.there)) == (PAGES - 1, PAGES - 1)
    kept = [spots_at_hand(workshop, each.sheet) for each in offer.there]
    assert None in kept


def test_a_page_that_went_on_keeps_what_it_has_and_nothing_to_carry_is_said(workshop, pages):
    first = answer_first(workshop, pages[0][0])
    offer = wait_for_offer(workshop, first)
    carry_answer(workshop, first, [name for each in offer.there for name in each.names()])
    other = workshop.sheets.load(pages[1][0])
    change_step(begin(workshop, other.id, other.head), "tolerance", "reach", tolerance=7.5)
    assert take_back(workshop, first) == PAGES - 2
    assert alpha_at(workshop, *pages[1]) == 0
    with pytest.raises(BadParameterError, match="Nothing that is like it"):
        carry_answer(workshop, workshop.sheets.load(pages[0][0]), ["1:2:3"])
