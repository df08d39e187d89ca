"""A part of a picture while its cut is solved: where it lies, and what is left as it shrinks."""

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from tidymargin.core.base.part import Part

HALO_PX = 20


@st.composite
def parts(draw):
    """A region anywhere in a picture, its halo cut off where the picture ends, and how far it is solved."""
    height, width = draw(st.integers(4, 60)), draw(st.integers(4, 60))
    top, left = draw(st.integers(0, height - 1)), draw(st.integers(0, width - 1))
    bottom, right = draw(st.integers(top + 1, height)), draw(st.integers(left + 1, width))
    first, begin = max(0, top - HALO_PX), max(0, left - HALO_PX)
    last, end = min(height, bottom + HALO_PX), min(width, right + HALO_PX)
    margins = (top - first, left - begin, last - bottom, end - right)
    reach = draw(st.integers(1, HALO_PX))
    return (top, left, bottom, right), (first, begin, last, end), margins, reach


@given(parts(), st.data())
def test_what_is_solved_lies_where_it_does_in_the_picture_however_far_it_has_shrunk(made, data):
    (top, left, bottom, right), (first, begin, last, end), margins, reach = made
    places = np.arange(60 * 60, dtype=np.float32).reshape(60, 60)
    region = places[first:last, begin:end]
    part = Part(region.shape, margins, reach)
    part.share[part.window] = region[part.near]
    part.figure[part.window] = region[part.near][..., None]
    shrunk = data.draw(st.integers(0, reach - 1))
    if shrunk:
        part.shrink(shrunk)
    assert part.reach_px == reach - shrunk
    assert part.share.shape == (bottom - top + 2 * part.reach_px, right - left + 2 * part.reach_px)
    assert np.array_equal(part.share[part.window], region[part.near])
    assert np.array_equal(part.figure[part.window][..., 1], region[part.near])
    assert (part.near[0].start, part.near[1].start) == part.corner
    assert (part.near[0].stop, part.near[1].stop) == part.end
    own = slice(part.reach_px, -part.reach_px)
    assert np.array_equal(part.share[own, own], places[top:bottom, left:right])
    beyond = part.share.copy()
    beyond[part.window] = 0
    assert not beyond.any()
