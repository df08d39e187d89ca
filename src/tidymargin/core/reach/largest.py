"""The largest piece of every value of a picture, in one pass."""

import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.base.components import find_root


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


@njit(cache=True, nogil=True, inline="always")
def _put_piece(there, piece):  # type: ignore[no-untyped-def]
    """Put a piece in another's place; number by number, since assigning a row takes seconds to compile."""
    for field in range(8):
        there[field] = piece[field]


@njit(cache=True, nogil=True)
def _keep_larger(value, piece, best):  # type: ignore[no-untyped-def]
    """Keep a whole piece as the best of its value; of equals, the one that begins first."""
    if piece[7] == 0:
        return
    if piece[0] > best[value, 0] or (
        piece[0] == best[value, 0] and (piece[5], piece[6]) < (best[value, 5], best[value, 6])
    ):
        _put_piece(best[value], piece)


@njit(cache=True, nogil=True)
def _largest_kernel(values, wanted, best):  # type: ignore[no-untyped-def]
    """Fill what the largest piece of each wanted value is; see `find_largest_pieces`.

    Only the pieces that the last row touches are open, so that memory does not grow with the picture.
    """
    height, width = values.shape
    # first column, end and piece of each run of a wanted value, in the row above and in this one
    above = np.empty((width, 3), np.int32)
    here = np.empty((width, 3), np.int32)
    runs_above = 0
    parent = np.empty(2 * width + 2, np.int32)
    renamed = np.empty(2 * width + 2, np.int32)
    pieces = np.zeros((2 * width + 2, 8), np.int64)
    value_of = np.zeros(2 * width + 2, np.uint8)
    kept = np.zeros((width + 1, 8), np.int64)
    value_kept = np.zeros(width + 1, np.uint8)
    opened = 0
    for row in range(height):
        for piece in range(1, opened + 1):
            parent[piece] = piece
            _put_piece(pieces[piece], kept[piece])
            value_of[piece] = value_kept[piece]
        count, runs, col, at = opened, 0, 0, 0
        while col < width:
            value, first = values[row, col], col
            while col < width and values[row, col] == value:
                col += 1
            if not wanted[value]:
                continue
            count += 1
            root = count
            parent[root] = root
            value_of[root] = value
            solid = 1 if _has_solid_kernel(values, row, first, col) else 0
            new = pieces[root]
            new[0], new[1], new[2], new[3] = col - first, row, first, row + 1
            new[4], new[5], new[6], new[7] = col, row, first, solid
            while at < runs_above and above[at, 1] <= first:
                at += 1
            beside = at
            while beside < runs_above and above[beside, 0] < col:
                other = find_root(parent, above[beside, 2])
                if other != root and value_of[other] == value:
                    _add_piece(pieces[other], pieces[root])
                    parent[root] = other
                    root = other
                beside += 1
            here[runs, 0], here[runs, 1], here[runs, 2] = first, col, root
            runs += 1
        for piece in range(count + 1):
            renamed[piece] = 0
        opened = 0
        for run in range(runs):
            root = find_root(parent, here[run, 2])
            if renamed[root] == 0:
                opened += 1
                renamed[root] = opened
                _put_piece(kept[opened], pieces[root])
                value_kept[opened] = value_of[root]
            here[run, 2] = renamed[root]
        for piece in range(1, count + 1):
            if parent[piece] == piece and renamed[piece] == 0:
                _keep_larger(value_of[piece], pieces[piece], best)
        above, here = here, above
        runs_above = runs
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
