"""Whole journeys in other languages: a signature in German by keys, one in the long language by finger, and nothing is cut off."""

from pathlib import Path

import numpy as np
import pytest

from tests.browser.conftest import find_axe_faults, tab_to, wait_measured
from tests.conftest import read_png
from tests.long_words import LONG, lengthen
from tidymargin.demo.guiding import draw_for_guide
from tidymargin.formats.arrangement import ArrangedCut, Arrangement
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.scenes import editing
from tidymargin.services.trays.trays import make_tray
from tidymargin.services.views.measuring import load_measured

pytestmark = pytest.mark.browser

STEPS = ("ground", "reach", "by_hand", "rim", "colour", "proof", "export")

# controls whose text is wider or higher than they are, or reaches out of them
CUT_OFF = """() => [...document.querySelectorAll("button, a.button, summary, label, legend, .sentence")]
  .filter((one) => one.checkVisibility({ contentVisibilityAuto: true, visibilityProperty: true }) && !one.closest(".sr-only, .out-of-sight, canvas"))
  .filter((one) => {
    const style = getComputedStyle(one);
    const box = one.getBoundingClientRect();
    if (box.width < 2 || style.position === "absolute") return false;
    const words = [...one.childNodes].filter((node) => node.nodeType === 3 && node.data.trim()).map((node) => {
      const range = document.createRange();
      range.selectNodeContents(node);
      return range.getBoundingClientRect();
    });
    if (words.some((word) => word.right > box.right + 1 || word.left < box.left - 1)) return true;
    const hides = style.overflowX !== "visible" || style.overflowY !== "visible";
    return (hides && (one.scrollWidth > one.clientWidth + 1 || one.scrollHeight > one.clientHeight + 1));
  })
  .map((one) => `${one.tagName} ${one.id} ${one.textContent.trim().slice(0, 40)}`)"""
SIDEWAYS = "() => document.documentElement.scrollWidth - document.documentElement.clientWidth"


def check_signature(data):
    matte = read_png(data)[..., 3]
    assert matte[:20, :20].max() == 0
    assert 0.002 < (matte > 100).mean() < 0.2


def test_a_signature_to_png_in_german_by_keyboard_alone(open_context, workshop, tmp_path):
    data, name = draw_for_guide("harbour-signature")
    (tmp_path / name).write_bytes(data)
    page = open_context(locale="de-DE").new_page()
    page.on("filechooser", lambda _: None)
    page.goto("/")
    tab_to(page, page.get_by_role("button", name="Bilder hinzufügen"))
    with page.expect_file_chooser() as chooser:
        page.keyboard.press("Enter")
    chooser.value.set_files(tmp_path / name)
    page.wait_for_url("**/sheets/1/")
    wait_measured(page)
    assert find_axe_faults(page) == []
    tab_to(page, page.locator("#phrase-tolerance"))
    page.keyboard.press("Enter")
    tab_to(page, page.locator("#tolerance"))
    page.keyboard.press("Control+a")
    page.keyboard.type("2,4")
    page.keyboard.press("Enter")
    page.locator("#undo", has_text="Rückgängig Toleranz").wait_for()
    assert workshop.sheets.load(1).recipe.reach.tolerance == 2.4
    assert page.locator("#phrase-tolerance").inner_text() == "2,4"
    tab_to(page, page.get_by_role("link", name="PNG exportieren"), key="Shift+Tab")
    with page.expect_download() as download:
        page.keyboard.press("Enter")
    check_signature(Path(download.value.path()).read_bytes())


def test_every_open_step_is_clean_to_axe_in_german(open_context, workshop, badge_png):
    sheet = add_sheet(workshop, badge_png, "badge.png")
    load_measured(workshop, sheet)
    page = open_context(locale="de-DE").new_page()
    for path in ("/", "/guide", *(f"/sheets/1/?open={step}" for step in STEPS)):
        page.goto(path)
        page.wait_for_load_state("networkidle")
        assert find_axe_faults(page) == [], path


def test_a_signature_to_png_in_the_long_language_by_finger(open_context, workshop):
    data, name = draw_for_guide("harbour-signature")
    sheet = add_sheet(workshop, data, name)
    load_measured(workshop, sheet)
    page = open_context(locale=LONG, viewport={"width": 400, "height": 800}, has_touch=True).new_page()  # fmt: skip
    page.goto("/sheets/1/?open=reach")
    wait_measured(page)
    assert page.locator("#export").inner_text() == lengthen("Export %(what)s").replace("%(what)s", "PNG")  # fmt: skip
    # a made-up word is not the beginning of a made-up sentence, though the English ones are
    faults = [one for one in find_axe_faults(page) if "label-content-name-mismatch" not in one]
    assert faults == []
    page.locator("#tolerance").fill("2.4")
    page.locator("#tolerance").press("Enter")
    page.wait_for_function("() => document.querySelector('#sheet-data').dataset.undo !== '' || !document.querySelector('#undo').disabled")  # fmt: skip
    with page.expect_download() as download:
        page.locator("#export").tap()
    check_signature(Path(download.value.path()).read_bytes())
    assert workshop.sheets.load(1).recipe.reach.tolerance == 2.4


@pytest.mark.parametrize(
    "size", [(1280, 800), (1024, 640), (400, 800)], ids=["desk", "small", "phone"]
)
def test_words_40_percent_longer_are_not_cut_off_and_nothing_moves(open_context, workshop, badge_png, size):  # fmt: skip
    sheet = add_sheet(workshop, badge_png, "badge.png")
    load_measured(workshop, sheet)
    other = add_sheet(workshop, badge_png, "other.png")
    make_tray(workshop, "seals", [other.id])
    cut = ArrangedCut(key=1, name="badge", sheet=sheet.id)
    editing.add_scene(workshop, "card", Arrangement(width=300, height=200, cuts=(cut,)))
    paths = (
        "/", "/guide", "/trays/1/", *(f"/scenes/1/?open={part}" for part in ("base", "cut:1", "add", "export", "history")),
        *(f"/sheets/1/?open={step}" for step in STEPS),
    )  # fmt: skip
    boxes = {}
    for language in ("en-US", LONG):
        page = open_context(locale=language, viewport={"width": size[0], "height": size[1]}).new_page()  # fmt: skip
        for path in paths:
            page.goto(path)
            page.wait_for_load_state("networkidle")
            assert page.evaluate(SIDEWAYS) <= 0, (language, path)
            assert page.evaluate(CUT_OFF) == [], (language, path)
        boxes[language] = page.locator("#stage").bounding_box()
    # the stage stands where it stood, whatever the words
    assert np.allclose(list(boxes["en-US"].values()), list(boxes[LONG].values()), atol=1)
