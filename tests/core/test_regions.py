"""Any region rendered alone equals the crop of the whole, on every ground and for both natures."""

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tidymargin.core.base.picture import Picture, Region, whole
from tidymargin.core.cut import cut_by_levels, cut_out
from tidymargin.core.facts import measure_sheet
from tidymargin.core.first_look import choose_blotter
from tidymargin.core.ground.plan import GroundPlan
from tidymargin.core.plan import Plan
from tidymargin.core.reach.clearing import Pick
from tidymargin.core.reach.plan import ReachPlan
from tidymargin.core.tint.plan import TintPlan
from tidymargin.demo.drawing import Drawing, mix_over
from tidymargin.demo.grounds import add_grain, make_checker, make_paper, make_screen
from tidymargin.demo.inks import press
from tidymargin.demo.sketches import cast_spill, draw_bell
from tidymargin.demo.truth import encode_picture
from tidymargin.formats.decode import decode_picture

SIDE = 260


def draw_marks():
    d = Drawing(SIDE, SIDE, 6)
    dark, red = d.colour("#1E2F80"), d.colour("#C8553D")
    d.ring(130, 120, 80, 9, dark)
    d.ellipse(130, 120, 40, red)
    d.ellipse(130, 120, 18, 0)
    d.text("PORT", 40, 240, 34, 4, dark)
    for turn in range(24):  # dust, some of it joined to the ring
        across = 87.5 + turn % 5
        d.ellipse(130 + across * math.cos(turn), 120 + across * math.sin(turn), 1.6, red)
    return d.render()


def jpeg(picture, random, grain):
    return decode_picture(encode_picture(add_grain(picture, random, grain), "jpg", 90)).picture


def make(kind):
    random = np.random.default_rng(12)
    if kind == "paper, ink":
        figure = press(draw_marks(), random, lightest=0.4, grain=0.1, patch_px=12)
        return jpeg(mix_over(figure, make_paper(SIDE, SIDE, random)), random, 1.0)
    if kind == "paper":
        return jpeg(mix_over(draw_marks(), make_paper(SIDE, SIDE, random)), random, 1.0)
    if kind == "checker":
        return jpeg(mix_over(draw_marks(), make_checker(SIDE, SIDE, period=7.3)), random, 0)
    bell = cast_spill(draw_bell(SIDE), (62, 155, 79), 8)
    return jpeg(mix_over(bell, make_screen(SIDE, SIDE, random)), random, 2.0)


SHEETS = {}


def sheet_of(kind):
    if kind not in SHEETS:
        picture = make(kind)
        facts = measure_sheet(picture, GroundPlan(nature="ink" if "ink" in kind else "auto"))
        SHEETS[kind] = (picture, facts)
    return SHEETS[kind]


@pytest.mark.parametrize("kind", ["paper, ink", "paper", "checker", "screen"])
@settings(max_examples=8, deadline=None)
@given(
    box=st.tuples(*[st.integers(0, SIDE - 1)] * 4),
    tolerance=st.none() | st.floats(0, 30),
    pick=st.tuples(st.integers(0, SIDE - 1), st.integers(0, SIDE - 1), st.booleans()),
    crumb_px=st.integers(0, 40),
    spill=st.sampled_from([0.0, 1.0, 1.7]),
)
def test_any_region_alone_equals_the_crop_of_the_whole(kind, box, tolerance, pick, crumb_px, spill):
    picture, facts = sheet_of(kind)
    assert facts.ground.kind == kind.split(",")[0]
    decided = Plan(
        reach=ReachPlan(tolerance=tolerance, picks=(Pick(*pick),), crumb_px=crumb_px),
        tint=TintPlan(spill=spill),
    )
    cutter = cut_out(picture, facts, decided)
    assert 2 * cutter.halo_px < SIDE
    top, bottom = sorted(box[:2])
    left, right = sorted(box[2:])
    region = Region(top, left, bottom + 1, right + 1)
    np.testing.assert_array_equal(cutter.render(region), cutter.render_whole()[region.slices])


@pytest.mark.parametrize("kind", ["paper, ink", "paper", "checker", "screen"])
def test_the_pockets_that_were_measured_are_those_that_are_found_anew(kind):
    picture, facts = sheet_of(kind)
    measured = cut_out(picture, facts, Plan())
    levels = replace(measured.levels, steps=facts.difference.steps.copy())
    assert not levels.are_of(facts)
    anew = cut_by_levels(picture, facts, levels, Plan())
    assert anew.pockets.listed
    assert measured.pockets is facts.pockets
    assert measured.pockets.listed == anew.pockets.listed
    everywhere = whole(SIDE, SIDE)
    np.testing.assert_array_equal(measured.cleared(everywhere), anew.cleared(everywhere))


def test_the_blotter_is_far_from_what_stays_and_for_ink_from_the_ink_itself():
    picture, facts = sheet_of("paper, ink")
    assert facts.nature == "ink"
    assert choose_blotter(picture, facts) == "pale"
    white = np.full((80, 80, 3), 20, np.uint8)
    white[20:60, 20:60] = 250
    pale = Picture(white)
    assert choose_blotter(pale, measure_sheet(pale)) == "deep"
