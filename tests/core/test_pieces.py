"""Pieces: drawings of a page in reading order; a figure of several parts stays one."""

import cv2
import numpy as np
import pytest

from tidymargin.core.output.pieces import find_drawings


def draw_page(scale=1.0, *, is_untidy=True):
    """Twelve drawings of unlike forms, each of several parts, in three rows that are not quite straight; and specks."""
    random = np.random.default_rng(5)
    alpha = np.zeros((int(900 * scale), int(1200 * scale)), np.uint8)
    middles = []
    for number in range(12):
        row, col = 150 + 300 * (number // 4), 150 + 300 * (number % 4)
        if is_untidy:
            row, col = row + int(random.integers(-25, 25)), col + int(random.integers(-20, 20))
        middles.append((row * scale, col * scale))
        at = (int(col * scale), int(row * scale))
        radius = int((50 + 6 * (number % 5)) * scale)
        cv2.circle(alpha, at, radius, 255, max(1, int(3 * scale)))
        for angle in range(0, 360, 60):  # dots around it, which hang together with nothing
            way = np.radians(angle)
            dot = (
                at[0] + int(1.25 * radius * np.cos(way)),
                at[1] + int(1.25 * radius * np.sin(way)),
            )
            cv2.circle(alpha, dot, max(1, int(5 * scale)), 200, -1)
    for _ in range(30):
        row, col = random.integers(0, alpha.shape[0]), random.integers(0, alpha.shape[1])
        alpha[row, col] = 90
    return alpha, middles


@pytest.mark.parametrize("scale", [0.4, 1.0, 2.5])
def test_twelve_drawings_on_a_page_are_twelve_pieces_in_reading_order(scale):
    alpha, middles = draw_page(scale)
    pieces = find_drawings(alpha)
    assert len(pieces) == 12
    for piece, (row, col) in zip(pieces, middles, strict=True):
        box = piece.box
        assert box.holds(int(row), int(col))
    rgba = np.dstack([np.zeros((*alpha.shape, 3), np.uint8), alpha])
    taken = sum(int(piece.take(rgba, piece.box)[..., 3].astype(bool).sum()) for piece in pieces)
    assert taken == (alpha > 0).sum()  # all of it is in one of them, once


def test_a_piece_takes_nothing_of_its_neighbours_where_their_boxes_overlap():
    alpha = np.zeros((400, 400), np.uint8)
    cv2.line(alpha, (20, 380), (300, 100), 255, 9)
    cv2.circle(alpha, (310, 310), 60, 255, -1)
    first, second = sorted(find_drawings(alpha), key=lambda piece: piece.box.left)
    assert first.box.touches(second.box)
    rgba = np.dstack([np.zeros((400, 400, 3), np.uint8), alpha])
    one, other = (int((p.take(rgba, p.box)[..., 3] > 0).sum()) for p in (first, second))
    assert other == (alpha[250:371, 250:371] > 0).sum()
    assert one + other == (alpha > 0).sum()


@pytest.mark.parametrize("gap", [4, 10, 18])
def test_a_word_of_several_letters_is_one_piece(gap):
    alpha = np.zeros((200, 700), np.uint8)
    for number in range(5):
        left = 30 + number * (90 + gap)
        alpha[50:150, left : left + 90] = 255
        alpha[70:130, left + 20 : left + 70] = 0
    (piece,) = find_drawings(alpha)
    assert (piece.box.top, piece.box.bottom, piece.box.left) == (50, 150, 30)


def test_an_empty_cut_has_no_pieces_and_one_dot_is_one():
    assert find_drawings(np.zeros((50, 60), np.uint8)) == []
    alpha = np.zeros((50, 60), np.uint8)
    alpha[20, 30] = 1
    (piece,) = find_drawings(alpha)
    assert (piece.box.height, piece.box.width) == (1, 1)
