"""Corners of a ring: where two sides meet that each go on as they are, put where they meet, sharper than pixels show them."""

from dataclasses import dataclass
from functools import cache

import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.outlines.contours import Ring

STEP_PX = 0.5  # between a ring's places
_SIDES_PX = (12.0, 8.0, 5.5, 4.0, 2.6)  # how far a side is looked at: the longest that explains it
_CURVED_FROM_PX = 5.0  # from which a side may bend
ROUNDED_PX = 0.8  # beside a corner, where pixels show it round
_BENT_PX, _BENT_BY = 5.5, 0.015  # over which, and how far off, one bend is as good as a corner
_LEAST_TURN, _LEAST_SHORT_TURN = np.radians(
    (33.0, 50.0)
)  # below, a bend: of long sides, and of short ones
_SHORT_PX = 3.0
_APART_PX = 2.0  # of two corners, at least
# how far pixels keep from a corner's tip: by drawing tips of 20 to 160 degrees at 30 places each
_TIP_PX, _TIP_BASE_PX = 0.62, 0.08


@dataclass(frozen=True, slots=True, eq=False)
class Corners:
    """Corners of one ring, in its order.

    Parameters
    ----------
    at : (K,) ndarray of int64
        The places of the ring that are nearest.
    tips : (K, 2) ndarray of float64
        Where the sides meet.
    ways : (K, 2, 2) ndarray of float64
        Which way the ring goes before it, and after it.
    """

    at: NDArray[np.int64]
    tips: NDArray[np.float64]
    ways: NDArray[np.float64]


@cache
def _make_fit(near: int, far: int, *, bends: bool) -> NDArray[np.float64]:
    """Return what, applied to a side's places, gives its place, way and bend at no distance: (3, far + 1 - near)."""
    t = np.arange(near, far + 1) / far
    powers = np.column_stack([np.ones_like(t), t, t * t])
    found = np.zeros((3, len(t)))
    size = 3 if bends else 2
    found[:size] = np.linalg.pinv(powers[:, :size])
    return found


@njit(cache=True, nogil=True)
def _fit_side_kernel(ring, start, way, near, fit, out):  # type: ignore[no-untyped-def]
    """Write where a side begins and which way it goes, by least squares over the distance; return its rms error."""
    n = len(ring)
    count = fit.shape[1]
    far = near + count - 1
    error = 0.0
    for c in range(2):
        p = q = r = 0.0
        for k in range(count):
            off = ring[(start + way * (near + k)) % n, c] - ring[start, c]
            p += fit[0, k] * off
            q += fit[1, k] * off
            r += fit[2, k] * off
        for k in range(count):
            t = (near + k) / far
            off = ring[(start + way * (near + k)) % n, c] - ring[start, c]
            error += (p + q * t + r * t * t - off) ** 2
        out[c], out[2 + c] = ring[start, c] + p, q
    return np.sqrt(error / count)


@njit(cache=True, nogil=True)
def _find_turns_kernel(ring, fit, far, near, noise, turns, tips, misses, ways):  # type: ignore[no-untyped-def]
    """Where two sides of one length explain a place: how far it turns there, where they meet, and how far that is away."""
    n = len(ring)
    back, ahead = np.empty(4), np.empty(4)
    for i in range(n):
        turns[i] = -1.0
        if 2 * far + 2 > n or _fit_side_kernel(ring, i, -1, near, fit, back) > noise:
            continue
        if _fit_side_kernel(ring, i, 1, near, fit, ahead) > noise:
            continue
        ux, uy, vx, vy = -back[2], -back[3], ahead[2], ahead[3]
        cross, dot = ux * vy - uy * vx, ux * vx + uy * vy
        turns[i] = abs(np.arctan2(cross, dot))
        u, v = max(np.hypot(ux, uy), 1e-9), max(np.hypot(vx, vy), 1e-9)
        ways[i, 0, 0], ways[i, 0, 1], ways[i, 1, 0], ways[i, 1, 1] = ux / u, uy / u, vx / v, vy / v
        if abs(cross) < 1e-9:
            continue
        along = ((ahead[0] - back[0]) * vy - (ahead[1] - back[1]) * vx) / cross
        tips[i, 0], tips[i, 1] = back[0] + along * ux, back[1] + along * uy
        nearest = np.inf
        for k in range(i - 3, i + 3):
            ax, ay = ring[k % n, 0], ring[k % n, 1]
            bx, by = ring[(k + 1) % n, 0] - ax, ring[(k + 1) % n, 1] - ay
            share = ((tips[i, 0] - ax) * bx + (tips[i, 1] - ay) * by) / max(
                bx * bx + by * by, 1e-12
            )
            share = min(1.0, max(0.0, share))
            nearest = min(
                nearest, np.hypot(tips[i, 0] - ax - share * bx, tips[i, 1] - ay - share * by)
            )
        misses[i] = nearest


