"""Ground in light and shade: what a closed edge surrounds is figure, and a soft shadow is ground."""

import cv2
import numpy as np
import pytest

from benchmarks.score import score_cut
from tidymargin.core.base.picture import Picture
from tidymargin.core.cut import cut_out
from tidymargin.core.facts import measure_sheet
from tidymargin.core.ground.detect import detect_ground, find_meant
from tidymargin.core.ground.kinds import FlatGround, from_hex
from tidymargin.core.ground.lit import Growth, extend
from tidymargin.core.ground.plan import GroundPlan
from tidymargin.core.ground.surface import ShadedGround, measure_shade
from tidymargin.core.plan import Plan
from tidymargin.core.tint.plan import TintPlan
from tidymargin.demo.drawing import Drawing, mix_over, to_true_cut
from tidymargin.demo.grounds import add_grain, make_paper
from tidymargin.demo.truth import encode_picture
from tidymargin.formats.decode import decode_picture

SIDE = 360


def draw_egg(code="#C8622E", tall=95):
    drawing = Drawing(SIDE, SIDE, 4)
    drawing.ellipse(SIDE / 2, SIDE / 2, tall, drawing.colour(code))
    return drawing.render()


def cast(ground, alpha, deepest=0.35):
    """Darken a ground by the soft shadow of a thing, a little below it."""
    moved = np.roll(alpha, 16, axis=0)
    soft = cv2.GaussianBlur(moved.astype(np.float32), (0, 0), 16)
    return ground * (1 - deepest * soft[..., None])


def shoot(rgba, ground, quality=92, grain=0.0):
    shot = add_grain(mix_over(rgba, ground.astype(np.float32)), np.random.default_rng(5), grain)
    return decode_picture(encode_picture(shot, "jpg", quality)).picture


@pytest.mark.parametrize("code", ["#FFFFFF", "#F2E6CF", "#9FB4C8"])
def test_a_soft_shadow_is_cleared_and_nothing_of_the_figure_with_it(code):
    rgba = draw_egg()
    rgb = np.array([int(code[at : at + 2], 16) for at in (1, 3, 5)], np.float32)
    ground = cast(np.broadcast_to(rgb, (SIDE, SIDE, 3)), rgba[..., 3])
    picture = shoot(rgba, ground)
    facts = measure_sheet(picture)
    assert facts.ground.kind == "flat"
    score = score_cut(cut_out(picture, facts).render_whole(), to_true_cut(rgba))
    assert max(score.left, score.eaten) < 1e-3 * score.area  # usable, as the bench says it
    assert score.rim < 3


def test_an_even_ground_stays_exactly_one_colour_and_a_hard_shadow_is_figure():
    rgba = draw_egg()
    white = np.full((SIDE, SIDE, 3), 255, np.float32)
    assert isinstance(detect_ground(shoot(rgba, white, 98)).ground, FlatGround)
    hard = white.copy()
    hard[250:300, 60:120] = 170
    picture = shoot(rgba, hard, 98)
    cut = cut_out(picture, measure_sheet(picture)).render_whole()
    assert (cut[260:290, 70:110, 3] == 255).all()


@pytest.mark.parametrize("code", ["#E6E6EE", "#FFFFFF", "#D8D2C4"])
def test_a_figure_as_pale_as_the_paper_is_not_taken_for_its_light(code):
    rgba = draw_egg(code)
    paper = make_paper(SIDE, SIDE, np.random.default_rng(7), vignette=0.1)
    picture = shoot(rgba, np.asarray(paper, np.float32), 92, grain=0.8)
    growth = cut_out(picture, measure_sheet(picture, GroundPlan(kind="paper", nature="opaque")))
    inside = cv2.erode((rgba[..., 3] > 0.9).astype(np.uint8), np.ones((9, 9), np.uint8)) > 0
    assert (growth.render_whole()[..., 3][inside] == 255).mean() > 0.999


