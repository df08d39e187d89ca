"""Putting a cut together: rounding, colours carried on under nothing, and transparency that came in."""

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from tidymargin.core.rim.compose import compose_cut
from tidymargin.core.rim.solving import CARRY_PX

CARRIED = (7, 8, 9)
SIZE = 14
seeds_st = st.integers(0, 2**32 - 1)


def make_solved(seed, density):
    random = np.random.default_rng(seed)
    shape = (SIZE + 2 * CARRY_PX,) * 2
    share = np.where(random.random(shape) < density, random.random(shape), 0).astype(np.float32)
    return share, random.uniform(0, 255, (*shape, 3)).astype(np.float32)


def compose(share, figure, alpha=None):
    out = np.empty((SIZE, SIZE, 4), np.uint8)
    return compose_cut(share, figure, CARRY_PX, CARRIED, alpha, out)


@settings(max_examples=40, deadline=None)
@given(seeds_st, st.sampled_from([0.0, 0.01, 0.05, 0.5, 1.0]))
def test_every_pixel_is_rounded_and_under_nothing_is_the_nearest_figure_colour(seed, density):
    share, figure = make_solved(seed, density)
    found = compose(share, figure)
    has_some = np.argwhere(share.astype(float) * 255 >= 0.5)
    for row in range(SIZE):
        for col in range(SIZE):
            r, c = row + CARRY_PX, col + CARRY_PX
            assert found[row, col, 3] == int(255 * float(share[r, c]) + 0.5)
            away = ((has_some - (r, c)) ** 2).sum(axis=1)
            if not len(away) or away.min() > CARRY_PX**2:
                assert tuple(found[row, col, :3]) == CARRIED
                continue
            nearest = has_some[away == away.min()]
            colours = {tuple((figure[y, x] + 0.5).astype(int)) for y, x in nearest}
            assert tuple(int(v) for v in found[row, col, :3]) in colours


@settings(max_examples=20, deadline=None)
@given(seeds_st)
def test_what_came_in_see_through_stays_as_much_so(seed):
    share, figure = make_solved(seed, 0.6)
    alpha = np.random.default_rng(seed).integers(0, 256, (SIZE, SIZE)).astype(np.uint8)
    plain, found = compose(share, figure), compose(share, figure, alpha)
    np.testing.assert_array_equal(found[..., :3], plain[..., :3])
    expected = np.rint(plain[..., 3] * (alpha / 255.0) - 1e-9)
    assert np.abs(found[..., 3] - expected).max() <= 1
    np.testing.assert_array_equal(found[alpha == 255], plain[alpha == 255])
    assert (found[alpha == 0][:, 3] == 0).all()
