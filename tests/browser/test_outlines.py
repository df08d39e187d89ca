"""By hand, further: outlines, rough-ins, bands of hair, marks that are moved, and versions beside each other."""

import cv2
import numpy as np
import pytest

from benchmarks.by_hand import draw_hair
from tests.browser.conftest import find_axe_faults
from tests.browser.test_by_hand import draw, marks_of, set_measure, strap_on_a_case, take
from tests.browser.test_deciding import SIZE, open_sheet, png_of, settle
from tests.browser.test_journeys import export, to_screen
from tests.conftest import to_png
from tidymargin.demo.almanac import make_almanac

pytestmark = pytest.mark.browser


def busy_png():
    """A brown disc before a plaid, which no key can read, and where it is."""
    rows, cols = np.mgrid[:SIZE, :SIZE]
    disc = (rows - 200) ** 2 + (cols - 190) ** 2 < 90**2
    plaid = ((rows // 13 + cols // 17) % 3)[..., None] * np.array((60, 30, 70)) + (40, 90, 60)
    rgb = np.where(disc[..., None], (190, 120, 50), plaid)
    rgb = cv2.GaussianBlur(rgb.astype(np.float64), (0, 0), 0.8)
    rgb += np.random.default_rng(3).normal(0, 9, rgb.shape)
    return to_png(np.clip(rgb, 0, 255).astype(np.uint8)), disc


def test_an_outline_with_bent_parts_is_interrupted_resumed_from_its_beginning_and_cuts_the_bell_out(page, workshop):  # fmt: skip
    (bell,) = make_almanac(0.25, ["brass-bell"])
    size = bell.true_rgba.shape[0]
    sheet = open_sheet(page, workshop, bell.encoded, "by_hand")
    rows, cols = np.nonzero(bell.true_rgba[..., 3] > 127)
    top, bottom, left, right = rows.min() - 6, rows.max() + 6, cols.min() - 6, cols.max() + 6
    take(page, "outline")
    for place in ((bottom, left), (top, left)):
        page.mouse.click(*to_screen(page, *place, size))
    settle(page, "point")
    page.goto("/")
    held = []  # how marks look comes later than the implement is taken in hand
    page.route("**/marks/shapes?*", lambda route: held.append(route))
    page.goto(f"/sheets/{sheet.id}/?open=by_hand")
    take(page, "outline")
    page.locator("#verb", has_text="Set the first point").wait_for()
    assert held
    page.unroute("**/marks/shapes?*")  # which lets them go on
    page.locator("#verb", has_text="Outline, points: 2").wait_for()
    page.mouse.click(*to_screen(page, top, right, size))
    page.locator("#verb", has_text="points: 3").wait_for()
    page.mouse.click(*to_screen(page, bottom, left, size))  # its other end is chosen
    page.locator("#detail", has_text="from its beginning").wait_for()
    page.route(
        "**/marks/outline/parts", lambda route: route.fulfill(json={"parts": []})
    )  # late for good
    page.mouse.click(*to_screen(page, bottom, right, size))
    page.locator("#verb", has_text="points: 4").wait_for()
    draw(page, (top, (left + right) / 2), (top - 14, (left + right) / 2), size=size)
    settle(page, "part bent")
    page.locator("#stage").focus()
    page.keyboard.press("ArrowDown")
    settle(page, "point moved")
    page.keyboard.press("c")
    settle(page, "corner or smooth")
    page.keyboard.press("c")  # and at once back again
    page.keyboard.press("Enter")
    settle(page, "outline closed")
    mark = marks_of(workshop, sheet)[-1]
    assert mark.is_closed
    assert not any(point.is_smooth for point in mark.points)
    assert [point.bend is not None for point in mark.points].count(True) == 1
    cut = export(page)[..., 3]
    plain = bell.true_rgba[..., 3]
    assert not cut[: top - 20].any()
    assert not cut[:, : left - 6].any()
    inside = cv2.erode((plain == 255).astype(np.uint8), np.ones((7, 7))) > 0
    assert (cut[inside] > 240).mean() > 0.99
    page.get_by_role("button", name="clears its inside").click()
    settle(page, "what an outline does")
    assert not export(page)[(top + bottom) // 2 - 9 : (top + bottom) // 2, (left + right) // 2][..., 3].any()  # fmt: skip


def test_a_figure_on_a_busy_picture_is_roughed_in_by_two_scribbles(page, workshop):
    data, disc = busy_png()
    sheet = open_sheet(page, workshop, data, "ground")
    assert export(page)[..., 3].all()
    page.get_by_role("button", name="Find the subject by scribbles").click()
    page.locator("#verb", has_text="Find by scribbles").wait_for()
    draw(page, (170, 150), (230, 230))
    settle(page, "find by scribbles")
    page.get_by_role("button", name="on what is to be removed").click()
    draw(page, (40, 40), (40, 360), (360, 360))
    settle(page, "scribble")
    (mark,) = marks_of(workshop, sheet)
    assert len(mark.keep) == len(mark.clear) == 1
    cut = export(page)[..., 3] > 127
    assert (cut & disc).sum() / (cut | disc).sum() > 0.96
    page.get_by_role("button", name="around the subject").click()
    draw(page, (200, 200), (200.5, 200.5))  # no line around anything
    assert len(marks_of(workshop, sheet)) == 1


def test_a_wide_band_of_hair_is_worked_out(page, workshop):
    true = draw_hair(4, side=420)
    alpha = true[..., 3:] / 255.0
    paper = np.full((420, 420, 3), (236.0, 230.0, 214.0))
    random = np.random.default_rng(2)
    both = true[..., :3] * alpha + paper * (1 - alpha) + random.normal(0, 1.5, paper.shape)
    open_sheet(page, workshop, to_png(np.clip(np.rint(both), 0, 255).astype(np.uint8)), "by_hand")
    before = export(page)[..., 3]
    take(page, "stroke")
    page.get_by_role("button", name="works the edge out").first.click()
    set_measure(page, "across", 44)
    ring = [(210 + 147 * np.sin(a), 210 + 147 * np.cos(a)) for a in np.linspace(0, 2 * np.pi, 40)]
    draw(page, *ring, size=420, steps=2)
    settle(page, "stroke")
    after = export(page)[..., 3]
    rows, cols = np.mgrid[:420, :420]
    away = np.abs(np.hypot(rows - 210, cols - 210) - 147) < 20
    wrong = [np.abs(cut[away].astype(float) - true[..., 3][away]).mean() for cut in (before, after)]
    assert wrong[1] < 0.5 * wrong[0]


def test_a_mark_is_moved_by_pulling_and_by_keys_and_set_as_what_is_in_hand(page, workshop):
    sheet = open_sheet(page, workshop, png_of(strap_on_a_case), "by_hand")
    take(page, "stroke")
    set_measure(page, "across", 20)
    draw(page, (100, 100), (100, 200))
    settle(page, "stroke")
    set_measure(page, "across", 40)
    page.get_by_text("change or remove").click()
    page.get_by_role("button", name="Use the settings in hand: mark 1").click()
    settle(page, "mark changed")
    page.get_by_text("change or remove").click()
    page.get_by_role("button", name="Move mark 1", exact=True).click()
    page.locator("#verb", has_text="Move mark 1").wait_for()
    draw(page, (150, 150), (250, 170))
    settle(page, "mark moved")
    page.locator("#stage").focus()
    page.keyboard.press("Shift+ArrowRight")
    page.keyboard.press("ArrowDown")
    page.wait_for_function("document.querySelectorAll('.marks').length > 0")
    for _ in range(100):
        if marks_of(workshop, sheet)[0].place[0] > 128:
            break
        page.wait_for_timeout(50)
    (mark,) = marks_of(workshop, sheet)
    assert mark.place == pytest.approx((130.5, 201.5), abs=1)
    gone = export(page)[..., 3] == 0
    assert gone[190:212, 135:225].all()
    assert not gone[90:110, 100:200].any()


def test_two_versions_are_kept_compared_in_step_and_gone_back_to(page, workshop):
    sheet = open_sheet(page, workshop, png_of(strap_on_a_case), "by_hand")
    take(page, "box")
    draw(page, (10, 160), (58, 240))
    page.get_by_role("button", name="Clear the area").click()
    settle(page, "area cleared")
    page.locator("#phrase-history").click()
    for name, step in (("no strap", None), ("no strap, no case", (70, 330))):
        if step:
            page.locator("#phrase-areas").click()
            take(page, "box")
            draw(page, (70, 70), (330, 330))
            page.get_by_role("button", name="Clear the area").click()
            page.locator("#phrase-areas", has_text="2 areas").wait_for()
            page.locator("#phrase-history").click()
        page.locator("#version").fill(name)
        page.get_by_role("button", name="Keep the version", exact=True).click()
        page.get_by_role("button", name=f"Remove the name {name}").wait_for()
    assert find_axe_faults(page) == []
    kept = {version.name: version.state for version in workshop.sheets.list_versions(sheet.id)}
    page.get_by_role("link", name="Compare no strap with now").click()
    page.wait_for_url("**/compare?**")
    assert find_axe_faults(page) == []

    def alpha_at(pane, row, col):
        """The colour shown at a place of the picture in a pane: the strap, the case or the blotter."""
        return page.evaluate(
            """([pane, row, col, size]) => {
              const canvas = document.querySelectorAll(".pane canvas:first-child")[pane];
              const scale = Math.min(1, (Math.min(canvas.width, canvas.height) - 48) / size);
              const x = canvas.width / 2 + (col - size / 2) * scale, y = canvas.height / 2 + (row - size / 2) * scale;
              return [...canvas.getContext("2d").getImageData(x, y, 1, 1).data];
            }""",
            [pane, row, col, SIZE],
        )

    blue = [0x30, 0x50, 0x80, 255]
    page.wait_for_function("document.querySelector('#messages').textContent === ''")
    for _ in range(100):
        if alpha_at(0, 200, 200) == blue and alpha_at(1, 200, 200) != blue:
            break
        page.wait_for_timeout(50)
    assert alpha_at(0, 200, 200) == blue  # the first version on the left, as it is now on the right
    assert alpha_at(1, 200, 200) != blue
    page.locator(".pane canvas").first.focus()
    page.keyboard.down("x")
    for _ in range(100):
        if alpha_at(1, 200, 200) == blue:
            break
        page.wait_for_timeout(50)
    assert alpha_at(1, 200, 200) == blue
    page.keyboard.up("x")
    before = page.locator("#zoom").inner_text()
    page.keyboard.press("+")
    page.locator("#zoom", has_not_text=before).wait_for()
    page.locator("#way-left").select_option("original")
    page.wait_for_url("**left=original**")
    page.locator("#way-left").select_option(str(kept["no strap"]))
    page.get_by_role("button", name="Go back to “no strap”").click()
    page.locator("#undo", has_text="area cleared").wait_for()
    assert workshop.sheets.load(sheet.id).head == kept["no strap"]
    page.locator("#redo").click()
    page.locator("#phrase-areas", has_text="2 areas").wait_for()
    assert workshop.sheets.load(sheet.id).head == kept["no strap, no case"]
