"""Pieces of a mask that hang together, kept as runs: what a row holds from one column to another.

A label for each pixel takes four bytes of it and a pass over all of them for every question. Runs are as many as
outlines are long, are found band by band on every core, and joined from row to row (A. Rosenfeld and J. L. Pfaltz,
"Sequential operations in digital picture processing", 1966, with runs for pixels).
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.base.parallel import work_out
from tidymargin.core.base.picture import Region, whole

_LOOKED_AT_PX = 1_000_000  # of one piece, for its middle; typed
_BAND_PX = 64  # rows that a thread takes at once


@dataclass(frozen=True, slots=True, eq=False)
class Pieces:
    """The pieces of a mask, in the order of their first pixels from 1 up; 0 is what it does not hold.

    Parameters
    ----------
    shape : tuple of 2 int
        The mask's.
    first_of : (H + 1,) ndarray of int64
        The number of each row's first run, and how many runs there are.
    cols : (R, 2) ndarray of int32
        Each run's first column, and the one after its last.
    piece_of : (R,) ndarray of int32
        The piece that each run belongs to.
    stats : (N, 5) ndarray of int32
        Left, top, width, height and area of each piece.
    middles : (N, 2) ndarray of float64
        Its mean x and y.
    starts : (N, 2) ndarray of int32
        Row and column of its first pixel.
    """

    shape: tuple[int, int]
    first_of: NDArray[np.int64]
    cols: NDArray[np.int32]
    piece_of: NDArray[np.int32]
    stats: NDArray[np.int32]
    middles: NDArray[np.float64]
    starts: NDArray[np.int32]

    @property
    def areas(self) -> NDArray[np.int32]:
        """Pixels of each piece."""
        return self.stats[:, cv2.CC_STAT_AREA]

    @property
    def runs(self) -> tuple[NDArray[np.int64], NDArray[np.int32], NDArray[np.int32]]:
        """What a kernel needs to go through all runs: `first_of`, `cols` and `piece_of`."""
        return self.first_of, self.cols, self.piece_of

    def box(self, piece: int) -> Region:
        """Return what a piece lies within."""
        left, top, width, height, _ = (int(v) for v in self.stats[piece])
        return Region(top, left, top + height, left + width)

    def at(self, row: int, col: int) -> int:
        """Return the piece that a pixel belongs to."""
        first, end = self.first_of[row : row + 2]
        run = first + int(np.searchsorted(self.cols[first:end, 1], col, side="right"))
        return int(self.piece_of[run]) if run < end and self.cols[run, 0] <= col else 0

    def inside(self, piece: int) -> NDArray[np.bool_]:
        """Return where a piece lies in its box, (h, w) bool."""
        box = self.box(piece)
        out = np.zeros((box.height, box.width), np.bool_)
        _inside_kernel(*self.runs, piece, box.top, box.left, out)
        return out

    def mark(self, chosen: NDArray[np.bool_], out: NDArray[np.bool_], value: bool = True) -> None:
        """Set `out`, (H, W), to a value where a chosen piece lies, in place; `chosen` is (N,) bool."""
        _mark_kernel(*self.runs, chosen, value, out)


@njit(cache=True, nogil=True)
def _runs_kernel(mask, value, counts):  # type: ignore[no-untyped-def]
    """Return the runs of a value, (R, 2) int32, and fill how many each row has."""
    height, width = mask.shape
    cols = np.empty((height * (width // 2 + 1), 2), np.int32)
    found = 0
    for row in range(height):
        before, col = found, 0
        while col < width:
            while col < width and mask[row, col] != value:
                col += 1
            if col == width:
                break
            cols[found, 0] = col
            while col < width and mask[row, col] == value:
                col += 1
            cols[found, 1] = col
            found += 1
        counts[row] = found - before
    return cols[:found].copy()


@njit(cache=True, nogil=True, inline="always")
def find_root(parent, run):  # type: ignore[no-untyped-def]
    """Return what stands for everything that hangs together with a run; the way there is shortened."""
    while parent[run] != run:
        parent[run] = parent[parent[run]]
        run = parent[run]
    return run


@njit(cache=True, nogil=True)
def _join_kernel(first_of, cols, slack, piece_of):  # type: ignore[no-untyped-def]
    """Fill each run's piece; return one more than there are. Runs of two rows hang together within `slack`."""
    for run in range(len(cols)):
        piece_of[run] = run
    for row in range(1, len(first_of) - 1):
        above, end_above, here, end = (
            first_of[row - 1],
            first_of[row],
            first_of[row],
            first_of[row + 1],
        )
        while above < end_above and here < end:
            if cols[above, 0] < cols[here, 1] + slack and cols[here, 0] < cols[above, 1] + slack:
                one, two = find_root(piece_of, above), find_root(piece_of, here)
                piece_of[max(one, two)] = min(one, two)
            if cols[above, 1] < cols[here, 1]:
                above += 1
            else:
                here += 1
    count = 1
    for run in range(
        len(cols)
    ):  # what a run is joined to comes before it, and has its number by now
        if piece_of[run] == run:
            piece_of[run] = count
            count += 1
        else:
            piece_of[run] = piece_of[piece_of[run]]
    return count


