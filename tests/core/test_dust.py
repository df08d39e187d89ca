"""Dust: what is small, thin, far apart and far smaller than all else; never dots that somebody drew."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tidymargin.core.base.picture import Region
from tidymargin.core.suggest.crumbs import tidy_small
from tidymargin.core.suggest.dust import Specks
from tidymargin.core.suggest.strays import find_unwanted

SIDE = 400


def draw_line(width_px=8):
    """Return a sheet with one line, as what is cleared."""
    cleared = np.ones((SIDE, SIDE), bool)
    cleared[100 : 100 + width_px, 50:350] = False
    return cleared


def put_dots(cleared, count, side_px, apart_px=60, top=150):
    for number in range(count):
        row = top + number // 5 * apart_px
        col = 40 + number % 5 * apart_px
        cleared[row : row + side_px, col : col + side_px] = False
    return cleared


def test_dust_is_told_with_its_sizes():
    cleared = put_dots(put_dots(draw_line(), 6, 3), 4, 2, top=20)
    assert find_unwanted(cleared).specks == Specks(10, 4, 9, 8 * 300, Region(210, 40, 213, 43))


@pytest.mark.parametrize(
    ("what", "cleared"),
    [
        ("few", put_dots(draw_line(), 7, 3)),
        ("dots as wide as the pen", put_dots(draw_line(4), 10, 4)),
        ("a row of dots and no more", put_dots(np.ones((SIDE, SIDE), bool), 12, 3)),
        ("a stipple", put_dots(draw_line(), 45, 3, apart_px=20)),
        ("a scale of sizes", put_dots(put_dots(draw_line(), 10, 3), 1, 6, top=20)),
        ("nothing", np.ones((SIDE, SIDE), bool)),
        ("a blank figure", np.zeros((SIDE, SIDE), bool)),
    ],
)
def test_what_may_have_been_drawn_is_no_dust(what, cleared):
    assert find_unwanted(cleared).specks is None, what


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 2**32 - 1), st.integers(0, 25))
def test_dropping_dust_as_crumbs_drops_just_that(seed, count):
    random = np.random.default_rng(seed)
    cleared = draw_line()
    before = cleared.copy()
    for _ in range(count):
        row, col = random.integers(120, SIDE - 4), random.integers(0, SIDE - 4)
        cleared[row : row + random.integers(1, 4), col : col + random.integers(1, 4)] = False
    specks = find_unwanted(cleared).specks
    if specks is None:
        assert count < 25  # of so many at least eight lie apart
        return
    tidied = tidy_small(cleared, specks.most_px + 1, 0)
    assert tidied.dropped == specks.count
    assert np.array_equal(tidied.cleared, before)
    assert find_unwanted(tidied.cleared).specks is None
