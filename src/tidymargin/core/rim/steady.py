"""Steadying a noisy rim: its outline is smooth, so the noise of single pixels averages out along it.

Around a pixel the matte is compared with that of a straight or evenly bent edge of the picture's own
softness. Where and which way that edge lies follows from the mean and the first moments of the matte in
a round window (A. J. Tabatabai and O. R. Mitchell, "Edge location to subpixel values in digital imagery",
IEEE Trans. PAMI 6, 188 (1984)), refined by one step of least squares for place, turn and bend. What is
left over decides: no more of it than coding explains, and the edge's own share is taken; more, as at a
corner or in a thin stroke, and the pixel keeps what was solved for it alone.
"""

import math

import numpy as np
from numba import njit
from numpy.typing import NDArray

STEADY_PX = 4
"""How far around a pixel its edge is looked for: as much of the surroundings as steadying needs."""

_SPREAD_PX = 2.0  # of the window's weights
_ALONG_PX = 1.6  # how far beside the edge a place still tells where it lies
_LEAST_DOUBT = 1e-4  # variance of a share that is as good as known
_MOST_OVER = 5.0  # variances that an edge may leave over, at which a place is halfway drawn to it
_CELLS = 96  # of the table from mean to place
_FINE, _DIRECTIONS = 801, 12  # of the table of a rim's shares; finer changes no digit
# of what pulls, and of a mean share, under which there is no rim to steady; typed
_LEAST_SIZE, _NO_RIM = 0.1, 0.005
_BEND_HOLD = 36.0  # px squared: how strongly a straight rim is expected; typed
_LONGEST_STEP_PX = 1.5  # of a place in one round, so that it does not swing


@njit(cache=True, nogil=True, inline="always")
def _ramp(away, softness):  # type: ignore[no-untyped-def]
    """Return the matte `away` px inside a straight edge."""
    return min(1.0, max(0.0, 0.5 + away / softness))


def _make_window() -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """Return the places of a round window, (N, 2) rows and columns from its middle, and their weights."""
    row, col = np.mgrid[-STEADY_PX : STEADY_PX + 1, -STEADY_PX : STEADY_PX + 1]
    away = row**2 + col**2
    inside = away <= STEADY_PX**2 + 1
    weight = np.exp(-away[inside] / (2 * _SPREAD_PX**2))
    return np.stack([row[inside], col[inside]], axis=1), weight / weight.sum()


_WINDOW, _WEIGHTS = _make_window()


def _make_places() -> NDArray[np.float64]:
    """Return, for means of matte in equal steps from 0 to 1, how far inside the edge the window stands."""
    row, col = _WINDOW.T
    inside = np.linspace(-STEADY_PX - 1.0, STEADY_PX + 1.0, _FINE)
    mean = np.zeros(inside.size)
    turns = np.linspace(0, np.pi / 2, _DIRECTIONS, endpoint=False)
    for turn in turns:
        across = (col * np.cos(turn) + row * np.sin(turn))[:, None]
        matte = np.clip(0.5 + across + inside, 0, 1)
        mean += (matte * _WEIGHTS[:, None]).sum(axis=0) / turns.size
    return np.interp(np.linspace(0, 1, _CELLS), mean, inside)