@njit(cache=True, nogil=True)
def _measure_kernel(first_of, cols, piece_of, stats, middles, starts):  # type: ignore[no-untyped-def]
    """Fill box and area, mean place and first pixel of each piece."""
    for row in range(len(first_of) - 1):
        for run in range(first_of[row], first_of[row + 1]):
            piece, first, end = piece_of[run], cols[run, 0], cols[run, 1]
            length = end - first
            if stats[piece, 4] == 0:
                starts[piece, 0], starts[piece, 1] = row, first
                stats[piece, 0], stats[piece, 1], stats[piece, 2] = first, row, end
            stats[piece, 0] = min(stats[piece, 0], first)
            stats[piece, 2] = max(stats[piece, 2], end)
            stats[piece, 3] = row + 1
            stats[piece, 4] += length
            middles[piece, 0] += length * 0.5 * (first + end - 1)
            middles[piece, 1] += length * row
    for piece in range(1, len(stats)):
        stats[piece, 2] -= stats[piece, 0]
        stats[piece, 3] -= stats[piece, 1]
        middles[piece, 0] /= stats[piece, 4]
        middles[piece, 1] /= stats[piece, 4]


@njit(cache=True, nogil=True)
def _mark_kernel(first_of, cols, piece_of, chosen, value, out):  # type: ignore[no-untyped-def]
    for row in range(len(first_of) - 1):
        for run in range(first_of[row], first_of[row + 1]):
            if chosen[piece_of[run]]:
                out[row, cols[run, 0] : cols[run, 1]] = value


@njit(cache=True, nogil=True)
def _inside_kernel(first_of, cols, piece_of, piece, top, left, out):  # type: ignore[no-untyped-def]
    for row in range(top, top + len(out)):
        for run in range(first_of[row], first_of[row + 1]):
            if piece_of[run] == piece:
                out[row - top, cols[run, 0] - left : cols[run, 1] - left] = True


def find_pieces(
    mask: NDArray[np.bool_], *, value: bool = True, over_corners: bool = False
) -> Pieces:
    """Part a mask into its pieces.

    Parameters
    ----------
    mask : (H, W) ndarray of bool
        Not modified.
    value : bool
        What it holds where pieces are.
    over_corners : bool
        Whether pixels that share no more than a corner hang together.
    """
    height, width = mask.shape
    first_of = np.zeros(height + 1, np.int64)

    def find_runs(band: Region) -> NDArray[np.int32]:
        counts = first_of[band.top + 1 : band.bottom + 1]
        return np.asarray(_runs_kernel(mask[band.slices], value, counts))

    cols = np.concatenate(work_out(find_runs, whole(height, width).bands(_BAND_PX)))
    np.cumsum(first_of, out=first_of)
    piece_of = np.empty(len(cols), np.int32)
    count = _join_kernel(first_of, cols, int(over_corners), piece_of)
    stats, middles = np.zeros((count, 5), np.int32), np.zeros((count, 2))
    starts = np.zeros((count, 2), np.int32)
    _measure_kernel(first_of, cols, piece_of, stats, middles, starts)
    return Pieces((height, width), first_of, cols, piece_of, stats, middles, starts)


def find_standing(cleared: NDArray[np.bool_]) -> Pieces:
    """Part what is not cleared, (H, W) bool, into its pieces; they hang together over corners too."""
    return find_pieces(cleared, value=False, over_corners=True)


def measure_depth(piece: NDArray[np.bool_]) -> tuple[NDArray[np.float32], int]:
    """Return how far each place of a piece is from its rim, and how many pixels apart those places are.

    Of a large one only every few rows and columns are looked at; the depth is then in as many pixels, and 0
    everywhere where the piece is too thin for that.

    Parameters
    ----------
    piece : (h, w) ndarray of bool
        What lies beyond its box is none of it.
    """
    every = int(np.ceil(np.sqrt(piece.size / _LOOKED_AT_PX)))
    padded = np.pad(piece[::every, ::every].view(np.uint8), 1)
    depth = cv2.distanceTransform(padded, cv2.DIST_L2, cv2.DIST_MASK_3)
    return np.asarray(depth, np.float32)[1:-1, 1:-1], every
