"""By hand: what a person draws is kept, cleared or solved, whatever the key says, and undone one mark at a time."""

import cv2
import numpy as np
import pytest

from tests.browser.conftest import find_axe_faults, wait_measured
from tests.browser.test_deciding import SIZE, open_sheet, png_of, settle
from tests.browser.test_journeys import export, to_screen
from tests.conftest import to_png
from tidymargin.demo.almanac import make_almanac
from tidymargin.services.edits import settings
from tidymargin.services.edits.changing import begin
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.views.measuring import load_measured

pytestmark = pytest.mark.browser


def strap_on_a_case(d):
    """A case with a strap over it, and a white label in it that the key keeps."""
    d.rounded(60, 60, 340, 340, 10, d.colour("#305080"))
    d.rounded(180, 20, 220, 60, 0, d.colour("#A04030"))


def take(page, name):
    page.get_by_role("button", name=f"In hand {name}", exact=True).click()
    page.locator("[data-implement][aria-pressed=true]", has_text=name).wait_for()


def draw(page, *places, size=SIZE, steps=10):
    """Draw through places (row, col) with one press."""
    page.mouse.move(*to_screen(page, *places[0], size))
    page.mouse.down()
    for place in places[1:]:
        page.mouse.move(*to_screen(page, *place, size), steps=steps)
    page.mouse.up()


def marks_of(workshop, sheet):
    return workshop.sheets.load(sheet.id).recipe.by_hand.marks


def wait_marks(page, workshop, sheet, count):
    """Wait until a sheet has so many marks, and the page has seen them."""
    page.locator(f"#ledger .marks [data-numbers~='{count}'], #ledger .marks [data-numbers*=' {count} ']").first.wait_for(state="attached")  # fmt: skip
    assert len(marks_of(workshop, sheet)) == count


def set_measure(page, name, value):
    field = page.locator(f"#set-{name}")
    field.fill(str(value))
    field.press("Enter")
    field.blur()


def test_a_strap_is_cleared_by_a_loop_with_a_part_cut_out_and_brought_back_by_a_box(page, workshop):
    sheet = open_sheet(page, workshop, png_of(strap_on_a_case), "by_hand")
    assert export(page)[40, 200, 3] == 255
    take(page, "loop")
    page.locator("#verb", has_text="Draw around a place").wait_for()
    assert page.get_by_role("button", name="Clear the area").is_hidden()
    draw(page, (10, 160), (10, 240), (100, 240), (100, 160), (11, 160))
    take(page, "box")  # what was drawn is still to be decided
    draw(page, (70, 190), (90, 210))
    page.get_by_role("button", name="Clear the area").click()
    settle(page, "area cleared")
    assert "an area" in page.locator("#sentence-by_hand").inner_text()
    cut = export(page)
    assert (cut[20:60, 170:230, 3] == 0).all()
    assert (cut[64:98, 164:186, 3] == 0).all()
    assert (cut[110:330, 70:330, 3] == 255).all()

    page.keyboard.press("Escape")  # with nothing focused on the stage, it stays in hand
    draw(page, (30, 185), (50, 215))
    page.get_by_role("button", name="Keep the area").click()
    settle(page, "area kept")
    assert (export(page)[32:48, 187:213, 3] == 255).all()
    assert find_axe_faults(page) == []
    page.mouse.move(*to_screen(page, 200, 200, SIZE))
    page.keyboard.press("Escape")
    page.mouse.move(*to_screen(page, 30, 185, SIZE))  # over the line of the second one
    page.locator(".marks > li.under[data-numbers='2']").wait_for()
    page.get_by_role("group", name="An area, on or off").last.get_by_role("button", name="off").click()  # fmt: skip
    settle(page, "marks switched off")
    assert (export(page)[64:98, 164:186, 3] == 255).all()
    page.get_by_text("change or remove").first.click()
    page.get_by_role("button", name="Remove mark 2").click()
    settle(page, "marks removed")
    page.locator("#undo").click()
    settle(page, "marks switched off")
    page.reload()
    assert len(marks_of(workshop, sheet)) == 2
    take(page, "loop")
    page.locator("#stage").focus()
    page.keyboard.press("Escape")
    page.locator("[data-implement=loop][aria-pressed=false]").wait_for()


