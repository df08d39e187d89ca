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
"""How far around a pixel its edge is looked for."""

FILL_STEPS = 2
"""How many pixels deep a share that falls inwards is raised."""

STEADY_HALO_PX = STEADY_PX + FILL_STEPS
"""How much of the surroundings steadying needs."""

_SPREAD_PX = 2.0  # of the window's weights
_ALONG_PX = 1.6  # how far beside the edge a place still tells where it lies
_LEAST_DOUBT = 1e-4  # variance of a share that is as good as known
_MOST_OVER = 5.0
_OTHER_PART = 90.0  # sum of channels
_CELLS = 96  # of the table from mean to place


@njit(cache=True, nogil=True, inline="always")
def _ramp(away, softness):  # type: ignore[no-untyped-def]
    """Return the matte `away` px inside a straight edge."""
    return min(1.0, max(0.0, 0.5 + away / softness))


@njit(cache=True, nogil=True, inline="always")
def _turn(row, col, down, right):  # type: ignore[no-untyped-def]
    """Return a place's pixels across an edge, inwards, and along it; (down, right) points inwards."""
    return row * down + col * right, col * down - row * right


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
    inside = np.linspace(-STEADY_PX - 1.0, STEADY_PX + 1.0, 801)
    mean = np.zeros(inside.size)
    turns = np.linspace(0, np.pi / 2, 12, endpoint=False)
    for turn in turns:
        across = (col * np.cos(turn) + row * np.sin(turn))[:, None]
        matte = np.clip(0.5 + across + inside, 0, 1)
        mean += (matte * _WEIGHTS[:, None]).sum(axis=0) / turns.size
    return np.interp(np.linspace(0, 1, _CELLS), mean, inside)


_PLACES = _make_places()
_STEEP_CELLS = 100  # of a table by the square of the distance to the edge
_STEEP = np.exp(-(np.arange(40 * _STEEP_CELLS) + 0.5) / _STEEP_CELLS / (2 * _ALONG_PX**2))


@njit(cache=True, nogil=True)
def _steady_kernel(share, doubt, trust, top, left, softness, out):  # type: ignore[no-untyped-def]
    """Fill `out`, a tile that begins at (top, left) of `share`, with steadied shares.

    `doubt` is the variance of each share, 0 where it is known, and `trust` one over it, or over the least.
    """
    for row in range(out.shape[0]):
        for col in range(out.shape[1]):
            r, c = row + top, col + left
            own = share[r, c]
            out[row, col] = own
            if doubt[r, c] <= 0.0:
                continue
            mean, down, right = 0.0, 0.0, 0.0
            for number in range(_WEIGHTS.size):
                i, j = _WINDOW[number, 0], _WINDOW[number, 1]
                part = _WEIGHTS[number] * share[r + i, c + j]
                mean += part
                down += part * i
                right += part * j
            size = math.hypot(down, right)
            if size < 0.1 or not 0.005 < mean < 0.995:
                continue
            down, right = down / size, right / size
            at = mean * (_CELLS - 1)
            cell = int(at)
            place = _PLACES[cell] + (at - cell) * (_PLACES[cell + 1] - _PLACES[cell])
            # one step of least squares: place, turn and bend
            a00, a01, a02, a11, a12, a22 = 1e-9, 0.0, 0.0, 1e-9, 0.0, 1e-6
            b0, b1, b2 = 0.0, 0.0, 0.0
            for number in range(_WEIGHTS.size):
                i, j = _WINDOW[number, 0], _WINDOW[number, 1]
                across, along = _turn(i, j, down, right)
                away = across + place
                entry = int(away * away * _STEEP_CELLS)
                if entry >= _STEEP.size:
                    continue
                steep = _STEEP[entry]
                y, x = r + i, c + j
                weight = _WEIGHTS[number] * steep * trust[y, x]
                left_over = share[y, x] - _ramp(away, softness)
                # the slope of a soft edge: 0.4 / 1.2 px in its middle
                slope = 0.33 * steep
                bend = 0.5 * along * along
                pull = weight * slope * left_over
                power = weight * slope * slope
                a00 += power
                a01 += power * along
                a02 += power * bend
                a11 += power * along * along
                a12 += power * along * bend
                a22 += power * bend * bend
                b0 += pull
                b1 += pull * along
                b2 += pull * bend
            # the bend is held back: 1 / 6 px at most is likely
            a22 += 36.0
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
            place_step = min(1.5, max(-1.5, place_step))
            # what is left over, in variances
            over = 0.0
            for number in range(_WEIGHTS.size):
                i, j = _WINDOW[number, 0], _WINDOW[number, 1]
                across, along = _turn(i, j, down, right)
                away = across + place + place_step + along * turn_step
                away += 0.5 * along * along * bend_step
                y, x = r + i, c + j
                left_over = share[y, x] - _ramp(away, softness)
                over += _WEIGHTS[number] * left_over * left_over * trust[y, x]
            fitted = _ramp(place + place_step, softness)
            out[row, col] = own + (fitted - own) / (1.0 + (over / _MOST_OVER) ** 2)


@njit(cache=True, nogil=True)
def fill_inner_kernel(rgb, ground, inside_px, top, left, share, figure):  # type: ignore[no-untyped-def]
    """Raise shares that fall inwards where another colour begins: there two parts of the figure meet.

    A mixture of an outline's colour and the one inside it can pass for little of the latter over ground.
    `rgb`, `ground` and `inside_px` begin at (top, left) of the others' first place.
    """
    before = share.copy()
    for row in range(1, share.shape[0] - 1):
        for col in range(1, share.shape[1] - 1):
            r, c = row + top, col + left
            own = before[row, col]
            if own <= 0.0 or own >= 0.85 or inside_px[r, c] <= 1.0:
                continue
            bound, unlike = 2.0, True
            for down in range(-1, 2):
                for right in range(-1, 2):
                    y, x = row + down, col + right
                    if (
                        inside_px[r + down, c + right] > inside_px[r, c] - 0.4
                        or before[y, x] <= 0.0
                    ):
                        continue
                    bound = min(bound, before[y, x])
                    away = 0.0
                    for channel in range(3):
                        away += abs(figure[y, x, channel] - figure[row, col, channel])
                    unlike = unlike and away > _OTHER_PART
            if bound > 1.0 or bound < own + 0.15 or not unlike:
                continue
            share[row, col] = bound
            for channel in range(3):
                base = ground[r, c, channel]
                value = base + (rgb[r, c, channel] - base) / bound
                figure[row, col, channel] = min(255.0, max(0.0, value))


def steady_share(
    share: NDArray[np.float32],
    figure: NDArray[np.float32],
    doubt: NDArray[np.float32],
    softness_px: float,
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Return shares steadied along the rim, and the figure colours of the same places.

    Parameters
    ----------
    share, doubt : (h, w) ndarray of float32
        The matte of a region with `STEADY_HALO_PX` around it, 0 to 1, and its variance, 0 where it is known.
    figure : (h, w, 3) ndarray of float32
        The figure colours there.
    softness_px : float
        Pixels from ground to figure across a clean edge of the picture, 1 and up.

    Returns
    -------
    share, figure : ndarray of float32
        Without what was around the region.
    """
    halo = STEADY_HALO_PX
    inner = (slice(halo, share.shape[0] - halo), slice(halo, share.shape[1] - halo))
    steadied = np.empty_like(share[inner])
    trust = np.reciprocal(doubt + np.float32(_LEAST_DOUBT))
    _steady_kernel(share, doubt, trust, halo, halo, softness_px, steadied)
    return steadied, np.ascontiguousarray(figure[inner])
