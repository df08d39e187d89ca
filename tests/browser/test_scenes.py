"""Scenes by mouse, by keyboard alone and by finger; what is exported is what is asserted."""

import zipfile
from pathlib import Path

import numpy as np
import pytest

from tests.browser.conftest import find_axe_faults, tab_to
from tests.conftest import read_png
from tests.services.test_scenes import on_white
from tidymargin.core.scenes.laying import Laid, lay
from tidymargin.core.scenes.placing import Placed
from tidymargin.formats.arrangement import ArrangedBase, ArrangedCut, Arrangement
from tidymargin.services.edits import deciding, settings
from tidymargin.services.edits.changing import begin
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.scenes import editing
from tidymargin.services.trays.trays import make_tray
from tidymargin.services.views.exporting import export_sheet
from tidymargin.services.views.measuring import load_measured

pytestmark = pytest.mark.browser

COLOURS = {"red": (200, 30, 40), "blue": (20, 60, 150), "plum": (120, 20, 110), "ink": (20, 20, 30)}
READY = "#scene-data[data-ready='1']"


@pytest.fixture
def discs(workshop):
    """Four sheets, each a disc on white."""
    found = {}
    for name, colour in COLOURS.items():
        found[name] = add_sheet(workshop, on_white(colour), f"{name}.png")
        load_measured(workshop, found[name])
    return found


def lay_scene(workshop, discs, **where):
    """Begin a scene of discs at places, on green."""
    cuts = [
        ArrangedCut(key=key, name=name, sheet=discs[name].id, **values)
        for key, (name, values) in enumerate(where.items(), 1)
    ]
    return editing.add_scene(workshop, "card", Arrangement(width=400, height=300, base=ArrangedBase(colour="#208040"), cuts=tuple(cuts)))  # fmt: skip


def now(workshop, scene_id=1):
    return workshop.scenes.load(scene_id)


def open_scene(page, opened=""):
    page.goto(f"/scenes/1/?open={opened}")
    page.locator(READY).wait_for(state="attached")
    page.wait_for_load_state("networkidle")


def wait_head(page, workshop, before):
    page.wait_for_function("head => document.querySelector('#scene-data').dataset.head !== String(head)", arg=before.head)  # fmt: skip
    page.locator(READY).wait_for(state="attached")
    assert page.locator("#scene-data").get_attribute("data-head") == str(now(workshop).head)
    return now(workshop)


def to_screen(page, x, y):
    """Return where a place of the scene is on the screen; it is shown whole, in the middle."""
    box = page.locator("#stage").bounding_box()
    scale = min(1.0, (box["width"] - 48) / 400, (box["height"] - 48) / 300)
    return (
        box["x"] + box["width"] / 2 + (x - 200) * scale,
        box["y"] + box["height"] / 2 + (y - 150) * scale,
    )


def drag(page, start, end):
    page.mouse.move(*to_screen(page, *start))
    page.mouse.down()
    for share in (0.2, 0.6, 1.0):
        page.mouse.move(*to_screen(page, *(a + (b - a) * share for a, b in zip(start, end, strict=True))))  # fmt: skip
    page.mouse.up()


