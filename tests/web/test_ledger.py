"""The ledger says what was found and what was decided, for every kind of ground."""

import json

import numpy as np
import pytest
from bs4 import BeautifulSoup
from PIL import Image

from tests.conftest import draw_pad, photograph_letter, read_png, to_png
from tests.core.test_parts import draw_letter
from tidymargin.core.reach import pockets
from tidymargin.demo.drawing import Drawing, lay_over
from tidymargin.demo.inks import press
from tidymargin.demo.truth import encode_picture
from tidymargin.formats.decode import decode_picture
from tidymargin.formats.recipe import Recipe
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.views import finding
from tidymargin.services.views.exporting import export_sheet
from tidymargin.services.views.measuring import load_measured
from tidymargin.web import ledger
from tidymargin.web.drawn_curve import to_curve_x
from tidymargin.web.words import format_percent, name_colour


def ledger_of(client, workshop, sheet, step="reach"):
    load_measured(workshop, sheet)
    page = client.get(f"/sheets/{sheet.id}/ledger?open={step}")
    assert page.status_code == 200
    return BeautifulSoup(page.data, "html.parser")


def words(tag):
    return " ".join(tag.get_text(" ").replace("\u2060", "").replace("\u00a0", " ").split())


def send(client, token, sheet, path, **values):
    return client.post(
        f"/sheets/{sheet.id}/{path}",
        data={"seen": sheet.head, "open": "reach", **values},
        headers={"X-CSRFToken": token, "HX-Request": "true"},
    )


def post(client, token, sheet, path, **values):
    answer = send(client, token, sheet, path, **values)
    assert answer.status_code == 200, answer.data
    return BeautifulSoup(answer.data, "html.parser")


def place_of(row):
    """Return where the pocket of a row is."""
    return {name: row.select_one(f"[name={name}]")["value"] for name in ("row", "col")}


def things_of(page):
    """Return what is drawn on the stage."""
    return json.loads(page.select_one("#sheet-data")["data-things"])


SAID = {
    "tide-stamp": ("Solid subject on flat black , without noise.", "#000000 along 100 % of the border"),
    "buoy-sticker": ("printed-in squares of", "#DEDEDE and #B8B8B8 in squares of"),
    "harbour-signature": ("Ink on paper", "darker at the"),
    "brass-bell": ("Solid on screen", "darker at the"),
}  # fmt: skip


@pytest.mark.parametrize("name", SAID)
def test_the_first_sentence_says_what_lies_behind_and_the_reasons_have_numbers(client, workshop, almanac, name):  # fmt: skip
    sheet = add_sheet(workshop, almanac[name].encoded, name)
    page = ledger_of(client, workshop, sheet, "ground")
    sentence, reason = SAID[name]
    assert sentence in words(page.select_one("#step-ground .sentence"))
    assert reason in words(page.select_one("#step-ground .part"))
    chosen = [b["value"] for b in page.select("#step-ground button[aria-pressed=true]")]
    facts = load_measured(workshop, sheet).facts
    assert chosen == [facts.ground.kind, facts.nature]
    for phrase in page.select(".phrase"):
        assert phrase["aria-label"].endswith(phrase.get_text())
    assert len(page.select('[id^="sentence-"]')) == 7


def test_spill_is_a_sentence_of_its_own_with_an_amount_in_percent(client, token, workshop, almanac):
    sheet = add_sheet(workshop, almanac["brass-bell"].encoded, "bell.jpg")
    load_measured(workshop, sheet)
    page = post(client, token, sheet, "spill", spill="150", open="colour")
    assert "is taken off by 150 %" in words(page.select_one("#step-colour .sentence"))
    assert workshop.sheets.load(sheet.id).recipe.colour.spill == 1.5
    refused = send(client, token, workshop.sheets.load(sheet.id), "spill", spill="999")
    assert (refused.status_code, refused.headers["HX-Retarget"]) == (422, "#said-spill")


def questions_page(client, sheet):
    answer = client.get(f"/sheets/{sheet.id}/questions?open=reach")
    return BeautifulSoup(answer.data, "html.parser").select_one("#questions")


def questions_of(client, sheet):
    return questions_page(client, sheet).select(".questions > li")


