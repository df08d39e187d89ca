"""Deciding on the stage: tuning at a place, guards, fences, pockets and strays, by mouse, touch and keys."""

import threading

import cv2
import numpy as np
import pytest

from benchmarks.keying import key_file
from tests.browser.conftest import find_axe_faults, wait_measured
from tests.browser.test_journeys import export, to_screen
from tests.conftest import PAGE_CORNERS, photograph_letter, to_png
from tidymargin.core.base.picture import whole
from tidymargin.demo.drawing import Drawing, lay_over
from tidymargin.formats.decode import decode_picture
from tidymargin.formats.recipe import Recipe, change_recipe
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.views import finding
from tidymargin.services.views.cutting import load_tolerance
from tidymargin.services.views.measuring import load_measured

pytestmark = pytest.mark.browser
SIZE = 400


def png_of(draw, ground=(255.0, 255.0, 255.0)):
    d = Drawing(SIZE, SIZE, 4)
    draw(d)
    return to_png(lay_over(d.render(), np.array(ground)))


def pale_steps(d):
    """Three pale patches around a dark core, each at its own difference from white."""
    for reach, code in ((170, "#EFE4DC"), (130, "#D8C4B8"), (90, "#B09A8C"), (50, "#202830")):
        d.rounded(200 - reach, 200 - reach, 200 + reach, 200 + reach, 0, d.colour(code))


