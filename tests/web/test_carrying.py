"""An answer carried over a tray, as the page offers it: what is ticked and nothing else, on the state that was seen."""

import pytest
from bs4 import BeautifulSoup

from tests.services.test_carrying import answer_first, draw_page, shadows_only, wait_for_offer
from tests.web.test_ledger import send, words
from tidymargin.core.questions import signs
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.trays.trays import make_tray


@pytest.fixture
def pages(workshop, monkeypatch):
    """A tray of three pages with one stamp each, whose shadows could be either way."""
    monkeypatch.setattr(signs.RegionSigns, "find_probability", shadows_only)
    sheets = [add_sheet(workshop, draw_page(number)[0], f"<page {number}>.png") for number in range(3)]  # fmt: skip
    make_tray(workshop, "Pages", [sheet.id for sheet in sheets])
    return [sheet.id for sheet in sheets]


def offer_of(client, sheet_id):
    answer = client.get(f"/sheets/{sheet_id}/alike")
    assert answer.status_code == 200
    return BeautifulSoup(answer.data, "html.parser").select_one("#alike")


def test_what_is_ticked_is_carried_and_what_is_behind_or_made_up_is_not(client, token, workshop, pages):  # fmt: skip
    first, second, third = pages

    def answered():
        sheets = [workshop.sheets.load(number) for number in pages]
        return [len(sheet.recipe.reach.regions) for sheet in sheets]

    assert words(offer_of(client, first)) == ""  # nothing is answered yet
    before = workshop.sheets.load(first)
    wait_for_offer(workshop, answer_first(workshop, first, "clear"))
    offer = offer_of(client, first)
    assert "2 more like this on 2 pictures" in words(offer)
    ticks = offer.select("[name=place]")
    assert all(tick.has_attr("checked") for tick in ticks)
    assert {client.get(image["src"]).mimetype for image in offer.select("img")} == {"image/png"}
    assert "<page 1>.png, at" in words(offer)  # a name is text, whatever it says

    chosen = [tick["value"] for tick in ticks if tick["value"].startswith(f"{second}:")]
    behind = send(client, token, before, "alike", place=chosen)
    assert behind.status_code == 409  # another tab has gone on
    now = workshop.sheets.load(first)
    assert send(client, token, now, "alike", place=["9:1:1", "x", f"{third}:0:0"]).status_code == 200  # fmt: skip
    assert answered() == [1, 0, 0]
    assert send(client, token, now, "alike", place=chosen).status_code == 200
    assert answered() == [1, 1, 0]
    wait_for_offer(workshop, now)
    offer = offer_of(client, first)
    assert "1 more like this on 1 picture" in words(offer)
    assert "also holds on 1 other picture" in words(offer)
    assert send(client, token, before, "alike/back").status_code == 409
    assert send(client, token, now, "alike/back").status_code == 200
    assert answered() == [0, 0, 0]
    refused = send(client, token, workshop.sheets.load(first), "alike", place=chosen)
    assert (refused.status_code, answered()) == (422, [0, 0, 0])


def test_a_sheet_in_no_tray_is_offered_nothing(client, workshop, monkeypatch):
    monkeypatch.setattr(signs.RegionSigns, "find_probability", shadows_only)
    sheet = add_sheet(workshop, draw_page(0)[0], "page.png")
    answer_first(workshop, sheet.id)
    assert words(offer_of(client, sheet.id)) == ""
    page = client.get(f"/sheets/{sheet.id}/questions?open=reach")
    assert BeautifulSoup(page.data, "html.parser").select_one("#alike") is None
