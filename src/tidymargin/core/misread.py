"""Misread places of a screen's rim: notches, teeth and faint holes that one pixel alone cannot tell.

By its luma a place may be an even colour of the figure, or a lighter one with some of the screen in it. Where
coding has blurred chroma away, what stands beside decides: a line goes on along itself, an edge between
an even colour and the screen has one pixel of both, where no chroma of the screen is left there is none
of it, a shade that goes on near by is likelier than a little of a much lighter part, and a dot nearer to the
screen than all of the figure beside it is a hole.
"""

import math

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.colour import (
    fill_luma_kernel,
    lean_kernel,
    luma_at_kernel,
    to_luma_chroma_kernel,
)
from tidymargin.core.shades import (
    FALL_HALO_PX,
    SHADES_HALO_PX,
    close_kernel,
    fall_kernel,
    shades_kernel,
)

_NOTCH_STEPS = 2
_DIP_PX = 2  # how near to the screen a dip is
MISREAD_HALO_PX = _NOTCH_STEPS + 2 + SHADES_HALO_PX + FALL_HALO_PX + _DIP_PX
"""How much of the surroundings mending needs."""

_CONTRAST = 24.0  # levels between an even colour and the screen, below which luma tells nothing
_TRACE = 8.0  # levels that a place differs from the screen by, at least
_NO_LEAN = 0.06  # of the way from the figure's colour to the screen's
_NOISE = 2.0  # grains that luma has to say more by
_LIKE = 15.0  # levels between an even colour and what counts as it
_LIGHTER = 25.0  # levels that a misread colour lies beyond it
_OVER = 12.0  # levels that a place may lie beyond it
_GOES_ON = 2  # neighbours of the same line
_DIP = 20.0  # levels that a place is nearer to the screen's luma than all of the figure beside it
_DIP_SOLID = 0.95
_FIGURE = 0.6  # of the figure, at which a place counts as it
_BY_DIP = 3  # places of the figure beside a dip
_SHORT = 20.0  # levels that a tooth falls short of the even colour behind it


@njit(cache=True, nogil=True)
def _solid_kernel(rgb, ground, cleared, grain, top, left, share, figure):  # type: ignore[no-untyped-def]
    """Make solid what luma takes for a little of the screen where nothing of its chroma is seen."""
    for row in range(share.shape[0]):
        for col in range(share.shape[1]):
            hole = 1.0 - share[row, col]
            r, c = row + top, col + left
            if hole < 0.04 or hole > 0.6 or cleared[r, c]:
                continue
            _, bu, bv = to_luma_chroma_kernel(ground[r, c, 0], ground[r, c, 1], ground[r, c, 2])
            _, u, v = to_luma_chroma_kernel(
                float(rgb[r, c, 0]), float(rgb[r, c, 1]), float(rgb[r, c, 2])
            )
            _, fu, fv = to_luma_chroma_kernel(
                figure[row, col, 0], figure[row, col, 1], figure[row, col, 2]
            )
            along, _ = lean_kernel(u, v, bu, bv)
            own, _ = lean_kernel(fu, fv, bu, bv)
            lean = (along - own) / max(0.2, 1.0 - own)
            noise = _NOISE * grain / math.sqrt(bu * bu + bv * bv + 1e-6)
            if lean < _NO_LEAN and hole > lean + noise:
                share[row, col] = 1.0
                for channel in range(3):
                    figure[row, col, channel] = rgb[r, c, channel]


@njit(cache=True, nogil=True, inline="always")
def _lay(palette, entry, y, by, row, col, share, figure):  # type: ignore[no-untyped-def]
    """Take a place of luma `y` for a mixture of an even colour and the screen, whose luma is `by`."""
    share[row, col] = min(1.0, max(0.0, (y - by) / (palette[entry, 3] - by)))
    for channel in range(3):
        figure[row, col, channel] = palette[entry, channel]


@njit(cache=True, nogil=True)
def _notches_kernel(rgb, ground, palette, top, left, before, luma, share, figure):  # type: ignore[no-untyped-def]
    """Give notches of a line the line's colour; `before` and `luma` are what was solved."""
    for row in range(1, share.shape[0] - 1):
        for col in range(1, share.shape[1] - 1):
            if not 0.08 < before[row, col] < 0.97:
                continue
            r, c = row + top, col + left
            y, by = luma_at_kernel(rgb, r, c), luma_at_kernel(ground, r, c)
            for entry in range(palette.shape[0]):
                even = palette[entry, 3]
                sign = 1.0 if even > by else -1.0
                if (
                    abs(even - by) <= _CONTRAST
                    or sign * (y - by) <= _TRACE
                    or sign * (y - even) >= _OVER
                    or sign * (luma[row, col] - even) <= _LIGHTER
                ):
                    continue
                count = 0
                for there in range(row - 1, row + 2):
                    for here in range(col - 1, col + 2):
                        count += (
                            before[there, here] > 0.8 and abs(luma[there, here] - even) <= _LIKE
                        )
                if count >= _GOES_ON:
                    _lay(palette, entry, y, by, row, col, share, figure)