def test_ground_gets_through_a_wide_gap_in_an_edge_and_not_through_a_narrow_one():
    lab = np.full((80, 80, 3), (0.9, 0.0, 0.0))
    lab[20:60, 40:42] = lab[20:60, 58:60] = lab[20:22, 40:60] = lab[58:60, 40:60] = (0.5, 0, 0)
    for gap, gets_in in ((2, False), (14, True)):
        open_lab = lab.copy()
        open_lab[32 : 32 + gap, 40:42] = (0.9, 0, 0)
        grown = Growth(open_lab, np.ones((80, 80), bool), False, None).grow()
        assert grown[5, 5]
        assert grown[40, 50] == gets_in, gap


def test_shade_that_grows_darker_goes_on_so_under_a_rim_and_evenness_stays():
    rest = np.zeros((40, 60, 3), np.float32)
    rest[:, 20:40] = -0.02 * (np.arange(20) + 1)[None, :, None]
    sound = np.zeros((40, 60), bool)
    sound[:, :40] = True
    out, known = extend(rest, sound)
    assert known[20, 44]
    assert not known[20, 50]
    assert -0.52 < out[20, 44, 0] < -0.40
    np.testing.assert_array_equal(out[sound], rest[sound])
    even, _ = extend(np.zeros_like(rest), sound)
    assert np.abs(even).max() < 1e-6


def test_grounds_that_could_be_meant_are_those_that_say_something_else():
    rgba = draw_egg()
    white = np.full((SIDE, SIDE, 3), 255, np.float32)
    assert find_meant(shoot(rgba, white)) == ("flat",)
    green = np.broadcast_to(np.float32((62, 155, 79)), white.shape)
    assert find_meant(shoot(rgba, green)) == ("flat", "screen")
    paper = np.asarray(make_paper(SIDE, SIDE, np.random.default_rng(7)), np.float32)
    assert "paper" in find_meant(shoot(rgba, paper))


def test_a_shadow_is_kept_with_the_ground_so_that_it_can_be_given_back():
    rgba = draw_egg()
    white = np.full((SIDE, SIDE, 3), 255, np.float32)
    picture = shoot(rgba, cast(white, rgba[..., 3]), 96)
    found = measure_shade(picture, FlatGround((255.0, 255.0, 255.0), 0.3, 1.0))
    assert isinstance(found, ShadedGround)
    darker, row, col = found.describe_shade()
    assert 0.1 < darker < 0.6
    assert (row, col) == (2, 1) or (row, col) == (1, 1)
    assert (
        measure_shade(Picture(white.astype(np.uint8)), FlatGround((255.0,) * 3, 0.3, 1.0)) is None
    )


@pytest.mark.parametrize("code", ["#FFFFFF", "#F2E6CF"])
def test_a_shadow_that_the_ground_was_settled_with_is_given_back_beside_the_thing(code):
    rgba = draw_egg()
    ground = np.broadcast_to(np.float32(from_hex(code)), (SIDE, SIDE, 3))
    picture = shoot(rgba, cast(ground, rgba[..., 3]), 96)
    facts = measure_sheet(picture)
    assert isinstance(facts.ground, ShadedGround)
    cut, kept = (
        cut_out(picture, facts, Plan(tint=TintPlan(shadow=by))).render_whole()[..., 3]
        for by in (0.0, 1.0)
    )
    below, far = (300, SIDE // 2), (20, 20)
    gone = 1 - picture.rgb[below].astype(float).sum() / sum(from_hex(code))
    assert (cut[below], cut[far], kept[far]) == (0, 0, 0)
    assert kept[below] / 255 == pytest.approx(gone, abs=0.04)
    assert gone > 0.06


def test_where_the_border_came_in_transparent_a_told_ground_has_no_shade_and_none_is_meant():
    rgb = np.full((120, 140, 3), 255, np.uint8)
    rgb[40:80, 50:90] = (30, 60, 120)
    alpha = np.zeros((120, 140), np.uint8)
    alpha[10:-10, 10:-10] = 255
    picture = Picture(rgb, alpha)
    told = detect_ground(picture, "flat", (255.0, 255.0, 255.0)).ground
    assert isinstance(told, FlatGround)
    assert find_meant(picture) == ()
    alpha[0, 70] = 255  # a single place of it is solid
    assert measure_shade(Picture(rgb, alpha), told) is None