def test_every_decision_of_reach_has_its_row_and_its_way_back(client, token, workshop):
    sheet = add_sheet(workshop, draw_pad(), "pad.png")
    page = ledger_of(client, workshop, sheet)
    assert page.select(".pockets li") == []  # what nobody has decided is asked
    rows = questions_of(client, sheet)[0].select(".apart li")
    assert len(rows) == 2
    assert "7 alike, along the left edge" in words(page)
    for number in range(2):
        shown = client.get(f"/sheets/{sheet.id}/pockets/{number}.png")
        assert shown.mimetype == "image/png"
    assert client.get(f"/sheets/{sheet.id}/pockets/9.png").status_code == 404
    assert client.get(f"/sheets/{sheet.id}/strays/1.png").status_code == 200
    assert client.get(f"/sheets/{sheet.id}/strays/2.png").status_code == 404

    def now():
        return workshop.sheets.load(sheet.id)

    place = place_of(rows[0])
    page = post(client, token, now(), "pockets/clear", **place)
    assert "1 of 2 enclosed areas" in words(page.select_one("#step-reach .sentence"))
    page = post(client, token, now(), "pockets/all/keep")
    assert "0 of 2 enclosed areas" in words(page.select_one("#step-reach .sentence"))
    page = post(client, token, now(), "pocket-rules/clear", under_px="5000")
    assert "enclosed areas under 5000 px removed" in words(page.select_one("#step-reach .sentence"))
    post(client, token, now(), "pocket_rules/1/remove")
    page = post(client, token, now(), "strays/1/drop")
    assert "7 dropped" in words(page)
    page = post(client, token, now(), "strays/back")
    assert "7 alike" in words(page)
    page = post(client, token, now(), "guards", row="120", col="62")
    assert "1 protected colour" in words(page.select_one("#step-reach .sentence"))
    page = post(client, token, now(), "guards/1", tolerance="3,5")
    assert now().recipe.reach.guards[0].tolerance == 3.5
    page = post(client, token, now(), "fences", places="20,20 40,60 90,20")
    assert "Fence 1 from 20, 20" in words(page)
    client_things = things_of(ledger_of(client, workshop, sheet))
    assert client_things["fences"] == [[[20, 20], [40, 60], [90, 20]]]
    assert client_things["guards"] == [[62, 120]]
    page = post(client, token, now(), "keep", row="120", col="90")
    assert "subject at 90, 120" in words(page)
    for kind in ("pick", "guard", "fence"):
        page = post(client, token, now(), f"{kind}s/1/remove")
    page = post(client, token, now(), "start", start="everywhere")
    assert "Clear from everywhere" in words(page.select_one("#step-reach .sentence"))
    post(client, token, now(), "start", start="outside")
    page = post(client, token, now(), "small-pieces", crumbs_px="400", pinholes_px="9")
    reach = now().recipe.reach
    assert (reach.crumbs_px, reach.pinholes_px) == (400, 9)
    said = words(page.select_one("#small-count"))  # the seven alike
    assert said == "7 specks are removed, 0 pinholes filled."
    assert (reach.picks, reach.guards, reach.fences, reach.drops) == ((), (), (), ())
    undone = 0
    while now().undo:  # every one of them was a row of the history
        post(client, token, now(), "undo")
        undone += 1
    assert undone == 16
    assert now().recipe == Recipe()


def test_pockets_that_are_alike_are_one_row_and_one_decision(client, token, workshop, monkeypatch):
    def doubt(steps, cleared, pieces, *given):
        return np.full(len(pieces.areas), 0.5), np.empty((len(pieces.areas), 0))

    monkeypatch.setattr(pockets, "find_open_probability", doubt)
    drawing = Drawing(200, 300, 4)
    drawing.rounded(10, 10, 290, 190, 8, drawing.colour("#B5651D"))
    drawing.rounded(10, 178, 290, 190, 0, drawing.colour("#203050"))
    for x in range(40, 280, 40):
        drawing.ellipse(x, 60, 12, drawing.colour("#FFFFFF"))
    drawing.ellipse(150, 140, 35, drawing.colour("#FFFFFF"))
    white = np.array((255.0, 255.0, 255.0))
    sheet = add_sheet(
        workshop, encode_picture(lay_over(drawing.render(), white), "png"), "dice.png"
    )
    page = ledger_of(client, workshop, sheet)
    assert "2 questions" in words(page.select_one("#step-reach .sentence"))
    large, small = questions_of(client, sheet)
    assert "5 more like this" in words(small)
    assert "more like this" not in words(large)
    place = place_of(small)

    def answer(path, **values):
        return post(client, token, workshop.sheets.load(sheet.id), f"questions/{path}", **values)

    page = answer("clear", **place)
    assert "6 of 7 enclosed areas" in words(page.select_one("#step-reach .sentence"))
    assert page.select_one("#undo").text == "Undo area removed"
    assert len(questions_of(client, sheet)) == 1
    page = post(client, token, workshop.sheets.load(sheet.id), "undo")
    assert "0 of 7 enclosed areas" in words(page.select_one("#step-reach .sentence"))
    small = questions_of(client, sheet)[1]
    (third,) = [place_of(row) for row in small.select(".apart li")][2:3]
    page = answer("clear", **third, alone="1")  # they can be answered one by one
    assert "1 of 7 enclosed areas" in words(page.select_one("#step-reach .sentence"))
    assert "4 more like this" in words(questions_of(client, sheet)[1])
    assert "2 to decide" in words(ledger_of(client, workshop, sheet).select_one("#to-decide"))
    page = answer("rest")
    assert "1 of 7 enclosed areas" in words(page.select_one("#step-reach .sentence"))
    assert "No area is left" in words(questions_page(client, sheet))  # the list ends, and says so
    assert words(ledger_of(client, workshop, sheet).select_one("#to-decide")) == ""