def read_stage(page):
    """Return what the stage shows of a scene of 400 x 300 at 100 %, once it rests."""
    box = page.locator("#stage").bounding_box()
    page.wait_for_timeout(500)
    found = page.evaluate(
        "([x, y]) => Array.from(document.querySelector('#stage').getContext('2d').getImageData(x, y, 400, 300).data)",
        [(box["width"] - 400) // 2, (box["height"] - 300) // 2],
    )  # fmt: skip
    return np.array(found, int).reshape(300, 400, 4)


def export(page):
    with page.expect_download() as download:
        page.locator("#export").click()
    return read_png(Path(download.value.path()).read_bytes())


def cut_of(workshop, sheet):
    return read_png(export_sheet(workshop, workshop.sheets.load(sheet.id), as_png=True).data)


def expect_scene(workshop, discs, colour=(0x20, 0x80, 0x40, 255)):
    """Return what a scene of discs shows, laid one by one from their exports."""
    arrangement = now(workshop).arrangement
    base = np.zeros((arrangement.height, arrangement.width, 4), np.uint8)
    base[:] = colour
    laid = [Laid(Placed(cut_of(workshop, discs[cut.name]), cut.to_place()), cut.opacity) for cut in arrangement.cuts]  # fmt: skip
    return lay(base, laid)


def is_same(found, expected):
    """Whether a picture is another one, but for what rounds otherwise."""
    return found.shape == expected.shape and np.abs(found.astype(int) - expected).max() <= 1


def test_four_cuts_are_placed_named_stacked_halved_and_reduced_and_follow_their_pictures(
    page, workshop, discs
):
    page.goto("/")
    page.locator("summary", has_text="Arrange cuts in a scene").click()
    page.locator("#scene-name").fill("card")
    page.get_by_role("button", name="Begin the scene").click()
    page.wait_for_url("**/scenes/1/?open=base")
    for name in discs:
        before = now(workshop)
        page.locator("#add-cut").click()
        page.get_by_role("button", name=f"Add {name}.png").click()
        before = wait_head(page, workshop, before)
    assert [cut.name for cut in before.arrangement.cuts] == list(discs)
    assert find_axe_faults(page) == []

    # the one in hand is moved by keys, as one change
    page.locator("#stage").focus()
    for _ in range(3):
        page.keyboard.press("Shift+ArrowLeft")
    after = wait_head(page, workshop, before)
    assert after.arrangement.cuts[3].left == before.arrangement.cuts[3].left - 30
    before = after

    # a third of its size, half as solid, and behind all others
    page.locator("#cut-wide").fill(str(round(50 * before.arrangement.mm_per_px / 3, 1)))
    page.keyboard.press("Enter")
    before = wait_head(page, workshop, before)
    assert before.arrangement.cuts[3].scale == pytest.approx(1 / 3, rel=0.08)
    page.locator("summary", has_text="Name, opacity").click()
    page.locator("#cut-opacity").fill("50")
    page.keyboard.press("Enter")
    before = wait_head(page, workshop, before)
    page.get_by_role("button", name="all the way behind").click()
    before = wait_head(page, workshop, before)
    assert [cut.name for cut in before.arrangement.cuts] == ["ink", "red", "blue", "plum"]
    found = export(page)
    assert is_same(found, expect_scene(workshop, discs, (255, 255, 255, 255)))

    # another state of a picture changes the scene, on this page as well
    look = page.locator("#scene-data").get_attribute("data-look")
    sheet = workshop.sheets.load(discs["red"].id)
    deciding.pick_place(begin(workshop, sheet.id, sheet.head), 40, 40)  # the disc itself goes
    page.wait_for_function("look => document.querySelector('#scene-data').dataset.look !== look", arg=look)  # fmt: skip
    changed = export(page)
    assert not np.array_equal(changed, found)
    assert is_same(changed, expect_scene(workshop, discs, (255, 255, 255, 255)))
    page.reload()
    page.locator("#undo", has_text="order").click()
    assert [cut.name for cut in wait_head(page, workshop, before).arrangement.cuts] == list(discs)


def test_a_cut_is_dragged_to_meet_another_sized_at_its_corner_and_turned_beside_it(page, workshop, discs):  # fmt: skip
    lay_scene(workshop, discs, red={"left": 20, "top": 30}, blue={"left": 250, "top": 180})
    open_scene(page)
    before = now(workshop)
    # discs are 51 px wide, their middles 40, 40 in their sheets; let go before the server says
    # what lay there and what it meets
    late, holds = [], [True]
    for slow in ("at", "stops"):
        page.route(f"**/scenes/1/{slow}?**", lambda route: late.append(route) if holds[0] else route.fallback())  # fmt: skip
    drag(page, (60, 70), (160, 222))
    page.wait_for_timeout(300)
    assert now(workshop).head == before.head
    holds[0] = False
    for route in late:
        route.fallback()
    after = wait_head(page, workshop, before)
    red = after.arrangement.cuts[0]
    assert red.left == 120
    assert red.top == 180  # it met the middle of the other one
    assert after.undo == "moved"
    assert page.locator("#step-cut\\:1.open").count() == 1
    # its corner lies at 185.5, 245.5: pulled out to twice as far from its middle
    drag(page, (185, 245), (211, 271))
    after = wait_head(page, workshop, after)
    assert after.arrangement.cuts[0].scale == pytest.approx(2, abs=0.1)
    drag(page, (236, 296), (160, 327))
    after = wait_head(page, workshop, after)
    assert after.arrangement.cuts[0].turn == pytest.approx(45, abs=6)
    assert is_same(export(page), expect_scene(workshop, discs))
    # what nothing lies on pans, and a click beside all lays down
    page.mouse.click(*to_screen(page, 380, 20))
    page.wait_for_function("() => document.querySelector('#scene-data').dataset.keys === ''")
    assert now(workshop).head == after.head


def test_the_stack_is_pulled_from_the_side_and_several_are_lined_up(page, workshop, discs):
    lay_scene(workshop, discs, red={"left": 0}, blue={"left": 90, "top": 20}, plum={"left": 300, "top": 90})  # fmt: skip
    open_scene(page)
    assert page.locator(".edge span").all_inner_texts() == ["plum", "blue", "red", "the base"]
    edge = page.locator("button.edge", has_text="red").bounding_box()
    x, y = edge["x"] + 40, edge["y"] + edge["height"] / 2
    before = now(workshop)
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x, y - edge["height"], steps=3)
    page.mouse.move(x, y - 2 * edge["height"], steps=3)
    page.mouse.up()
    before = wait_head(page, workshop, before)
    assert [cut.name for cut in before.arrangement.cuts] == ["blue", "plum", "red"]
    page.locator("button.edge", has_text="blue").click()
    page.locator("#step-cut\\:2.open").wait_for()
    for name in ("plum", "red"):
        page.locator("button.edge", has_text=name).click(modifiers=["Shift"])
    page.locator(".part strong", has_text="3 cuts in hand").wait_for()
    page.locator("summary", has_text="Line up").click()
    page.get_by_role("button", name="Middles down").click()
    before = wait_head(page, workshop, before)
    assert len({cut.top for cut in before.arrangement.cuts}) == 1
    page.get_by_role("button", name="Spread across").click()
    before = wait_head(page, workshop, before)
    lefts = sorted(cut.left for cut in before.arrangement.cuts)
    assert lefts == [0, 150, 300]
    page.get_by_role("button", name="Group them").click()
    before = wait_head(page, workshop, before)
    assert len({cut.group for cut in before.arrangement.cuts}) == 1