_PLACES = _make_places()
_PLACES_IN_IT = len(_WINDOW)
# loops of such a fixed length are worked out several places at a time
_PADDED = -(-_PLACES_IN_IT // 8) * 8


def _pad(values: NDArray[np.floating] | NDArray[np.int64]) -> NDArray[np.float32]:
    padded = np.zeros(_PADDED, np.float32)
    padded[:_PLACES_IN_IT] = values
    return padded


_WINDOW_ROW, _WINDOW_COL, _WEIGHT = _pad(_WINDOW[:, 0]), _pad(_WINDOW[:, 1]), _pad(_WEIGHTS)
_SQUARINGS = 5  # exp(-x) is about (1 - x / 32) ** 32
_STEEP = np.float32(1 / (2 * _ALONG_PX**2) / 2**_SQUARINGS)
_ANY_ORDER = {"reassoc", "contract", "nsz", "nnan"}  # of sums; the same for every pixel


@njit(cache=True, nogil=True, fastmath=_ANY_ORDER)
def _moments_kernel(share, out):  # type: ignore[no-untyped-def]
    """Fill `out`, (3,), with the mean and the first moments of the matte in a window."""
    mean, down, right = np.float32(0), np.float32(0), np.float32(0)
    for at in range(_PADDED):
        part = _WEIGHT[at] * share[at]
        mean += part
        down += part * _WINDOW_ROW[at]
        right += part * _WINDOW_COL[at]
    out[0], out[1], out[2] = mean, down, right


@njit(cache=True, nogil=True, fastmath=_ANY_ORDER)
def _pull_kernel(share, trust, down, right, place, per_px, out):  # type: ignore[no-untyped-def]
    """Fill `out`, (8,), with the sums that one step of least squares for place, turn and bend needs."""
    zero, half, one, third = np.float32(0), np.float32(0.5), np.float32(1), np.float32(0.33)
    s0, s1, s2, s3, s4, b0, b1, b2 = zero, zero, zero, zero, zero, zero, zero, zero
    for at in range(_PADDED):
        away = _WINDOW_ROW[at] * down + _WINDOW_COL[at] * right + place
        along = _WINDOW_COL[at] * down - _WINDOW_ROW[at] * right
        steep = max(zero, one - away * away * _STEEP)
        steep *= steep
        steep *= steep
        steep *= steep
        steep *= steep
        steep *= steep
        over = share[at] - min(one, max(zero, half + away * per_px))
        # the slope of a soft edge: 0.4 / 1.2 px in its middle
        slope = third * steep
        weight = _WEIGHT[at] * steep * trust[at] * slope
        power, pull, square = weight * slope, weight * over, along * along
        s0 += power
        s1 += power * along
        s2 += power * square
        s3 += power * square * along
        s4 += power * square * square
        b0 += pull
        b1 += pull * along
        b2 += pull * square
    out[0], out[1], out[2], out[3], out[4] = s0, s1, s2, s3, s4
    out[5], out[6], out[7] = b0, b1, b2


@njit(cache=True, nogil=True, fastmath=_ANY_ORDER)
def _left_over_kernel(share, trust, down, right, place, turn, bend, per_px):  # type: ignore[no-untyped-def]
    """Return what an edge leaves over in a window, in variances."""
    zero, half, one = np.float32(0), np.float32(0.5), np.float32(1)
    total = zero
    for at in range(_PADDED):
        along = _WINDOW_COL[at] * down - _WINDOW_ROW[at] * right
        away = _WINDOW_ROW[at] * down + _WINDOW_COL[at] * right + place
        away += along * turn + half * along * along * bend
        over = share[at] - min(one, max(zero, half + away * per_px))
        total += _WEIGHT[at] * over * over * trust[at]
    return total


@njit(cache=True, nogil=True)
def _steady_kernel(share, doubt, trust, top, left, softness, most_over, out):  # type: ignore[no-untyped-def]
    """Fill `out`, a tile that begins at (top, left) of `share`, with steadied shares.

    `doubt` is the variance of each share, 0 where it is known, and `trust` one over it, or over the least.
    """
    sums, pulls = np.empty(3, np.float32), np.empty(8, np.float32)
    near, near_trust = np.zeros(_PADDED, np.float32), np.zeros(_PADDED, np.float32)
    per_px = np.float32(1 / softness)
    for row in range(out.shape[0]):
        for col in range(out.shape[1]):
            r, c = row + top, col + left
            own = share[r, c]
            out[row, col] = own
            if doubt[r, c] <= 0.0:
                continue
            for at in range(_PLACES_IN_IT):
                y, x = np.uintp(r + _WINDOW[at, 0]), np.uintp(c + _WINDOW[at, 1])
                near[at], near_trust[at] = share[y, x], trust[y, x]
            _moments_kernel(near, sums)
            mean, down, right = float(sums[0]), float(sums[1]), float(sums[2])
            size = math.hypot(down, right)
            if size < _LEAST_SIZE or not _NO_RIM < mean < 1 - _NO_RIM:
                continue
            down_32, right_32 = np.float32(down / size), np.float32(right / size)
            part = mean * (_CELLS - 1)
            cell = int(part)
            place = _PLACES[cell] + (part - cell) * (_PLACES[cell + 1] - _PLACES[cell])
            _pull_kernel(near, near_trust, down_32, right_32, np.float32(place), per_px, pulls)
            a00, a01, a02 = 1e-9 + pulls[0], float(pulls[1]), 0.5 * pulls[2]
            # the bend is held back: 1 / 6 px at most is likely
            a11, a12, a22 = 1e-9 + pulls[2], 0.5 * pulls[3], _BEND_HOLD + 0.25 * pulls[4]
            b0, b1, b2 = float(pulls[5]), float(pulls[6]), 0.5 * pulls[7]
            m00 = a11 * a22 - a12 * a12
            m01 = a02 * a12 - a01 * a22
            m02 = a01 * a12 - a02 * a11
            det = a00 * m00 + a01 * m01 + a02 * m02
            if det <= 0.0:
                continue
            place_step = (m00 * b0 + m01 * b1 + m02 * b2) / det
            m11 = a00 * a22 - a02 * a02
            m12 = a01 * a02 - a00 * a12
            turn_step = (m01 * b0 + m11 * b1 + m12 * b2) / det
            bend_step = (m02 * b0 + m12 * b1 + (a00 * a11 - a01 * a01) * b2) / det
            place += min(_LONGEST_STEP_PX, max(-_LONGEST_STEP_PX, place_step))
            over = _left_over_kernel(
                near, near_trust, down_32, right_32, np.float32(place), np.float32(turn_step),
                np.float32(bend_step), per_px,
            )  # fmt: skip
            out[row, col] = own + (_ramp(place, softness) - own) / (1.0 + (over / most_over) ** 2)


def steady_share(
    share: NDArray[np.float32],
    doubt: NDArray[np.float32],
    softness_px: float,
) -> NDArray[np.float32]:
    """Return shares steadied along the rim, without what was around the region.

    Parameters
    ----------
    share, doubt : (h, w) ndarray of float32
        The matte of a region with `STEADY_PX` around it, 0 to 1, and its variance, 0 where it is known.
    softness_px : float
        Pixels from ground to figure across a clean edge of the picture, 1 and up.
    """
    halo = STEADY_PX
    steadied = np.empty_like(share[halo:-halo, halo:-halo])
    trust = np.reciprocal(doubt + np.float32(_LEAST_DOUBT))
    _steady_kernel(share, doubt, trust, halo, halo, softness_px, _MOST_OVER, steadied)
    return steadied
