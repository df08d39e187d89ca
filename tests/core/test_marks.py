"""Marks: an area decided by hand is cut as it was drawn, whatever the key says, and alike from any region."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.test_regions import SIDE, sheet_of
from tidymargin.core.base.picture import Region
from tidymargin.core.cut import cut_out
from tidymargin.core.marks.laying import cover
from tidymargin.core.marks.plan import AreaMark, MarksPlan
from tidymargin.core.plan import Plan

HERE = Region(0, 0, 40, 50)


def square(low, high):
    return ((low, low), (high, low), (high, high), (low, high))


def area_of(*rings, verdict="clear"):
    return AreaMark(tuple(rings), verdict)


@pytest.mark.parametrize(
    ("rings", "area"),
    [
        ((square(2, 5),), 9),
        ((square(2.25, 5.5),), 3.25**2),
        ((((1, 1), (9, 1), (1, 9)),), 32),
        ((square(1, 11), square(4, 8)), 84),  # one cut out of the other
        ((((1, 1), (9, 9), (9, 1), (1, 9)),), 32),  # a line that crosses itself
        ((((-9, -9), (90, -9), (90, 90), (-9, 90)),), 40 * 50),
        ((((3, 3), (8, 3), (5, 3)),), 0),
    ],
)
def test_a_mark_covers_what_it_surrounds(rings, area):
    covered = cover(area_of(*rings), HERE)
    assert covered.sum() == pytest.approx(area, abs=0.02 * max(1, area**0.5))
    assert covered.min() >= 0
    assert covered.max() <= 1


places = st.tuples(st.floats(-20, SIDE + 20), st.floats(-20, SIDE + 20))
marks_st = st.lists(
    st.builds(area_of, *[st.lists(places, min_size=3, max_size=9).map(tuple)] * 2, verdict=st.sampled_from(["keep", "clear"])),
    min_size=1, max_size=3,
)  # fmt: skip


@pytest.mark.parametrize("kind", ["paper, ink", "checker", "screen"])
@settings(max_examples=8, deadline=None)
@given(marks=marks_st, box=st.tuples(*[st.integers(0, SIDE - 1)] * 4))
def test_a_marked_region_alone_equals_the_crop_of_the_whole(kind, marks, box):
    picture, facts = sheet_of(kind)
    cutter = cut_out(picture, facts, Plan(marks=MarksPlan(tuple(marks))))
    (top, bottom), (left, right) = sorted(box[:2]), sorted(box[2:])
    region = Region(top, left, bottom + 1, right + 1)
    np.testing.assert_array_equal(cutter.render(region), cutter.render_whole()[region.slices])


def test_marks_win_over_the_key_and_the_later_over_the_earlier():
    picture, facts = sheet_of("paper")
    plain = cut_out(picture, facts).render_whole()
    clear, keep = area_of(square(20, 240)), area_of(square(60, 120), verdict="keep")
    found = cut_out(picture, facts, Plan(marks=MarksPlan((clear, keep)))).render_whole()
    assert (found[60:120, 60:120, 3] == 255).all()
    np.testing.assert_array_equal(found[60:120, 60:120, :3], picture.rgb[60:120, 60:120])
    assert (found[30:50, 30:230, 3] == 0).all()
    np.testing.assert_array_equal(found[:10], plain[:10])
    other = cut_out(picture, facts, Plan(marks=MarksPlan((keep, clear)))).render_whole()
    assert (other[60:120, 60:120, 3] == 0).all()
    halved = cut_out(picture, facts, Plan(marks=MarksPlan((area_of(square(60.5, 240)),))))
    edge = plain[100:110, 60, 3].astype(float)
    assert np.abs(halved.render_whole()[100:110, 60, 3] - edge / 2).max() <= 1