def test_all_of_it_by_keyboard_alone(page, workshop, discs):
    lay_scene(workshop, discs, red={"left": 20, "top": 30}, blue={"left": 250, "top": 180})
    open_scene(page)
    before = now(workshop)
    tab_to(page, page.locator("#stage"))
    page.keyboard.press("n")
    page.locator("#step-cut\\:2.open").wait_for()
    page.keyboard.press("b")
    page.locator("#step-cut\\:1.open").wait_for()
    page.keyboard.press("k")
    page.keyboard.press("t")
    before = wait_head(page, workshop, before)
    if not before.arrangement.cuts[0].turn:
        before = wait_head(page, workshop, before)
    assert (before.arrangement.cuts[0].turn, before.arrangement.cuts[0].scale) == (5, pytest.approx(1 / 1.05))  # fmt: skip
    page.keyboard.press("ArrowDown")
    before = wait_head(page, workshop, before)
    page.keyboard.press("PageUp")
    before = wait_head(page, workshop, before)
    assert [cut.name for cut in before.arrangement.cuts] == ["blue", "red"]
    tab_to(page, page.locator("button.edge", has_text="blue"))
    page.keyboard.press("ArrowRight")
    after = wait_head(page, workshop, before)
    assert after.arrangement.cuts[0].left == before.arrangement.cuts[0].left + 1
    page.wait_for_function("() => document.activeElement?.dataset.key === '2'")  # the focus stays
    page.keyboard.press("ArrowUp")
    before = wait_head(page, workshop, after)
    assert [cut.name for cut in before.arrangement.cuts] == ["red", "blue"]
    page.keyboard.press("Control+z")
    before = wait_head(page, workshop, before)
    tab_to(page, page.locator("#rims"), key="Shift+Tab")
    page.keyboard.press("Enter")
    assert page.locator("#proof").is_visible()
    assert find_axe_faults(page) == []
    assert is_same(export(page), expect_scene(workshop, discs))


