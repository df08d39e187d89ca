from dataclasses import replace

import numpy as np
import pytest

from tidymargin.core.base.average import Grid, average_down
from tidymargin.core.base.errors import BadParameterError
from tidymargin.core.base.picture import Picture, whole
from tidymargin.core.cut import cut_out
from tidymargin.core.facts import measure_sheet
from tidymargin.core.marks.plan import Mark, MarksPlan, Rings
from tidymargin.core.place import Meaning, describe_place
from tidymargin.core.plan import Plan
from tidymargin.core.reach.plan import ReachPlan
from tidymargin.core.reach.pockets import PocketChoice


@pytest.fixture(scope="module")
def cutter():
    rgb = np.full((100, 100, 3), 255, np.uint8)
    rgb[20:80, 20:80] = (20, 30, 60)
    rgb[74:80, 20:80] = (190, 70, 40)  # of one colour it would close in nothing but ground
    rgb[30:50, 30:50] = 255  # a pocket
    rgb[56:71, 60:75] = (225, 222, 230)  # a pale patch in the figure
    picture = Picture(rgb)
    return cut_out(picture, measure_sheet(picture))


def test_a_click_has_the_one_meaning_of_its_place(cutter):
    cleared = describe_place(cutter, 5, 5)
    assert (cleared.meaning, cleared.decision) == (Meaning.CLEARED, None)
    figure = describe_place(cutter, 25, 25)
    assert (figure.meaning, figure.decision) == (Meaning.FIGURE, None)
    pocket = describe_place(cutter, 40, 40)
    assert (pocket.meaning, pocket.decision) == (Meaning.POCKET, PocketChoice(40, 40, "clear"))
    assert pocket.share == pytest.approx(0.04)
    patch = describe_place(cutter, 64, 66)
    assert patch.meaning is Meaning.CLEAR_FROM_HERE
    assert patch.decision.tolerance > patch.goes_at > cutter.tolerance


def test_what_is_shown_before_is_what_the_click_then_clears_or_brings_back(cutter):
    everywhere = whole(100, 100)
    before = cutter.cleared(everywhere)
    picture, facts = cutter.picture, cutter.facts
    pocket, patch = describe_place(cutter, 40, 40), describe_place(cutter, 64, 66)
    for place, decided in (
        (pocket, Plan(reach=ReachPlan(choices=(pocket.decision,)))),
        (patch, Plan(reach=ReachPlan(picks=(patch.decision,)))),
    ):
        after = cut_out(picture, facts, decided).cleared(everywhere)
        np.testing.assert_array_equal(place.takes, after & ~before)
        assert place.takes.mean() == pytest.approx(place.share)
    opened = cut_out(picture, facts, Plan(reach=ReachPlan(choices=(pocket.decision,))))
    back = describe_place(opened, 40, 40)
    assert (back.meaning, back.decision.verdict) == (Meaning.OPENED_POCKET, "keep")
    np.testing.assert_array_equal(back.takes, pocket.takes)


def test_a_place_beside_the_picture_is_refused(cutter):
    with pytest.raises(BadParameterError, match="got 100,3"):
        describe_place(cutter, 3, 100)


def test_averaging_down_by_whole_cells_is_the_alpha_weighted_mean():
    rgba = np.random.default_rng(5).integers(0, 256, (12, 20, 4)).astype(np.uint8)
    found = average_down(rgba, Grid(0, 0, 4, 3, 5)).astype(float)
    cells = rgba.reshape(3, 4, 5, 4, 4).astype(float)
    alpha = cells[..., 3:].sum(axis=(1, 3))
    np.testing.assert_allclose(found[..., 3], alpha[..., 0] / 16, atol=0.51)
    colour = (cells[..., :3] * cells[..., 3:]).sum(axis=(1, 3)) / alpha
    np.testing.assert_allclose(found[..., :3], colour, atol=0.51)


def test_averaging_down_counts_only_what_lies_inside_and_splits_pixels_by_area():
    rgba = np.zeros((1, 3, 4), np.uint8)
    rgba[0, :, 3] = 255
    rgba[0, :, 0] = (0, 100, 200)
    out = average_down(rgba, Grid(0, 0, 1.5, 1, 2))
    assert out[0, :, 0].tolist() == [33, 167]
    assert out[0, :, 3].tolist() == [255, 255]


def test_where_a_mark_decides_a_click_means_nothing_until_another_mark_does(cutter):
    def area(name, verdict, low, high, edge_px=0.0):
        ring = np.array([(low, low), (high, low), (high, high), (low, high)], float)
        return Mark(name, verdict, Rings((ring,)), edge_px=edge_px)

    marks = (area("a", "keep", 2, 12), area("b", "clear", 6, 12), area("c", "solve", 2, 30))
    outline = replace(area("d", "clear", 1, 98, 3.0), is_outside=True)
    marked = replace(cutter, plan=Plan(marks=MarksPlan((*marks, outline))))
    meanings = [describe_place(marked, at, at).meaning for at in (4, 9, 40)]
    assert meanings == [Meaning.KEPT_BY_HAND, Meaning.CLEARED_BY_HAND, Meaning.POCKET]
    assert (
        describe_place(marked, 0, 50).meaning is Meaning.CLEARED
    )  # its rim is solved, nothing decided
