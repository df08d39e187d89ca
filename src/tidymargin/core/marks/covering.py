"""How much of each pixel a mark covers: exact along 16 lines a pixel for rings, by distance for strokes.

All of it is alike for a region alone and in the whole picture.
"""

import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.base.picture import Region
from tidymargin.core.marks.plan import Mark, Points, Rings, Stroke

_ROWS = 16  # of a pixel that are looked at; along each the cover is exact
_PARTS = 256  # of a pixel's width, in whole numbers, so that sums are the same in any order


def cover_rings(rings: tuple[Points, ...], region: Region) -> NDArray[np.float32]:
    """Return how much of each pixel of a region rings surround, (h, w), 0 to 1.

    Along lines through every pixel rings are crossed, and what lies between one crossing and the next is in it by turns.
    Beside the result it takes some hundred bytes a place, however often the rings cross the picture.
    """
    out = np.zeros((region.height, region.width), np.float32)
    begin = np.concatenate(rings)
    end = np.concatenate([np.roll(ring, -1, axis=0) for ring in rings])
    low, high = np.minimum(begin[:, 1], end[:, 1]), np.maximum(begin[:, 1], end[:, 1])
    here = (low < region.bottom) & (high >= region.top)
    # the first line that an edge meets, and the first that it does not meet any more
    first, last = (
        np.clip(np.ceil(y[here] * _ROWS - 0.5), region.top * _ROWS, region.bottom * _ROWS)
        for y in (low, high)
    )
    order = np.argsort(first, kind="stable")
    edges = np.column_stack([begin[here], end[here], first, last])[order]
    _ring_kernel(edges, region.top, region.left, out)
    return out


@njit(cache=True, nogil=True)
def _ring_kernel(edges, top, left, out):  # type: ignore[no-untyped-def]
    """Write what rings surround of each pixel: line by line, with the edges that meet the line at hand.

    `edges` are x0, y0, x1, y1 and the lines that each meets, from its first to before its last, by their first.
    """
    height, width = out.shape
    count = edges.shape[0]
    at_hand = np.empty(count, np.int32)
    crossings = np.empty(count, np.int64)
    gains = np.empty(width + 2, np.int64)
    held = 0
    following = 0
    for row in range(height):
        gains[:] = 0
        for part_of_row in range(_ROWS):
            line = (top + row) * _ROWS + part_of_row
            while following < count and edges[following, 4] <= line:
                at_hand[held] = following
                held += 1
                following += 1
            kept = 0
            for n in range(held):
                edge = at_hand[n]
                if edges[edge, 5] <= line:
                    continue
                at_hand[kept] = edge
                x0, y0, x1, y1 = edges[edge, 0], edges[edge, 1], edges[edge, 2], edges[edge, 3]
                x = x0 + ((line + 0.5) / _ROWS - y0) * (x1 - x0) / (y1 - y0)
                crossings[kept] = int(np.rint(x * _PARTS))
                kept += 1
            held = kept
            crossings[:held].sort()
            for n in range(held):
                place = min(max(crossings[n] - left * _PARTS, 0), width * _PARTS)
                col = place // _PARTS
                part = place - col * _PARTS
                sign = 1 - 2 * (n & 1)
                gains[col] += sign * (_PARTS - part)
                gains[col + 1] += sign * part
        total = 0
        for col in range(width):
            total += gains[col]
            out[row, col] = total / (_PARTS * _ROWS)


@njit(cache=True, nogil=True)
def _stroke_kernel(line, hardness, strength, top, left, out):  # type: ignore[no-untyped-def]
    """Raise `out` to what a line covers of each pixel: fully up to a part of its reach, then fading to nothing."""
    height, width = out.shape
    for at in range(max(1, line.shape[0] - 1)):
        to = min(at + 1, line.shape[0] - 1)
        x0, y0, r0 = line[at, 0] - left, line[at, 1] - top, line[at, 2]
        dx, dy, dr = line[to, 0] - left - x0, line[to, 1] - top - y0, line[to, 2] - r0
        long = dx * dx + dy * dy
        wide = max(r0, r0 + dr) + 1.0
        first_row = max(0, int(np.floor(min(y0, y0 + dy) - wide)))
        last_row = min(height, int(np.ceil(max(y0, y0 + dy) + wide)) + 1)
        first_col = max(0, int(np.floor(min(x0, x0 + dx) - wide)))
        last_col = min(width, int(np.ceil(max(x0, x0 + dx) + wide)) + 1)
        for row in range(first_row, last_row):
            y = row + 0.5 - y0
            for col in range(first_col, last_col):
                if out[row, col] >= strength:
                    continue
                x = col + 0.5 - x0
                along = 0.0
                if long > 0:
                    along = min(1.0, max(0.0, (x * dx + y * dy) / long))
                reach = r0 + along * dr
                squared = (x - along * dx) ** 2 + (y - along * dy) ** 2
                if squared >= (reach + 0.5) ** 2:
                    continue
                fade = max(1.0, (1.0 - hardness) * reach)
                full = reach + 0.5 - fade
                if full > 0 and squared <= full * full:
                    out[row, col] = strength
                    continue
                share = min(1.0, max(0.0, (reach + 0.5 - np.sqrt(squared)) / fade))
                if fade > 1.0:
                    share = share * share * (3.0 - 2.0 * share)
                out[row, col] = max(out[row, col], np.float32(strength * share))


def cover_stroke(stroke: Stroke, region: Region) -> NDArray[np.float32]:
    """Return how much of each pixel of a region a stroke covers, (h, w), 0 to 1; where it crosses itself, no more."""
    out = np.zeros((region.height, region.width), np.float32)
    _stroke_kernel(
        stroke.line, stroke.hardness, np.float32(stroke.strength), region.top, region.left, out
    )
    return out


def cover_edge(mark: Mark, region: Region) -> NDArray[np.float32]:
    """Return how much of each pixel of a region lies in the band along a mark's rings, (h, w), 0 to 1."""
    out = np.zeros((region.height, region.width), np.float32)
    if not isinstance(mark.shape, Rings) or mark.edge_px <= 0:
        return out
    for ring in mark.shape.rings:
        line = np.empty((len(ring) + 1, 3))
        line[:-1, :2], line[-1, :2], line[:, 2] = ring, ring[0], mark.edge_px
        _stroke_kernel(line, 1.0, np.float32(1), region.top, region.left, out)
    return out


def cover(mark: Mark, region: Region) -> NDArray[np.float32]:
    """Return how much of each pixel of a region a mark decides on, (h, w), 0 to 1, its edge's band included."""
    if isinstance(mark.shape, Stroke):
        return cover_stroke(mark.shape, region)
    inside = cover_rings(mark.shape.rings, region)
    return 1 - inside if mark.is_outside else inside
