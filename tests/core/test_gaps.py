"""What the hue of a screen betrays near a rim: narrow gaps in a figure."""

import numpy as np
import pytest

from tidymargin.core.screen.gaps import GAPS_HALO_PX, find_gaps

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


def gaps_of(rgb, ground, cleared):
    gaps = find_gaps(rgb, ground, cleared, PALETTE, 1.5)
    assert not (gaps & cleared).any()
    return gaps


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
    assert not gaps_of(rgb, ground, cleared).any()


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
