"""Faint places of a rim that stand alone are the ground's noise; what goes on is the figure."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tidymargin.core.alone import drop_alone

GROUND, WHITE, DARK = 200.0, 255.0, 40.0
SHAPE = (9, 12)


def edge():
    """Return the matte and the colours of a white figure in the left half, its edge in column 5."""
    share = np.zeros(SHAPE, np.float32)
    share[:, :5], share[:, 5] = 1.0, 0.4
    return share, np.full((*SHAPE, 3), WHITE, np.float32)


def drop(share, figure):
    ground = np.full((share.shape[0] + 2, share.shape[1] + 3, 3), GROUND, np.float32)
    drop_alone(ground, (2, 3), share, figure)


@pytest.mark.parametrize(
    ("what", "places"),
    [
        ("a dot", {(4, 6): 0.16}),
        ("a dot that leans on a fainter one", {(4, 6): 0.16, (4, 7): 0.12}),
        ("far out, nothing of it beside", {(4, 6): 0.2, (5, 6): 0.05}),
    ],
)
def test_a_faint_place_of_another_colour_is_noise_of_the_ground(what, places):
    share, figure = edge()
    for place, part in places.items():
        share[place], figure[place] = part, DARK
    drop(share, figure)
    expected, _ = edge()
    assert np.array_equal(share, expected), what
    assert (figure[4, 6] == WHITE).all()  # and carries the colour of what is beside it


def test_what_goes_on_in_its_own_colour_stays():
    share, figure = edge()
    share[:, 6] = 0.05  # of the white one, and fainter than what stands
    share[4, 6:12], figure[4, 6:12] = 0.2, DARK  # a hair that ends at the figure
    share[7, 8], figure[7, 8] = 0.1, DARK  # nothing beside it speaks against it
    share[1, 6], figure[1, 6] = 0.5, DARK  # not faint
    before, colours = share.copy(), figure.copy()
    drop(share, figure)
    assert np.array_equal(share, before)
    assert np.array_equal(figure, colours)


@settings(max_examples=20, deadline=None)
@given(st.integers(0, 2**32 - 1))
def test_what_is_dropped_does_not_depend_on_where_looking_begins(seed):
    random = np.random.default_rng(seed)
    share = (0.4 * random.random(SHAPE) * (random.random(SHAPE) < 0.6)).astype(np.float32)
    figure = np.where(random.random((*SHAPE, 1)) < 0.5, WHITE, DARK) + random.normal(
        0, 3, (*SHAPE, 3)
    )
    figure = figure.astype(np.float32)
    turned = share[::-1, ::-1].copy(), figure[::-1, ::-1].copy()
    drop(share, figure)
    drop(*turned)
    assert np.array_equal(turned[0][::-1, ::-1], share)
    assert np.array_equal(turned[1][::-1, ::-1], figure)
