"""A logo to outlines, and a sticker's cutting line, by mouse and by keyboard alone; what is exported is what is asserted."""

from pathlib import Path

import numpy as np
import pytest

from tests.browser.conftest import find_axe_faults
from tests.browser.test_deciding import open_sheet, wait_changed
from tests.conftest import to_png
from tidymargin.core.outlines.machine import Machine, cut_lines
from tidymargin.formats.cut_files import read_cut_file

pytestmark = pytest.mark.browser


def two_marks():
    rgb = np.full((200, 300, 3), 255, np.uint8)
    rgb[40:160, 30:150] = (200, 30, 40)
    rgb[70:110, 200:240] = (20, 60, 150)
    return to_png(rgb)


def fetch(page) -> str:
    with page.expect_download() as download:
        page.locator("#export").click()
    return Path(download.value.path()).read_text()


def choose_format(page, workshop, sheet, kind):
    before = workshop.sheets.load(sheet.id).head
    page.locator(".formats summary").click()
    page.locator(f"input[name=format][value={kind}]").check()
    page.locator("input[name=format][value=png]").uncheck()
    page.locator("form:has(.formats) button[type=submit]").click()
    wait_changed(page, before)


def test_a_logo_becomes_an_svg_of_two_colours_and_one_outline_is_made_simpler(page, workshop):
    sheet = open_sheet(page, workshop, two_marks(), "export")
    choose_format(page, workshop, sheet, "svg")
    page.locator("#outlines figcaption", has_text="8 lines and curves in 1 colour").wait_for()
    assert find_axe_faults(page) == []
    before = workshop.sheets.load(sheet.id).head
    page.locator("#colours").fill("auto")
    page.get_by_role("button", name="Trace with these settings").click()
    wait_changed(page, before)
    page.locator("#outlines figcaption", has_text="in 2 colours").wait_for()
    svg = fetch(page)
    assert svg.count("<path") == 2
    assert "#C81E28" in svg
    assert "#143C96" in svg
    before = workshop.sheets.load(sheet.id).head
    page.locator("#outlines summary", has_text="off most").click()
    page.locator("#outlines").get_by_role("button", name="leave it out").first.click()
    wait_changed(page, before)
    assert fetch(page).count("<path") == 1
    page.locator("#undo").click()
    page.locator("#outlines figcaption", has_text="in 2 colours").wait_for()


def test_a_stickers_line_is_drawn_two_mm_outside_by_keyboard_alone(page, workshop):
    sheet = open_sheet(page, workshop, two_marks(), "export")
    choose_format(page, workshop, sheet, "cutline_svg")
    page.locator("#cutting-line figcaption", has_text="2 pieces come off").wait_for()
    before = workshop.sheets.load(sheet.id).head
    page.locator("#bridges_mm").focus()
    page.keyboard.type("1.5")
    page.keyboard.press("Enter")
    wait_changed(page, before)
    page.locator("#cutting-line figcaption", has_text="1 bridge joins them").wait_for()
    assert find_axe_faults(page) == []
    outcome = cut_lines(read_cut_file(fetch(page).encode(), "line.svg"), Machine())
    (piece,) = outcome.pieces
    left, _, right, _ = piece.bounds
    assert right - left == pytest.approx(210 * 25.4 / 300 + 4, abs=0.05)


def test_outlines_are_seen_over_the_picture_and_a_loop_says_which_are_traced(page, workshop):
    sheet = open_sheet(page, workshop, two_marks(), "export")
    choose_format(page, workshop, sheet, "svg")
    page.locator("#outlines figcaption", has_text="8 lines and curves").wait_for()
    looks = "() => { const c = document.querySelector('#overlay'); const d = c.getContext('2d').getImageData(0, 0, c.width, c.height).data; let n = 0; for (let k = 3; k < d.length; k += 4) n += d[k] > 0; return n; }"  # fmt: skip
    before = page.evaluate(looks)
    page.locator("#traced-points").check()
    page.wait_for_function(f"(before) => ({looks})() > before + 1500", arg=before)
    assert page.locator("#traced-over").is_checked()
    assert find_axe_faults(page) == []
    head = workshop.sheets.load(sheet.id).head
    page.locator("[data-implement=traced]").click()
    box = page.locator("#stage").bounding_box()
    # a small picture lies in the middle, pixel for pixel
    left, top = box["x"] + box["width"] / 2 - 150, box["y"] + box["height"] / 2 - 100
    page.mouse.move(left + 180, top + 50)
    page.mouse.down()
    for x, y in ((260, 50), (260, 130), (180, 130), (180, 55)):
        page.mouse.move(left + x, top + y, steps=8)
    page.mouse.up()
    wait_changed(page, head)
    page.locator("#outlines figcaption", has_text="4 lines and curves").wait_for()
    assert fetch(page).count("<path") == 1
    # what was chosen to be seen is seen of the new outlines as well
    assert page.locator("#traced-points").is_checked()
    head = workshop.sheets.load(sheet.id).head
    page.get_by_role("button", name="Trace all of it").click()
    wait_changed(page, head)
    page.locator("#outlines figcaption", has_text="8 lines and curves").wait_for()


def test_stickers_are_laid_out_on_a_sheet_with_marks_by_keyboard_alone(page, workshop):
    sheet = open_sheet(page, workshop, two_marks(), "export")
    choose_format(page, workshop, sheet, "cutline_dxf")
    page.locator("#cutting-line figcaption", has_text="2 pieces come off").wait_for()
    before = workshop.sheets.load(sheet.id).head
    page.locator("summary", has_text="Several on a sheet").focus()
    page.keyboard.press("Enter")
    for value in ("100", "70", "3", "2"):
        page.keyboard.press("Tab")
        page.keyboard.press("Control+a")
        page.keyboard.type(value)
    page.keyboard.press("Enter")
    wait_changed(page, before)
    page.locator("#cutting-line figcaption", has_text="6 pieces lie on a sheet of 100 × 70 mm").wait_for()  # fmt: skip
    assert find_axe_faults(page) == []
    outcome = cut_lines(read_cut_file(fetch(page).encode(), "line.dxf"), Machine())
    assert len(outcome.pieces) == 6
    assert not outcome.twice
    before = workshop.sheets.load(sheet.id).head
    page.locator("#sheet_width_mm").fill("20")
    page.get_by_role("button", name="Draw the line with these settings").click()
    wait_changed(page, before)
    page.locator("#cutting-line [role=alert]", has_text="of 6 pieces fit").wait_for()
