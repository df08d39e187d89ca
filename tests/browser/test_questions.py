"""What could be either way, answered by keyboard alone."""

import pytest

from tests.browser.conftest import find_axe_faults
from tests.browser.test_deciding import open_sheet, reach_of, wait_changed
from tests.browser.test_journeys import export
from tests.services.test_carrying import draw_page, shadows_only
from tests.web.test_questions import draw_blocks, either_way
from tidymargin.core.questions import signs
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.trays.trays import make_tray

pytestmark = pytest.mark.browser


@pytest.fixture
def blocks(monkeypatch):
    """Two blocks with their shadows, of which each could be either way."""
    monkeypatch.setattr(signs.RegionSigns, "find_probability", either_way)
    return draw_blocks()


def test_questions_are_walked_answered_and_taken_back_by_keyboard_alone(page, workshop, blocks):
    sheet = open_sheet(page, workshop, blocks)
    page.locator(".questions > li").first.wait_for()
    count = page.locator(".questions > li").count()
    assert f"{count} to decide" in page.locator("#to-decide").inner_text()
    assert page.locator(".questions > li:visible").count() == 1  # one at a time
    assert find_axe_faults(page) == []
    page.locator("#stage").focus()
    shadows = page.locator(".questions > li", has_text="like a shadow").filter(has_text="1 more")
    for _ in range(count):
        page.keyboard.press("n")
        if shadows.is_visible():
            break
    page.locator("#verb", has_text="like a shadow").wait_for()
    before = workshop.sheets.load(sheet.id).head
    page.keyboard.press("r")
    wait_changed(page, before)
    assert len(reach_of(workshop, sheet).regions) == 2
    alpha = export(page)[..., 3]
    assert alpha[225, 90] == alpha[225, 280] == 0
    assert alpha[120, 90] == alpha[120, 280] == 255
    head = workshop.sheets.load(sheet.id).head
    page.keyboard.press("Control+z")
    wait_changed(page, head)
    assert reach_of(workshop, sheet).regions == ()

    # one of the two alone, with the keys of its own row, and then the rest as it is
    shadows.locator(".choice").first.wait_for(state="attached")
    page.locator("#stage").focus()
    while not shadows.is_visible():
        page.keyboard.press("n")
    shadows.locator("summary").focus()
    page.keyboard.press("Enter")
    page.keyboard.press("Tab")
    head = workshop.sheets.load(sheet.id).head
    page.keyboard.press("Enter")
    wait_changed(page, head)
    assert len(reach_of(workshop, sheet).regions) == 1
    page.locator(".questions > li").first.wait_for()
    page.locator("#stage").focus()
    head = workshop.sheets.load(sheet.id).head
    page.keyboard.press(
        "l"
    )  # it shows what is asked first: nothing is answered that was not looked at
    assert workshop.sheets.load(sheet.id).head == head
    page.keyboard.press("l")
    wait_changed(page, head)
    page.locator("#questions", has_text="No area is left").wait_for()
    page.wait_for_function("document.querySelector('#to-decide').innerText === ''")
    alpha = export(page)[..., 3]
    assert sorted((alpha[225, 90], alpha[225, 280])) == [0, 255]


def test_a_question_is_answered_by_touch_in_a_small_window(open_context, workshop, blocks):
    finger = open_context(has_touch=True, viewport={"width": 400, "height": 800}).new_page()
    sheet = open_sheet(finger, workshop, blocks)
    finger.locator(".questions > li").first.wait_for()
    shadows = finger.locator(".questions > li", has_text="like a shadow").filter(has_text="1 more")
    while not shadows.is_visible():
        finger.get_by_role("button", name="Next").tap()
    head = workshop.sheets.load(sheet.id).head
    shadows.get_by_role("button", name="Remove: area").tap()
    wait_changed(finger, head)
    assert len(reach_of(workshop, sheet).regions) == 2


def test_an_answer_is_carried_to_five_sheets_and_taken_back_on_all_by_one_button(page, workshop, monkeypatch):  # fmt: skip
    monkeypatch.setattr(signs.RegionSigns, "find_probability", shadows_only)
    sheets = [add_sheet(workshop, draw_page(n)[0], f"page{n}.png") for n in range(6)]
    make_tray(workshop, "Pages", [sheet.id for sheet in sheets])

    def answers():
        return [len(workshop.sheets.load(sheet.id).recipe.reach.regions) for sheet in sheets]

    page.goto(f"/sheets/{sheets[0].id}/?open=reach")
    page.locator(".choice.clear:visible").click()
    carry = page.locator("#carry", has_text="Remove these too")
    carry.wait_for()
    assert "5 more like this on 5 pictures" in page.locator("#alike").inner_text()
    assert answers() == [1, 0, 0, 0, 0, 0]  # never unasked
    assert find_axe_faults(page) == []
    carry.click()
    page.locator("#take-back").wait_for()
    assert answers() == [1] * 6
    page.reload()
    page.locator("#take-back").click()
    page.locator("#take-back").wait_for(state="detached")
    assert answers() == [0] * 6