def ten_loops(d):
    blue = d.colour("#204080")
    for number in range(10):
        x, y = 50 + 75 * (number % 5), 120 + 150 * (number // 5)
        d.ellipse(x, y, 30, blue)
        d.ellipse(x, y, 20 - number, d.colour("#FFFFFF"))


def open_sheet(page, workshop, data, step="reach"):
    sheet = add_sheet(workshop, data, "sheet.png")
    page.goto(f"/sheets/{sheet.id}/?open={step}")
    wait_measured(page)
    return sheet


def reach_of(workshop, sheet):
    return workshop.sheets.load(sheet.id).recipe.reach


def wait_changed(page, before):
    page.locator(f"#sheet-data:not([data-head='{before}'])").wait_for(state="attached")


def settle(page, words):
    page.locator("#undo", has_text=f"Undo {words}").wait_for()


def test_up_to_here_and_short_of_here_give_one_recipe_by_mouse_touch_and_keys(page, open_context, workshop):  # fmt: skip
    data = png_of(pale_steps)
    tuned = []

    sheet = open_sheet(page, workshop, data)
    for row, key in ((200 - 110, "u"), (200 - 150, "s")):
        page.mouse.move(*to_screen(page, row, 200, SIZE))
        page.keyboard.down(key)
        page.locator("#verb", has_text="to here" if key == "u" else "of here").wait_for()
        before = workshop.sheets.load(sheet.id).head
        page.mouse.down()
        page.mouse.up()
        page.keyboard.up(key)
        wait_changed(page, before)
        tuned.append(reach_of(workshop, sheet).tolerance)

    sheet = open_sheet(page, workshop, data)
    page.locator("#stage").focus()
    for presses, key in ((14, "u"), (5, "s")):  # the aim starts in the middle; 8 px a press
        for _ in range(presses):
            page.keyboard.press("ArrowUp")
        page.keyboard.down(key)
        page.locator("#verb", has_text="to here" if key == "u" else "of here").wait_for()
        before = workshop.sheets.load(sheet.id).head
        page.keyboard.press("Enter")
        page.keyboard.up(key)
        wait_changed(page, before)
        tuned.append(reach_of(workshop, sheet).tolerance)

    finger = open_context(has_touch=True).new_page()
    sheet = open_sheet(finger, workshop, data)
    for row, button in ((200 - 110, "#up-to"), (200 - 150, "#short-of")):
        before = workshop.sheets.load(sheet.id).head
        finger.touchscreen.tap(*to_screen(finger, row, 200, SIZE))
        assert workshop.sheets.load(sheet.id).head == before  # a tap only places the aim
        finger.locator(button).click()
        wait_changed(finger, before)
        tuned.append(reach_of(workshop, sheet).tolerance)

    assert tuned[:2] == tuned[2:4] == tuned[4:]
    up_to, short_of = tuned[:2]
    assert 0 < short_of < up_to
    cut = export(finger)
    assert cut[5, 5, 3] == 0
    assert cut[50, 200, 3] == 255  # just short of the palest patch
    wide = decode_picture(key_file(data, change_recipe(Recipe(), "reach", tolerance=up_to)))
    assert wide.picture.alpha[90, 200] == 0
    assert wide.picture.alpha[130, 200] == 255


def test_worded_buttons_never_act_where_the_aim_was_before(open_context, workshop):
    finger = open_context(has_touch=True).new_page()
    sheet = open_sheet(finger, workshop, png_of(pale_steps))
    held = []
    finger.route("**/place?*", lambda route: held.append(route))
    for row in (200 - 110, 200 - 150):
        finger.touchscreen.tap(*to_screen(finger, row, 200, SIZE))
        finger.wait_for_timeout(50)
    assert len(held) == 1  # the second place is asked for once the first is answered
    with finger.expect_response("**/place?*"):
        held[0].continue_()
    finger.locator("#up-to", has_text="Up to here").wait_for()
    assert finger.locator("#up-to").is_disabled()
    while len(held) < 2:
        finger.wait_for_timeout(20)
    held[1].continue_()
    before = workshop.sheets.load(sheet.id).head
    finger.locator("#up-to").click()
    wait_changed(finger, before)
    assert reach_of(workshop, sheet).tolerance < 10  # up to the palest patch, not to the second


def test_ten_pockets_are_decided_by_keyboard_alone(page, workshop):
    sheet = open_sheet(page, workshop, png_of(ten_loops))
    assert page.locator(".pockets li").count() == 10
    assert "10 of 10 enclosed areas" in page.locator("#step-reach .sentence").inner_text()
    page.locator("#stage").focus()
    for number in range(10):
        page.keyboard.press("n")
        page.locator("#verb", has_text="Keep this enclosed area").wait_for()
        before = workshop.sheets.load(sheet.id).head
        page.keyboard.press("Enter")
        wait_changed(page, before)
        assert len(reach_of(workshop, sheet).pockets) == number + 1
    assert "0 of 10 enclosed areas" in page.locator("#step-reach .sentence").inner_text()
    cut = export(page)
    for number in range(10):
        assert cut[120 + 150 * (number // 5), 50 + 75 * (number % 5), 3] == 255


def test_a_guard_holds_a_pale_patch_that_the_tolerance_would_take(page, workshop):
    sheet = open_sheet(page, workshop, png_of(pale_steps))
    page.locator("#tolerance").fill("30")
    page.locator("#tolerance").press("Enter")
    settle(page, "tolerance")
    assert export(page)[50, 200, 3] == 0
    page.mouse.move(*to_screen(page, 50, 200, SIZE))
    page.keyboard.press("Escape")
    page.locator("#stage").focus()
    page.keyboard.down("g")
    page.locator("#verb", has_text="Protect this colour").wait_for()
    page.mouse.down()
    page.mouse.up()
    page.keyboard.up("g")
    settle(page, "protected colour")
    assert reach_of(workshop, sheet).guards[0].colour == "#EFE4DC"
    cut = export(page)
    assert cut[50, 200, 3] == 255
    assert cut[5, 5, 3] == 0


def test_a_fence_parts_a_white_glove_from_white_paper(page, workshop):
    def glove(d):
        d.polygon([(120, 400), (120, 120), (280, 120), (280, 400)], d.colour("#FFFFFF"))
        d.stroke([(120, 240), (120, 120), (280, 120), (280, 240)], 6, d.colour("#606468"))

    sheet = open_sheet(page, workshop, png_of(glove))
    assert export(page)[320, 200, 3] == 0
    page.locator("#stage").focus()
    page.keyboard.down("w")
    page.locator("#verb", has_text="Draw a fence").wait_for()
    corners = [(238, 120), (396, 120), (396, 280), (238, 280)]
    page.mouse.move(*to_screen(page, *corners[0], SIZE))
    page.mouse.down()
    for corner in corners[1:]:
        page.mouse.move(*to_screen(page, *corner, SIZE), steps=12)
    page.mouse.up()
    page.keyboard.up("w")
    settle(page, "fence")
    assert len(reach_of(workshop, sheet).fences[0]) <= 6  # thinned to its corners
    cut = export(page)
    assert (cut[130:390, 130:270, 3] == 255).all()
    assert (cut[130:390, :110, 3] == 0).all()


def find_letter(cut):
    """The alpha of the letter as it should be, at the size that its page was exported in."""
    return cv2.resize(photograph_letter(0)[1], cut.shape[1::-1], interpolation=cv2.INTER_AREA)


def test_a_photographed_page_is_squared_up_by_one_button_by_the_mouse_and_by_keys(page, workshop):
    data = to_png(photograph_letter(0)[0])
    sheet = open_sheet(page, workshop, data, "ground")
    page.locator("#phrase-work-area").click()
    page.locator("#square-up").click()
    settle(page, "work area")
    wait_measured(page)
    cut = export(page)
    # the page is taken from 1.5 px within its edge, which is half a percent of the letter's outline
    assert np.mean((cut[..., 3] > 127) != (find_letter(cut) > 0.5)) < 0.02

    page.locator("#undo").click()
    page.locator("#undo:disabled").wait_for()
    wait_measured(page)
    page.locator("#change-area").click()
    page.locator("#area-free").click()
    box = page.locator("#stage").bounding_box()
    scale = min(1, (box["height"] - 48) / 720)

    def at(x, y):
        middle = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        return middle[0] + (x - 320) * scale, middle[1] + (y - 360) * scale

    outer = [(0, 0), (640, 0), (640, 720), (0, 720)]
    for start, end in zip(outer[:3], PAGE_CORNERS[:3], strict=True):
        page.mouse.move(*at(*start))
        page.mouse.down()
        page.mouse.move(*at(*end), steps=4)
        page.mouse.up()
    page.locator("#stage").focus()
    page.keyboard.press("4")
    for key, presses in (("Shift+ArrowRight", 6), ("Shift+ArrowUp", 11)):
        for _ in range(presses):
            page.keyboard.press(key)
    placed = [page.locator(f"#corner-{number}").input_value() for number in range(4)]
    assert placed[3] == "60,610"
    page.locator("#stage").focus()
    page.keyboard.press("Enter")
    settle(page, "work area")
    wait_measured(page)
    cut = export(page)
    inner = np.s_[3:-3, 3:-3]  # exactly on the page's edge, the outermost pixels are half table
    assert np.mean((cut[..., 3] > 127)[inner] != (find_letter(cut) > 0.5)[inner]) < 0.01
    assert workshop.sheets.load(sheet.id).recipe.ground.area[3] == (60, 610)


def broken_ring(d):
    d.ring(200, 200, 120, 10, d.colour("#204080"))
    d.rounded(196, 60, 203, 110, 0, d.colour("#FFFFFF"))


def test_gaps_come_in_when_they_are_found_and_leave_what_was_typed(page, workshop, monkeypatch):
    go_on = threading.Event()
    find = finding.find_narrows
    monkeypatch.setattr(finding, "_AT_ONCE_PX", 0)
    monkeypatch.setattr(finding, "find_narrows", lambda *given: (go_on.wait(20), find(*given))[1])
    open_sheet(page, workshop, png_of(broken_ring))
    page.locator("#tolerance").fill("7.7")
    assert "gap" not in page.locator("#step-reach .sentence").inner_text()
    go_on.set()
    page.get_by_role("button", name="Fence it, gap 1").wait_for()
    assert "1 gap to look at" in page.locator("#step-reach .sentence").inner_text()
    assert "please check" in page.locator("#step-reach .numeral").inner_text()
    assert page.locator("#tolerance").input_value() == "7.7"
    assert find_axe_faults(page) == []


def test_a_gap_that_no_tolerance_is_right_for_is_fenced_by_its_button(page, workshop):
    sheet = open_sheet(page, workshop, png_of(broken_ring))
    assert "1 gap to look at" in page.locator("#step-reach .sentence").inner_text()
    assert export(page)[200, 200, 3] == 0
    page.get_by_role("button", name="Fence it, gap 1").click()
    settle(page, "fence")
    assert len(reach_of(workshop, sheet).fences) == 1
    assert "gap to look at" not in page.locator("#step-reach .sentence").inner_text()
    cut = export(page)
    assert cut[200, 200, 3] == 255
    assert cut[5, 5, 3] == 0


def test_a_held_key_and_the_wheel_walk_from_jump_to_jump(page, workshop):
    sheet = open_sheet(page, workshop, png_of(pale_steps))
    jumps = [j.tolerance for j in load_measured(workshop, sheet).facts.jumps]
    start = load_tolerance(workshop, sheet)
    expected = [jump for jump in jumps if jump > start]
    held = []
    page.route("**/place?*", lambda route: held.append(route))
    page.mouse.move(*to_screen(page, 200, 200, SIZE))
    page.locator("#stage").focus()
    page.keyboard.down("j")
    page.locator("#verb", has_text="Walk from jump to jump").wait_for()
    page.mouse.wheel(0, 100)
    page.locator("#verb", has_text=f"Up to {expected[0]:.1f}").wait_for()
    with page.expect_response("**/place?*"):
        held[0].continue_()  # a late answer about the place does not take the words of the walk
    page.wait_for_timeout(50)
    assert page.locator("#verb").inner_text() == f"Up to {expected[0]:.1f}"
    page.mouse.wheel(0, 100)
    page.locator("#verb", has_text=f"Up to {expected[1]:.1f}").wait_for()
    assert workshop.sheets.load(sheet.id).undo is None  # nothing is saved before the key is let go
    page.mouse.wheel(0, -100)
    page.locator("#verb", has_text=f"Up to {expected[0]:.1f}").wait_for()
    page.keyboard.up("j")
    settle(page, "tolerance")
    assert reach_of(workshop, sheet).tolerance == expected[0]
    assert export(page)[50, 200, 3] == 0


def test_punched_holes_and_dust_go_by_one_button_each(page, workshop):
    def pad(d):
        for y in np.linspace(20, 380, 12):
            d.ellipse(18, float(y), 6, d.colour("#404040"))
        d.rounded(120, 120, 300, 300, 0, d.colour("#204080"))
        for y in np.linspace(30, 370, 9):
            d.rounded(348, round(float(y)), 351, round(float(y)) + 3, 0, d.colour("#606060"))

    open_sheet(page, workshop, png_of(pad))
    page.get_by_role("button", name="Drop them together: 12 alike, along the left edge").click()
    settle(page, "drop")
    assert (export(page)[..., 3] > 0).any(axis=0)[340:360].any()
    page.get_by_role("button", name="Drop them together: 9 specks of 16 px").click()
    settle(page, "small pieces")
    cut = export(page)
    assert (cut[:, :60, 3] == 0).all()
    assert (cut[:, 310:, 3] == 0).all()
    assert (cut[125:295, 125:295, 3] == 255).all()
    assert whole(*cut.shape[:2]).width == SIZE
