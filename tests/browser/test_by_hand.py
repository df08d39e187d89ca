"""By hand: what a person draws around is kept or cleared, whatever the key says, and undone one mark at a time."""

import pytest

from tests.browser.conftest import find_axe_faults
from tests.browser.test_deciding import SIZE, open_sheet, png_of, settle
from tests.browser.test_journeys import export, to_screen
from tidymargin.services.states import read_recipe_of

pytestmark = pytest.mark.browser


def strap_on_a_case(d):
    """A case with a strap over it, and a white label in it that the key keeps."""
    d.rounded(60, 60, 340, 340, 10, d.colour("#305080"))
    d.rounded(180, 20, 220, 60, 0, d.colour("#A04030"))


def draw_ring(page, *places):
    page.mouse.move(*to_screen(page, *places[0], SIZE))
    page.mouse.down()
    for place in places[1:]:
        page.mouse.move(*to_screen(page, *place, SIZE), steps=10)
    page.mouse.up()


def test_a_strap_is_cleared_by_a_loop_with_a_part_cut_out_and_brought_back_by_a_box(page, workshop):
    sheet = open_sheet(page, workshop, png_of(strap_on_a_case), "by_hand")
    assert export(page)[40, 200, 3] == 255
    page.get_by_role("button", name="loop", exact=True).click()
    page.locator("#verb", has_text="Draw around a place").wait_for()
    assert page.get_by_role("button", name="Clear it").is_hidden()
    draw_ring(page, (10, 160), (10, 240), (100, 240), (100, 160), (11, 160))
    page.get_by_role(
        "button", name="box", exact=True
    ).click()  # what was drawn is still to be decided
    draw_ring(page, (70, 190), (90, 210))
    page.get_by_role("button", name="Clear it").click()
    settle(page, "area cleared")
    assert "1 area cleared" in page.locator("#sentence-by_hand").inner_text()
    cut = export(page)
    assert (cut[20:60, 170:230, 3] == 0).all()
    assert (cut[64:98, 164:186, 3] == 0).all()
    assert (cut[110:330, 70:330, 3] == 255).all()

    page.keyboard.press("Escape")  # with nothing focused on the stage, it stays in hand
    draw_ring(page, (30, 185), (50, 215))
    page.get_by_role("button", name="Keep it").click()
    settle(page, "area kept")
    assert (export(page)[32:48, 187:213, 3] == 255).all()
    assert find_axe_faults(page) == []
    page.get_by_role("button", name="Mark 1 is on").click()
    settle(page, "area switched off")
    assert (export(page)[64:98, 164:186, 3] == 255).all()
    page.get_by_role("button", name="Remove mark 2").click()
    settle(page, "area removed")
    page.locator("#undo").click()
    settle(page, "area switched off")
    page.reload()
    assert len(read_recipe_of(workshop.sheets.load(sheet.id)).by_hand.areas) == 2
    page.locator("#stage").focus()
    page.get_by_role("button", name="loop", exact=True).click()
    page.locator("#stage").focus()
    page.keyboard.press("Escape")
    page.locator("[data-implement=loop][aria-pressed=false]").wait_for()
