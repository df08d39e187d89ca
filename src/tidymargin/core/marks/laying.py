"""Laying marks over a cut: where each covers a pixel by part, it decides of that part.

A mark that clears takes its cover off the matte; one that keeps lays the picture as it came over the cut, by its cover (T. Porter
and T. Duff, "Compositing digital images", 1984: over). So its edge is as sharp as it was drawn, at any zoom.
"""

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.part import Part
from tidymargin.core.base.picture import Region
from tidymargin.core.marks.plan import AreaMark

_ROWS = 16  # of a pixel that are looked at; along each the cover is exact
_PARTS = 256  # of a pixel's width, in whole numbers, so that sums are the same in any order


def cover(mark: AreaMark, region: Region) -> NDArray[np.float32]:
    """Return how much of each pixel of a region a mark covers, (h, w), 0 to 1.

    Along lines through every pixel its rings are crossed, and what lies between one crossing and the next is in it by turns.
    All of it is alike for a region alone and in the whole.
    """
    height, width = region.height, region.width
    begin = np.concatenate([np.array(ring, np.float64) for ring in mark.rings])
    end = np.concatenate([np.roll(np.array(ring, np.float64), -1, axis=0) for ring in mark.rings])
    low, high = np.minimum(begin[:, 1], end[:, 1]), np.maximum(begin[:, 1], end[:, 1])
    here = (low < region.bottom) & (high >= region.top)
    (x0, y0), (x1, y1) = begin[here].T, end[here].T
    ys = (np.arange(region.top * _ROWS, region.bottom * _ROWS) + 0.5) / _ROWS
    edge, row = np.nonzero((y0[:, None] <= ys) != (y1[:, None] <= ys))
    x = x0[edge] + (ys[row] - y0[edge]) * (x1[edge] - x0[edge]) / (y1[edge] - y0[edge])
    crossing = np.rint(x * _PARTS).astype(np.int64)
    order = np.lexsort((crossing, row))
    row, crossing = row[order], crossing[order]
    turn = np.arange(len(row)) - np.searchsorted(row, row)
    sign = 1 - 2 * (turn & 1)
    at, part = np.divmod(np.clip(crossing - region.left * _PARTS, 0, width * _PARTS), _PARTS)
    gains = np.zeros((height * _ROWS, width + 2), np.int32)
    np.add.at(gains, (row, at), sign * (_PARTS - part))
    np.add.at(gains, (row, at + 1), sign * part)
    covered = np.cumsum(gains, axis=1, dtype=np.int32)[:, :width]
    cells = covered.reshape(height, _ROWS, width).sum(axis=1)
    return np.asarray(cells / (_PARTS * _ROWS), np.float32)


def lay_marks(marks: tuple[AreaMark, ...], part: Part) -> None:
    """Lay marks over what is solved of a part, in their order."""
    near, window = part.near(part.solved_px), part.window(part.solved_px)
    there = part.where(part.solved_px)
    share, figure = part.share[window], part.figure[window]
    for mark in marks:
        if not mark.box.touches(there):
            continue
        covered = cover(mark, there)
        if mark.verdict == "clear":
            share *= 1 - covered
            continue
        left = share * (1 - covered)
        both = left + covered
        weight = (covered / np.maximum(both, 1e-6))[..., None]
        figure += weight * (part.rgb[near] - figure)
        share[:] = both
