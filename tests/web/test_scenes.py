"""Pages of scenes: every change as a form sends it, refused with a sentence at its place, and nothing lost by it."""

import io
import json

import pytest
from bs4 import BeautifulSoup

from tests.conftest import read_png
from tidymargin.services.scenes.opening import load_scene, look_at_saved
from tidymargin.services.trays.keeper import TrayKeeper
from tidymargin.services.trays.trays import make_tray
from tidymargin.services.workshop import states


@pytest.fixture
def send(client, token):
    """Send a change of scene 1 as a form from its newest state does, as htmx or plainly."""

    def send(path, opened="", *, is_plain=False, scene=1, seen=None, **values):
        saved = client.application.extensions["workshop"].scenes.load(scene)
        form = {"csrf_token": token, "seen": saved.head if seen is None else seen, "open": opened, **values}  # fmt: skip
        headers = {} if is_plain else {"HX-Request": "true"}
        return client.post(f"/scenes/{scene}/{path}", data=form, headers=headers)

    return send


@pytest.fixture
def scene(client, token, workshop, sheet, send):
    """A scene with the badge twice, put together."""
    answer = client.post("/scenes", data={"csrf_token": token, "name": "card"})
    assert answer.headers["Location"] == "/scenes/1/?open=base"
    for _ in range(2):
        send("add", sheet=sheet.id)
    load_scene(workshop, look_at_saved(workshop, workshop.scenes.load(1)))
    return lambda: workshop.scenes.load(1).arrangement


def text_of(answer, place="#ledger"):
    found = BeautifulSoup(answer.data, "html.parser").select_one(place)
    return " ".join(found.get_text(" ").split())


def test_the_page_says_the_scene_in_sentences_front_first(client, workshop, scene, send):
    send("set", key=2, what="opacity", opacity="50")
    send("set", key=2, what="name", name="badge in front")
    send("inside", key=1, inside="badge in front")
    load_scene(workshop, look_at_saved(workshop, workshop.scenes.load(1)))
    page = client.get("/scenes/1/?open=cut:2")
    said = text_of(page)
    assert "On white , 148 × 105 mm ." in said
    assert "1 in hand badge in front , 50 % solid." in said
    assert "2 badge inside “badge in front” ." in said
    assert "Clean up to 14" in said
    data = json.loads(BeautifulSoup(page.data, "html.parser").select_one("#scene-data")["data-held"])  # fmt: skip
    assert [(cut["key"], len(cut["corners"])) for cut in data] == [(1, 4), (2, 4)]  # fmt: skip
    history = text_of(client.get("/scenes/1/?open=history"), "#step-history")
    for words in ("Named: badge in front", "Shown inside a shape, or whole again: badge", "Opacity set: badge 2"):  # fmt: skip
        assert words in history.replace("badge in front badge", "badge"), words


def test_every_change_is_one_row_that_undo_takes_back(workshop, scene, send):
    tray = make_tray(workshop, "seals", [1])
    changes = [
        ("move", {"keys": "1,2", "right": "3.5", "down": "-2"}),
        ("place", {"key": 1, "left": "12", "left_was": "1", "top": "5", "top_was": "5", "wide": "20", "wide_was": "8", "turn": "0"}),
        ("size-cut", {"key": 1, "scale": "0.7"}),
        ("size-cut", {"key": 1, "turn": "200"}),
        ("set", {"key": 1, "what": "mirror"}),
        ("set", {"key": 1, "what": "hidden"}),
        ("set", {"key": 1, "what": "outlined"}),
        ("set", {"key": 1, "what": "locked"}),
        ("inside", {"key": 2, "inside": "badge"}),
        ("shadow", {"key": 2, "kind": "cast", "amount": "60", "lean": "-20", "length": "80"}),
        ("light", {"key": 2, "light": "30"}),
        ("state", {"key": 2, "state": "now"}),
        ("stack", {"key": 2, "to": "back"}),
        ("several/copy", {"keys": "2"}),
        ("several/group", {"keys": "2,3"}),
        ("several/ungroup", {"keys": "2"}),
        ("align", {"keys": "2,3", "axis": "down", "side": "middle"}),
        ("add", {"gradient": "1"}),
        ("fill", {"key": 4, "start": "#112233", "end": "#445566", "turn": "40"}),
        ("align", {"keys": "2,3,4", "axis": "across", "side": "spread"}),
        ("several/take_out", {"keys": "4"}),
        ("base", {"kind": "gradient", "start": "#112233", "end": "#ffeedd", "turn": "10"}),
        ("base", {"kind": "picture", "sheet": "1", "takes_size": "1"}),
        ("base", {"kind": "nothing"}),
        ("size", {"width": "50", "height": "30", "unit": "mm", "dots_per_inch": "200"}),
        ("format", {"format": "ora"}),
        ("series", {"tray": str(tray.id), "key": 2}),
        ("series", {}),
    ]  # fmt: skip
    rows = len(workshop.scenes.list_states(1))
    seen = [scene()]
    for path, values in changes:
        answer = send(path, "export", **values)
        assert answer.status_code == 200, (path, answer.data)
        rows += 1
        assert len(workshop.scenes.list_states(1)) == rows, (path, values)
        seen.append(scene())
    assert scene().width == round(50 / 25.4 * 200)
    for expected in seen[-2::-1]:
        send("undo")
        assert scene() == expected
    send("redo")
    assert scene() == seen[1]
    states = workshop.scenes.list_states(1)
    send(f"history/{states[5].id}")
    assert workshop.scenes.load(1).head == states[5].id
    assert b"proof one" in send("versions", "history", version="proof one").data
    assert b"proof one" not in send("versions/1/forget", "history").data