def test_thirty_strokes_are_undone_one_by_one_and_redone_after_a_reload(page, workshop):
    sheet = open_sheet(page, workshop, png_of(strap_on_a_case), "by_hand")
    take(page, "stroke")
    set_measure(page, "across", 10)
    page.locator("#verb", has_text="Stroke that clears, 10 px").wait_for()
    rows = [75 + 8 * n for n in range(30)]
    for row in rows:  # quicker than the server answers: none of them is lost
        draw(page, (row, 100), (row, 300), steps=2)
    wait_marks(page, workshop, sheet, 30)
    assert "30 strokes" in page.locator("#sentence-by_hand").inner_text()
    assert page.locator(".marks > li").count() == 1  # one spell of work
    gone = export(page)[..., 3]
    assert (gone[75:310, 110:290] == 0).all()
    undo = page.locator("#undo")
    for left in range(29, -1, -1):
        undo.click()
        words = "nothing" if not left else "a stroke" if left == 1 else f"{left} strokes"
        page.locator("#sentence-by_hand button", has_text=words).first.wait_for()
    assert (export(page)[75:310, 110:290, 3] == 255).all()
    page.reload()
    for number in range(1, 31):
        page.locator("#redo").click()
        page.locator("#sentence-by_hand button", has_text="a stroke" if number == 1 else f"{number} strokes").first.wait_for()  # fmt: skip
    np.testing.assert_array_equal(export(page)[..., 3], gone)


def test_the_same_way_drawn_far_off_and_close_up_is_the_same_mark(page, workshop):
    side = 1400  # gaps are looked for at once
    rgb = np.full((side, side, 3), 255, np.uint8)
    rgb[300:1100, 300:1100] = (40, 80, 120)
    sheet = open_sheet(page, workshop, to_png(rgb), "by_hand")
    take(page, "stroke")
    steps = [(n, round(6 * np.sin(n / 3))) for n in range(-12, 13)]  # a mouse moves by whole pixels
    lines, way = [], []
    for turns in (0, 17):  # at about 38 and 1100 %
        at = [round(value) for value in to_screen(page, 700, 700, side)]
        box = page.locator("#stage").bounding_box()
        scale = (min(box["width"], box["height"]) - 48) / side
        page.mouse.move(*at)
        for _ in range(turns):
            shown = page.locator("#zoom").inner_text()
            page.mouse.wheel(0, -80)
            page.locator("#zoom", has_not_text=shown).wait_for()
        if turns:
            scale = float(page.locator("#zoom").inner_text().split()[0]) / 100
            assert scale > 8
        page.mouse.click(*at)  # a dab says which place is under the pointer
        wait_marks(page, workshop, sheet, 2 * len(lines) + 1)
        ((x, y),) = marks_of(workshop, sheet)[-1].places
        way = way or [(y + down / scale, x + right / scale) for right, down in steps]
        for number, (row, col) in enumerate(way):
            page.mouse.move(at[0] + (col - x) * scale, at[1] + (row - y) * scale)
            if number == 0:
                page.mouse.down()
        page.mouse.up()
        wait_marks(page, workshop, sheet, 2 * len(lines) + 2)
        lines.append(np.array(marks_of(workshop, sheet)[-1].places))
    for here, there in (lines, lines[::-1]):
        begin, end = there[:-1], there[1:]
        long = np.maximum(((end - begin) ** 2).sum(axis=1), 1e-9)
        for place in here:
            share = np.clip(((place - begin) * (end - begin)).sum(axis=1) / long, 0, 1)
            away = np.hypot(*(begin + share[:, None] * (end - begin) - place).T).min()
            assert away <= 0.5