def find_corners(ring: Ring, noise_px: float) -> Corners:
    """Return the corners of a ring whose places lie `STEP_PX` apart and are off by `noise_px`, rms."""
    n = len(ring)
    reaches, turns, misses, tips = np.zeros(n), np.zeros(n), np.full(n, np.inf), np.zeros((n, 2))
    ways = np.zeros((n, 2, 2))
    near = round(ROUNDED_PX / STEP_PX)
    explained = 0.03 + 1.2 * noise_px
    for far_px in _SIDES_PX:  # the longest that explains a place counts
        far = round(far_px / STEP_PX)
        fit = _make_fit(near, far, bends=far_px >= _CURVED_FROM_PX)
        turn, tip, miss, way = (
            np.zeros(n),
            np.zeros((n, 2)),
            np.full(n, np.inf),
            np.zeros((n, 2, 2)),
        )
        _find_turns_kernel(ring, fit, far, near, explained, turn, tip, miss, way)
        new = (reaches == 0) & (turn >= 0)
        reaches[new], turns[new], misses[new] = far_px, turn[new], miss[new]
        tips[new], ways[new] = tip[new], way[new]
    half = np.tan(np.clip(np.pi - turns, 0.05, np.pi) / 2)
    may = (turns >= np.where(reaches > _SHORT_PX, _LEAST_TURN, _LEAST_SHORT_TURN)) & (
        misses <= _TIP_PX / half + _TIP_BASE_PX
    )
    # of neighbours, that of the longest sides, and then the nearest to its tip; two that are told of one tip are one
    found: list[int] = []
    for i in sorted(np.flatnonzero(may).tolist(), key=lambda i: (-reaches[i], misses[i])):
        if any(_is_one(i, k, n, tips) for k in found):
            continue
        if not _is_bend(ring, i, min(reaches[i], _BENT_PX), _BENT_BY + noise_px):
            found.append(i)
    chosen = np.array(sorted(found), np.int64)
    beside = (chosen[:, None] + np.arange(-6, 7)) % n
    gaps = np.hypot(*(ring[beside] - tips[chosen][:, None]).transpose(2, 0, 1)).reshape(
        beside.shape
    )
    at = np.take_along_axis(beside, gaps.argmin(axis=1)[:, None], axis=1)[:, 0]
    _, order = np.unique(at, return_index=True)
    return Corners(at[order], tips[chosen][order], ways[chosen][order])


def _is_one(i: int, k: int, n: int, tips: NDArray[np.float64]) -> bool:
    along_px = min(abs(i - k), n - abs(i - k)) * STEP_PX
    return along_px < _APART_PX or (
        along_px < 3 * _APART_PX and np.hypot(*(tips[i] - tips[k])) < _APART_PX / 2
    )


def _is_bend(ring: Ring, at: int, reach_px: float, explained_px: float) -> bool:
    """Whether one bend, a cubic over both sides together, explains a place as well as a corner does."""
    far = round(reach_px / STEP_PX)
    places = ring[np.arange(at - far, at + far + 1) % len(ring)]
    off = _leave_cubic(far) @ places
    return float(np.sqrt((off**2).sum(axis=1).mean())) <= explained_px


@cache
def _leave_cubic(far: int) -> NDArray[np.float64]:
    """Return what, applied to places on either side of one, leaves of them what no cubic explains."""
    powers = np.vander(np.arange(-far, far + 1) / far, 4)
    return np.asarray(np.eye(2 * far + 1) - powers @ np.linalg.pinv(powers))