def test_each_ground_that_could_be_meant_and_both_natures_are_small_cuts(client, workshop, almanac):
    sheet = add_sheet(workshop, almanac["brass-bell"].encoded, "bell.jpg")
    page = ledger_of(client, workshop, sheet, "ground")
    shown = [image["src"] for image in page.select(".natures img")]
    assert len(shown) >= 4
    sizes = set()
    for src in shown:
        answer = client.get(src)
        assert answer.mimetype == "image/png"
        cut = read_png(answer.data)
        sizes.add(cut.shape)
        rows = np.flatnonzero((cut[..., 3] > 24).any(axis=1))
        assert (rows[0], len(cut) - rows[-1] - 1) <= (8, 8)  # cropped to what stands
    assert max(max(size) for size in sizes) <= 420


def test_up_to_and_short_of_are_offered_where_they_mean_something(client, workshop, token):
    sheet = add_sheet(workshop, draw_pad(), "pad.png")
    load_measured(workshop, sheet)
    pocket = client.get(f"/sheets/{sheet.id}/place?row=120&col=90").json
    assert pocket["verb"] == "Clear this enclosed area"
    assert pocket["shortOf"] is None
    ground = client.get(f"/sheets/{sheet.id}/place?row=2&col=100").json
    assert (ground["verb"], ground["upTo"], ground["shortOf"]) == ("Already clear", None, None)
    wide = post(client, token, sheet, "pockets/all/clear")
    assert wide.select_one("#undo").text == "Undo all enclosed areas cleared"
    opened = client.get(f"/sheets/{sheet.id}/place?row=120&col=90").json
    assert (opened["verb"], opened["acts"]) == ("Keep this enclosed area", True)


def test_an_open_step_stays_open_while_the_sheet_is_being_measured(client, workshop, monkeypatch):
    monkeypatch.setattr(ledger, "is_measured", lambda *_: False)
    sheet = add_sheet(workshop, draw_pad(), "pad.png")
    page = BeautifulSoup(client.get(f"/sheets/{sheet.id}/?open=ground").data, "html.parser")
    assert page.select_one("#ledger")["hx-get"].endswith("/ledger?open=ground")
    assert "Measuring the background" in words(page.select_one("#step-ground"))
    assert page.select_one("#sheet-data")["data-measured"] == "0"


def test_one_of_several_inks_is_dropped_and_brought_back(client, token, workshop):
    d = Drawing(240, 320, 4)
    for row in range(5):
        d.stroke([(30, 40 + 24 * row), (290, 30 + 24 * row)], 5, d.colour("#203C8C"))
        d.stroke([(30, 170 + 12 * row), (290, 165 + 12 * row)], 5, d.colour("#B02430"))
    figure = press(d.render(), np.random.default_rng(1), lightest=0.6, grain=0.3)
    sheet = add_sheet(
        workshop, to_png(lay_over(figure, np.array((250.0, 248.0, 240.0)))), "two.png"
    )
    load_measured(workshop, sheet)
    page = post(client, token, sheet, "figure", figure="ink", open="ground")
    inks = [button["value"] for button in page.select("ul[aria-label=Inks] button")]
    assert len(inks) == 2
    red = max(inks, key=lambda code: int(code[1:3], 16))
    page = post(client, token, workshop.sheets.load(sheet.id), "inks/drop", ink=red, open="ground")
    assert f"Without the ink {red}" in words(page.select_one("#step-ground .sentence"))
    now = workshop.sheets.load(sheet.id)
    alpha = decode_picture(client.get(f"/sheets/{sheet.id}/export?png=1").data).picture.alpha
    assert alpha[30:150].max() > 200
    assert alpha[160:].max() < 40
    page = post(client, token, now, "inks/keep", ink=red, open="ground")
    assert workshop.sheets.load(sheet.id).recipe.colour == Recipe().colour


