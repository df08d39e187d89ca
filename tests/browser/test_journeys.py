from pathlib import Path
from types import SimpleNamespace
from urllib.parse import parse_qs, urlsplit

import numpy as np
import pytest

from tests.browser.conftest import drop_files, find_axe_faults, tab_to, wait_measured
from tests.conftest import draw_badge, read_png, say_history
from tidymargin.core.base.picture import Region
from tidymargin.demo.drawing import lay_over
from tidymargin.demo.truth import encode_picture
from tidymargin.formats.decode import decode_picture
from tidymargin.services.folder import keeping
from tidymargin.services.folder.bringing import add_sheet

pytestmark = pytest.mark.browser
GAP = (80, 20)  # row and col of the see-through gap in the badge of 160 px


def export(page) -> np.ndarray:
    with page.expect_download() as download:
        page.locator("#export").click()
    return read_png(Path(download.value.path()).read_bytes())


def to_screen(page, row: float, col: float, size: int | tuple[int, int] = 160):
    """Where a place of a picture, square or of a height and width, shown whole and not blown up, is on the screen."""
    height, width = (size, size) if isinstance(size, int) else size
    box = page.locator("#stage").bounding_box()
    scale = min(1, (box["width"] - 48) / width, (box["height"] - 48) / height)
    return (
        box["x"] + box["width"] / 2 + (col + 0.5 - width / 2) * scale,
        box["y"] + box["height"] / 2 + (row + 0.5 - height / 2) * scale,
    )


def test_drop_tune_undo_reload_redo_export(page, workshop, badge_png):
    page.goto("/")
    drop_files(page, ("badge.png", badge_png))
    page.wait_for_url("**/sheets/1/")
    wait_measured(page)
    first = export(page)
    assert first[2, 2, 3] == 0
    assert first[GAP][3] == 255
    assert first[80, 60, 3] == 255

    # a press says what it would take, lets it go on Esc, and takes it on release
    page.mouse.move(*to_screen(page, *GAP))
    page.locator("#verb", has_text="Clear this enclosed area").wait_for()
    page.mouse.down()
    page.keyboard.press("Escape")
    page.mouse.up()
    assert workshop.sheets.load(1).undo is None
    page.mouse.down()
    page.mouse.up()
    page.locator("#undo", has_text="Undo enclosed area cleared").wait_for()
    assert export(page)[GAP][3] == 0

    page.locator("#phrase-tolerance").click()
    curve = page.locator("#curve").bounding_box()
    page.mouse.move(curve["x"] + 40, curve["y"] + 60)
    page.mouse.down()
    page.mouse.move(curve["x"] + 170, curve["y"] + 60, steps=8)
    tried = float(page.locator("#phrase-tolerance").inner_text())
    assert workshop.sheets.load(1).undo == "pocket_cleared"  # nothing is saved before it is let go
    page.mouse.up()
    page.locator("#undo", has_text="Undo tolerance").wait_for()
    assert workshop.sheets.load(1).recipe.reach.tolerance == tried > 10
    tuned = export(page)
    page.keyboard.press("Control+z")
    page.locator("#redo", has_text="Redo tolerance").wait_for()
    page.reload()
    wait_measured(page)
    page.locator("#redo").click()
    page.locator("#undo", has_text="Undo tolerance").wait_for()
    again = export(page)
    np.testing.assert_array_equal(again, tuned)
    assert again[GAP][3] == 0


def test_paste_from_the_clipboard(open_context, badge_png, complaints):
    context = open_context(permissions=["clipboard-read", "clipboard-write"])
    page = context.new_page()
    page.goto("/")
    page.evaluate(
        """async data => {
            const blob = new Blob([Uint8Array.from(data)], {type: "image/png"});
            await navigator.clipboard.write([new ClipboardItem({"image/png": blob})]);
        }""",
        list(badge_png),
    )
    page.keyboard.press("Control+V")
    page.wait_for_url("**/sheets/1/")
    wait_measured(page)
    cut = export(page)
    assert (cut[2, 2, 3], cut[80, 60, 3]) == (0, 255)
    page.locator("#copy").click()
    page.locator("#copy", has_text="Copied").wait_for()
    size = page.evaluate(
        "async () => (await (await navigator.clipboard.read())[0].getType('image/png')).size"
    )
    assert size > 1000