@njit(cache=True, nogil=True)
def _teeth_kernel(rgb, ground, palette, top, left, before, luma, lines, share, figure):  # type: ignore[no-untyped-def]
    """Give the last pixel before the screen the even colour that stands behind it."""
    for row in range(1, share.shape[0] - 1):
        for col in range(1, share.shape[1] - 1):
            if before[row, col] <= 0.3 or lines[row, col]:
                continue
            for down, right in ((0, 1), (1, 0), (0, -1), (-1, 0)):
                if before[row + down, col + right] >= 0.5 or before[row - down, col - right] <= 0.9:
                    continue
                r, c = row + top, col + left
                y, by = luma_at_kernel(rgb, r, c), luma_at_kernel(ground, r, c)
                behind = luma_at_kernel(rgb, r - down, c - right)
                for entry in range(palette.shape[0]):
                    even = palette[entry, 3]
                    sign = 1.0 if even > by else -1.0
                    if (
                        abs(even - by) > _CONTRAST
                        and abs(behind - even) <= _LIKE
                        and sign * (y - by) > _TRACE
                        and sign * (even - y) > _SHORT
                        and sign * (even - luma[row, col]) > _SHORT
                    ):
                        _lay(palette, entry, y, by, row, col, share, figure)


@njit(cache=True, nogil=True)
def _dips_kernel(rgb, ground, near, top, left, before, colours, luma, share, figure):  # type: ignore[no-untyped-def]
    """Take a single place that is nearer to the screen's luma than all of the figure beside it for a mixture.

    `before` and `colours` are share and figure as they were: two dips side by side know nothing of each other.
    """
    for row in range(1, share.shape[0] - 1):
        for col in range(1, share.shape[1] - 1):
            if near[row, col] == 0 or before[row, col] <= _DIP_SOLID:
                continue
            r, c = row + top, col + left
            y, by = luma_at_kernel(rgb, r, c), luma_at_kernel(ground, r, c)
            if abs(y - by) <= _TRACE:
                continue
            sign = 1.0 if y > by else -1.0
            beside, count, least = 0.0, 0, 1e9
            red, green, blue = 0.0, 0.0, 0.0
            for there in range(row - 1, row + 2):
                for here in range(col - 1, col + 2):
                    if before[there, here] <= _FIGURE or (there == row and here == col):
                        continue
                    beside, count = beside + luma[there, here], count + 1
                    least = min(least, sign * (luma[there, here] - y))
                    red, green, blue = (
                        red + colours[there, here, 0],
                        green + colours[there, here, 1],
                        blue + colours[there, here, 2],
                    )
            if count < _BY_DIP or least <= _DIP:
                continue
            share[row, col] = (y - by) / (beside / count - by)
            figure[row, col, 0] = red / count
            figure[row, col, 1] = green / count
            figure[row, col, 2] = blue / count


def mend_misread(
    rgb: NDArray[np.uint8],
    ground: NDArray[np.float32],
    cleared: NDArray[np.bool_],
    palette_rgb: NDArray[np.float32],
    grain: float,
    corner: tuple[int, int],
    lines: NDArray[np.bool_],
    share: NDArray[np.float32],
    figure: NDArray[np.float32],
) -> None:
    """Mend misread places of a screen's rim.

    Parameters
    ----------
    rgb : (h, w, 3) ndarray of uint8
        A region of the picture.
    ground : (h, w, 3) ndarray of float32
        The screen there, 0 to 255.
    cleared : (h, w) ndarray of bool
        What is told to be ground there.
    palette_rgb : (N, 3) ndarray of float32
        The figure's even colours, 0 to 255.
    grain : float
        Coding noise near edges in 8-bit levels.
    corner : tuple of 2 int
        Where in the region the first place of what was solved lies.
    lines : (h', w') ndarray of bool
        What is known there for lines of one of the figure's own colours, and is no tooth.
    share : (h', w') ndarray of float32
        The matte that was solved, 0 to 1. Modified; what is within `MISREAD_HALO_PX` of its ends may be as it
        would not be in a larger region.
    figure : (h', w', 3) ndarray of float32
        The figure colours there, 0 to 255. Modified.
    """
    _solid_kernel(rgb, ground, cleared, grain, *corner, share, figure)
    even = np.array([to_luma_chroma_kernel(*map(float, c))[0] for c in palette_rgb], np.float32)
    palette = np.column_stack([palette_rgb, even])[np.argsort(even, kind="stable")]
    luma = np.empty(share.shape, np.float32)
    fall_kernel(rgb, ground, grain, *corner, share.copy(), share, figure)
    for kernel in (shades_kernel, *(_NOTCH_STEPS * (_notches_kernel,))):
        fill_luma_kernel(figure, luma)
        kernel(rgb, ground, palette, *corner, share.copy(), luma, share, figure)
    fill_luma_kernel(figure, luma)
    _teeth_kernel(rgb, ground, palette, *corner, share.copy(), luma, lines, share, figure)
    close_kernel(rgb, ground, *corner, share.copy(), share, figure)
    fill_luma_kernel(figure, luma)
    side = 2 * _DIP_PX + 1
    near = cv2.dilate((share <= _FIGURE).view(np.uint8), np.ones((side, side), np.uint8))
    _dips_kernel(
        rgb, ground, np.asarray(near), *corner, share.copy(), figure.copy(), luma, share, figure
    )
