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
    page.get_by_role("button", name="Trace it so").click()
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