def test_a_bad_file_beside_two_good_ones(page, workshop, badge_png, badge_jpg, complaints):
    page.goto("/")
    files = [("one.png", badge_png), ("letter.png", b"Dear editor,"), ("two.jpg", badge_jpg)]
    drop_files(page, *files)
    page.locator(".card").nth(1).wait_for()
    rows = page.locator("#arrivals li")
    assert [("added" in text) for text in rows.all_inner_texts()] == [True, False, True]
    assert "content is none of PNG" in rows.nth(1).inner_text()
    assert [sheet.name for sheet in workshop.sheets.list_all()] == ["two.jpg", "one.png"]
    assert page.locator("#tray-sentence").inner_text().startswith("2 pictures")
    for _ in range(100):  # the policy forbids waiting by a string that the page would evaluate
        if page.evaluate("() => [...document.images].every(i => i.complete && i.naturalWidth)"):
            break
        page.wait_for_timeout(100)
    assert page.locator(".print.waiting").count() == 0
    complaints.expect("415")


def test_a_full_disk_is_said_before_and_after_a_picture_is_sent(
    page, workshop, badge_png, monkeypatch, complaints
):
    free = [1000, 10**12, 500]
    monkeypatch.setattr(keeping.shutil, "disk_usage", lambda _: SimpleNamespace(free=free[0]))
    page.goto("/")
    drop_files(page, ("one.png", badge_png))
    said = page.locator("#arrivals li .said")
    said.wait_for()
    assert "needs" in said.inner_text()
    assert "0.0 MB are free. Free some disk space" in said.inner_text()
    complaints.expect("507")
    # room enough as it begins, and none once it breaks off: that is not a lost server
    free.pop(0)
    page.route("**/sheets", lambda route: (free.pop(0), route.abort()))
    drop_files(page, ("two.png", badge_png))
    page.locator("#arrivals li", has_text="two.png").locator(".said").wait_for()
    assert "The disk is full" in said.inner_text()
    assert workshop.sheets.list_all() == []
    assert "ERR_FAILED" in complaints.pop(0)
    complaints.expect("507")


def test_keyboard_only_from_drop_to_export(page, workshop, badge_png, tmp_path):
    (tmp_path / "badge.png").write_bytes(badge_png)
    page.goto("/")
    tab_to(page, page.locator("#add button"))
    with page.expect_file_chooser() as chooser:
        page.keyboard.press("Enter")
    chooser.value.set_files(tmp_path / "badge.png")
    page.wait_for_url("**/sheets/1/")
    wait_measured(page)
    tab_to(page, page.locator("#phrase-tolerance"))
    page.keyboard.press("Enter")
    tab_to(page, page.locator("#grip"))
    before = float(page.locator("#grip").get_attribute("aria-valuenow"))
    for _ in range(3):
        page.keyboard.press("ArrowRight")
    page.locator("#undo", has_text="Undo tolerance").wait_for()
    assert workshop.sheets.load(1).recipe.reach.tolerance == round(before + 0.6, 1)
    assert page.evaluate("document.activeElement.id") == "grip"  # the focus survives the change
    tab_to(page, page.locator("#stage"))
    for _ in range(7):  # from the middle to the gap, in steps of 8 px
        page.keyboard.press("ArrowLeft")
    page.locator("#verb", has_text="Clear this enclosed area").wait_for()
    page.keyboard.press("Enter")
    page.locator("#undo", has_text="Undo enclosed area cleared").wait_for()
    tab_to(page, page.locator("#export"), key="Shift+Tab")
    with page.expect_download() as download:
        page.keyboard.press("Enter")
    cut = read_png(Path(download.value.path()).read_bytes())
    assert cut[GAP][3] == 0
    assert cut[80, 60, 3] == 255


def test_at_100_percent_the_stage_receives_the_exported_pixels(page, workshop):
    rgb = lay_over(draw_badge(1400, scale=3).render(), np.array((255.0, 255.0, 255.0)))
    sheet = add_sheet(workshop, encode_picture(rgb, "jpg", 88), "large.jpg")
    page.goto(f"/sheets/{sheet.id}/")
    wait_measured(page)
    cut = export(page)
    seen: list[Region] = []

    def compare(response) -> None:
        asked = {k: v[0] for k, v in parse_qs(urlsplit(response.url).query).items()}
        if "/view?" not in response.url or asked["cell"] != "1" or int(asked["width"]) < 300:
            return
        top, left = int(asked["top"]), int(asked["left"])
        region = Region(top, left, top + int(asked["height"]), left + int(asked["width"]))
        got = np.frombuffer(response.body(), np.uint8).reshape(region.height, region.width, 4)
        np.testing.assert_array_equal(got, cut[region.slices])
        seen.append(region)

    box = page.locator("#stage").bounding_box()
    with page.expect_response(lambda r: "/view?" in r.url and "cell=1&" in r.url and "width=9" in r.url) as middle:  # fmt: skip
        page.locator("#pixels").click()
    compare(middle.value)
    page.mouse.move(box["x"] + 100, box["y"] + 20)
    page.mouse.down()
    page.mouse.move(box["x"] + 700, box["y"] + 545, steps=6)
    with page.expect_response(lambda r: "/view?" in r.url and "left=0&top=0&cell=1&" in r.url) as corner:  # fmt: skip
        page.mouse.move(box["x"] + 705, box["y"] + 551, steps=2)
    page.mouse.up()
    compare(corner.value)
    assert len(seen) == 2
    assert all(region.width > 300 and region.height > 200 for region in seen)
    assert (cut[seen[0].slices][..., 3] > 0).any()
    assert decode_picture(workshop.originals.load(sheet.original)).picture.width == 1400