def test_another_tabs_change_is_told_and_a_late_one_made_again(page, workshop, discs, complaints):
    lay_scene(workshop, discs, red={"left": 20, "top": 30})
    open_scene(page, "cut:1")
    saved = now(workshop)
    editing.move(editing.SceneEdit(workshop, saved, saved.head), [1], 100, 0)
    page.locator("#stage").focus()
    page.keyboard.press("ArrowDown")
    page.get_by_role("button", name="Do it again on the newest state").click()
    page.wait_for_function("n => document.querySelector('#scene-data').dataset.head > String(n)", arg=saved.head + 1)  # fmt: skip
    cut = now(workshop).arrangement.cuts[0]
    assert (cut.left, cut.top) == (120, 31)
    complaints.expect("409")


def test_at_400_by_800_a_finger_takes_moves_and_fades_a_cut(open_context, workshop, discs):
    lay_scene(workshop, discs, red={"left": 20, "top": 30}, blue={"left": 250, "top": 180})
    page = open_context(viewport={"width": 400, "height": 800}, has_touch=True).new_page()
    open_scene(page)
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
    assert page.locator("#stage").bounding_box()["height"] > 400
    page.touchscreen.tap(*to_screen(page, 290, 220))
    page.locator("#step-cut\\:2.open").wait_for()
    assert find_axe_faults(page) == []
    before = now(workshop)
    touch = page.context.new_cdp_session(page)
    (x, y), (to_x, to_y) = to_screen(page, 290, 220), to_screen(page, 190, 120)
    for kind, points in (("touchStart", [(x, y)]), *(("touchMove", [(x + (to_x - x) * s, y + (to_y - y) * s)]) for s in (0.1, 0.5, 1.0)), ("touchEnd", [])):  # fmt: skip
        touch.send("Input.dispatchTouchEvent", {"type": kind, "touchPoints": [{"x": a, "y": b} for a, b in points]})  # fmt: skip
        page.wait_for_timeout(100)
    before = wait_head(page, workshop, before)
    blue = before.arrangement.cuts[1]
    assert (blue.left, blue.top) == (pytest.approx(150, abs=8), pytest.approx(80, abs=8))
    page.locator("summary", has_text="Name, opacity").tap()
    page.locator("#cut-opacity").fill("40")
    page.locator("form:has(#cut-opacity) button").tap()
    before = wait_head(page, workshop, before)
    assert before.arrangement.cuts[1].opacity == 0.4
    with page.expect_download() as download:
        page.locator("#export").tap()
    assert is_same(read_png(Path(download.value.path()).read_bytes()), expect_scene(workshop, discs))  # fmt: skip


def test_a_scene_shows_nothing_but_what_it_says_when_empty_and_when_a_picture_is_gone(page, workshop, discs):  # fmt: skip
    lay_scene(workshop, discs, red={"left": 20, "top": 30})
    open_scene(page)
    workshop.sheets.bin(discs["red"].id)
    page.locator(".sentence", has_text="red is not shown").wait_for()
    assert find_axe_faults(page) == []
    page.locator("button.edge", has_text="red").click()
    page.get_by_role("button", name="Take it out").click()
    page.locator(".sentence", has_text="red is not shown").wait_for(state="detached")
    assert now(workshop).arrangement.cuts == ()
    assert (export(page)[..., :3] == (0x20, 0x80, 0x40)).all()
    assert find_axe_faults(page) == []