def test_a_further_flat_colour_is_added_said_and_removed(client, token, workshop):
    sheet = add_sheet(workshop, draw_pad(), "pad.png")
    load_measured(workshop, sheet)
    page = post(client, token, sheet, "ground/also", colour="#2A9D8F", open="ground")
    assert "flat white, #2A9D8F" in words(page.select_one("#step-ground .sentence"))
    now = workshop.sheets.load(sheet.id)
    page = post(client, token, now, "ground/also/1/remove", open="ground")
    assert workshop.sheets.load(sheet.id).recipe.ground.also == ()


def test_another_colour_along_the_border_is_said_and_cleared_by_one_click(client, token, workshop):
    rgb = np.full((120, 160, 3), (244, 227, 193), np.uint8)
    rgb[:, :60] = (42, 157, 143)
    rgb[40:80, 40:110] = (140, 20, 32)
    sheet = add_sheet(workshop, to_png(rgb), "halves.png")
    step = ledger_of(client, workshop, sheet, "ground").select_one("#step-ground")
    assert "#2A9D8F is along the border too." in words(step.select_one(".sentence"))
    assert "#2A9D8F shows along 4" in words(step.select_one(".part"))
    button = step.find("button", string="Clear it too")
    page = post(client, token, sheet, "ground/also", colour=button["value"], open="ground")
    step = page.select_one("#step-ground")
    assert "too" not in words(step.select_one(".sentence"))
    assert step.find("button", string="Clear it too") is None
    cut = read_png(export_sheet(workshop, workshop.sheets.load(sheet.id)).data)
    assert (cut[[0, 0, -1, -1], [0, -1, 0, -1], 3] == 0).all()
    assert (cut[45:75, 45:105, 3] == 255).all()


def test_what_is_done_for_the_key_only_is_switched_and_said(client, token, workshop):
    sheet = add_sheet(workshop, draw_pad(), "pad.png")
    load_measured(workshop, sheet)
    page = post(client, token, sheet, "preparations", preparation="hold_lines", open="ground")
    assert "Found with thin lines held" in words(page.select_one("#step-ground .sentence"))
    now = workshop.sheets.load(sheet.id)
    refused = send(client, token, now, "preparations", preparation="sharpen")
    assert refused.status_code == 422
    page = post(client, token, now, "preparations", preparation="hold_lines", open="ground")
    assert workshop.sheets.load(sheet.id).recipe == Recipe()


def test_the_work_area_is_set_by_fields_and_a_page_is_offered(client, token, workshop):
    sheet = add_sheet(workshop, to_png(photograph_letter(2)[0]), "letter.png")
    page = ledger_of(client, workshop, sheet, "area")
    assert "It shows a page with something around it" in words(page.select_one("#step-ground"))
    data = page.select_one("#sheet-data")
    assert (data["data-width"], data["data-height"]) == ("640", "720")
    assert things_of(page)["area"] == [[0, 0], [640, 0], [640, 720], [0, 720]]
    corners = {
        f"corner_{at}": text for at, text in enumerate(("90,80", "500,80", "500,600", "90,600"))
    }
    for bad, expected in (("9O,80", "each corner as x,y"), ("600,80", "clockwise")):
        refused = send(client, token, sheet, "area", **{**corners, "corner_0": bad})
        assert (refused.status_code, refused.headers["HX-Retarget"]) == (422, "#said-area")
        assert expected in refused.text
    page = post(client, token, sheet, "area", **corners, open="ground")
    assert "Work area of 410 × 520 px" in words(page.select_one("#step-ground .sentence"))
    assert words(page.select_one("#size")) == "410 × 520"
    page = post(client, token, workshop.sheets.load(sheet.id), "area/turn/left", open="area")
    assert words(page.select_one("#size")) == "520 × 410"
    page = post(
        client, token, workshop.sheets.load(sheet.id), "area/tilt", degrees="2.5", open="area"
    )
    page = post(client, token, workshop.sheets.load(sheet.id), "area/whole", open="ground")
    assert "Work area" not in words(page.select_one("#step-ground .sentence"))
    page = post(client, token, workshop.sheets.load(sheet.id), "area/page", open="ground")
    assert "Work area of" in words(page.select_one("#step-ground .sentence"))