@pytest.mark.parametrize(
    ("path", "values", "place", "said"),
    [
        ("place", {"key": 1, "wide": "0", "wide_was": "8"}, "#said-wide", "size between"),
        ("place", {"key": 1, "turn": "999"}, "#said-turn", "-360 to 360"),
        ("place", {"key": 1, "left": "far", "left_was": "1"}, "#said-open", "Expected a number"),
        ("set", {"key": 1, "what": "opacity", "opacity": "300"}, "#said-opacity", "less than or equal to 1"),
        ("set", {"key": 1, "what": "name", "name": "badge 2"}, "#said-open", "name of its own"),
        ("set", {"key": 1, "what": "name", "name": "  "}, "#said-name", "at least 1"),
        ("set", {"key": 1, "what": "warp"}, "#said-open", "what to change of the cut"),
        ("set", {"key": 77, "what": "mirror"}, "#said-open", "not in the scene any more"),
        ("inside", {"key": 1, "inside": "badge"}, "#said-open", "inside itself"),
        ("inside", {"key": 1, "inside": "nobody"}, "#said-open", "no cut of the scene"),
        ("shadow", {"key": 1, "kind": "long", "amount": "5"}, "#said-open", "does not hold together"),
        ("light", {"key": 1, "light": "-5"}, "#said-open", "greater than or equal to 0"),
        ("state", {"key": 1, "state": "987654"}, "#said-open", "not in the history"),
        ("move", {"keys": "", "right": "1", "down": "1"}, "#said-open", "No cut is chosen"),
        ("move", {"keys": "1;2", "right": "1", "down": "1"}, "#said-open", "numbers of cuts"),
        ("move", {"keys": "1", "right": "1e12", "down": "1"}, "#said-open", "less than or equal to 1000000"),
        ("align", {"keys": "1", "axis": "up", "side": "first"}, "#said-open", "how to align the cuts"),
        ("align", {"keys": "1", "axis": "down", "side": "spread"}, "#said-open", "at least three"),
        ("several/group", {"keys": "1"}, "#said-open", "at least two"),
        ("base", {"kind": "colour", "colour": "red"}, "#said-open", "colours like"),
        ("base", {"kind": "picture", "sheet": "55"}, "#messages", "less"),
        ("size", {"width": "90000", "height": "10", "unit": "px"}, "#said-open", "less than or equal to 60000"),
        ("size", {"width": "50000", "height": "50000", "unit": "px"}, "#said-open", "at most 200,000,000 p"),
        ("format", {"format": "exe"}, "#said-open", "does not hold together"),
        ("series", {"tray": "9", "key": 1}, "#said-open", "no tray 9"),
        ("add", {"sheet": "x"}, "#said-open", "No picture is chosen"),
        ("versions", {"version": ""}, "#said-version", "1 to 80 letters"),
    ],
)  # fmt: skip
def test_what_cannot_be_is_refused_at_its_place_and_changes_nothing(scene, send, path, values, place, said):  # fmt: skip
    before = scene()
    answer = send(path, "cut:1", **values)
    if path == "base" and values.get("sheet") == "55":
        assert answer.status_code == 200  # one that is missing is said in its sentence
        assert "a picture that is missing" in text_of(answer)
        return
    assert answer.status_code in (404, 422)
    assert said.replace("-360", "−360") in answer.get_data(as_text=True)
    assert answer.headers["HX-Retarget"] == place
    assert scene() == before


def test_a_second_tab_is_told_and_loses_nothing(client, token, workshop, scene, send):
    seen = workshop.scenes.load(1).head
    send("move", keys="1", right="5", down="0")
    answer = send("move", seen=seen, keys="2", right="9", down="0")
    assert answer.status_code == 409
    assert answer.headers["HX-Trigger-After-Swap"] == "sheet:behind"
    assert b"changed in another tab" in answer.data
    said = client.get("/scenes/1/head").json
    assert said["head"] == workshop.scenes.load(1).head
    sent = {"keys": "2", "right": 9, "down": 0, "seen": str(said["head"]), "open": "cut:2"}
    answer = client.post("/scenes/1/move", json=sent, headers={"X-CSRFToken": token, "Accept": "application/json"})  # fmt: skip
    assert answer.json["head"] == workshop.scenes.load(1).head
    assert 'id="ledger"' in answer.json["ledger"]
    assert client.post("/scenes/1/move", json=sent).status_code == 403  # without its token


