"""Drawing a rim in or out by parts of a pixel.

A matte is known at whole pixels only, but its edge lies between them. Where it is as sharp as it can be, a pixel's share is the
area of a square on one side of a straight line, so that the line's place follows from the share; where it is softer, the
share changes evenly. Either way the matte between pixels follows from the pixels near by, and a rim is moved by taking
each pixel's share from a place beside it. Moving there and back gives the same again.
"""

import math

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.base.distance import list_round

Layer = NDArray[np.float32]

_NONE, _FULL = 0.003, 0.997  # of matte, beyond which a place is on no edge
_TRACE_PX = 3  # around a place, its edge is found by
_SIDE_PX = 1.1  # beside a sharp edge, where there is nearly nothing or nearly all of the figure
_SHARP = 0.1  # of a share from clear or solid: an edge within a pixel
_MOST_OFF_PX = 1.4  # that the middle of a softer rim is sought beside a place of it
_LEAST_LINE_PX = 1.0  # of a line that is spared, what is left
_STEP_PX = 0.25  # along a normal; half as much changes no digit
LEAST_SLOPE = 1e-4
"""Share a pixel, under which an outline has no direction."""

# share a pixel that is divided by; weight of a place from which it is decided by hand; typed
_LEAST_STEEP, _DECIDED = 1e-3, 0.25


def make_slope(spread: float, radius: int) -> NDArray[np.float64]:
    """Return weights of the slope down a window, (2r + 1, 2r + 1); across it is the same, turned."""
    places = np.arange(-radius, radius + 1)
    bell = np.exp(-(places**2) / (2 * spread**2))
    slope = np.outer(places * bell, bell)
    return np.asarray(slope / (slope * places[:, None]).sum(), np.float64)


_SLOPE = make_slope(1.0, 2)


@njit(cache=True, nogil=True, inline="always")
def _at(share, row, col):  # type: ignore[no-untyped-def]
    return share[min(max(row, 0), share.shape[0] - 1), min(max(col, 0), share.shape[1] - 1)]


@njit(cache=True, nogil=True)
def between(share, y, x):  # type: ignore[no-untyped-def]
    """Return the matte between four pixels, linearly."""
    row, col = math.floor(y), math.floor(x)
    down, right = y - row, x - col
    row, col = int(row), int(col)
    above = _at(share, row, col) * (1 - right) + _at(share, row, col + 1) * right
    below = _at(share, row + 1, col) * (1 - right) + _at(share, row + 1, col + 1) * right
    return above * (1 - down) + below * down


@njit(cache=True, nogil=True)
def cover_of_line(away, down, right):  # type: ignore[no-untyped-def]
    """Return the share of a pixel that lies inside a straight line, `away` px inside of which is its middle."""
    a, b = max(abs(down), abs(right)), min(abs(down), abs(right))
    flat, half, off = (a - b) / 2, (a + b) / 2, abs(away)
    if off >= half:
        share = 1.0
    elif off <= flat:
        share = 0.5 + off / a
    else:
        share = 1.0 - (half - off) ** 2 / (2 * a * b)
    return share if away >= 0 else 1.0 - share


@njit(cache=True, nogil=True)
def _away_of_cover(share, down, right):  # type: ignore[no-untyped-def]
    """Return how far inside a straight line the middle of a pixel is, so much of which lies inside it."""
    a, b = max(abs(down), abs(right)), min(abs(down), abs(right))
    flat, half = (a - b) / 2, (a + b) / 2
    more = max(share, 1.0 - share)
    off = (more - 0.5) * a
    if off > flat:
        off = half - math.sqrt(max(0.0, (1.0 - more) * 2 * a * b))
    return off if share >= 0.5 else -off


@njit(cache=True, nogil=True)
def slope_at(share, row, col, weights, out):  # type: ignore[no-untyped-def]
    """Set `out` to the direction into the figure, rows and columns, of length 1; return how steep it is."""
    radius = weights.shape[0] // 2
    down, right = 0.0, 0.0
    for i in range(-radius, radius + 1):
        for j in range(-radius, radius + 1):
            value = _at(share, row + i, col + j)
            down += weights[i + radius, j + radius] * value
            right += weights[j + radius, i + radius] * value
    steep = math.sqrt(down * down + right * right)
    if steep > 1e-9:
        out[0], out[1] = down / steep, right / steep
    else:
        out[0], out[1] = 0.0, 0.0
    return steep


