"""Contours of a matte at sub-pixel: closed rings, found without a copy of the picture.

Marching squares (W. E. Lorensen and H. E. Cline, "Marching cubes", SIGGRAPH 1987, in two dimensions), followed ring by ring.
"""

from collections.abc import Iterator

import numpy as np
from numba import njit
from numpy.typing import NDArray

Ring = NDArray[np.float64]
"""(N, 2): x and y of a closed ring's points, in px from the picture's upper left corner; the first is not said again."""

HALF = 127.5  # of a matte; no value of 8 bits lies on it
_SOLID, _CLEAR = 253, 2


@njit(cache=True, nogil=True, inline="always")
def _at(field, row, col):  # type: ignore[no-untyped-def]
    if row < 0 or col < 0 or row >= field.shape[0] or col >= field.shape[1]:
        return 0.0
    return float(field[row, col])


@njit(cache=True, nogil=True)
def _cross_kernel(field, row, col, down, right, level):  # type: ignore[no-untyped-def]
    """How far from one place to the next a ring crosses: as much as is solid around, where all of the rim is in sight.

    Of a pixel's share, how much lies on one side of a straight rim is known exactly; what lies between two shares only about.
    """
    a, b = _at(field, row, col), _at(field, row + down, col + right)
    before, after = _at(field, row - down, col - right), _at(field, row + 2 * down, col + 2 * right)
    if level == HALF:
        solid = (before + a + b + after) / 255.0
        if before >= _SOLID and after <= _CLEAR:
            return solid - 1.5
        if before <= _CLEAR and after >= _SOLID:
            return 2.5 - solid
    return (level - a) / (b - a)


@njit(cache=True, nogil=True)
def _count_crossings_kernel(field, level):  # type: ignore[no-untyped-def]
    height, width = field.shape
    count = 0
    for row in range(-1, height):
        for col in range(-1, width):
            here = _at(field, row, col) > level
            if here != (_at(field, row, col + 1) > level):
                count += 1
            if here != (_at(field, row + 1, col) > level):
                count += 1
    return count


@njit(cache=True, nogil=True)
def _follow_kernel(field, level, points, starts):  # type: ignore[no-untyped-def]
    """Write all rings' points one after the other, and where each begins; return how many of both."""
    height, width = field.shape
    # of each place, whether a ring was followed that runs to the right below it
    seen = np.zeros((height + 1, width), np.bool_)
    n, rings = 0, 0
    for first_row in range(-1, height):
        for first_col in range(width):
            # the inside is below: the ring runs to the right, sides counted 0 top, 1 right, 2 bottom, 3 left
            if seen[first_row + 1, first_col] or _at(field, first_row, first_col) > level:
                continue
            if not _at(field, first_row + 1, first_col) > level:
                continue
            starts[rings] = n
            rings += 1
            row, col, side = first_row, first_col, 3
            while True:
                # into the cell whose upper left corner is (row, col), through `side`
                a, b = _at(field, row, col), _at(field, row, col + 1)
                c, d = _at(field, row + 1, col + 1), _at(field, row + 1, col)
                inside = (a > level) + (b > level) + (c > level) + (d > level)
                if side == 3:
                    if d > level and not a > level:
                        if seen[row + 1, col]:
                            break
                        seen[row + 1, col] = True
                    points[n, 0], points[n, 1] = (
                        col,
                        row + _cross_kernel(field, row, col, 1, 0, level),
                    )
                elif side == 1:
                    points[n, 0], points[n, 1] = (
                        col + 1,
                        row + _cross_kernel(field, row, col + 1, 1, 0, level),
                    )
                elif side == 0:
                    points[n, 0], points[n, 1] = (
                        col + _cross_kernel(field, row, col, 0, 1, level),
                        row,
                    )
                else:
                    points[n, 0], points[n, 1] = (
                        col + _cross_kernel(field, row + 1, col, 0, 1, level),
                        row + 1,
                    )
                points[n, 0] += 0.5
                points[n, 1] += 0.5
                n += 1
                # what is inside lies on the right hand: one corner of it is gone round, three are gone along
                turn = 4 - inside
                if inside == 2 and (a > level) == (
                    c > level
                ):  # a saddle: its middle says what hangs together
                    turn = 1 if (a + b + c + d) / 4 > level else 3
                out = (side + turn) % 4
                if out == 0:
                    row, side = row - 1, 2
                elif out == 1:
                    col, side = col + 1, 3
                elif out == 2:
                    row, side = row + 1, 0
                else:
                    col, side = col - 1, 1
    return n, rings


def find_contours(field: NDArray[np.uint8], level: float = HALF) -> list[Ring]:
    """Return the rings along which a field takes a value, each with what lies above it on one side.

    Parameters
    ----------
    field : (H, W) ndarray of uint8
        A matte, or a tone; 0 around it.
    level : float
        Between 0 and 255 and no whole number, so that no place lies on it.
    """
    points = np.empty((_count_crossings_kernel(field, level), 2))
    starts = np.empty(len(points) // 4 + 1, np.int64)
    count, rings = _follow_kernel(field, level, points, starts)
    starts[rings] = count
    return [points[starts[k] : starts[k + 1]] for k in range(rings)]


def measure_area(ring: Ring) -> float:
    """Return a ring's area in px², positive where what is inside is solid, negative for a hole."""
    x, y = ring[:, 0], ring[:, 1]
    return float(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1))) / 2


def find_lengths(ring: Ring) -> NDArray[np.float64]:
    """Return the distance from each point of a ring to the next, in px."""
    found: NDArray[np.float64] = np.hypot(*(np.roll(ring, -1, axis=0) - ring).T)
    return found


def resample(ring: Ring, step_px: float) -> Ring:
    """Return a ring's places at even distances of about `step_px`, at least eight."""
    lengths = find_lengths(ring)
    along = np.concatenate([[0.0], np.cumsum(lengths)])
    count = max(8, round(along[-1] / step_px))
    at = np.arange(count) * (along[-1] / count)
    closed = np.vstack([ring, ring[:1]])
    return np.column_stack([np.interp(at, along, closed[:, k]) for k in range(2)])


def list_larger(rings: list[Ring], smallest_px: float) -> Iterator[Ring]:
    """Yield the rings, holes included, that take at least `smallest_px` px²."""
    return (ring for ring in rings if abs(measure_area(ring)) >= smallest_px)
