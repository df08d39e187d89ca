"""A screen's light on the figure: found by how it falls off, taken off by amount, and never invented."""

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tidymargin.core.base.picture import Picture
from tidymargin.core.cut import cut_out
from tidymargin.core.facts import measure_sheet
from tidymargin.core.ground.plan import GroundPlan
from tidymargin.core.plan import Plan
from tidymargin.core.screen.spill import DEPTH_PX, Spill, hold_lean_kernel, lean_of
from tidymargin.core.tint.plan import TintPlan
from tidymargin.demo.drawing import Drawing, mix_over
from tidymargin.demo.grounds import add_grain, make_screen
from tidymargin.demo.truth import encode_picture
from tidymargin.formats.decode import decode_picture

SCREEN = (62, 155, 79)
SIDE = 420
HALF = (slice(60, 360), slice(60, 360))


def photograph(most: float, falls_px: float, grain: float = 1.0, eye: float = 0.0):
    """Return a grey disc before cloth with light that falls off by depth, the bare disc, and its depths.

    The cloth shows through an eye in the middle, where the disc has one.
    """
    d = Drawing(SIDE, SIDE, 4)
    d.ellipse(SIDE / 2, SIDE / 2, 165, d.colour("#B9AFA6"))
    d.ellipse(SIDE / 2, SIDE / 2, eye, 0)
    bare = d.render()
    solid = (bare[..., 3] > 0.5).astype(np.uint8)
    deep = np.asarray(cv2.distanceTransform(solid, cv2.DIST_L2, cv2.DIST_MASK_PRECISE))
    cast = (most * np.exp(-deep / falls_px))[..., None]
    lit = bare.copy()
    lit[..., :3] = bare[..., :3] * (1 - cast) + np.array(SCREEN, np.float32) * cast
    cloth = make_screen(SIDE, SIDE, np.random.default_rng(3), uneven=0.05, creases=0)
    shot = add_grain(mix_over(lit, cloth), np.random.default_rng(4), grain)
    return Picture(shot), bare, deep


def green_of(rgb):
    return rgb[..., 1].astype(float) - (rgb[..., 0].astype(float) + rgb[..., 2]) / 2


@pytest.mark.parametrize(
    ("most", "falls_px", "eye"), [(0.25, 10.0, 0), (0.15, 18.0, 0), (0.3, 8.0, 0), (0.22, 22.0, 60)]
)
def test_light_that_falls_off_is_measured_and_taken_off(most, falls_px, eye):
    picture, bare, deep = photograph(most, falls_px, eye=eye)
    facts = measure_sheet(picture, GroundPlan(nature="opaque"))
    assert facts.ground.kind == "screen"
    spill = facts.rim.spill
    assert spill is not None
    depth = np.arange(6, 20)
    assert np.abs(spill.cast[depth] - most * np.exp(-depth / falls_px)).max() < 0.06
    found = cut_out(picture, facts).render_whole()
    left = cut_out(picture, facts, Plan(tint=TintPlan(spill=0))).render_whole()
    shallow = (deep > 4) & (deep < 14)
    over = green_of(left)[shallow].mean() - green_of(bare[..., :3])[shallow].mean()
    rest = green_of(found)[shallow].mean() - green_of(bare[..., :3])[shallow].mean()
    assert over > 5
    assert abs(rest) < 0.35 * over
    np.testing.assert_array_equal(left[..., 3], found[..., 3])  # only colours change


def test_there_is_none_where_no_light_fell():
    picture, _, deep = photograph(0.0, 10.0)
    facts = measure_sheet(picture, GroundPlan(nature="opaque"))
    assert facts.rim.spill is None
    found = cut_out(picture, facts).render_whole()
    inside = deep > 8
    np.testing.assert_array_equal(found[inside][:, :3], picture.rgb[inside])


def test_more_of_it_comes_off_with_the_amount_also_where_no_rim_is_near():
    picture, _, deep = photograph(0.25, 10.0)
    facts = measure_sheet(picture, GroundPlan(nature="opaque"))
    inside = deep > DEPTH_PX + 2
    means = []
    for amount in (0, 0.5, 1, 1.5, 2):
        found = cut_out(picture, facts, Plan(tint=TintPlan(spill=amount))).render_whole()
        means.append(
            (green_of(found)[inside].mean(), green_of(found)[(deep > 4) & (deep < 14)].mean())
        )
    deep_in, shallow = np.array(means).T
    assert deep_in[:3] == pytest.approx(
        deep_in[0]
    )  # up to what was measured there is none of it there
    assert (np.diff(deep_in[2:]) < -2).all()
    assert (np.diff(shallow) < -1).all()


