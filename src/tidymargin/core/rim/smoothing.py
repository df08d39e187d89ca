"""Taking the jags off a rim: its matte is averaged along it, up to where it turns a corner."""

import math

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.rim.edge import LEAST_SLOPE, between, make_slope, slope_at

Layer = NDArray[np.float32]

_SLOPE_PX = 3  # that a rim's direction is taken over
_WIDE_SLOPE = make_slope(1.6, _SLOPE_PX)
_AROUND = np.ones((2 * _SLOPE_PX + 1,) * 2, np.uint8)
_CORNER_PX = 3  # before and behind a place, the turn between which tells a corner
_CORNER, _STRAIGHT = 0.3, 0.7  # cosines of such turns: what is no more smoothed, and what is fully
_MOST_ALONG_PX = 24  # of a rim that smoothing looks along: its halo
_NO_TURN = 1.5  # a cosine that none has: no outline there
_KERNEL = 2.5  # sigmas that an average goes along


@njit(cache=True, nogil=True)
def _lean_kernel(share, is_even, weights, normals):  # type: ignore[no-untyped-def]
    """Fill the direction into the figure wherever the matte is not the same all around."""
    for row in range(share.shape[0]):
        for col in range(share.shape[1]):
            if is_even[row, col]:
                continue
            if slope_at(share, row, col, weights, normals[row, col]) < LEAST_SLOPE:
                normals[row, col] = 0.0


@njit(cache=True, nogil=True)
def _follow(share, normals, y, x, down, right, out):  # type: ignore[no-untyped-def]
    """Set `out` to the next place along a rim, and the direction into the figure there; return whether there is one.

    Which way is next follows from the direction given, whose right hand it is on.
    """
    y, x = y - right, x + down
    row, col = math.floor(y + 0.5), math.floor(x + 0.5)
    if not (0 <= row < share.shape[0] and 0 <= col < share.shape[1]):
        return False
    there, here = normals[row, col]
    if there == 0.0 and here == 0.0:
        return False
    # down and right are turned round where the rim is followed the other way
    sign = 1.0 if down * there + right * here >= 0.0 else -1.0
    new_down, new_right = down + sign * there, right + sign * here
    size = math.sqrt(new_down * new_down + new_right * new_right)
    out[0], out[1], out[2], out[3] = y, x, new_down / size, new_right / size
    return True


@njit(cache=True, nogil=True)
def _turn_kernel(share, normals, turn):  # type: ignore[no-untyped-def]
    """Fill the cosine by which a rim turns from a little before each place to a little behind it; 2 off the rim."""
    place = np.empty(4)
    for row in range(share.shape[0]):
        for col in range(share.shape[1]):
            turn[row, col] = 2.0
            down, right = normals[row, col]
            if down == 0.0 and right == 0.0:
                continue
            turn_down, turn_right = 1.0, 1.0
            for way in range(2):
                sign = 1.0 - 2.0 * way
                place[0], place[1], place[2], place[3] = row, col, sign * down, sign * right
                for _ in range(_CORNER_PX):
                    if not _follow(share, normals, place[0], place[1], place[2], place[3], place):
                        break
                there = min(max(math.floor(place[0] + 0.5), 0), share.shape[0] - 1)
                here = min(max(math.floor(place[1] + 0.5), 0), share.shape[1] - 1)
                turn_down *= normals[there, here, 0]
                turn_right *= normals[there, here, 1]
            turn[row, col] = turn_down + turn_right


@njit(cache=True, nogil=True)
def _smooth_kernel(share, normals, turn, spread, most, top, left, out):  # type: ignore[no-untyped-def]
    """Fill `out`, which begins at (top, left), with the matte averaged along its rim, as far as that goes straight on."""
    place = np.empty(4)
    for row in range(out.shape[0]):
        for col in range(out.shape[1]):
            r, c = row + top, col + left
            out[row, col] = share[r, c]
            if turn[r, c] > _NO_TURN or turn[r, c] < _CORNER:
                continue
            total, weight = float(share[r, c]), 1.0
            for way in range(2):
                sign = 1.0 - 2.0 * way
                place[0], place[1] = r, c
                place[2], place[3] = sign * normals[r, c, 0], sign * normals[r, c, 1]
                for step in range(1, most + 1):
                    if not _follow(share, normals, place[0], place[1], place[2], place[3], place):
                        break
                    there, here = math.floor(place[0] + 0.5), math.floor(place[1] + 0.5)
                    if turn[there, here] < _CORNER:
                        break
                    near = math.exp(-step * step / (2 * spread * spread))
                    total += near * between(share, place[0], place[1])
                    weight += near
            straight = min(1.0, (turn[r, c] - _CORNER) / (_STRAIGHT - _CORNER))
            out[row, col] += straight * (total / weight - share[r, c])


def _steps_along(smooth_px: float) -> int:
    return min(_MOST_ALONG_PX, math.ceil(_KERNEL * smooth_px))


def smoothing_halo_px(smooth_px: float) -> int:
    """Return how much of the surroundings smoothing a rim takes."""
    return _steps_along(smooth_px) + _CORNER_PX + 1 + _SLOPE_PX


def smooth_rim(share: Layer, smooth_px: float, *, out: Layer, corner: tuple[int, int]) -> None:
    """Take the jags off a rim: its matte is averaged along it, up to where it turns.

    Parameters
    ----------
    share : (h, w) ndarray of float32
        The matte, 0 to 1, of a region with `smoothing_halo_px` around it, but for what lies beyond the picture.
    smooth_px : float
        Over what length to either side, 0 to 8.
    out, corner :
        See `move_rim`.
    """
    normals, turn = np.zeros((*share.shape, 2), np.float32), np.empty_like(share)
    is_even = np.asarray(cv2.dilate(share, _AROUND)) == np.asarray(cv2.erode(share, _AROUND))
    _lean_kernel(share, is_even, _WIDE_SLOPE, normals)
    _turn_kernel(share, normals, turn)
    _smooth_kernel(share, normals, turn, float(smooth_px), _steps_along(smooth_px), *corner, out)
