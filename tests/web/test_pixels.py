"""What the stage is sent: raw pixels that are the export's own, drafts near them, and refusals in words."""

import io
import threading
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest
from PIL import Image

from tests.conftest import read_png, to_png
from tidymargin.services.edits import settings
from tidymargin.services.edits.changing import begin
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.views import viewing
from tidymargin.services.views.exporting import export_sheet
from tidymargin.services.views.measuring import load_measured
from tidymargin.services.views.viewing import render_view
from tidymargin.services.views.windows import View

SIZE = 160


@pytest.fixture
def sheet(workshop, badge_png):
    sheet = add_sheet(workshop, badge_png, "badge.png")
    load_measured(workshop, sheet)
    return sheet


def fetch(client, sheet, kind, left=0, top=0, cell=1, width=SIZE, height=SIZE, channels=4, **more):
    asked = {"left": left, "top": top, "cell": cell, "width": width, "height": height, **more}
    answer = client.get(f"/sheets/{sheet.id}/{kind}", query_string=asked)
    assert answer.status_code == 200, answer.data
    wide, tall = map(int, answer.headers["X-Size"].split("x"))
    shape = (tall, wide, channels) if channels > 1 else (tall, wide)
    return np.frombuffer(answer.data, np.uint8).reshape(shape)


@pytest.mark.parametrize(
    ("left", "top", "width", "height"), [(0, 0, 160, 160), (17, 3, 50, 91), (120, 140, 90, 90)]
)
def test_pixels_at_full_size_are_those_of_the_export_up_to_the_pictures_end(client, workshop, sheet, left, top, width, height):  # fmt: skip
    exported = read_png(export_sheet(workshop, sheet).data)
    shown = fetch(client, sheet, "view", left, top, 1, width, height)
    np.testing.assert_array_equal(shown, exported[top : top + height, left : left + width])
    original = fetch(client, sheet, "original", left, top, 1, width, height)
    assert (original[..., 3] == 255).all()
    assert original.shape == shown.shape
    whole = fetch(client, sheet, "uncropped", left, top, 1, width, height)
    np.testing.assert_array_equal(whole, original)  # as long as the work area is the whole picture


@pytest.mark.parametrize("cell", [1, 2, 4])
def test_a_draft_is_near_what_is_measured_at_full_size(client, sheet, cell):
    many = SIZE // cell
    draft = fetch(client, sheet, "draft", cell=cell, width=many, height=many).astype(int)
    settled = fetch(client, sheet, "view", cell=cell, width=many, height=many).astype(int)
    away = np.abs(draft[..., 3] - settled[..., 3])
    assert draft.shape == settled.shape
    assert (away > 64).mean() < 0.03
    assert away.mean() < 4


def test_a_tolerance_that_is_tried_is_shown_and_not_kept(client, workshop):
    rgb = np.full((SIZE, SIZE, 3), 255, np.uint8)
    rgb[40:120, 30:80] = 225  # pale, and goes first
    rgb[40:120, 80:130] = (29, 53, 87)
    sheet = add_sheet(workshop, to_png(rgb), "steps.png")
    load_measured(workshop, sheet)
    tried = fetch(client, sheet, "view", tried=30, settles=1, asker="tab")[..., 3]
    assert (tried[50:110, 40:70] == 0).all()
    assert (tried[50:110, 90:120] == 255).all()
    assert (fetch(client, sheet, "view")[50:110, 40:70, 3] == 255).all()
    assert workshop.sheets.load(sheet.id).head == sheet.head
    kept = settings.set_values(begin(workshop, sheet.id, sheet.head), "tolerance", tolerance=30)
    shown = render_view(workshop, kept, View(0, 0, 1, SIZE, SIZE))
    np.testing.assert_array_equal(shown[..., 3], tried)


def test_a_view_that_its_asker_has_given_up_is_answered_with_nothing(
    client, workshop, sheet, monkeypatch
):
    load, begun, go_on = viewing.load_cutter, threading.Event(), threading.Event()
    monkeypatch.setattr(
        viewing, "load_cutter", lambda *given: (begun.set(), go_on.wait(10), load(*given))[2]
    )
    asked = {"left": 0, "top": 0, "cell": 1, "width": SIZE, "height": SIZE, "asker": "tab"}
    with ThreadPoolExecutor() as threads:
        answer = threads.submit(client.get, f"/sheets/{sheet.id}/view", query_string=asked)
        assert begun.wait(10)
        workshop.executor.follow("tab", "something newer")
        go_on.set()
        assert (answer.result(10).status_code, answer.result().data) == (204, b"")
    assert fetch(client, sheet, "view", asker="tab").shape == (SIZE, SIZE, 4)


def test_what_a_click_would_take_is_a_mask_of_just_that(client, workshop, sheet):
    place = {"row": 80, "col": 20}
    told = client.get(f"/sheets/{sheet.id}/place", query_string=place).get_json()
    assert all(isinstance(words, str | bool | int | float | None) for words in told.values())
    takes = fetch(client, sheet, "takes", channels=1, **place) > 0
    assert takes[80, 20]
    figure = read_png(export_sheet(workshop, sheet).data)
    assert (figure[takes][:, 3] == 255).all()  # it stands as yet
    nothing = fetch(client, sheet, "takes", channels=1, row=2, col=2)
    assert not nothing.any()  # cleared already


def test_a_thumbnail_is_small_and_may_be_kept_for_a_day(client, sheet):
    answer = client.get(f"/sheets/{sheet.id}/thumbnail.png")
    with Image.open(io.BytesIO(answer.data)) as image:
        assert image.format == "PNG"
        assert max(image.size) <= 320
    assert answer.headers["Cache-Control"] == "private, max-age=86400"
    for gone in ("older.png", "jumps/99.png", "pockets/99.png", "specks.png"):
        assert client.get(f"/sheets/{sheet.id}/{gone}").status_code == 404


@pytest.mark.parametrize("kind", ["view", "sketch", "draft", "original", "uncropped"])
@pytest.mark.parametrize(
    "odd",
    [{"cell": 0}, {"cell": "x"}, {"width": -1}, {"width": 10**8, "height": 10**8}, {"left": "nan"}],
)
def test_a_window_that_is_none_is_refused_in_words_before_any_memory_is_taken(
    client, sheet, kind, odd
):
    asked = {"left": 0, "top": 0, "cell": 1, "width": 10, "height": 10, **odd}
    answer = client.get(
        f"/sheets/{sheet.id}/{kind}", query_string=asked, headers={"Accept": "application/json"}
    )
    assert answer.status_code in (400, 422)
    assert len(answer.get_data(as_text=True)) > 20
