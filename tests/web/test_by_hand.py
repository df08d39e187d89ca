"""Step 3 on its pages: the list of marks and how each is drawn, versions, and other states to look at."""

import json

import numpy as np
import pytest

from benchmarks.keying import key_file
from tests.conftest import read_png
from tests.web.test_pages import send, soup
from tidymargin.formats.recipe import change_recipe
from tidymargin.services.edits import marking, settings
from tidymargin.services.edits.changing import begin
from tidymargin.services.views.finding import find_dirty

PLACES = [(20.5, 30.0), (60.0, 40.0), (90.0, 100.0)]
CORNERS = [{"x": 10, "y": 10}, {"x": 150, "y": 12, "bend": (158, 80)}, {"x": 140, "y": 150}]


@pytest.fixture
def change(workshop, client, token, sheet):
    """Sends a change of the stage on the newest state; returns its answer."""

    def send_it(path, **values):
        seen = workshop.sheets.load(sheet.id).head
        body = json.dumps({**values, "seen": seen, "open": "by_hand"})
        answer = client.post(
            f"/sheets/{sheet.id}/{path}", data=body, content_type="application/json",
            headers={"X-CSRFToken": token, "Accept": "application/json"},
        )  # fmt: skip
        assert answer.status_code == 200, answer.data
        return answer.json

    return send_it


def things_of(page):
    return json.loads(page.select_one("#sheet-data")["data-things"])


def open_step(client, sheet):
    return soup(client.get(f"/sheets/{sheet.id}/?open=by_hand"))


def test_a_change_says_where_the_cut_changed_and_nothing_more(workshop, client, sheet, change):
    client.get(f"/sheets/{sheet.id}/view?left=0&top=0&cell=1&width=160&height=160")
    first = change("marks/stroke", verdict="clear", places=PLACES, across_px=10)
    ((left, top, right, bottom),) = first["dirty"]
    assert left < 15 < 96 < right
    assert top < 25 < 106 < bottom
    assert 'id="ledger"' in first["ledger"]
    begun = change("marks/outline", number=0, points=CORNERS[:1])
    assert begun["dirty"] == []  # it decides nothing yet
    closed = change("marks/outline", number=2, did="closed", points=CORNERS, is_closed=True, does="keep_inside")  # fmt: skip
    assert len(closed["dirty"]) == 1
    turned = change("marks/2/does/clear_outside")
    everywhere = [0, 0, sheet.width, sheet.height]
    assert everywhere in [list(box) for box in turned["dirty"]]
    before = workshop.sheets.load(sheet.id)
    tuned = settings.set_values(begin(workshop, sheet.id, before.head), "tolerance", tolerance=20.0)
    boxes = find_dirty(workshop, tuned, before.head)
    assert boxes is None or len(boxes) < 2  # a badge is one tile


def test_marks_are_listed_by_spell_with_their_place_and_drawn_by_name(client, sheet, change):
    for _ in range(3):
        change("marks/stroke", verdict="clear", places=PLACES, across_px=10)
    like = {"colour": "first", "tolerance": "auto", "is_joined": True}
    change("marks/stroke", verdict="clear", places=PLACES, across_px=12, like=like)
    change("marks/area/keep", rings=[[(5, 5), (50, 5), (50, 40)], [(10, 10), (20, 10), (20, 20)]])
    change("marks/outline", number=0, points=CORNERS)
    page = open_step(client, sheet)
    words = [row.get_text(" ", strip=True) for row in page.select(".marks .mark .words")]
    assert words == [
        "An outline not closed yet, so it decides nothing", "An area keeps",
        "A stroke on the background only clears, 12 px", "3 strokes clears, 10 px",
    ]  # fmt: skip
    assert [button.get_text() for button in page.select("#sentence-by_hand .phrase")] == ["4 strokes", "an area", "an outline"]  # fmt: skip
    marks = things_of(page)["marks"]
    assert [mark["number"] for mark in marks] == [1, 2, 3, 4, 5, 6]
    assert [mark["goes"] for mark in marks] == ["clear"] * 4 + ["keep", "outside"]
    assert marks[0]["name"] == marks[1]["name"]  # what was drawn alike is kept once
    names = ",".join(mark["name"] for mark in marks)
    shapes = client.get(f"/sheets/{sheet.id}/marks/shapes?names={names}").json
    assert set(shapes) == set(names.split(","))
    stroke, rub, area, outline = (shapes[marks[n]["name"]] for n in (0, 3, 4, 5))
    assert stroke["lines"] == [[list(place) for place in PLACES]]
    assert rub["taken"] == list(PLACES[0])
    assert [len(ring) for ring in area["rings"]] == [3, 3]
    assert [point["bend"] for point in outline["points"]] == [None, [158.0, 80.0], None]
    assert np.hypot(*(np.array(outline["lines"][1]) - (158, 80)).T).min() < 0.05
    parts = client.post(
        f"/sheets/{sheet.id}/marks/outline/parts", json={"points": outline["points"], "is_closed": False},
        headers={"X-CSRFToken": client.get("/").data.split(b'data-token="')[1].split(b'"')[0].decode()},
    ).json["parts"]  # fmt: skip
    assert parts == outline["lines"]
    picture = client.get(f"/sheets/{sheet.id}/marks/{marks[4]['name']}.png")
    assert read_png(picture.data).shape[0] >= 40
    assert client.get(f"/sheets/{sheet.id}/marks/{'0' * 16}.png").status_code == 200
    each = soup(client.get(f"/sheets/{sheet.id}/marks/each?numbers=1 2 3"))
    assert [row["data-numbers"] for row in each.select("li")] == ["3", "2", "1"]
    assert each.select_one("input[name=numbers]")["value"] == "3 2 1"


