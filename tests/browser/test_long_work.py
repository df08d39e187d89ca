"""Long work says how far it has come and can be stopped; a stopped sheet is as it was."""

import sqlite3
import threading
import time
from contextlib import closing
from pathlib import Path

import numpy as np
import pytest

from tests.browser.conftest import wait_measured
from tests.conftest import read_png
from tidymargin.core import cut, facts
from tidymargin.demo.truth import encode_picture
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.views.measuring import load_measured
from tidymargin.services.views.viewing import render_draft
from tidymargin.services.views.windows import View
from tidymargin.store import database


@pytest.fixture
def tall_png() -> bytes:
    """A dark bar on white, in eight bands of rows."""
    rgb = np.full((4000, 60, 3), 255, np.uint8)
    rgb[40:3960, 20:40] = 30
    return encode_picture(rgb, "png")


def test_an_export_shows_its_progress_and_is_stopped_by_a_button(
    page, workshop, tall_png, monkeypatch
):
    render = cut.Cutter.render
    slow = threading.Event()

    def render_slowly(self, band):
        if slow.is_set():
            time.sleep(0.5)
        return render(self, band)

    monkeypatch.setattr(cut.Cutter, "render", render_slowly)
    sheet = add_sheet(workshop, tall_png, "bar.png")
    page.goto(f"/sheets/{sheet.id}/")
    wait_measured(page)
    slow.set()
    page.locator("#export").click()
    page.locator("#export", has_text="Making the file").wait_for()
    page.locator("#stop-export").click()
    page.locator("#messages", has_text="The export was stopped; nothing was changed").wait_for()
    page.locator("#export", has_text="Export PNG").wait_for()
    slow.clear()
    with page.expect_download() as download:
        page.locator("#export").click()
    assert download.value.suggested_filename == "bar.png"
    exported = read_png(Path(download.value.path()).read_bytes())
    assert exported.shape == (4000, 60, 4)
    assert (exported[2000, 30, 3], exported[2000, 5, 3]) == (255, 0)


def test_measuring_is_stopped_and_begun_again(page, workshop, tall_png, monkeypatch):
    measure = facts.measure_difference
    go_on = threading.Event()

    def measure_late(*given):
        go_on.wait(20)
        return measure(*given)

    monkeypatch.setattr(facts, "measure_difference", measure_late)
    sheet = add_sheet(workshop, tall_png, "bar.png")
    page.goto(f"/sheets/{sheet.id}/")
    page.locator("#step-ground progress").wait_for()
    page.locator("#stop-measuring").click()
    page.locator("#step-ground", has_text="Measuring was stopped").wait_for()
    go_on.set()
    page.locator("#resume").click()
    wait_measured(page)


def test_while_a_sheet_is_measured_a_draft_is_shown_and_says_so(
    page, workshop, tall_png, monkeypatch
):
    measure = facts.measure_difference
    go_on = threading.Event()

    def measure_full_size_late(picture, *given):
        if picture.height == 4000:
            go_on.wait(20)
        return measure(picture, *given)

    monkeypatch.setattr(facts, "measure_difference", measure_full_size_late)
    sheet = add_sheet(workshop, tall_png, "bar.png")
    page.goto(f"/sheets/{sheet.id}/")
    page.locator("#detail", has_text="this is a draft").wait_for()
    draft = render_draft(workshop, sheet, View(0, 0, 1, 60, 4000))
    assert (draft[2000, 30, 3], draft[2000, 5, 3]) == (255, 0)
    assert not page.locator("#sheet-data[data-measured='1']").count()
    go_on.set()
    wait_measured(page)
    page.locator("#verb", has_text="Point at a place").wait_for()


def test_until_rims_are_solved_what_is_left_is_shown_and_says_so(
    page, workshop, tall_png, monkeypatch
):
    sheet = add_sheet(workshop, tall_png, "bar.png")
    load_measured(workshop, sheet)
    solve = cut.Cutter.render
    go_on = threading.Event()
    monkeypatch.setattr(cut.Cutter, "render", lambda *given: (go_on.wait(20), solve(*given))[1])
    page.goto(f"/sheets/{sheet.id}/")
    page.locator("#detail", has_text="edges are being worked out").wait_for()
    shown = """() => {
        const { width, height } = stage;
        const read = (share) => stage.getContext("2d").getImageData(width * share, height / 2, 1, 1).data[0];
        return [read(0.5), read(0.01)];
    }"""
    bar, beside = page.evaluate(shown)
    assert bar == 30
    go_on.set()
    page.locator("#verb", has_text="Point at a place").wait_for()
    page.locator("#detail", has_text="to see what a click would clear").wait_for()
    assert page.evaluate(shown) == [30, beside]


def test_a_database_that_is_held_is_said_in_the_sentence_and_what_was_typed_stays(
    page, workshop, badge_png, complaints, monkeypatch
):
    monkeypatch.setattr(database, "_BUSY_MS", 200)
    sheet = add_sheet(workshop, badge_png, "badge.png")
    load_measured(workshop, sheet)
    page.goto(f"/sheets/{sheet.id}/?open=reach")
    wait_measured(page)
    workshop.sheets.close()  # connections that are open would wait for ten seconds
    with closing(sqlite3.connect(workshop.database)) as other:
        other.execute("BEGIN IMMEDIATE")
        page.locator("#tolerance").fill("12.4")
        page.locator("#tolerance").press("Enter")
        said = page.locator("#step-reach #said-open")
        said.get_by_text("The database is held by another program").wait_for()
        other.rollback()
    complaints.expect("503")
    assert page.locator("#tolerance").input_value() == "12.4"
    page.locator("#tolerance").press("Enter")
    page.locator("#phrase-tolerance", has_text="12.4").wait_for()
    assert said.inner_text() == ""


def test_pictures_that_no_sheet_names_are_brought_back_by_one_button(page, workshop, badge_png):
    name = workshop.originals.save(badge_png)
    workshop.originals.reconcile(set())
    page.goto("/")
    page.get_by_text("1 picture file is kept that no longer belongs to anything").wait_for()
    page.get_by_role("button", name="Bring it back").click()
    page.get_by_text("1 picture is back, and begins").wait_for()
    page.get_by_role("link", name=f"brought back {name[:8]}.png", exact=True).wait_for()
    assert page.locator("#set-aside").count() == 0
