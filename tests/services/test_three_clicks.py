"""Each demo sheet, opened and exported with at most three clicks, against its true cut."""

from collections.abc import Callable

import cv2
import numpy as np
import pytest

from benchmarks.score import find_rim, score_cut
from tests.conftest import read_png
from tidymargin.services.edits import deciding, settings
from tidymargin.services.edits.changing import begin
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.views import finding
from tidymargin.services.views.exporting import export_sheet
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.store.values import Sheet

Click = Callable[[Workshop, Sheet], Sheet]


def clear_all_pockets(workshop, sheet):
    return deciding.decide_pockets(begin(workshop, sheet.id, sheet.head), "clear")


def pick_the_gap(workshop, sheet):
    """Click into the gap of the compass rose, beside its white face."""
    listed = finding.load_pockets(workshop, sheet).listed
    gap = max(listed, key=lambda p: p.box.width)
    return deciding.pick_place(begin(workshop, sheet.id, sheet.head), gap.row, gap.col)


def drop_the_holes(workshop, sheet):
    return deciding.drop_group(begin(workshop, sheet.id, sheet.head), 1)


def drop_the_dust(workshop, sheet):
    specks = finding.load_unwanted(workshop, sheet).specks
    assert specks is not None
    return settings.set_values(
        begin(workshop, sheet.id, sheet.head), "crumbs", crumbs_px=specks.most_px + 1, pinholes_px=0
    )


# at a third of their size; the feather's barbs and the chart's lines are too thin for that
CLICKS: dict[str, tuple[Click, ...]] = {
    "compass-rose": (pick_the_gap,),
    "tide-stamp": (clear_all_pockets,),
    "buoy-sticker": (),
    "harbour-signature": (),
    "pencil-lighthouse": (),
    "brass-bell": (),
}


@pytest.mark.parametrize("name", CLICKS)
def test_a_demo_sheet_is_cut_with_at_most_three_clicks(workshop, almanac, name):
    case = almanac[name]
    sheet = add_sheet(workshop, case.encoded, f"{name}.{case.suffix}")
    assert len(CLICKS[name]) <= 3
    for click in CLICKS[name]:
        sheet = click(workshop, sheet)
    found = read_png(export_sheet(workshop, sheet).data)
    true = case.true_rgba
    score = score_cut(found, true)
    away = np.abs(found[..., 3].astype(int) - true[..., 3])
    assert away[~find_rim(true[..., 3])].max() <= 40, "nothing is left, nothing has a hole"
    assert score.left <= 2e-5 * score.area
    assert score.eaten <= 3e-4 * score.area


def test_the_whole_knot_chart_is_freed_of_its_holes_and_its_dust_by_two_clicks(workshop, chart):
    sheet = add_sheet(workshop, chart.encoded, "knot-chart.jpg")
    before = read_png(export_sheet(workshop, sheet).data)[..., 3]
    drawn = chart.true_rgba[..., 3] > 0
    far = cv2.dilate(drawn.astype(np.uint8), np.ones((11, 11))) == 0
    for click in (drop_the_holes, drop_the_dust):
        sheet = click(workshop, sheet)
    found = read_png(export_sheet(workshop, sheet).data)[..., 3]
    assert (before[far] > 200).sum() > 20_000  # the holes
    assert found[far].max() == 0
    changed = np.abs(found[drawn].astype(int) - before[drawn])
    assert (changed.max(), (changed > 0).mean()) <= (8, 1e-3)  # but for ground beside a speck