def test_pixels_stops_and_what_is_at_a_place(client, workshop, scene):
    whole = client.get("/scenes/1/view?left=0&top=0&cell=1&width=1748&height=1240")
    assert whole.headers["X-Size"] == "1748x1240"
    assert len(whole.data) == 4 * 1748 * 1240
    parts = client.get("/scenes/1/parts?keys=2&left=0&top=0&cell=4&width=437&height=310")
    said = [film for part in json.loads(parts.headers["X-Parts"]) for film in part if film]
    assert sum(4 * film["width"] * film["height"] for film in said) == len(parts.data)
    assert [film["moves"] for film in said].count(True) == 1
    on = client.get("/scenes/1/view?left=0&top=0&cell=1&width=9&height=9&on=%23102030").data
    assert on[:4] == bytes((0x10, 0x20, 0x30, 255))
    held = json.loads(BeautifulSoup(client.get("/scenes/1/").data, "html.parser").select_one("#scene-data")["data-held"])[1]  # fmt: skip
    x, y = (sum(corner[k] for corner in held["corners"]) / 4 for k in (0, 1))
    assert client.get(f"/scenes/1/at?x={x}&y={y}&cell=2").json == {"key": 2, "name": "badge 2"}
    assert client.get("/scenes/1/at?x=3&y=3").json["key"] is None
    stops = client.get("/scenes/1/stops?keys=2").json
    assert any("the middle of the scene" in stop["words"] and abs(stop["by"]) < 1.5 for stop in stops["across"])  # fmt: skip
    assert client.get("/scenes/1/stops?keys=").json == {"across": [], "down": []}
    assert read_png(client.get("/scenes/1/thumbnail.png").data).shape[:2] == (227, 320)
    assert b"rims" in client.get("/scenes/1/rims").data
    assert client.get("/scenes/1/progress").json == {"share": None}
    for query in ("left=-1&top=0&cell=1&width=5&height=5", "left=0&top=0&cell=1&width=99999&height=99999", "left=0&top=0&cell=x&width=5&height=5", "left=0&top=0&cell=1&width=5&height=5&on=red"):  # fmt: skip
        assert client.get(f"/scenes/1/view?{query}").status_code == 422
    for path in ("at?x=1", "view", "parts", "stops?keys=a"):
        assert client.get(f"/scenes/1/{path}").status_code == 422
    assert client.get("/scenes/9/").status_code == 404
    assert client.get("/scenes/1/export").headers["Content-Disposition"].startswith('attachment; filename="card.png"')  # fmt: skip


def test_the_shelf_begins_bins_and_takes_out_and_a_row_is_laid_of_a_tray(client, token, workshop, scene):  # fmt: skip
    tray = make_tray(workshop, "seals", [1])
    answer = client.post("/scenes", data={"csrf_token": token, "tray": tray.id})
    assert answer.headers["Location"] == "/scenes/2/"
    assert "almanac" not in client.get("/").get_data(as_text=True)
    assert client.get("/").get_data(as_text=True).count("/thumbnail.png?state=") >= 2
    client.post("/scenes/2/bin", data={"csrf_token": token})
    page = client.get("/")
    assert "1 " in text_of(page, "#kept summary")
    assert client.get("/scenes/2/").status_code == 404
    client.post("/scenes/2/take-out", data={"csrf_token": token})
    assert client.get("/scenes/2/").status_code == 200
    layers = client.get("/scenes/1/export").data  # a PNG is no OpenRaster
    answer = client.post("/scenes", data={"csrf_token": token, "layers": (io.BytesIO(layers), "a.ora")})  # fmt: skip
    assert answer.status_code == 415
    assert b"no OpenRaster file" in answer.data


def test_a_missing_picture_is_said_in_its_sentence_and_the_page_still_works(client, workshop, scene, sheet):  # fmt: skip
    workshop.sheets.bin(sheet.id)
    page = client.get("/scenes/1/?open=cut:2")
    assert page.status_code == 200
    assert "badge is not shown: “badge.png” is in the bin." in text_of(page)
    answer = client.get("/scenes/1/export", headers={"Accept": "application/json"})
    assert answer.status_code == 404
    assert "is not there" in answer.json["message"]


def test_after_a_new_version_one_button_cuts_all_pictures_of_a_scene_again_and_nothing_is_unasked(
    client, workshop, scene, send, monkeypatch
):
    now = states.ENGINE_VERSION + 1
    monkeypatch.setattr(states, "ENGINE_VERSION", now)
    said = text_of(client.get("/scenes/1/"))
    assert "1 picture of this scene was cut by an older version" in said
    assert said.count("badge") == 2
    assert said.count("is not shown: This picture was cut by an older version") == 2
    keeper = TrayKeeper(workshop)
    keeper.renew_asked()
    assert workshop.sheets.load(1).engine_version == now - 1
    assert "1 picture is being cut again…" in text_of(send("renew"))
    keeper.renew_asked()
    assert workshop.sheets.load(1).engine_version == now
    assert not look_at_saved(workshop, workshop.scenes.load(1)).missing
    said = text_of(client.get("/scenes/1/"))
    assert "older version" not in said
    assert "again…" not in said
