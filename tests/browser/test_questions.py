"""What could be either way, answered by keyboard alone."""

import cv2
import numpy as np
import pytest

from tests.browser.conftest import find_axe_faults
from tests.browser.test_deciding import open_sheet, reach_of, wait_changed
from tests.browser.test_journeys import export
from tests.conftest import to_png
from tidymargin.core.questions import signs

pytestmark = pytest.mark.browser


@pytest.fixture
def blocks(monkeypatch):
    """Two red blocks with soft grey patches below them, of which each could be either way, on white."""
    monkeypatch.setattr(
        signs.RegionSigns, "find_probability", lambda self: np.full(len(self.area_px), 0.5)
    )
    rgb = np.full((300, 400, 3), 255, np.uint8)
    for left in (30, 220):
        cv2.rectangle(rgb, (left, 180), (left + 120, 240), (206, 206, 206), -1)
        cv2.rectangle(rgb, (left + 10, 60), (left + 110, 190), (170, 30, 40), -1)
    return to_png(cv2.GaussianBlur(rgb, (0, 0), 0.7))


def test_two_shadows_go_by_one_answer_of_the_keyboard_and_come_back_by_undo(page, workshop, blocks):
    sheet = open_sheet(page, workshop, blocks)
    summary = page.locator("#questions summary")
    summary.focus()
    page.keyboard.press("Enter")
    shadows = page.locator("#questions li", has_text="like a shadow").filter(has_text="1 more")
    remove = shadows.get_by_role("button", name="Remove area")
    remove.wait_for()
    assert find_axe_faults(page) == []
    remove.focus()
    before = workshop.sheets.load(sheet.id).head
    page.keyboard.press("Enter")
    wait_changed(page, before)
    assert len(reach_of(workshop, sheet).regions) == 2
    alpha = export(page)[..., 3]
    assert alpha[225, 90] == alpha[225, 280] == 0
    assert alpha[120, 90] == alpha[120, 280] == 255
    head = workshop.sheets.load(sheet.id).head
    page.keyboard.press("Control+z")
    wait_changed(page, head)
    assert reach_of(workshop, sheet).regions == ()