def test_numbers_are_said_with_no_more_digits_than_help():
    said = [format_percent(p).replace("\u00a0", " ") for p in (0, 0.004, 0.5, 3.25, 42.4)]
    assert said == ["0 %", "< 0.01 %", "0.50 %", "3.2 %", "42 %"]
    assert [name_colour(c) for c in ("#ffffff", "#000000", "#e8b23a")] == ["white", "black", "#E8B23A"]  # fmt: skip
    assert to_curve_x(0) == 0
    assert to_curve_x(12.5) == pytest.approx(to_curve_x(50) / 2)


def test_dust_is_offered_with_its_sizes_and_dropped_by_one_click(client, token, workshop):
    rgb = np.full((300, 300, 3), 255, np.uint8)
    rgb[100:110, 30:270] = (30, 40, 90)
    for number in range(9):
        rgb[
            20 + number % 3 * 120 : 22 + number % 3 * 120,
            40 + number // 3 * 110 : 43 + number // 3 * 110,
        ] = 90
    sheet = add_sheet(workshop, to_png(rgb), "dusty.png")
    page = ledger_of(client, workshop, sheet)
    assert words(page.select_one("#specks")).startswith(
        "9 specks of 6 px; all else has 2400 or more"
    )
    assert client.get(page.select_one("#specks img")["src"]).mimetype == "image/png"
    fields = {field["name"]: field["value"] for field in page.select("#specks input[name$=_px]")}
    page = post(client, token, sheet, "small-pieces", **fields)
    assert page.select_one("#specks") is None
    assert client.get(f"/sheets/{sheet.id}/specks.png").status_code == 404
    assert "9 specks are removed" in words(page.select_one("#small-count"))
    page = post(client, token, workshop.sheets.load(sheet.id), "undo")
    assert page.select_one("#specks")


def test_a_border_that_came_in_transparent_and_a_busy_photo_are_said_plainly(
    client, token, workshop
):
    rgba = np.zeros((90, 120, 4), np.uint8)
    rgba[30:60, 40:80] = (29, 53, 87, 255)
    sheet = add_sheet(workshop, to_png(rgba), "cut.png")
    step = ledger_of(client, workshop, sheet, "ground").select_one("#step-ground")
    assert "came in transparent, so there is no background to clear" in words(step)
    assert "please check" in words(step).lower()
    random = np.random.default_rng(3)
    coarse = random.integers(0, 256, (14, 18, 3)).astype(np.uint8)
    photo = np.asarray(Image.fromarray(coarse).resize((360, 280), Image.Resampling.BICUBIC))
    busy = add_sheet(workshop, to_png(photo), "street.png")
    step = ledger_of(client, workshop, busy, "ground").select_one("#step-ground")
    assert "on a busy background" in words(step)
    assert "nothing is removed by itself" in words(step)
    assert not step.select(
        "[name=kind][aria-pressed=true]"
    )  # none is measured, so all are there to be said
    assert len(step.select("[name=kind][value=flat], [name=kind][value=paper]")) == 2
    assert "along the border too" not in words(step)
    assert "please check" in words(step).lower()
    chosen = post(client, token, busy, "ground", kind="flat").select_one("#step-ground")
    assert "flat" in words(chosen)
    assert "changed" in words(chosen).lower()


def test_a_place_is_said_with_what_tuning_there_would_do(client, token, workshop):
    rgb = np.full((80, 120, 3), 255, np.uint8)
    rgb[20:60, 20:50] = (225, 225, 232)  # pale: goes a little later
    rgb[20:60, 70:100] = (20, 30, 80)
    sheet = add_sheet(workshop, to_png(rgb), "pale.png")
    facts = load_measured(workshop, sheet).facts

    def ask(x, y):
        return client.get(f"/sheets/{sheet.id}/place?row={y}&col={x}").json

    pale = float(facts.outside[40, 35]) * 0.2
    assert facts.calm.tolerance < pale < 50
    assert ask(35, 40)["upTo"] == f"Up to here, {pale:.1f}"
    assert ask(35, 40)["shortOf"] is None
    assert ask(5, 5)["verb"] == "Already clear"
    dark = ask(85, 40)
    assert (dark["verb"], dark["acts"]) == ("Subject", False)
    answer = send(client, token, sheet, "up-to", row=40, col=35)
    assert answer.status_code == 200
    after = ask(35, 40)
    assert after["shortOf"] == f"Short of here, {pale - 0.2:.1f}"
    assert after["upTo"] is None


