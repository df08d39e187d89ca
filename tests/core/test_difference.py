"""The difference from the ground: OKLab's own distances, less the ground's noise and nothing else."""

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tidymargin.core.base.colour import linear_to_oklab, srgb_to_linear
from tidymargin.core.base.picture import Picture
from tidymargin.core.cut import cut_out
from tidymargin.core.facts import measure_sheet
from tidymargin.core.ground.difference import MAX_STEP, STEP, all_figure, measure_difference
from tidymargin.core.ground.kinds import FlatGround
from tidymargin.core.plan import Plan

WHITE = FlatGround((255.0, 255.0, 255.0), 0.0, 1.0)
byte_st = st.integers(0, 255)
rgb_st = st.tuples(byte_st, byte_st, byte_st)


def distance(one, two):
    """Return 100 x the distance of two 8-bit sRGB colours in OKLab, half a percent of white's light added to both."""
    lab = linear_to_oklab((srgb_to_linear(np.array([one, two]) / 255) + 0.005) / 1.005)
    return 100 * float(np.linalg.norm(lab[0] - lab[1]))


def steps_of(rgb, ground, alpha=None):
    picture = Picture(np.asarray(rgb, np.uint8), alpha)
    return measure_difference(picture, ground).steps


@settings(max_examples=60, deadline=None)
@given(rgb_st, rgb_st)
def test_an_even_figure_differs_by_its_distance_in_oklab(figure, ground):
    rgb = np.full((40, 40, 3), ground, np.uint8)
    rgb[:, 20:] = figure
    steps = steps_of(rgb, FlatGround(tuple(map(float, ground)), 0.0, 1.0))
    assert (steps[:, :20] == 0).all()
    expected = min(MAX_STEP * STEP, distance(figure, ground))
    assert steps[20, 35] * STEP == pytest.approx(expected, abs=STEP)


@settings(max_examples=20, deadline=None)
@given(st.integers(0, 2**32 - 1), st.floats(0, 4))
def test_the_grounds_noise_is_allowed_for_and_never_adds(seed, noise):
    random = np.random.default_rng(seed)
    rgb = random.integers(150, 256, (30, 30, 3)).astype(np.uint8)
    plain = steps_of(rgb, WHITE).astype(int)
    allowed = steps_of(rgb, FlatGround((255.0, 255.0, 255.0), noise, 1.0)).astype(int)
    assert (allowed <= plain).all()
    near = plain * STEP < noise - STEP
    assert (allowed[near] == 0).all()
    assert (plain - allowed).max() * STEP <= noise + 2 * STEP


@settings(max_examples=30, deadline=None)
@given(rgb_st)
def test_a_figure_that_moves_away_from_the_ground_never_differs_less(colour):
    share = np.linspace(0, 1, 60)[None, :, None]
    ramp = np.rint((1 - share) * 255 + share * np.array(colour)).astype(np.uint8).repeat(12, axis=0)
    plain = [distance(pixel, (255, 255, 255)) for pixel in ramp[6]]
    steps = steps_of(ramp, WHITE)[6] * STEP
    np.testing.assert_allclose(steps, np.minimum(plain, MAX_STEP * STEP), atol=STEP)


def test_what_came_in_transparent_differs_by_nothing():
    rgb = np.zeros((20, 30, 3), np.uint8)
    alpha = np.full((20, 30), 255, np.uint8)
    alpha[:, :10] = 0
    alpha[:, 10:20] = 128
    for steps in (steps_of(rgb, WHITE, alpha), all_figure(Picture(rgb, alpha)).steps):
        assert (steps[:, :10] == 0).all()
        assert (steps[:, 10:] == MAX_STEP).all()


def test_ringing_beside_a_strong_edge_is_allowed_for_and_a_pale_outline_is_not():
    rgb = np.full((80, 120, 3), 255, np.uint8)
    rgb[20:60, 40:80] = (20, 30, 60)
    rings = rgb.copy()
    for away, level in ((2, 247), (3, 255), (4, 250), (5, 255), (6, 252)):
        for row, col in ((20 - away, slice(40, 80)), (59 + away, slice(40, 80))):
            rings[row, col] = level
        for row, col in ((slice(20, 60), 40 - away), (slice(20, 60), 79 + away)):
            rings[row, col] = level
    ringing = measure_difference(Picture(rings), WHITE)
    outlined = rgb.copy()
    outlined[17:63, 37:83] = np.where(rgb[17:63, 37:83] == 255, 228, rgb[17:63, 37:83])
    outline = measure_difference(Picture(outlined), WHITE)
    assert outline.ringing == 0
    assert (outline.steps[18, 45:75] > 0).all()
    assert ringing.steps[16, 50] <= outline.steps[18, 50]


def test_ringing_on_black_is_allowed_for_though_half_of_it_is_cut_off():
    rgb = np.zeros((240, 360, 3), np.uint8)
    cv2.ellipse(rgb, (180, 120), (110, 70), 0, 0, 360, (230, 170, 190), -1, cv2.LINE_AA)
    figure = cv2.dilate(rgb[..., 0], np.ones((5, 5), np.uint8)) > 0
    _, coded = cv2.imencode(".jpg", rgb, [cv2.IMWRITE_JPEG_QUALITY, 92])
    picture = Picture(np.ascontiguousarray(cv2.imdecode(coded, cv2.IMREAD_COLOR)))
    facts = measure_sheet(picture)
    assert facts.difference.ringing > 0
    alpha = cut_out(picture, facts, Plan()).render_whole()[..., 3]
    assert not alpha[~figure].any()
