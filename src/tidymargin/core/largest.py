"""The largest piece of every value of a picture, in one pass."""

import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.pieces import find_root


@njit(cache=True, nogil=True, inline="always")
def is_solid_kernel(values, row, col):  # type: ignore[no-untyped-def]
    """Whether a pixel's whole 3 x 3 neighbourhood has its value."""
    if row == 0 or col == 0 or row == values.shape[0] - 1 or col == values.shape[1] - 1:
        return False
    value = values[row, col]
    if values[row, col - 1] != value or values[row, col + 1] != value:
        return False
    for side in (-1, 1):
        for step in (-1, 0, 1):
            if values[row + side, col + step] != value:
                return False
    return True


@njit(cache=True, nogil=True, inline="always")
def _has_solid_kernel(values, row, first, end):  # type: ignore[no-untyped-def]
    is_solid = False
    for col in range(first + 1, end - 1):
        is_solid = is_solid or is_solid_kernel(values, row, col)
    return is_solid


@njit(cache=True, nogil=True, inline="always")
def _add_piece(one, two):  # type: ignore[no-untyped-def]
    """Add the second piece to the first."""
    one[0] += two[0]
    one[1], one[2] = min(one[1], two[1]), min(one[2], two[2])
    one[3], one[4] = max(one[3], two[3]), max(one[4], two[4])
    if (two[5], two[6]) < (one[5], one[6]):
        one[5], one[6] = two[5], two[6]
    one[7] |= two[7]


@njit(cache=True, nogil=True)
def _keep_larger(value, piece, best):  # type: ignore[no-untyped-def]
    """Keep a whole piece as the best of its value; of equals, the one that begins first."""
    if piece[7] == 0:
        return
    if piece[0] > best[value, 0] or (
        piece[0] == best[value, 0] and (piece[5], piece[6]) < (best[value, 5], best[value, 6])
    ):
        best[value] = piece


@njit(cache=True, nogil=True)
def _largest_kernel(values, wanted, best):  # type: ignore[no-untyped-def]
    """Fill what the largest piece of each wanted value is; see `find_largest_pieces`.

    Only the pieces that the last row touches are open, so that memory does not grow with the picture.
    """
    height, width = values.shape
    above = np.zeros(width, np.int32)
    here = np.zeros(width, np.int32)
    parent = np.empty(2 * width + 2, np.int32)
    renamed = np.empty(2 * width + 2, np.int32)
    pieces = np.zeros((2 * width + 2, 8), np.int64)
    value_of = np.zeros(2 * width + 2, np.uint8)
    kept = np.zeros((width + 1, 8), np.int64)
    value_kept = np.zeros(width + 1, np.uint8)
    parent[0] = 0
    opened = 0
    for row in range(height):
        for piece in range(1, opened + 1):
            parent[piece] = piece
            pieces[piece] = kept[piece]
            value_of[piece] = value_kept[piece]
        count = opened
        col = 0
        while col < width:
            value, first = values[row, col], col
            while col < width and values[row, col] == value:
                col += 1
            if not wanted[value]:
                here[first:col] = 0
                continue
            count += 1
            root = count
            parent[root] = root
            value_of[root] = value
            solid = 1 if _has_solid_kernel(values, row, first, col) else 0
            pieces[root] = (col - first, row, first, row + 1, col, row, first, solid)
            known = 0
            for at in range(first, col):
                if above[at] == known or values[row - 1, at] != value:
                    continue
                known = above[at]
                other = find_root(parent, known)
                if other != root:
                    _add_piece(pieces[other], pieces[root])
                    parent[root] = other
                    root = other
            here[first:col] = root
        renamed[: count + 1] = 0
        opened = 0
        before = name = 0
        for col in range(width):
            if here[col] != before:
                before = here[col]
                root = find_root(parent, before)
                if before > 0 and renamed[root] == 0:
                    opened += 1
                    renamed[root] = opened
                    kept[opened] = pieces[root]
                    value_kept[opened] = value_of[root]
                name = renamed[root] if before > 0 else 0
            here[col] = name
        for piece in range(1, count + 1):
            if parent[piece] == piece and renamed[piece] == 0:
                _keep_larger(value_of[piece], pieces[piece], best)
        above, here = here, above
    for piece in range(1, opened + 1):
        _keep_larger(value_kept[piece], kept[piece], best)


def find_largest_pieces(values: NDArray[np.uint8], wanted: NDArray[np.bool_]) -> NDArray[np.int64]:
    """Find the largest piece of every wanted value that is 3 px thick somewhere, in one pass.

    Parameters
    ----------
    values : (H, W) ndarray of uint8
        Pixels of one value that share a side are one piece.
    wanted : (256,) ndarray of bool
        Which values are looked at.

    Returns
    -------
    (256, 8) ndarray of int64
        By value: area in px, box as top, left, bottom and right, row and column of the piece's first pixel,
        and 1; all 0 where there is none.
    """
    best = np.zeros((256, 8), np.int64)
    _largest_kernel(values, wanted, best)
    return best
