import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from tidymargin.core.draft import sample_levels, shift_view

HEIGHT, WIDTH = 60, 90


def draw(seed):
    random = np.random.default_rng(seed)
    levels = random.integers(0, 256, (HEIGHT, WIDTH), np.uint8)
    rgb = random.integers(0, 256, (HEIGHT, WIDTH, 3), np.uint8)
    return levels, np.dstack([rgb, np.full((HEIGHT, WIDTH), 255, np.uint8)])


def cut_at(levels, original, step):
    exact = original.copy()
    exact[..., 3][levels <= step] = 0
    return exact


@settings(max_examples=40, deadline=None)
@given(seed=st.integers(0, 99), now=st.integers(0, 250), tried=st.integers(0, 250))
def test_at_full_size_a_draft_is_a_plain_flood_at_the_tried_tolerance(seed, now, tried):
    levels, original = draw(seed)
    samples = sample_levels(levels, (0, 0, 1), (HEIGHT, WIDTH))
    found = shift_view(cut_at(levels, original, now), original, samples, (now, tried))
    expected = cut_at(levels, original, tried)
    np.testing.assert_array_equal(found[..., 3], expected[..., 3])
    solid = expected[..., 3] > 0
    np.testing.assert_array_equal(found[solid], expected[solid])


def test_zoomed_out_a_draft_is_near_the_average_and_unchanged_where_nothing_moves():
    random = np.random.default_rng(3)
    levels = np.zeros((600, 600), np.uint8)
    levels[100:500, 100:500] = 80  # goes between the tolerances
    levels[200:400, 200:400] = 200  # stays
    original = np.dstack([random.integers(0, 256, (100, 100, 3), np.uint8), np.full((100, 100), 255, np.uint8)])  # fmt: skip
    exact = original.copy()
    exact[..., 3] = 255 * (levels > 20).reshape(100, 6, 100, 6).mean(axis=(1, 3))
    samples = sample_levels(levels, (0, 0, 6), (100, 100))
    assert samples.shape == (9, 100, 100)
    gone = shift_view(exact, original, samples, (20, 120))
    truth = 255 * (levels > 120).reshape(100, 6, 100, 6).mean(axis=(1, 3))
    assert np.abs(gone[..., 3] - truth).max() <= 255 / 3
    assert (gone[40:60, 40:60] == exact[40:60, 40:60]).all()
    back = shift_view(gone, original, samples, (120, 20))
    assert np.abs(back[..., 3].astype(int) - exact[..., 3]).max() <= 255 / 3
    np.testing.assert_array_equal(back[30:60, 30:60], exact[30:60, 30:60])
