"""Questions on the page: two small cuts each, one answer for all that is alike, one row of history, one undo."""

import io

import cv2
import numpy as np
import pytest
from bs4 import BeautifulSoup
from PIL import Image

from tests.conftest import to_png
from tidymargin.core.questions import signs
from tidymargin.services.edits.changing import begin, change_step
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.views.exporting import export_sheet
from tidymargin.services.views.measuring import load_measured


def draw_blocks():
    """Two red blocks with soft grey patches below them, on white."""
    rgb = np.full((300, 400, 3), 255, np.uint8)
    for left in (30, 220):
        cv2.rectangle(rgb, (left, 180), (left + 120, 240), (206, 206, 206), -1)
        cv2.rectangle(rgb, (left + 10, 60), (left + 110, 190), (170, 30, 40), -1)
    return to_png(cv2.GaussianBlur(rgb, (0, 0), 0.7))


def either_way(measured):
    """How likely each region is ground: as likely as not."""
    return np.full(len(measured.area_px), 0.5)


@pytest.fixture
def sheet(workshop, monkeypatch):
    """Such blocks, of which each could be either way."""
    monkeypatch.setattr(signs.RegionSigns, "find_probability", either_way)
    sheet = add_sheet(workshop, draw_blocks(), "blocks.png")
    load_measured(workshop, sheet)
    return sheet


def list_rows(client, sheet):
    page = BeautifulSoup(client.get(f"/sheets/{sheet.id}/questions?open=reach").data, "html.parser")
    return page.select(".questions > li")


def read_alpha(workshop, sheet):
    exported = export_sheet(workshop, workshop.sheets.load(sheet.id)).data
    return np.asarray(Image.open(io.BytesIO(exported)).convert("RGBA"))[..., 3]


def test_one_answer_holds_for_both_patches_is_undone_by_one_step_and_is_refused_when_it_is_old(client, workshop, sheet, token):  # fmt: skip
    (row,) = [r for r in list_rows(client, sheet) if "like a shadow" in r.get_text() and "1 more like this" in r.get_text()]  # fmt: skip
    names = [button["aria-label"] for button in row.select(".choice")]
    assert [name.split(":")[0] for name in names] == ["Remove", "Keep, as it is now"]
    small = [client.get(image["src"]) for image in row.select(".choice img")]
    assert [answer.status_code for answer in small] == [200, 200]
    solid = [
        np.asarray(Image.open(io.BytesIO(a.data)).convert("RGBA"))[..., 3].mean() for a in small
    ]
    assert solid[0] < solid[1]  # removed, and kept
    form = row.select_one("form")
    values = {field["name"]: field["value"] for field in form.select("input")} | {
        "csrf_token": token
    }
    before = read_alpha(workshop, sheet)
    assert before[225, 90] == before[225, 280] == 255
    assert client.post(form["action"], data=values).status_code == 303
    gone = client.get(row.select_one(".choice img")["src"])  # by a page that was slow
    assert (gone.status_code, gone.data) == (204, b"")
    after = read_alpha(workshop, sheet)
    assert after[225, 90] == after[225, 280] == 0
    assert after[120, 90] == after[120, 280] == 255
    head = workshop.sheets.load(sheet.id).head
    again = client.post(form["action"], data=values | {"seen": head})
    assert again.status_code == 422  # it is answered, and not asked any more
    assert workshop.sheets.load(sheet.id).head == head
    client.post(f"/sheets/{sheet.id}/undo", data={"csrf_token": token, "seen": head})
    np.testing.assert_array_equal(read_alpha(workshop, sheet), before)
    values["seen"] = workshop.sheets.load(sheet.id).head
    assert client.post(form["action"], data=values | {"alone": "1"}).status_code == 303
    assert len(workshop.sheets.load(sheet.id).recipe.reach.regions) == 1
    values["seen"] = workshop.sheets.load(sheet.id).head
    assert client.post(f"/sheets/{sheet.id}/regions/1/remove", data=values).status_code == 303
    np.testing.assert_array_equal(read_alpha(workshop, sheet), before)


def test_an_answer_that_no_longer_fits_what_is_there_is_said_and_changes_nothing(client, workshop, sheet):  # fmt: skip
    before = read_alpha(workshop, sheet)
    (row,) = [r for r in list_rows(client, sheet) if "like a shadow" in r.get_text() and "1 more like this" in r.get_text()]  # fmt: skip
    place = {"x": int(row["data-col"]), "y": int(row["data-row"]), "verdict": "clear"}
    for px, followed in ((9, False), (6000, True)):
        now = workshop.sheets.load(sheet.id)
        edit = begin(workshop, sheet.id, now.head)
        change_step(edit, "answered_clear", "reach", regions=[{**place, "px": px}])
        page = client.get(f"/sheets/{sheet.id}/questions?open=reach").data.decode()
        assert ("is not followed: another area is there now" in page) != followed
        assert np.array_equal(read_alpha(workshop, sheet), before) != followed
