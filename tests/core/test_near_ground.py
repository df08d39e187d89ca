"""What the ground near a rim betrays: gaps in a figure, and what a smooth model is off by."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tidymargin.core.near_ground import GAPS_HALO_PX, SETTLE_PX, find_gaps, settle_ground

SCREEN, PALE, LEAF = (62, 155, 79), (236, 230, 214), (60, 130, 72)
PALETTE = np.array([PALE], np.float32)
SIDE = 120


def make_sheet(colour=PALE):
    """A figure right of column 20 of a screen: RGB, ground and what is cleared."""
    rgb = np.full((SIDE, SIDE, 3), SCREEN, np.uint8)
    rgb[:, 20:] = colour
    cleared = np.zeros((SIDE, SIDE), bool)
    cleared[:, :20] = True
    return rgb, np.full(rgb.shape, SCREEN, np.float32), cleared


def gaps_of(rgb, ground, cleared, most_lean=0.2):
    gaps, slivers = find_gaps(rgb, ground, cleared, PALETTE, 1.5, most_lean)
    assert not (gaps & slivers).any()
    assert not ((gaps | slivers) & cleared).any()
    return gaps | slivers


@pytest.mark.parametrize("wide_px", [1, 2, 3, 4])
def test_a_narrow_gap_is_ground_and_nothing_beside_it_is(wide_px):
    rgb, ground, cleared = make_sheet()
    rgb[30:90, 32 : 32 + wide_px] = SCREEN
    expected = np.zeros((SIDE, SIDE), bool)
    expected[30:90, 32 : 32 + wide_px] = True
    np.testing.assert_array_equal(gaps_of(rgb, ground, cleared), expected)


def test_a_patch_of_the_screens_colour_and_what_is_deep_inside_are_left_to_pockets():
    rgb, ground, cleared = make_sheet()
    rgb[30:40, 30:40] = SCREEN  # as wide as a thing of its own
    rgb[60:100, 90:92] = SCREEN  # farther in than gaps are looked for
    assert not gaps_of(rgb, ground, cleared).any()


def test_a_figure_of_the_screens_own_hue_has_no_gaps():
    rgb, ground, cleared = make_sheet(LEAF)
    assert not gaps_of(rgb, ground, cleared, most_lean=0.9).any()


def test_gaps_of_a_part_are_those_of_the_whole():
    random = np.random.default_rng(8)
    rgb, ground, cleared = make_sheet()
    for _ in range(60):
        row, col = random.integers(0, SIDE - 10), random.integers(20, SIDE - 3)
        rgb[row : row + random.integers(2, 10), col : col + random.integers(1, 4)] = SCREEN
    rgb = np.clip(rgb + random.normal(0, 2, rgb.shape), 0, 255).astype(np.uint8)
    wide = [np.tile(a, (2, 2, 1)) for a in (rgb, ground)]
    wide_cleared = np.tile(cleared, (2, 2))
    whole = gaps_of(*wide, wide_cleared)
    far = GAPS_HALO_PX
    part = (slice(20, 2 * SIDE - 10), slice(10, 2 * SIDE - 6))
    inside = (slice(far, -far), slice(far, -far))
    found = gaps_of(*(np.ascontiguousarray(a[part]) for a in (*wide, wide_cleared)))
    assert found[inside].any()
    np.testing.assert_array_equal(found[inside], whole[part][inside])


@settings(max_examples=20, deadline=None)
@given(st.integers(0, 2**32 - 1))
def test_a_model_that_is_off_is_moved_to_what_is_seen_of_the_ground(seed):
    random = np.random.default_rng(seed)
    off = random.uniform(-8, 8, 3)
    ground = np.full((60, 70, 3), SCREEN, np.float32) + random.uniform(-3, 3)
    rgb = np.rint(ground + off).astype(np.uint8)
    sound = np.ones((60, 70), bool)
    settled = settle_ground(rgb, ground, sound)
    assert (
        np.abs(settled - rgb).max() < 0.1 + 0.15 * np.abs(off).max()
    )  # drawn a little to the model
    rgb[20:40, 20:50] = 0  # a figure, which is no sound ground
    sound[18:42, 18:52] = False
    again = settle_ground(rgb, ground, sound)
    assert np.abs(again - ground).max() <= np.abs(off).max() + 0.6  # nothing of it comes in
    none = settle_ground(rgb, ground, np.zeros_like(sound))
    np.testing.assert_array_equal(none, ground)
    part = (slice(5, 50), slice(3, 66))
    cut = settle_ground(*(np.ascontiguousarray(a[part]) for a in (rgb, ground, sound)))
    inside = (slice(SETTLE_PX, -SETTLE_PX),) * 2
    np.testing.assert_array_equal(cut[inside], again[part][inside])


def test_an_uneven_ground_is_settled_on_what_is_sound_around_it():
    random = np.random.default_rng(8)
    rgb = random.integers(90, 110, (64, 70, 3)).astype(np.uint8)
    ground = np.full((64, 70, 3), 97.25, np.float32)
    sound = random.random((64, 70)) < 0.6
    settled = settle_ground(rgb, ground, sound)
    for row, col in ((0, 0), (31, 40), (63, 12)):  # places beyond the picture's end do not count
        near = np.s_[
            max(0, row - SETTLE_PX) : row + SETTLE_PX + 1,
            max(0, col - SETTLE_PX) : col + SETTLE_PX + 1,
        ]
        left_over = (rgb[near].astype(float) - 97.25)[sound[near]]
        moved = left_over.sum(axis=0) / (len(left_over) + 12)
        assert settled[row, col] == pytest.approx(97.25 + moved, abs=1e-4)
    assert np.array_equal(settle_ground(rgb, ground, np.zeros_like(sound)), ground)
    part = settle_ground(*(a[10:60, 5:65].copy() for a in (rgb, ground, sound)))
    inner = slice(SETTLE_PX, -SETTLE_PX)
    assert np.array_equal(part[inner, inner], settled[10:60, 5:65][inner, inner])