@njit(cache=True, nogil=True)
def _is_edge(share, row, col):  # type: ignore[no-untyped-def]
    """Whether the rim goes through a pixel, or between it and the next."""
    own = share[row, col]
    if _NONE < own < _FULL:
        return True
    for i, j in ((0, 1), (1, 0), (0, -1), (-1, 0)):
        beside = _at(share, row + i, col + j)
        if (own <= _NONE and beside >= _FULL) or (own >= _FULL and beside <= _NONE):
            return True
    return False


@njit(cache=True, nogil=True)
def _trace_kernel(share, weights, normals, away, steep):  # type: ignore[no-untyped-def]
    """Fill, for each place on the rim, the direction inwards, how far inside the edge it is, and how steep that is.

    `steep` is -1 off the rim, 0 on a sharp one, and above that on a softer one.
    """
    normal = np.empty(2)
    for row in range(share.shape[0]):
        for col in range(share.shape[1]):
            steep[row, col] = -1.0
            if (
                not _is_edge(share, row, col)
                or slope_at(share, row, col, weights, normal) < LEAST_SLOPE
            ):
                continue
            down, right = normal
            normals[row, col, 0], normals[row, col, 1] = down, right
            inside = _away_of_cover(share[row, col], down, right)
            more, less = _SIDE_PX - inside, _SIDE_PX + inside
            inner = between(share, row + more * down, col + more * right)
            outer = between(share, row - less * down, col - less * right)
            if inner >= 1.0 - _SHARP and outer <= _SHARP:
                steep[row, col] = 0.0
                away[row, col] = inside
            else:
                inner = between(share, row + down, col + right)
                outer = between(share, row - down, col - right)
                steep[row, col] = max(_LEAST_STEEP, (inner - outer) / 2)
                off = (share[row, col] - 0.5) / steep[row, col]
                away[row, col] = min(_MOST_OFF_PX, max(-_MOST_OFF_PX, off))


@njit(cache=True, nogil=True)
def _lead(normals, steep, y, x, direction):  # type: ignore[no-untyped-def]
    """Set a direction to the one that the rim has at a place between pixels, where it goes through there."""
    row, col = math.floor(y), math.floor(x)
    down, right = 0.0, 0.0
    for i in range(2):
        for j in range(2):
            r = min(max(row + i, 0), steep.shape[0] - 1)
            c = min(max(col + j, 0), steep.shape[1] - 1)
            if steep[r, c] >= 0.0:
                near = (1 - abs(y - row - i)) * (1 - abs(x - col - j)) + 1e-6
                down += near * normals[r, c, 0]
                right += near * normals[r, c, 1]
    size = math.sqrt(down * down + right * right)
    if size > 0.0 and down * direction[0] + right * direction[1] > 0.5 * size:
        direction[0], direction[1] = down / size, right / size


@njit(cache=True, nogil=True)
def _read_between(share, normals, away, steep, y, x, down, right):  # type: ignore[no-untyped-def]
    """Return the matte at a place between pixels, where it rises in a direction."""
    row, col = math.floor(y), math.floor(x)
    total, weight, place, weight_of_place, softens = 0.0, 0.0, 0.0, 0.0, False
    for i in range(2):
        for j in range(2):
            r = min(max(row + i, 0), share.shape[0] - 1)
            c = min(max(col + j, 0), share.shape[1] - 1)
            near = (1 - abs(y - row - i)) * (1 - abs(x - col - j))
            value = float(share[r, c])
            if steep[r, c] >= 0.0:
                # between two places of a circle, the mean of both directions gives exactly how much farther in one is
                along_down = 0.5 * (normals[r, c, 0] + down)
                along_right = 0.5 * (normals[r, c, 1] + right)
                deeper = (y - r) * along_down + (x - c) * along_right
                if steep[r, c] == 0.0:
                    place += (near + 1e-6) * (away[r, c] + deeper)
                    weight_of_place += near + 1e-6
                else:
                    softens = True
                    value += 0.5 * steep[r, c] * deeper
            total += near * value
            weight += near
    if weight_of_place > _DECIDED or (weight_of_place > 0.0 and not softens):
        return cover_of_line(place / weight_of_place, down, right)
    return min(1.0, max(0.0, total / weight))


@njit(cache=True, nogil=True)
def _width_at(share, row, col, down, right, most):  # type: ignore[no-untyped-def]
    """Return how wide the line is that begins at a place of the rim, up to `most`."""
    away = 0.0
    began = -1.0
    while away <= most + 1.0:
        inside = between(share, row + away * down, col + away * right) >= 0.5
        if inside and began < 0.0:
            began = away
        if not inside and began >= 0.0:
            return away - began
        away += _STEP_PX
    return most if began >= 0.0 else 0.0