def test_the_pixels_of_the_stage_are_the_exports_at_100_percent(page, workshop, discs):
    lay_scene(workshop, discs, red={"left": 120, "top": 90, "turn": 30.0}, blue={"left": 130.5, "top": 110, "scale": 0.61})  # fmt: skip
    open_scene(page)
    assert page.locator("#zoom").inner_text() == "100 %"
    shown = read_stage(page)
    expected = export(page)
    off = [np.abs(np.roll(shown, (dy, dx), (0, 1))[5:-5, 5:-5] - expected[5:-5, 5:-5]).max() for dx in (-1, 0, 1) for dy in (-1, 0, 1)]  # fmt: skip
    assert min(off) == 0  # where the half pixel of the middle went is the browser's


def test_inside_a_shape_kept_at_a_state_and_once_for_each_of_five_by_the_pages_own_controls(
    page, workshop, discs
):
    lay_scene(workshop, discs, red={"left": 50, "top": 30, "scale": 2.0}, blue={"left": 60, "top": 60})  # fmt: skip
    extra = add_sheet(workshop, on_white((90, 40, 20), 70, 18), "fifth.png")
    tray = make_tray(workshop, "seals", [*(sheet.id for sheet in discs.values()), extra.id])
    open_scene(page, "cut:2")
    before = now(workshop)
    page.locator("summary", has_text="Only inside another shape").click()
    page.locator("#cut-inside").select_option("red")
    page.locator("form:has(#cut-inside) button").click()
    before = wait_head(page, workshop, before)
    inside = export(page)
    red = Placed(cut_of(workshop, discs["red"]), before.arrangement.cuts[0].to_place())
    rows, cols = np.nonzero(np.abs(inside[..., :3].astype(int) - (0x20, 0x80, 0x40)).max(axis=2) > 3)  # fmt: skip
    assert (rows.min() >= red.top, rows.max() < red.bottom) == (True, True)
    assert (cols.min() >= red.left, cols.max() < red.right) == (True, True)

    # while the hand has it, the stage shows it within the red one as the server will
    at_first = read_stage(page)
    page.mouse.move(*to_screen(page, 100, 100))
    page.mouse.down()
    with page.expect_response("**/parts?**"):
        page.mouse.move(*to_screen(page, 125, 110))
    held = read_stage(page)
    page.mouse.up()
    before = wait_head(page, workshop, before)
    left = read_stage(page)
    assert np.abs(held - left).max() <= 4
    assert np.abs(left - at_first).max() > 60
    page.keyboard.press("Control+z")
    before = wait_head(page, workshop, before)

    # kept as it is now, the blue one no longer follows its picture
    page.locator("summary", has_text="Which state of the picture").click()
    page.locator("#cut-state").select_option("now")
    page.locator("form:has(#cut-state) button").click()
    before = wait_head(page, workshop, before)
    sheet = workshop.sheets.load(discs["blue"].id)
    settings.set_values(begin(workshop, sheet.id, sheet.head), "rim", choke_px=6.0)
    assert np.array_equal(export(page), inside)
    page.locator("#cut-state").select_option("")
    page.locator("form:has(#cut-state) button").click()
    before = wait_head(page, workshop, before)
    assert not np.array_equal(export(page), inside)

    # each picture of the tray in the place of the red one
    page.locator("#phrase-format").click()
    page.locator("summary", has_text="Once for each picture").click()
    page.locator("#series-tray").select_option(str(tray.id))
    page.locator("#series-key").select_option("1")
    page.get_by_role("button", name="Export it as a series").click()
    before = wait_head(page, workshop, before)
    with page.expect_download() as download:
        page.locator("#export").click()
    with zipfile.ZipFile(download.value.path()) as archive:
        pictures = [read_png(archive.read(name)) for name in archive.namelist()]
    assert len(pictures) == 5
    heights = []
    for picture, colour in zip(pictures, [*COLOURS.values(), (90, 40, 20)], strict=True):
        like = np.abs(picture[..., :3].astype(int) - colour).max(axis=2) < 4
        heights.append(np.ptp(np.nonzero(like.any(axis=1))) + 1)
    assert max(heights) - min(heights) < 6  # of 102, at five different scales
