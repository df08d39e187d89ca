"""What an outline closes in is no more see-through than the outline."""

import heapq

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra import numpy as of

from tidymargin.core.base.part import Part
from tidymargin.core.rim.dips import fill_dips

FIGURE = np.array((40.0, 90.0, 20.0))


def make_part(share):
    """A part without a halo: the figure's one colour over white, cleared where nothing of it is."""
    rgb = np.rint(255 + share[..., None] * (FIGURE - 255)).astype(np.uint8)
    part = Part(rgb, np.full(rgb.shape, 255, np.float32), share == 0, (0, 0, 0, 0), 0)
    part.lay_out()
    part.share[:], part.figure[:] = share, FIGURE
    return part


def test_the_inner_side_of_an_outline_is_raised_to_it_and_has_the_colour_that_is_left():
    across = np.array([0, 0.3, 0.8, 0.9, 0.6, 0.4, 0.7, 1], np.float32)
    part = make_part(np.tile(across, (5, 1)))
    before = part.figure.copy()
    fill_dips(12, part)
    assert np.allclose(part.share, [0, 0.3, 0.8, 0.9, 0.9, 0.9, 0.9, 1])
    assert np.array_equal(part.figure[:, :4], before[:, :4])
    # mixed with the ground as before it looks the same: the share is spread over a paler colour
    shown = 255 + part.share[..., None] * (part.figure - 255)
    assert np.abs(shown - part.rgb).max() < 1


@given(of.arrays(np.float32, (9, 11), elements=st.sampled_from([0, 0.25, 0.5, 0.75, 1])))
def test_a_place_is_as_solid_as_the_least_of_all_ways_to_it_has_at_its_most(share):
    part = make_part(share)
    fill_dips(share.size, part)
    expected = np.where(share == 0, share, np.float32(2))
    queue = [(0.0, row, col) for row, col in np.argwhere(share == 0)]
    while queue:
        level, row, col = heapq.heappop(queue)
        for there, here in ((row - 1, col), (row + 1, col), (row, col - 1), (row, col + 1)):
            if 0 <= there < 9 and 0 <= here < 11:
                most = max(level, share[there, here])
                if most < expected[there, here]:
                    expected[there, here] = most
                    heapq.heappush(queue, (most, there, here))
    # where there is no way in nothing is known
    np.testing.assert_array_equal(part.share, np.where(expected < 2, expected, share))


def test_a_long_gap_that_no_way_of_so_many_steps_goes_into_is_left_as_it_is():
    share = np.ones((7, 40), np.float32)
    share[:, :2] = 0
    share[3, 2:] = 0.3  # a gap between two things, open on the left
    part = make_part(share)
    fill_dips(6, part)
    np.testing.assert_array_equal(part.share, share)