@settings(max_examples=30, deadline=None)
@given(st.integers(0, 2**32 - 1), st.floats(0, 1))
def test_taking_off_undoes_casting(seed, amount):
    random = np.random.default_rng(seed)
    bare = random.uniform(110, 150, (8, 9, 3)).astype(np.float32)
    depth = random.uniform(0, DEPTH_PX + 5, (8, 9)).astype(np.float32)
    cast = np.linspace(0.35, 0, DEPTH_PX, dtype=np.float32)
    share = (random.random((8, 9)) < 0.8).astype(np.float32)
    c = (amount * cast[np.minimum(DEPTH_PX - 1, depth.astype(int))])[..., None]
    lit = (1 - c) * bare + c * np.array(SCREEN)
    direction = np.array((-0.5, 1.0, -0.5))
    spill = Spill(cast, np.array(SCREEN, np.float64), direction)
    found = lit.astype(np.float32)
    spill.take_off(found, share, depth, amount)
    solid = share > 0
    assert np.abs(found[solid] - bare[solid]).max() < 0.6  # a light of 2 in a thousand stays
    np.testing.assert_array_equal(found[~solid], lit.astype(np.float32)[~solid])


def lean_by_depth(rgb, solid, deep, least, most):
    unit = lean_of(np.array(SCREEN, float)) / (lean_of(np.array(SCREEN, float)) ** 2).sum()
    ring = solid & (deep >= least) & (deep < most)
    return float((lean_of(rgb.astype(float)) @ unit)[ring].mean())


def test_the_rim_is_no_greener_than_what_lies_behind_it():
    picture, _, deep = photograph(0.22, 22.0, grain=2.0)
    coded = decode_picture(encode_picture(picture.rgb, "jpg", 88)).picture
    facts = measure_sheet(coded, GroundPlan(nature="opaque"))
    found = cut_out(coded, facts).render_whole()
    solid = found[..., 3] > 200
    seen = lean_by_depth(coded.rgb, solid, deep, 0.5, 2)
    behind = lean_by_depth(found[..., :3], solid, deep, 8, 14)
    assert seen > behind + 0.25  # coding carries the cloth's green inwards
    for least, most in (
        (0.5, 2),
        (2, 4),
        (4, 6),
    ):  # nor less green, as where its light came off twice
        lean = lean_by_depth(found[..., :3], solid, deep, least, most)
        assert lean == pytest.approx(behind, abs=0.03)


def test_a_thin_outline_keeps_its_colour_where_nothing_behind_it_is_as_light():
    figure = np.full((30, 30, 3), (60.0, 30.0, 30.0), np.float32)
    outline = np.array((90.0, 170.0, 110.0), np.float32)  # leans to the screen, and is much lighter
    figure[:, :3] = outline
    share = np.ones((30, 30), np.float32)
    inside_px = np.broadcast_to(np.arange(1, 31, dtype=np.float32), (30, 30)).copy()
    ground = np.full((30, 30, 3), SCREEN, np.float32)
    hold_lean_kernel(figure, share, inside_px, ground, 0.9, 5.5)
    np.testing.assert_array_equal(figure[:, :3], np.broadcast_to(outline, (30, 3, 3)))


@settings(max_examples=30, deadline=None)
@given(st.integers(0, 2**32 - 1), st.floats(-0.2, 0.8))
def test_a_lean_is_held_back_to_the_figures_own_and_no_further(seed, most):
    random = np.random.default_rng(seed)
    figure = random.uniform(70, 180, (6, 7, 3)).astype(np.float32)
    before = figure.copy()
    ground = np.full((6, 7, 3), SCREEN, np.float32)
    inside_px = random.uniform(0, 9, (6, 7)).astype(np.float32)
    hold_lean_kernel(figure, np.full((6, 7), 0.9, np.float32), inside_px, ground, most, 5.0)
    unit = lean_of(np.array(SCREEN, float)) / (lean_of(np.array(SCREEN, float)) ** 2).sum()
    rim = inside_px <= 5
    np.testing.assert_array_equal(figure[~rim], before[~rim])
    calm = rim & (lean_of(before.astype(float)) @ unit < most - 0.01)
    np.testing.assert_array_equal(figure[calm], before[calm])
    unclipped = rim & (figure > 0).all(axis=2) & (figure < 255).all(axis=2)
    assert (lean_of(figure.astype(float)) @ unit)[unclipped].max(initial=-9) < most + 0.02


def test_a_figure_that_leans_to_the_screen_more_than_the_screen_itself_divides_by_nothing():
    figure = np.full((5, 5, 3), (20, 240, 30), np.float32)
    ground = np.full((5, 5, 3), (90, 160, 95), np.float32)
    shares, inside_px = np.full((5, 5), 0.9, np.float32), np.ones((5, 5), np.float32)
    hold_lean_kernel(figure, shares, inside_px, ground, 2.0, 3.0)
    assert np.isfinite(figure).all()
    assert figure.min() >= 0
    assert figure.max() <= 255