def test_only_the_newest_spells_stand_in_the_page_and_the_rest_is_fetched(client, sheet, workshop):
    marks = [
        {"kind": "stroke", "verdict": ("clear", "keep")[n % 2], "places": [(n, n), (n + 9, n)], "spell": n + 1}
        for n in range(30)
    ]  # fmt: skip
    recipe = change_recipe(sheet.recipe, "by_hand", marks=marks)
    marking.change_step(begin(workshop, sheet.id, sheet.head), "marks_on", "by_hand", marks=recipe.by_hand.marks)  # fmt: skip
    page = open_step(client, sheet)
    assert len(page.select("ol.marks > li")) == 20
    assert page.select("details.marks summary")[0].get_text() == "10 earlier ones"
    rest = soup(client.get(page.select_one("details.marks")["hx-get"]))
    assert [row["data-numbers"] for row in rest.select("li")] == [str(n) for n in range(10, 0, -1)]
    assert len(page.encode()) < 120_000


def test_marks_are_switched_and_removed_by_forms_too(workshop, client, token, sheet, change):
    change("marks/area/clear", rings=[[(5, 5), (90, 5), (90, 90)]])
    change("marks/area/clear", rings=[[(9, 9), (90, 9), (90, 90)]])

    def post(path, **values):
        seen = workshop.sheets.load(sheet.id).head
        return send(client, token, f"/sheets/{sheet.id}/marks/{path}", seen=seen, open="by_hand", **values)  # fmt: skip

    assert post("switch/off", numbers="1 2").status_code == 200
    assert [mark.is_on for mark in marking.list_marks(workshop.sheets.load(sheet.id))] == [False] * 2  # fmt: skip
    assert post("2/set", verdict="keep").status_code == 200
    assert post("1/move", x="3", y="-1,5").status_code == 200
    moved, kept = marking.list_marks(workshop.sheets.load(sheet.id))
    assert (moved.place, kept.verdict) == ((8.0, 3.5), "keep")
    assert post("remove", numbers="1").status_code == 200
    assert len(marking.list_marks(workshop.sheets.load(sheet.id))) == 1
    said = soup(post("remove", numbers="7")).get_text(" ")
    assert "from 1 to 1" in said
    stale = send(client, token, f"/sheets/{sheet.id}/marks/remove", seen=sheet.head, numbers="1")
    assert stale.status_code == 409
    history = soup(client.get(f"/sheets/{sheet.id}/?open=history")).get_text(" ")
    for words in ("2 marks switched off", "Mark moved", "1 marks removed", "Area at"):
        assert words in history


def test_another_state_is_seen_as_it_would_be_cut_and_nothing_is_changed(
    workshop, client, sheet, change, badge_png
):
    change("marks/area/clear", rings=[[(0, 0), (160, 0), (160, 80), (0, 80)]])
    now = workshop.sheets.load(sheet.id)
    settings.set_values(begin(workshop, sheet.id, now.head), "tolerance", tolerance=12.0)
    now = workshop.sheets.load(sheet.id)
    recipe = now.recipe
    without = change_recipe(recipe, "by_hand", marks=())
    wanted = {
        "now": recipe, "": recipe, "key": without, str(sheet.head): sheet.recipe,
        "automatic": change_recipe(without, "reach", tolerance="auto"),
    }  # fmt: skip
    view = "left=0&top=0&cell=1&width=160&height=160"
    for way, its in wanted.items():
        answer = client.get(f"/sheets/{sheet.id}/view?{view}&as={way}")
        seen = np.frombuffer(answer.data, np.uint8).reshape(160, 160, 4)
        np.testing.assert_array_equal(seen, read_png(key_file(badge_png, its)))
    for way in ("nothing", "999999", "-3"):
        assert client.get(f"/sheets/{sheet.id}/view?{view}&as={way}").status_code == 404
    assert workshop.sheets.load(sheet.id).head == now.head
    page = soup(client.get(f"/sheets/{sheet.id}/compare?left=original&right={sheet.head}"))
    assert [pane["data-way"] for pane in page.select(".pane")] == ["original", str(sheet.head)]
    assert client.get(f"/sheets/{sheet.id}/compare?left=nothing").status_code == 404


def test_a_version_is_named_listed_gone_back_to_and_unnamed(workshop, client, token, sheet, change):
    def post(path, **values):
        seen = workshop.sheets.load(sheet.id).head
        return send(client, token, f"/sheets/{sheet.id}/{path}", seen=seen, open="history", **values)  # fmt: skip

    change("marks/area/clear", rings=[[(5, 5), (90, 5), (90, 90)]])
    named = workshop.sheets.load(sheet.id).head
    assert post("versions", version="<b>half</b>").status_code == 200
    change("marks/area/keep", rings=[[(5, 5), (90, 5), (90, 90)]])
    page = soup(client.get(f"/sheets/{sheet.id}/?open=history"))
    listed = page.select_one("ul[aria-label=Versions] li")
    assert listed.select_one("span").get_text().startswith("<b>half</b>")
    assert listed.select_one("form")["action"].endswith(f"/history/{named}")
    assert f"left={named}" in listed.select_one("a")["href"]
    assert post(f"history/{named}").status_code == 200
    assert workshop.sheets.load(sheet.id).head == named
    said = soup(post("versions", version="x" * 81))
    assert "1 to 80 letters" in said.get_text(" ")
    (version,) = workshop.sheets.list_versions(sheet.id)
    assert post(f"versions/{version.id}/forget").status_code == 200
    assert post(f"versions/{version.id}/forget").status_code == 404
    assert workshop.sheets.list_versions(sheet.id) == []
    assert len(workshop.sheets.list_states(sheet.id)) == 3
