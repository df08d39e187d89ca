"""Trays in pages: sheets put together, what they share set and undone, the doubtful first, and all of one fetched."""

import io
import json
import zipfile

import pytest
from bs4 import BeautifulSoup

from tests.services.test_trays import busy_png, disc_png
from tidymargin.formats.decode import decode_picture
from tidymargin.formats.recipe import Recipe
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.trays.keeper import TrayKeeper
from tidymargin.services.views.exporting import export_sheet
from tidymargin.services.workshop import states


def look(client, path):
    found = client.get(path)
    assert found.status_code == 200, found.text
    return BeautifulSoup(found.text, "html.parser")


def send(client, page, path, **values):
    """Send one of a page's forms, with what it carries."""
    form = page.find("form", action=lambda action: action and action.split("?")[0] == path)
    assert form is not None, path
    carried = {i["name"]: i["value"] for i in form.find_all("input", type="hidden")}
    return client.post(form["action"], data=carried | values)


@pytest.fixture
def keeper(workshop):
    return TrayKeeper(workshop)


@pytest.fixture
def tray(client, workshop):
    for tone in (10, 60, 90):
        add_sheet(workshop, disc_png(tone), f"disc {tone}.png")
    add_sheet(workshop, busy_png(), "<cloth>.png")
    home = look(client, "/")
    assert send(client, home, "/trays", name="Harbour prints", takes="all").status_code == 303
    return workshop.trays.list_all()[0]


def test_sheets_put_together_stand_in_a_tray_of_their_own_and_are_walked_doubtful_first(client, tray, keeper):  # fmt: skip
    home = look(client, "/")
    assert "No picture yet" in home.find(id="tray-sentence").text
    assert "4 being looked over" in home.find(id="listed").text
    before = look(client, "/trays/1/")
    assert before.find(id="tray-now")["hx-trigger"] == "every 2s"
    keeper.finish()
    page = look(client, "/trays/1/")
    assert "4 pictures. 3 clean. 1 to look at." in page.find(id="tray-now").text
    assert "hx-get" not in page.find(id="tray-now").attrs
    first = page.find_all("li", class_="card")[0]
    assert first.find(class_="name").text == "<cloth>.png"
    assert "no background was found" in first.find(class_="why").text
    now = client.get("/trays/1/now")
    assert "1 to look at" in now.text
    assert now.text.count('id="card-') == 4


def test_a_page_that_asks_again_gets_what_changed_and_nothing_where_nothing_did(client, workshop, tray, keeper):  # fmt: skip
    keeper.follow_all()

    def ask(page):
        place = page.find(id="tray-now")["hx-get"]
        answer = client.get(place)
        return answer.status_code, BeautifulSoup(answer.data, "html.parser")

    before = look(client, "/trays/1/")
    assert ask(before)[0] == 204
    cards = [card["id"] for card in before.select("#cards .card")]
    assert keeper.look_over_some(1) is True
    status, changed = ask(before)
    (gone,) = [each["id"] for each in changed.find_all(attrs={"hx-swap-oob": "delete"})]
    (came,) = changed.select("li.card")
    assert (status, came["id"]) == (200, gone)
    at = came.parent["hx-swap-oob"]
    left = [card for card in cards if card != gone]
    place = len(left) if at == "beforeend:#cards .cards" else left.index(at.split("#")[1])
    left.insert(place, gone)
    assert [card["id"] for card in look(client, "/trays/1/").select("#cards .card")] == left
    assert ask(changed)[0] == 204  # it carries what it has shown on
    forgotten = client.get("/trays/1/now?seen=0123")
    assert forgotten.text.count('id="card-') == len(cards)


def test_what_is_shared_is_set_seen_before_and_after_and_undone(client, workshop, tray, keeper):
    keeper.finish()
    page = look(client, "/trays/1/")
    assert "cleared up to what is measured on each" in page.text
    assert send(client, page, "/trays/1/rules", kind="flat", figure="auto", tolerance="7.5").status_code == 303  # fmt: skip
    keeper.follow_all()
    for sheet in workshop.trays.list_sheets(tray.id):
        recipe = sheet.recipe
        assert (recipe.ground.kind, recipe.reach.tolerance) == ("flat", 7.5)
    both = look(client, "/trays/1/?compare=1")
    assert len(both.find_all("figure")) == 8
    pictures = [img["src"] for img in both.find("li", class_="card").find_all("img")]
    assert all(client.get(src).mimetype == "image/png" for src in pictures)
    stale = send(client, page, "/trays/1/rules", kind="auto", figure="auto", tolerance="1")
    assert stale.status_code == 409
    page = look(client, "/trays/1/")
    assert "Undo rules on all pictures" in page.text
    assert send(client, page, "/trays/1/undo").status_code == 303
    keeper.follow_all()
    assert {s.recipe.reach.tolerance for s in workshop.trays.list_sheets(tray.id)} == {"auto"}  # fmt: skip
    bad = send(client, page, "/trays/1/rules", kind="flat", figure="auto", tolerance="99")
    assert bad.status_code in (409, 422)
    # what one sheet has is shared from its card, and a sheet's history says where it is from
    page = look(client, "/trays/1/")
    assert send(client, page, "/trays/1/share", sheet="1").status_code == 303
    bench = look(client, "/sheets/1/?open=history")
    assert "As its tray shares: background" in bench.text