@pytest.mark.parametrize("step", ["", "ground", "reach"])
def test_gaps_are_looked_for_and_named_whatever_sentence_is_open(client, workshop, monkeypatch, step):  # fmt: skip
    monkeypatch.setattr(finding, "_AT_ONCE_PX", 0)
    d = Drawing(400, 400, 4)
    d.ring(200, 200, 120, 10, d.colour("#204080"))
    d.rounded(196, 60, 203, 110, 0, d.colour("#FFFFFF"))
    sheet = add_sheet(workshop, to_png(lay_over(d.render(), np.array((255.0, 255.0, 255.0)))), "ring.png")  # fmt: skip
    (asks,) = ledger_of(client, workshop, sheet, step).select("#gaps")
    found = BeautifulSoup(client.get(asks["hx-get"]).data, "html.parser")
    assert "1 gap to look at" in words(found)
    assert len(found.select("#gaps")) == (step == "reach")


def test_a_change_from_the_stage_is_answered_with_the_head_the_ledger_and_what_of_it_changed(
    client, token, workshop
):
    drawing = Drawing(900, 900, 2)
    drawing.ring(150, 150, 90, 12, drawing.colour("#203050"))
    drawing.ring(700, 700, 120, 12, drawing.colour("#B0402A"))
    png = encode_picture(lay_over(drawing.render(), np.array((255.0, 255.0, 255.0))), "png")
    sheet = add_sheet(workshop, png, "rings.png")
    ledger_of(client, workshop, sheet)

    def send_json(path, **said):
        headers = {"X-CSRFToken": token, "Accept": "application/json"}
        return client.post(f"/sheets/{sheet.id}/{path}", json=said, headers=headers)

    pocket = {"row": 150, "col": 150, "seen": sheet.head, "open": "reach"}
    answer = send_json("pockets/clear", **pocket)
    assert answer.status_code == 200
    now = workshop.sheets.load(sheet.id)
    assert answer.json["head"] == now.head != sheet.head
    assert "1 of 2 enclosed areas" in words(BeautifulSoup(answer.json["ledger"], "html.parser"))
    left, top, right, bottom = np.array(answer.json["dirty"]).T
    assert (left.min(), top.min()) == (0, 0)
    assert max(right.max(), bottom.max()) < 600  # not the other ring, though all of its own
    behind = send_json("fences", places=[[10, 10], [90, 10]], seen=sheet.head, open="reach")
    assert (behind.status_code, behind.json["isBehind"]) == (409, True)
    fenced = send_json("fences", places=[[10, 10], [40, 10]], seen=now.head, open="reach")
    assert np.array(fenced.json["dirty"]).max() < 600
    beyond = {"places": [[10, 10], [4000, 10]], "seen": fenced.json["head"], "open": "reach"}
    refused = send_json("fences", **beyond)
    assert (refused.status_code, refused.json["place"]) == (422, "#said-fences")
    assert send_json("fences", places=7, seen=1).status_code == 422
    coloured = client.post(
        f"/sheets/{sheet.id}/spill", json={"spill": 50, "seen": fenced.json["head"]},
        headers={"X-CSRFToken": token, "Accept": "application/json"},
    )  # fmt: skip
    assert coloured.json["dirty"] is None


def test_a_figure_in_two_natures_is_said_and_one_of_them_can_be_chosen_for_all_of_it(client, workshop, token):  # fmt: skip
    sheet = add_sheet(workshop, to_png(draw_letter()[0].rgb), "letter.png")
    page = ledger_of(client, workshop, sheet, "ground")
    assert "Solid and ink" in words(page.select_one("#sentence-ground"))
    assert "part of it is cut as ink" in words(page.select_one("#label-figure"))
    chosen = "button[name=figure][aria-pressed=true]"
    assert not page.select(chosen)
    for nature, said in (("opaque", "Solid on"), ("ink", "Ink on")):
        sheet = workshop.sheets.load(sheet.id)
        page = post(client, token, sheet, "figure", figure=nature, open="ground")
        assert words(page.select_one("#sentence-ground")).startswith(said)
        assert [button["value"] for button in page.select(chosen)] == [nature]
