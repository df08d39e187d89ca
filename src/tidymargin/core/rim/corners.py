"""Acute corners of the ground: their tips are thinner than a pixel, and reach deeper than a rim is wide.

Only a lossless picture says so exactly: there a pixel of the tip lies on the line from the ground to an even
colour beside it, and its neighbour towards the ground lies on that line as well, nearer to the ground. A neighbour
that hardly differs from the ground makes a rim as the ground itself does.
"""

import numpy as np
from numba import njit
from numpy.typing import NDArray

DEEPER_PX = 5
"""How much farther in than a rim a tip may reach."""

_STEPS = 5  # px along each side that are looked at
_BESIDE_PX = 2  # how far from a place an even colour beside it is looked for

CORNERS_HALO_PX = _STEPS - 1 + _BESIDE_PX + 1
"""How much of the surroundings reaching into corners needs: every step looks at what the last one lowered beside a
place, which is nothing even, and the first at how even the places are that lie near."""

_EXACT = 1.5  # levels beside the line
_ABOUT = 0.05  # of a share that noise makes; typed
_MOST_SHARE = 0.9  # shading hardly differs from one pixel to the next
_FAINT = 8.0  # levels: as good as ground, though not cleared
_SAME = 0.6  # px that a side may be off a line; typed
_ALIKE = 5  # of the steps on a line; typed


@njit(cache=True, nogil=True, inline="always")
def _share_of(rgb, row, col, ground, at_row, at_col, figure_row, figure_col):  # type: ignore[no-untyped-def]
    """Return the share of one pixel's colour in another's over ground, or -1 beside the line."""
    along, power = 0.0, 0.0
    for channel in range(3):
        way = float(rgb[figure_row, figure_col, channel]) - ground[at_row, at_col, channel]
        along += way * (float(rgb[row, col, channel]) - ground[at_row, at_col, channel])
        power += way * way
    if power < 1.0:
        return -1.0
    share = along / power
    for channel in range(3):
        base = ground[at_row, at_col, channel]
        way = float(rgb[figure_row, figure_col, channel]) - base
        if abs(float(rgb[row, col, channel]) - base - share * way) > _EXACT:
            return -1.0
    return share


@njit(cache=True, nogil=True)
def _is_even(rgb, inside_px, row, col):  # type: ignore[no-untyped-def]
    alike = 0
    for there in range(row - 1, row + 2):
        for here in range(col - 1, col + 2):
            if not (0 <= there < inside_px.shape[0] and 0 <= here < inside_px.shape[1]):
                continue
            same = inside_px[there, here] > 0
            for channel in range(3):
                away = float(rgb[there, here, channel]) - float(rgb[row, col, channel])
                same = same and abs(away) <= _SAME
            alike += 1 if same else 0
    return alike >= _ALIKE


@njit(cache=True, nogil=True, inline="always")
def _is_faint(rgb, ground, row, col):  # type: ignore[no-untyped-def]
    faint = True
    for channel in range(3):
        away = float(rgb[row, col, channel]) - ground[row, col, channel]
        faint = faint and abs(away) <= _FAINT
    return faint


@njit(cache=True, nogil=True)
def _find_even_beside(rgb, ground, inside_px, limit, row, col):  # type: ignore[no-untyped-def]
    """Return the most of an even colour within two pixels that a pixel may hold, and a place of it."""
    share, deep_row, deep_col = -1.0, -1, -1
    for there in range(max(0, row - _BESIDE_PX), min(inside_px.shape[0], row + _BESIDE_PX + 1)):
        for here in range(max(0, col - _BESIDE_PX), min(inside_px.shape[1], col + _BESIDE_PX + 1)):
            if inside_px[there, here] <= limit:
                continue
            found = _share_of(rgb, row, col, ground, row, col, there, here)
            better = found > 0.0 and share < found <= _MOST_SHARE
            if better and _is_even(rgb, inside_px, there, here):
                share, deep_row, deep_col = found, there, here
    return share, deep_row, deep_col


@njit(cache=True, nogil=True)
def _corners_kernel(rgb, ground, inside_px, limit, out):  # type: ignore[no-untyped-def]
    """Lower the distance in `out` to `limit` one pixel farther in; return whether there was anything to lower."""
    height, width = inside_px.shape
    lowered = False
    for row in range(1, height - 1):
        for col in range(1, width - 1):
            if not limit < inside_px[row, col] <= limit + DEEPER_PX:
                continue
            beside, faint = False, False
            for down in range(-1, 2):
                for right in range(-1, 2):
                    there, here = row + down, col + right
                    if 0 < inside_px[there, here] <= limit:
                        beside = True
                        if down * right == 0 and _is_faint(rgb, ground, there, here):
                            faint = True
            if not beside or _is_even(rgb, inside_px, row, col):
                continue
            if faint:
                out[row, col] = limit
                lowered = True
                continue
            share, deep_row, deep_col = _find_even_beside(rgb, ground, inside_px, limit, row, col)
            if share < 0.0:
                continue
            for there in range(row - 1, row + 2):
                for here in range(col - 1, col + 2):
                    if not 0 < inside_px[there, here] <= limit:
                        continue
                    nearer = _share_of(rgb, there, here, ground, row, col, deep_row, deep_col)
                    if 0.0 <= nearer < share + _ABOUT:
                        out[row, col] = limit
                        lowered = True
    return lowered


def reach_into_corners(
    rgb: NDArray[np.uint8],
    ground: NDArray[np.float32],
    inside_px: NDArray[np.float32],
    limit_px: float,
) -> NDArray[np.float32]:
    """Return the distance to the ground, `limit_px` where the tip of an acute corner of it reaches deeper.

    Parameters
    ----------
    rgb : (h, w, 3) ndarray of uint8
        A region of a lossless picture.
    ground : (h, w, 3) ndarray of float32
        The ground there, 0 to 255.
    inside_px : (h, w) ndarray of float32
        An uncleared pixel's distance to the nearest cleared one. Not modified.
    limit_px : float
        How deep a rim reaches.
    """
    for _ in range(_STEPS):
        reached = inside_px.copy()
        if not _corners_kernel(rgb, ground, inside_px, limit_px, reached):
            break
        inside_px = reached
    return inside_px
