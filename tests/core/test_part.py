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
    region = np.ascontiguousarray(places[first:last, begin:end])
    ground, none = np.dstack([region] * 3), np.zeros(region.shape, np.bool_)
    part = Part(ground.astype(np.uint8), ground, none, margins, HALO_PX, corner_px=(top, left)).aim(
        reach
    )
    part.shrink()
    part.lay_out()
    part.share[part.window(reach)] = part.ground[part.near(reach)][..., 0]
    part.figure[part.window(reach)] = part.ground[part.near(reach)]
    inner = data.draw(st.integers(0, reach))
    window, near = part.window(inner), part.near(inner)
    assert np.array_equal(part.share[window], part.ground[near][..., 0])
    part.aim(inner).shrink()
    assert part.solved_px == part.reach_px == inner
    assert part.share.shape == (bottom - top + 2 * inner, right - left + 2 * inner)
    window, near = part.window(inner), part.near(inner)
    assert np.array_equal(part.share[window], part.ground[near][..., 0])
    assert np.array_equal(part.figure[window], part.ground[near])
    assert part.rgb.shape == part.ground.shape
    assert part.inside(inner).slices == near
    assert np.array_equal(places[part.where(inner).slices], part.ground[near][..., 0])
    own = slice(inner, part.share.shape[0] - inner), slice(inner, part.share.shape[1] - inner)
    assert np.array_equal(part.share[own], places[top:bottom, left:right])
    part.share[window] = 0
    assert not part.share.any()
