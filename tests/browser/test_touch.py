"""A small window worked by fingers alone."""

from pathlib import Path

from tests.browser.conftest import find_axe_faults, wait_measured
from tests.conftest import read_png

GAP = (80, 20)  # row, col in the badge's closed gap


def test_at_400_by_800_a_finger_drops_picks_tunes_and_exports(
    open_context, workshop, badge_png, tmp_path
):
    (tmp_path / "badge.png").write_bytes(badge_png)
    page = open_context(viewport={"width": 400, "height": 800}, has_touch=True).new_page()
    page.on("filechooser", lambda _: None)
    page.goto("/")
    with page.expect_file_chooser() as chooser:
        page.locator("#add button").tap()
    chooser.value.set_files(tmp_path / "badge.png")
    page.wait_for_url("**/sheets/1/")
    wait_measured(page)
    box = page.locator("#stage").bounding_box()
    assert box["height"] > 400  # the stage keeps more than half of the window
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")

    # a tap only places the aim; the worded verb then acts
    scale = page.locator("#zoom").inner_text()
    assert scale.startswith("100")
    left, top = box["x"] + (box["width"] - 160) / 2, box["y"] + (box["height"] - 160) / 2
    page.touchscreen.tap(left + GAP[1], top + GAP[0])
    verb = page.locator("#do-it", has_text="Clear this enclosed area")
    verb.wait_for()
    assert workshop.sheets.load(1).undo is None
    size = verb.bounding_box()
    assert size["height"] >= 44
    assert size["width"] >= 44
    verb.tap()
    page.locator("#undo:not([disabled])").wait_for()

    page.locator(".numerals button", has_text="2").tap()  # the drawer's second sentence
    page.locator("#tolerance").fill("7.1")
    page.locator("#tolerance-form button", has_text="Set").tap()
    page.locator("#sheet-data[data-tolerance='7.1']").wait_for(state="attached")
    assert find_axe_faults(page) == []
    page.locator(".numerals button", has_text="History").tap()
    page.get_by_role("button", name="Tolerance,").wait_for()
    with page.expect_download() as download:
        page.locator("#export").tap()
    cut = read_png(Path(download.value.path()).read_bytes())
    assert cut[GAP][3] == 0
    assert cut[80, 60, 3] == 255
    assert workshop.sheets.load(1).recipe.reach.tolerance == 7.1