def test_a_feathers_rim_is_rubbed_while_a_guard_protects_it_and_a_piece_is_brought_back(page, workshop):  # fmt: skip
    (feather,) = make_almanac(0.25, ["feather"])
    size = feather.true_rgba.shape[:2]
    sheet = add_sheet(workshop, feather.encoded, "feather.jpg")
    load_measured(workshop, sheet)
    settings.set_values(begin(workshop, sheet.id, sheet.head), "start", start="picks")
    page.goto(f"/sheets/{sheet.id}/?open=by_hand")
    wait_measured(page)
    take(page, "background only")
    true = feather.true_rgba[..., 3]
    rows, cols = np.nonzero(true == 255)
    row, col = int(rows[len(rows) // 2]), int(cols[len(cols) // 2])
    page.mouse.move(*to_screen(page, row, col, size))
    page.keyboard.down("g")  # in the middle of the work, without laying anything down
    page.locator("#verb", has_text="Protect this colour").wait_for()
    page.mouse.down()
    page.mouse.up()
    page.keyboard.up("g")
    settle(page, "protected colour")
    set_measure(page, "across", 120)
    page.get_by_text("Colour, softness and strength").click()
    page.get_by_role("button", name="anywhere under it").click()
    draw(page, (row, 4), (row, size[1] - 5), size=size)
    settle(page, "stroke on the background only")
    cut = export(page)[..., 3]
    band = slice(row - 40, row + 40)
    ground = np.zeros(true.shape, bool)
    ground[band, 8:-8] = true[band, 8:-8] == 0
    deep = cv2.erode((true == 255).astype(np.uint8), np.ones((5, 5))) > 0
    assert (cut[ground] < 16).mean() > 0.97
    assert (cut[deep] > 240).mean() > 0.97
    assert (cut[: row - 70, :8] == 255).all()  # beyond the stroke nothing went
    page.get_by_role("button", name="In hand stroke", exact=True).click()
    page.get_by_role("button", name="What the stroke does keeps", exact=True).click()
    page.locator("#verb", has_text="keeps").wait_for()
    set_measure(page, "across", 10)
    draw(page, (row, 6), (row, 16), size=size)
    page.locator("#undo", has_text="Undo stroke", has_not_text="background only").wait_for()
    assert (export(page)[row - 2 : row + 2, 7:15, 3] == 255).all()


def test_corners_are_set_by_keys_alone(page, workshop):
    open_sheet(page, workshop, png_of(strap_on_a_case), "by_hand")
    take(page, "corners")
    page.locator("#stage").focus()
    page.keyboard.press("ArrowRight")
    for way in ("ArrowUp", "ArrowRight", "ArrowDown"):
        page.keyboard.press("Enter")
        for _ in range(2):
            page.keyboard.press(f"Shift+{way}")
    page.keyboard.press("Enter")
    page.locator("#verb", has_text="Corner 5").wait_for()
    page.get_by_role("button", name="Close the ring").click()
    page.get_by_role("button", name="Clear the area").click()
    settle(page, "area cleared")
    gone = export(page)[60:340, 60:340, 3] == 0
    assert gone.sum() == pytest.approx(128 * 128, rel=0.02)


def test_a_finger_draws_two_move_and_once_a_pen_is_seen_fingers_only_move(open_context, workshop):
    page = open_context(viewport={"width": 400, "height": 800}, has_touch=True).new_page()
    sheet = open_sheet(page, workshop, png_of(strap_on_a_case), "by_hand")
    page.get_by_role("button", name="In hand stroke", exact=True).tap()
    box = page.locator("#stage").bounding_box()
    assert box["height"] > 350

    def press(kind, x, y, by, pressure=0.5):
        page.evaluate(
            """([kind, x, y, by, pressure]) => {
              const stage = document.getElementById("stage");
              stage.setPointerCapture = () => {};
              const send = (name, at) => stage.dispatchEvent(new PointerEvent(name, {
                pointerType: kind, pointerId: 7, clientX: at, clientY: y, bubbles: true, pressure, isPrimary: true }));
              send("pointerdown", x);
              for (let step = 1; step <= 10; step += 1) send("pointermove", x + (by * step) / 10);
              send("pointerup", x + by);
            }""",
            [kind, x, y, by, pressure],
        )

    middle = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    press("touch", *middle, 60)
    wait_marks(page, workshop, sheet, 1)
    press("pen", middle[0], middle[1] + 20, 60, 0.25)
    wait_marks(page, workshop, sheet, 2)
    assert {round(place[2], 2) for place in marks_of(workshop, sheet)[1].places} == {0.25}
    press("touch", *middle, 60)  # the picture is moved
    press("pen", middle[0], middle[1] + 40, 60)
    wait_marks(page, workshop, sheet, 3)
    first, third = (marks_of(workshop, sheet)[n].places[0][0] for n in (0, 2))
    assert third < first - 20
    assert find_axe_faults(page) == []
