import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tidymargin.core.base.errors import BadParameterError
from tidymargin.core.base.picture import whole
from tidymargin.core.reach.clearing import Pick, build_reach, clear, seed_outside, to_step
from tidymargin.core.reach.minimax import NEVER, lower_levels, measure_levels, outside_seeds

seeds_st = st.integers(0, 2**32 - 1)


def rough_steps(seed: int, height: int = 23, width: int = 31) -> np.ndarray:
    random = np.random.default_rng(seed)
    fine = random.integers(0, 256, (height, width)).astype(np.uint8)
    return fine if seed % 2 else cv2.GaussianBlur(fine, (5, 5), 1.2)


def flood(steps: np.ndarray, places: list[tuple[int, int]], upto: int) -> np.ndarray:
    """The plain flood at one tolerance, which the levels must agree with at every tolerance."""
    _, labels = cv2.connectedComponents((steps <= upto).astype(np.uint8), connectivity=4)
    reached = {int(labels[p]) for p in places if steps[p] <= upto} - {0}
    return np.isin(labels, list(reached))


@settings(max_examples=60, deadline=None)
@given(seed=seeds_st, upto=st.integers(0, 254))
def test_levels_equal_a_plain_flood_at_any_tolerance(seed, upto):
    steps = rough_steps(seed)
    border = [(r, c) for r in range(23) for c in range(31) if r in (0, 22) or c in (0, 30)]
    levels = measure_levels(steps, outside_seeds(*steps.shape))
    np.testing.assert_array_equal(levels <= upto, flood(steps, border, upto))


@settings(max_examples=40, deadline=None)
@given(seed=seeds_st, at=st.integers(0, 23 * 31 - 1))
def test_seeds_added_later_give_what_all_seeds_at_once_give(seed, at):
    steps = rough_steps(seed)
    border, pick = outside_seeds(*steps.shape), np.array([at])
    outside = measure_levels(steps, border)
    before = outside.copy()
    together = measure_levels(steps, np.concatenate([border, pick]))
    np.testing.assert_array_equal(lower_levels(steps, outside, pick), together)
    np.testing.assert_array_equal(outside, before)


@settings(max_examples=40, deadline=None)
@given(
    seed=seeds_st,
    tolerance=st.floats(0, 50),
    own=st.floats(0, 50),
    row=st.integers(0, 22),
    col=st.integers(0, 30),
)
def test_reach_is_the_union_of_floods_each_at_its_tolerance(seed, tolerance, own, row, col):
    steps = rough_steps(seed)
    border = [(r, c) for r in range(23) for c in range(31) if r in (0, 22) or c in (0, 30)]
    picks = (Pick(11, 15), Pick(row, col, tolerance=own))
    reach = build_reach(steps, seed_outside(steps, None), picks)
    expected = flood(steps, [*border, (11, 15)], to_step(tolerance))
    expected |= flood(steps, [(row, col)], to_step(own))
    np.testing.assert_array_equal(clear(reach, tolerance, whole(23, 31)), expected)


@settings(max_examples=40, deadline=None)
@given(seed=seeds_st, tolerance=st.floats(0, 50))
def test_a_figure_pick_keeps_what_it_reaches_no_later_and_nothing_else(seed, tolerance):
    steps = rough_steps(seed)
    outside = seed_outside(steps, None)
    figure = measure_levels(steps, np.array([11 * 31 + 15]))
    reach = build_reach(steps, outside, (Pick(11, 15, is_figure=True),))
    expected = (outside <= to_step(tolerance)) & ~(figure <= outside)
    np.testing.assert_array_equal(clear(reach, tolerance, whole(23, 31)), expected)


def test_a_pocket_goes_at_the_lowest_point_of_its_wall():
    steps = np.zeros((9, 9), np.uint8)
    steps[2:7, 2:7] = 200
    steps[3:6, 3:6] = 0
    steps[2, 4] = 37  # the lowest point
    levels = measure_levels(steps, outside_seeds(9, 9))
    assert levels[4, 4] == 37
    assert levels[2, 2] == 200
    assert measure_levels(np.full((3, 3), NEVER, np.uint8), np.array([4])).min() == NEVER


def test_places_outside_and_tolerances_out_of_range_are_refused_by_field():
    steps = np.zeros((4, 5), np.uint8)
    with pytest.raises(BadParameterError, match="5 × 4 px, got 5,1") as caught:
        build_reach(steps, steps, (Pick(1, 5),))
    assert caught.value.field == "picks"
    for bad in (-0.1, 50.1, float("nan")):
        with pytest.raises(BadParameterError, match="from 0 to 50") as caught:
            to_step(bad)
        assert caught.value.field == "tolerance"