@njit(cache=True, nogil=True)
def _spare_kernel(share, normals, steep, by, far):  # type: ignore[no-untyped-def]
    """Fill, for each place on the rim, by how much the line that begins there may be drawn in."""
    for row in range(share.shape[0]):
        for col in range(share.shape[1]):
            if steep[row, col] >= 0.0:
                down, right = normals[row, col]
                wide = _width_at(share, row, col, down, right, 2 * by + _LEAST_LINE_PX)
                far[row, col] = min(by, max(0.0, (wide - _LEAST_LINE_PX) / 2))


@njit(cache=True, nogil=True)
def _find_nearest(normals, away, steep, steps, row, col):  # type: ignore[no-untyped-def]
    """Return the place on the rim whose edge is nearest, (-1, -1) for none."""
    nearest, found, limit = 1e18, -1, 1e18
    for number in range(steps.shape[0]):
        if steps[number, 2] > limit:
            break
        there, here = row + steps[number, 0], col + steps[number, 1]
        if not (0 <= there < steep.shape[0] and 0 <= here < steep.shape[1]):
            continue
        if steep[there, here] < 0.0:
            continue
        if found < 0:
            limit = (math.sqrt(steps[number, 2]) + _MOST_OFF_PX) ** 2
        inside = away[there, here]
        down = steps[number, 0] - inside * normals[there, here, 0]
        right = steps[number, 1] - inside * normals[there, here, 1]
        squared = down * down + right * right
        if squared < nearest - 1e-9:
            nearest, found = squared, number
    if found < 0:
        return -1, -1
    return row + steps[found, 0], col + steps[found, 1]


@njit(cache=True, nogil=True)
def _move_kernel(share, normals, away, steep, is_near, far, steps, top, left, out):  # type: ignore[no-untyped-def]
    """Fill `out`, which begins at (top, left), with the matte drawn in by `far` at the nearest place of the rim."""
    direction = np.empty(2)
    for row in range(out.shape[0]):
        for col in range(out.shape[1]):
            r, c = row + top, col + left
            out[row, col] = share[r, c]
            if not is_near[r, c]:
                continue
            there, here = _find_nearest(normals, away, steep, steps, r, c)
            by = far[there, here] if there >= 0 else 0.0
            if by == 0.0:
                continue
            direction[0], direction[1] = normals[there, here]
            for _ in range(2):  # the rim that counts is not quite the nearest one
                y, x = r - by * direction[0], c - by * direction[1]
                _lead(normals, steep, y, x, direction)
            out[row, col] = _read_between(
                share, normals, away, steep, r - by * direction[0], c - by * direction[1],
                direction[0], direction[1],
            )  # fmt: skip


def moving_halo_px(by_px: float, *, spares_lines: bool) -> int:
    """Return how much of the surroundings moving a rim by that takes."""
    wide = 2 * by_px + _LEAST_LINE_PX if spares_lines and by_px > 0 else 0.0
    return math.ceil(abs(by_px)) + 1 + max(_TRACE_PX, math.ceil(wide) + 2)


def move_rim(share: Layer, by_px: float, *, spares_lines: bool, out: Layer, corner: tuple[int, int]) -> None:  # fmt: skip
    """Draw a rim in by so many pixels, or spread it where that is below 0.

    Parameters
    ----------
    share : (h, w) ndarray of float32
        The matte, 0 to 1, of a region with `moving_halo_px` around it, but for what lies beyond the picture.
    by_px : float
        -12 to 12.
    spares_lines : bool
        Whether thin lines are drawn in by less; see `RimPlan`.
    out : (h', w') ndarray of float32
        The region, which is filled.
    corner : tuple of 2 int
        Where in `share` it begins.
    """
    normals = np.zeros((*share.shape, 2), np.float32)
    away, steep = np.zeros_like(share), np.empty_like(share)
    _trace_kernel(share, _SLOPE, normals, away, steep)
    far = np.full_like(share, by_px)
    if spares_lines and by_px > 0:
        _spare_kernel(share, normals, steep, float(by_px), far)
    reach_px = math.ceil(abs(by_px)) + 1
    around = np.ones((2 * reach_px + 1,) * 2, np.uint8)
    is_near = np.asarray(cv2.dilate((steep >= 0).view(np.uint8), around)) > 0
    _move_kernel(share, normals, away, steep, is_near, far, list_round(reach_px), *corner, out)