def test_every_figure_of_a_tray_gets_one_colour_and_a_choked_rim_and_undo_takes_both_back(
    client, workshop, tray, keeper
):
    keeper.finish()
    page = look(client, "/trays/1/")
    asked = {"choke_px": "1.5", "fringe": "60", "recolours": "1", "colour": "#00ff80"}
    assert send(client, page, "/trays/1/finish", **asked).status_code == 303
    keeper.follow_all()
    discs = [s for s in workshop.trays.list_sheets(tray.id) if s.name.startswith("disc")]
    assert len(discs) == 3
    for sheet in discs:
        cut = decode_picture(export_sheet(workshop, sheet).data).picture
        assert set(map(tuple, cut.rgb[cut.alpha == 255])) == {(0, 255, 128)}
        assert sheet.recipe.rim.choke_px == 1.5
    page = look(client, "/trays/1/")
    said = page.find("section", class_="ledger").get_text()
    assert "in by 1.5 px" in said
    assert "all #00FF80" in said
    wrong = send(client, page, "/trays/1/finish", **{**asked, "colour": "green"})
    assert wrong.status_code == 422
    assert send(client, page, "/trays/1/undo").status_code == 303
    keeper.follow_all()
    assert all(s.recipe == Recipe() for s in workshop.trays.list_sheets(tray.id))


def test_a_tray_that_an_older_engine_cut_says_so_and_is_cut_anew_by_one_button(
    client, workshop, tray, keeper, monkeypatch
):
    keeper.finish()
    monkeypatch.setattr(states, "ENGINE_VERSION", states.ENGINE_VERSION + 1)
    page = look(client, "/trays/1/")
    assert "4 as an older version cut them." in page.text
    assert "being looked over" not in page.text
    assert page.find("button", string="Use the new cut on all 4")
    assert not page.find("form", action=lambda action: action and "/export?" in action)
    assert send(client, page, "/trays/1/renew").status_code == 303
    assert "4 pictures are being cut again…" in look(client, "/trays/1/").text
    keeper.finish()
    page = look(client, "/trays/1/")
    assert "older version" not in page.text
    assert page.find(string="Before and after (4)")
    assert len(look(client, "/trays/1/?compare=1").find_all("figure")) == 8


def test_all_of_a_tray_is_exported_paused_fetched_and_forgotten(client, workshop, tray, keeper):
    page = look(client, "/trays/1/")
    said = {"format": ["png", "webp"], "sizes": "64", "extent": "trim", "margin_px": "2"}
    assert send(client, page, "/trays/1/export-as", **said).status_code == 303
    keeper.follow_all()
    page = look(client, "/trays/1/")
    assert "PNG, WebP" in page.text
    assert send(client, page, "/trays/1/export").status_code == 303
    page = look(client, "/trays/1/")
    assert "0 of 4 written…" in page.text
    assert send(client, page, "/exports/1/pause").status_code == 303
    keeper.finish(5)
    page = look(client, "/trays/1/")
    assert "paused" in page.text
    assert client.get("/exports/1/files.zip").status_code == 404
    send(client, page, "/exports/1/go_on")
    assert keeper.writer.write_one()
    page = look(client, "/trays/1/")
    assert "Fetch the ZIP" not in page.text
    assert "Fetch the 1 written so far" in page.text
    keeper.finish(60)
    page = look(client, "/trays/1/")
    assert "4 of 4 written." in page.text
    assert "Fetch the ZIP" in page.text
    fetched = client.get("/exports/1/files.zip", buffered=True)
    assert 'filename="Harbour prints.zip"' in fetched.headers["Content-Disposition"]
    with zipfile.ZipFile(io.BytesIO(fetched.data)) as archive:
        names = archive.namelist()
        rows = json.loads(archive.read("manifest.json"))["pictures"]
    assert len(names) == 4 * 2 + 2
    assert "disc 10.webp" in names
    assert {row["ground"] for row in rows} == {"flat", "none"}
    send(client, page, "/exports/1/forget")
    assert client.get("/exports/1/files.zip").status_code == 404
    assert not list((workshop.folder / "exports").glob("*/*"))


def test_pictures_are_added_to_a_tray_and_bad_ones_are_named_and_a_tray_is_taken_apart(client, workshop, tray):  # fmt: skip
    page = look(client, "/trays/1/")
    files = [(io.BytesIO(disc_png(n)), f"{n}.png") for n in (1, 2)] + [(io.BytesIO(b"junk"), "bad.png")]  # fmt: skip
    answer = send(client, page, "/sheets", picture=files)
    assert answer.status_code == 415
    assert "bad.png" in answer.text
    assert workshop.trays.count_sheets(tray.id) == 6
    page.find("form", id="add")["action"] = "/sheets?tray=99"
    lost = send(client, page, "/sheets", picture=(io.BytesIO(disc_png(7)), "x.png"))
    assert lost.status_code == 404  # and it is not brought in elsewhere
    assert len(workshop.sheets.list_all()) == 6
    assert send(client, page, "/trays/1/name", name="  ").status_code == 422
    assert send(client, page, "/trays/1/name", name="Quay prints").status_code == 303
    assert send(client, page, "/sheets/1/tray", tray="").status_code == 303
    assert workshop.trays.count_sheets(None) == 1
    send(client, page, "/trays/1/take-apart")
    assert client.get("/trays/1/").status_code == 404
    assert workshop.trays.count_sheets(None) == 6
