"""Pieces that hang together, beside a plain way of finding them."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tidymargin.core.base.components import find_pieces, find_standing, measure_depth
from tidymargin.core.base.picture import Region
from tidymargin.core.reach.largest import find_largest_pieces

seeds_st = st.integers(0, 2**32 - 1)


def flood(mask, row, col, corners):
    """Return the piece of a mask that a place lies in, found one pixel after another."""
    piece, waiting = np.zeros(mask.shape, bool), [(row, col)]
    piece[row, col] = True
    while waiting:
        row, col = waiting.pop()
        for down in (-1, 0, 1):
            for right in (-1, 0, 1):
                r, c = row + down, col + right
                if not (0 <= r < mask.shape[0] and 0 <= c < mask.shape[1]):
                    continue
                if (corners or not (down and right)) and mask[r, c] and not piece[r, c]:
                    piece[r, c] = True
                    waiting.append((r, c))
    return piece


def label(pieces):
    """Return each pixel's piece, (H, W)."""
    labels = np.zeros(pieces.shape, int)
    for number in range(1, len(pieces.areas)):
        labels[pieces.box(number).slices][pieces.inside(number)] = number
    return labels


@settings(max_examples=40, deadline=None)
@given(seeds_st, st.floats(0.0, 1.0), st.booleans(), st.sampled_from([(17, 23), (130, 9), (1, 40)]))
def test_pieces_are_what_hangs_together_in_the_order_of_their_first_pixels(
    seed, density, over_corners, shape
):
    mask = np.random.default_rng(seed).random(shape) < density
    pieces = find_pieces(mask, over_corners=over_corners)
    labels = label(pieces)
    assert ((labels > 0) == mask).all()
    before = -1
    for number in range(1, len(pieces.areas)):
        rows, cols = np.nonzero(labels == number)
        first = (rows[0], cols[0])
        np.testing.assert_array_equal(labels == number, flood(mask, *first, over_corners))
        assert tuple(pieces.starts[number]) == first
        assert first[0] * shape[1] + first[1] > before
        before = first[0] * shape[1] + first[1]
        assert pieces.areas[number] == len(rows)
        assert pieces.middles[number] == pytest.approx((cols.mean(), rows.mean()))
        box = (rows.min(), cols.min(), rows.max() + 1, cols.max() + 1)
        assert pieces.box(number) == Region(*map(int, box))


@settings(max_examples=30, deadline=None)
@given(seeds_st)
def test_a_pixel_is_asked_for_its_piece_and_chosen_pieces_are_marked(seed):
    random = np.random.default_rng(seed)
    cleared = random.random((19, 11)) < 0.6
    standing = find_standing(cleared)
    labels = label(standing)
    assert ((labels == 0) == cleared).all()
    assert [[standing.at(r, c) for c in range(11)] for r in range(19)] == labels.tolist()
    chosen = random.random(len(standing.areas)) < 0.4
    chosen[0] = False
    for value in (True, False):
        out = random.random(labels.shape) < 0.5
        expected = np.where(chosen[labels], value, out)
        standing.mark(chosen, out, value)
        np.testing.assert_array_equal(out, expected)


@settings(max_examples=10, deadline=None)
@given(seeds_st, st.integers(2, 5))
def test_the_largest_piece_of_every_value_is_the_largest(seed, values):
    random = np.random.default_rng(seed)
    blocks = random.integers(0, values, (6, 7)).astype(np.uint8)
    picture = np.kron(blocks, np.ones((4, 4), np.uint8))  # so that pieces have a solid part
    wanted = np.zeros(256, bool)
    wanted[:values] = True
    is_corner = np.kron(np.ones((6, 7)), np.eye(4, dtype=bool) & (np.arange(4) == 0)).astype(bool)
    best = find_largest_pieces(picture, wanted)
    for value in range(values):
        mask = picture == value
        sizes = {int(flood(mask, r, c, False).sum()) for r, c in np.argwhere(mask & is_corner)}
        assert best[value, 0] == max(sizes, default=0)


def test_the_depth_of_a_large_piece_is_that_of_every_few_of_its_places():
    piece = np.zeros((1500, 2400), bool)
    piece[100:1400, 300:2100] = True
    depth, every = measure_depth(piece)
    assert every == 2
    assert depth.shape == (750, 1200)
    assert every * depth.max() == pytest.approx(650, rel=0.06)  # by steps of a 3 x 3 mask
    row, col = (every * int(v) for v in np.unravel_index(depth.argmax(), depth.shape))
    assert 740 <= row <= 760
    assert piece[row, col]
    small, one = measure_depth(piece[90:140, 290:340])
    assert one == 1
    assert (small > 0).sum() == piece[90:140, 290:340].sum()


def test_a_piece_too_thin_to_be_met_has_no_depth():
    piece = np.zeros((1500, 2400), bool)
    piece[1, 1:] = True
    assert not measure_depth(piece)[0].any()
