"""Preparations change what is measured, for the key only."""

import numpy as np
import pytest

from tidymargin.core.base.picture import Picture
from tidymargin.core.cut import cut_out
from tidymargin.core.facts import measure_sheet
from tidymargin.core.ground.plan import GroundPlan
from tidymargin.core.ground.prepare import PREPARATIONS, prepare_steps
from tidymargin.core.plan import Plan

GROUND, FIGURE = 2, 120


def make_steps():
    steps = np.full((120, 160), GROUND, np.uint8)
    steps[50:56, 20:140] = FIGURE  # a line
    return steps


def test_grain_is_ignored_and_a_line_stays():
    steps = make_steps()
    steps[4:40:4, 4:150:5] = 90
    expected = make_steps()
    expected[50:56:5, 20:140:119] = GROUND  # a median takes a line's four corners too
    np.testing.assert_array_equal(prepare_steps(steps, ("ignore_grain",)), expected)


def test_a_broad_stain_is_lifted_and_what_lies_on_it_stays():
    steps = make_steps()
    steps[20:110, 10:150] = np.maximum(steps[20:110, 10:150], 30)
    lifted = prepare_steps(steps, ("lift_paper",))
    assert lifted[30, 60] == lifted[5, 5] == 0
    assert lifted[52, 80] == FIGURE - 30


@pytest.mark.parametrize(("gap", "is_held"), [(2, True), (4, True), (8, False)])
def test_breaks_in_a_line_are_held_up_to_four_pixels(gap, is_held):
    steps = make_steps()
    steps[50:56, 80 : 80 + gap] = GROUND
    held = prepare_steps(steps, ("hold_lines",))
    assert (held[52:54, 80 : 80 + gap] == FIGURE).all() == is_held
    assert (held >= steps).all()
    assert held[100, 100] == GROUND


def test_nothing_chosen_is_nothing_done_and_nothing_is_written_into():
    steps = make_steps()
    assert prepare_steps(steps, ()) is steps
    before = steps.copy()
    prepare_steps(steps, PREPARATIONS)
    np.testing.assert_array_equal(steps, before)


def test_exported_colours_are_those_of_the_picture_whatever_was_prepared():
    random = np.random.default_rng(7)
    rgb = np.full((120, 160, 3), 250, np.int16)
    rgb[40:80, 30:130] = (40, 70, 150)
    rgb = np.clip(rgb + random.integers(-6, 7, rgb.shape), 0, 255).astype(np.uint8)
    picture = Picture(rgb)
    inside = (slice(50, 70), slice(40, 120))
    for preparations in ((), ("ignore_grain",), PREPARATIONS):
        facts = measure_sheet(picture, GroundPlan(nature="opaque", preparations=preparations))
        found = cut_out(picture, facts, Plan()).render_whole()
        assert (found[inside][..., 3] == 255).all(), preparations
        np.testing.assert_array_equal(found[inside][..., :3], rgb[inside])
