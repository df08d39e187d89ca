"""A sheet that pages are about."""

import pytest

from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.views.measuring import load_measured


@pytest.fixture
def sheet(workshop, badge_png):
    sheet = add_sheet(workshop, badge_png, "badge.png")
    load_measured(workshop, sheet)
    return sheet
