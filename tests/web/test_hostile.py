"""Spoilt bodies, spoilt messages and very many sheets: each gets an answer in words, and nothing is held or ended by them."""

import io
import json
import tracemalloc

import numpy as np
import pytest
from flask.testing import FlaskClient

from benchmarks.hostile import disturb_worker, hold_many, list_bodies, spoil_bodies
from benchmarks.trays import serve_redis
from tests.conftest import to_png
from tidymargin.core.base.picture import Region
from tidymargin.core.marks.covering import cover_rings
from tidymargin.formats import marks
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.trays.exports import begin_export
from tidymargin.services.trays.keeper import TrayKeeper
from tidymargin.services.trays.trays import make_tray


@pytest.fixture
def ask(client: FlaskClient, token, workshop, badge_png):
    sheet = add_sheet(workshop, badge_png, "badge.png")
    headers = {"X-CSRFToken": token, "Accept": "application/json", "Content-Type": "application/json"}  # fmt: skip

    def ask(path, body):
        return client.post(f"/sheets/{sheet.id}/{path}", data=body, headers=headers)

    ask.seen = sheet.head
    return ask


def test_no_spoilt_body_is_more_than_refused_in_words(ask):
    for path, body in spoil_bodies(400, ask.seen):
        answer = ask(path, body)
        assert answer.status_code < 500, (path, body[:300], answer.data[:300])
        assert answer.status_code in (200, 303) or answer.json["message"], (path, body[:300])


def test_what_is_fine_is_taken_on_every_route_that_is_spoilt(ask, workshop):
    for path in list_bodies(0):
        head = workshop.sheets.load(1).head
        body = list_bodies(head)[path]
        answer = ask(path, json.dumps(body).encode())
        assert answer.status_code == 200, (path, answer.data[:300])


@pytest.mark.parametrize("values", ["[" * 1200, "{" * 1200, '{"a": ' + "[" * 30 + "]" * 30 + "}", '{"choke_px": ' + "9" * 401 + "}", '{"choke_px": NaN}'])  # fmt: skip
def test_values_that_are_tried_are_bounded_as_bodies_are(client, ask, values):
    place = {"step": "rim", "left": 0, "top": 0, "cell": 1, "width": 9, "height": 9, "values": values}  # fmt: skip
    answer = client.get("/sheets/1/tried", query_string=place, headers={"Accept": "application/json"})  # fmt: skip
    assert answer.status_code == 422
    assert "12 deep" in answer.json["message"]


def test_parts_of_an_outline_answer_in_proportion_to_its_points(ask):
    chance = np.random.default_rng(2)
    points = [{"x": float(x), "y": float(y), "is_smooth": True, "bend": [float(y), float(x)]} for x, y in chance.uniform(0, 4000, (2000, 2))]  # fmt: skip
    answer = ask("marks/outline/parts", json.dumps({"points": points}).encode())
    assert answer.status_code == 200
    assert len(answer.data) < 2_000_000
    assert len(answer.json["parts"]) == 1999


RINGS = {
    "one of 20,000 places": (np.random.default_rng(3).uniform(0, 500, (20_000, 2)),),
    "twenty of a thousand": tuple(np.random.default_rng(4).uniform(0, 500, (20, 1000, 2))),
}


@pytest.mark.parametrize("rings", RINGS.values(), ids=RINGS)
def test_rings_take_memory_by_their_places_and_not_by_how_often_they_cross_a_picture(rings):
    tracemalloc.start()
    covered = cover_rings(rings, Region(0, 0, 500, 500))
    peak = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    assert 0.4 < covered.mean() < 0.6
    assert peak < 40_000_000


def test_more_places_than_a_sheet_may_have_are_refused_before_they_are_saved(ask, workshop, monkeypatch):  # fmt: skip
    ring = [[5, 5], [40, 5], [40, 40], [5, 40]]
    body = {"rings": [ring], "seen": ask.seen}
    monkeypatch.setattr("tidymargin.services.edits.marking.MOST_PLACES_OF_ALL", 3)
    refused = ask("marks/area/keep", json.dumps(body).encode())
    assert (refused.status_code, "at most 3 places" in refused.json["message"]) == (422, True)
    monkeypatch.undo()
    monkeypatch.setattr("tidymargin.formats.steps.MOST_DRAWN_OF_ALL", 3)
    refused = ask("marks/area/keep", json.dumps(body).encode())
    assert (refused.status_code, "at most 3 places" in refused.json["message"]) == (413, True)
    monkeypatch.undo()
    monkeypatch.setattr(
        "tidymargin.formats.steps.MOST_HEIGHT_OF_ALL_PX", 60
    )  # down and up again it is 70
    refused = ask("marks/area/keep", json.dumps(body).encode())
    assert (refused.status_code, "60 px of line" in refused.json["message"]) == (413, True)
    assert workshop.sheets.load(1).head == ask.seen
    assert marks.MOST_DRAWN_OF_ALL >= marks.MOST_PLACES_OF_ALL


def test_a_worker_does_every_job_between_spoilt_messages_and_does_not_grow(tmp_path):
    with serve_redis() as url:
        assert disturb_worker(url, tmp_path, 200, lambda _: None) == []


def test_many_small_sheets_need_no_more_open_files_than_few(tmp_path):
    assert hold_many(tmp_path, 150, 128) == []


def test_running_out_of_open_files_is_said_in_a_sentence(client, token, monkeypatch):
    def fail(*_args, **_more):
        raise OSError(24, "Too many open files")

    monkeypatch.setattr("tidymargin.services.folder.keeping.measure_disk", fail)
    page = client.get("/")
    assert page.status_code == 503
    assert "Too many files are open" in page.text
    noise = to_png(np.zeros((9, 9, 3), np.uint8))
    monkeypatch.setattr("tidymargin.services.picture.reading._share_file", fail)
    refused = client.post("/sheets", data={"picture": (io.BytesIO(noise), "n.png")}, headers={"X-CSRFToken": token, "Accept": "application/json"})  # fmt: skip
    assert (refused.status_code, refused.json["message"]) == (503, "Too many files are open on this machine just now.")  # fmt: skip


@pytest.mark.parametrize("shape", [(1, 1), (1, 300), (7, 90)])
def test_a_picture_too_small_to_be_cut_is_refused_as_that(client, token, workshop, shape):
    tiny = to_png(np.zeros((*shape, 3), np.uint8))
    refused = client.post("/sheets", data={"picture": (io.BytesIO(tiny), "n.png")}, headers={"X-CSRFToken": token, "Accept": "application/json"})  # fmt: skip
    said = f"This picture has {shape[1]} × {shape[0]} px; at least 8 × 8 px are needed."
    assert (refused.status_code, refused.json["message"]) == (415, said)
    assert workshop.sheets.list_all() == []


def test_there_is_no_mark_from_one_to_none(ask):
    answer = ask("marks/1/move", json.dumps({"x": 1, "y": 1, "seen": ask.seen}).encode())
    assert (answer.status_code, answer.json["message"]) == (422, "There is no mark here.")


def test_a_zip_is_called_by_a_name_that_can_be_written(client, workshop, badge_png):
    sheet = add_sheet(workshop, badge_png, "badge.png")
    make_tray(workshop, "Skerrow/Almanac: 2026", [sheet.id])
    export = begin_export(workshop, 1)
    TrayKeeper(workshop).finish(60)
    with client.get(f"/exports/{export.id}/files.zip") as fetched:
        assert "Skerrow_Almanac_ 2026.zip" in fetched.headers["Content-Disposition"]
