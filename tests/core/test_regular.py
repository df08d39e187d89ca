"""Directions, widths and mirror images of outlines: exact where they nearly are, and left alone where they are not."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.test_outlines import draw
from tidymargin.core.outlines.figures import trace_cut
from tidymargin.core.outlines.paths import Path, Piece
from tidymargin.core.outlines.plan import OutlinePlan
from tidymargin.core.outlines.regular import make_regular


def polygon(*places):
    """Return a path of straight pieces, clockwise as seen."""
    ends = [(float(x), float(y)) for x, y in places]
    return Path(ends[0], tuple(Piece("line", end) for end in (*ends[1:], ends[0])))


def find_turns(path):
    starts = np.array(path.list_starts())
    ways = np.roll(starts, -1, axis=0) - starts
    return np.degrees(np.arctan2(ways[:, 1], ways[:, 0]))


def test_sides_that_nearly_are_level_or_upright_are_exactly():
    wobbly = polygon((10.03, 10), (90, 10.04), (90.05, 70), (10, 69.96))
    (path,), regular = make_regular([wobbly], 0.05)
    assert find_turns(path) == pytest.approx([0, 90, 180, -90], abs=1e-6)
    assert regular.aligned == 4
    assert np.abs(np.array(path.list_starts()) - wobbly.list_starts()).max() < 0.1


@settings(max_examples=25, deadline=None)
@given(turn=st.floats(3, 40), seed=st.integers(0, 99))
def test_a_turned_square_gets_right_angles_and_stays_where_it_was(turn, seed):
    angle = np.radians(turn)
    turned = np.array([[np.cos(angle), np.sin(angle)], [-np.sin(angle), np.cos(angle)]])
    square = np.array([(-40, -40), (40, -40), (40, 40), (-40, 40)]) @ turned + 80
    off = np.random.default_rng(seed).uniform(-0.04, 0.04, (4, 2))
    (path,), _ = make_regular([polygon(*(square + off))], 0.06)
    turns = find_turns(path)
    assert np.diff([*turns, turns[0] + 360]) % 360 == pytest.approx([90] * 4, abs=1e-6)
    assert np.abs(np.array(path.list_starts()) - square).max() < 0.12


def test_bars_that_are_nearly_as_wide_become_as_wide_and_a_wider_one_stays():
    bars = [polygon((10, y), (110, y), (110, y + tall), (10, y + tall)) for y, tall in ((10, 8.05), (30, 7.97), (50, 8.02), (70, 9.0))]  # fmt: skip
    made, regular = make_regular(bars, 0.05)
    tall = [float(np.ptp(np.array(path.list_starts())[:, 1])) for path in made]
    assert tall[:3] == pytest.approx([tall[0]] * 3, abs=1e-6)
    assert tall[0] == pytest.approx(8.01, abs=0.03)
    assert tall[3] == pytest.approx(9.0, abs=1e-6)
    assert regular.widths >= 3


def test_what_is_not_regular_is_left_as_it_is():
    odd = polygon((10, 10), (93, 21), (71, 84), (17, 55))
    (path,), regular = make_regular([odd], 0.05)
    assert path == odd
    assert (regular.aligned, regular.widths, regular.is_mirrored) == (0, 0, False)


def test_a_leaf_and_its_mirror_image_become_one_shape_exactly():
    left = polygon((20, 20), (48.03, 33), (40, 60.02), (14, 49))
    right = polygon((180, 20.02), (186.05, 49.0), (160, 60), (152, 33.04))
    made, regular = make_regular([left, right], 0.05)
    assert regular.is_mirrored
    one, other = (np.array(path.list_starts()) for path in made)
    middle = (one[:, 0].mean() + other[:, 0].mean()) / 2
    seen = {(round(2 * middle - x, 6), round(y, 6)) for x, y in one}
    assert seen == {(round(x, 6), round(y, 6)) for x, y in other}


def test_a_traced_letter_has_level_sides_and_strokes_of_one_width():
    letter = '<path d="M40.2 30.3h120v20h-50v90h-20v-90h-50z"/>'
    found = trace_cut(draw(letter), OutlinePlan())
    (path,) = found.paths
    starts = np.array(path.list_starts())
    ways = np.abs(np.roll(starts, -1, axis=0) - starts)
    assert ways.min(axis=1).max() < 1e-6
    assert found.regular.is_mirrored
    xs, ys = np.sort(starts[:, 0]), np.sort(starts[:, 1])
    stem = np.diff(np.unique(xs.round(6)))[1]
    bar = np.diff(np.unique(ys.round(6)))[0]
    assert stem == pytest.approx(bar, abs=1e-6)
    assert stem == pytest.approx(20, abs=0.08)