def test_both_pages_are_clean_to_axe_in_every_open_step(page, workshop, badge_png):
    page.goto("/")
    assert find_axe_faults(page) == []  # with nothing in it
    sheet = add_sheet(workshop, badge_png, "badge.png")
    page.goto("/?on=black")
    assert find_axe_faults(page) == []
    page.goto(f"/sheets/{sheet.id}/")
    wait_measured(page)
    for step in ("area", "ground", "reach", "proof", "export"):
        page.goto(f"/sheets/{sheet.id}/?open={step}")
        wait_measured(page)
        assert find_axe_faults(page) == [], step
    for width, height in ((400, 800), (640, 400)):  # a telephone; half of 1280 x 800 at 200 %
        page.set_viewport_size({"width": width, "height": height})
        assert find_axe_faults(page) == []
        assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
        stage, status, ledger = (
            page.locator(part).bounding_box() for part in ("#stage", ".status", "section.ledger")
        )
        assert stage["height"] >= 72
        assert stage["y"] + stage["height"] <= status["y"] + 1
        assert status["y"] + status["height"] <= ledger["y"] + 1
        assert page.locator("#export").is_visible()


def test_a_lost_server_is_said_and_found_again(page, workshop, badge_png, complaints):
    sheet = add_sheet(workshop, badge_png, "badge.png")
    page.goto(f"/sheets/{sheet.id}/")
    wait_measured(page)
    page.context.set_offline(True)
    page.locator("#pixels").click()
    page.locator("#messages", has_text="The server does not answer").wait_for()
    page.context.set_offline(False)
    page.locator("#messages .message").wait_for(state="detached")
    complaints.expect("ERR_INTERNET_DISCONNECTED")


def set_tolerance(page, tolerance):
    page.locator("#tolerance").fill(tolerance)
    page.locator("#tolerance-form button", has_text="Set").click()


def test_two_tabs_on_one_sheet_are_told_of_each_other_and_lose_nothing(
    page, workshop, badge_png, complaints
):
    sheet = add_sheet(workshop, badge_png, "badge.png")
    address = f"/sheets/{sheet.id}/?open=reach"
    other = page.context.new_page()
    for tab in (page, other):
        tab.goto(address)
        wait_measured(tab)
    set_tolerance(page, "7.1")
    page.locator("#undo", has_text="Undo tolerance").wait_for()
    set_tolerance(other, "4.2")  # the other tab has not heard of it yet
    other.locator(".message", has_text="changed in another tab").wait_for()
    assert workshop.sheets.load(sheet.id).recipe.reach.tolerance == 7.1
    other.locator("#tolerance[value='7.1']").wait_for()  # it shows the newest state by now
    other.get_by_role("button", name="Do it again on the newest state").click()
    other.locator("#tolerance[value='4.2']").wait_for()
    # undone here: the first tab hears of it by itself
    other.locator("#undo").click()
    other.locator("#tolerance[value='7.1']").wait_for()
    set_tolerance(other, "3.3")
    page.locator(".message", has_text="changed in another tab").wait_for()
    page.locator("#tolerance[value='3.3']").wait_for()
    page.locator("#phrase-history").click()
    page.get_by_role("button", name="Tolerance 7.1 to 4.2").click()  # the way that was left
    page.locator("#sheet-data[data-tolerance='4.2']").wait_for(state="attached")
    said = say_history(workshop, workshop.sheets.load(sheet.id))
    assert said == ["Tolerance 7.1 to 3.3", "Tolerance 7.1 to 4.2", "Tolerance 1.0 to 7.1", "Opened"]  # fmt: skip
    complaints.expect("409")
