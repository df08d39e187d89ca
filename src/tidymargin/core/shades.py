"""Places of a screen's rim that are a shade of the figure: no mixture, whatever their luma may look like.

A figure that is about as light as the screen says little by its luma, and coding has blurred its chroma. What
lies beside tells more: a shade that solid places have too, or one that the two places behind were falling to.
"""

import numpy as np
from numba import njit

from tidymargin.core.colour import lean_kernel, luma_at_kernel, to_luma_chroma_kernel, to_rgb_kernel

SHADES_HALO_PX = 8
"""How far away a shade is looked for."""

_FOLLOWED_PX = 3
FALL_HALO_PX = _FOLLOWED_PX + 3
"""How far away what makes a fall may lie."""

_FAINT = 0.75  # the most of a misread colour's share
_LIGHTER = 25.0  # levels that a misread colour lies beyond it
_LIKE = 15.0  # levels between an even colour and what counts as it
_SHADE = 40.0  # levels between a shade and the screen, above which luma tells enough
_ALIKE = 12.0  # levels between places of one shade
_SHOWN = 4  # how many of them there have to be
_MOSTLY = 0.5  # of the way from a shade's chroma to the screen's
_SCREEN = (
    0.7  # of the screen's chroma, from which a place is no shade, whatever those near by have of it
)
_MISSING = 0.13  # how much less of the screen's chroma is seen than the matte would leave
_BLUR = np.array([1.0, 4.0, 6.0, 4.0, 1.0]) / 16.0  # of chroma, as it is coded and enlarged
_SOLID = 0.9
_FALLS = 4.0  # levels of luma from pixel to pixel
_NOISE = 2.0  # grains that luma lies beyond the screen's
_FURTHER = 18.0  # levels that it may fall further than it did
_BEHIND = 3  # solid places that touch it
_AMONG = 6  # solid places that touch a hole
_BESIDE = 4  # and those that go the same way, together


@njit(cache=True, nogil=True, inline="always")
def _mean_shade(rgb, palette, top, left, before, row, col, y):  # type: ignore[no-untyped-def]
    """Return the mean of solid places of luma `y` near by, RGB, and how many there are; 0 of an even colour."""
    red, green, blue, count = 0.0, 0.0, 0.0, 0
    for entry in range(palette.shape[0]):
        if abs(y - palette[entry, 3]) <= _LIKE:
            return red, green, blue, count
    for there in range(
        max(0, row - SHADES_HALO_PX), min(before.shape[0], row + SHADES_HALO_PX + 1)
    ):
        for here in range(
            max(0, col - SHADES_HALO_PX), min(before.shape[1], col + SHADES_HALO_PX + 1)
        ):
            r, c = there + top, here + left
            if before[there, here] == 1.0 and abs(luma_at_kernel(rgb, r, c) - y) <= _ALIKE:
                red, green, blue = red + rgb[r, c, 0], green + rgb[r, c, 1], blue + rgb[r, c, 2]
                count += 1
    least = max(1, count)
    return red / least, green / least, blue / least, count


@njit(cache=True, nogil=True)
def shades_kernel(rgb, ground, palette, top, left, before, luma, share, figure):  # type: ignore[no-untyped-def]
    """Make solid what passes for a little of a much lighter part, or a darker one, but is a shade of its own."""
    for row in range(2, share.shape[0] - 2):
        for col in range(2, share.shape[1] - 2):
            r, c = row + top, col + left
            if before[row, col] > _FAINT or luma[row, col] < 1.0:
                continue
            by, bu, bv = to_luma_chroma_kernel(ground[r, c, 0], ground[r, c, 1], ground[r, c, 2])
            y, u, v = to_luma_chroma_kernel(
                float(rgb[r, c, 0]), float(rgb[r, c, 1]), float(rgb[r, c, 2])
            )
            beyond = luma[row, col] - y
            if abs(y - by) > _SHADE or abs(beyond) < _LIGHTER or beyond * (y - by) <= 0.0:
                continue
            red, green, blue, count = _mean_shade(rgb, palette, top, left, before, row, col, y)
            if count < _SHOWN:
                continue
            _, fu, fv = to_luma_chroma_kernel(red, green, blue)
            own, _ = lean_kernel(fu, fv, bu, bv)
            lean, _ = lean_kernel(u, v, bu, bv)
            seen = (lean - own) / max(0.2, 1.0 - own)
            left_over = 0.0
            for down in range(-2, 3):
                for right in range(-2, 3):
                    hole = 1.0 - before[row + down, col + right]
                    left_over += hole * _BLUR[down + 2] * _BLUR[right + 2]
            if lean < _SCREEN and seen < _MOSTLY and left_over - seen > _MISSING:
                share[row, col] = 1.0
                figure[row, col, 0] = red
                figure[row, col, 1] = green
                figure[row, col, 2] = blue


@njit(cache=True, nogil=True)
def _falls(rgb, ground, top, left, before, row, col, noise):  # type: ignore[no-untyped-def]
    """Return whether a place's shade falls to the screen's luma, 1, or past it, 2; 0 if to neither."""
    r, c = row + top, col + left
    by, bu, bv = to_luma_chroma_kernel(ground[r, c, 0], ground[r, c, 1], ground[r, c, 2])
    y, u, v = to_luma_chroma_kernel(float(rgb[r, c, 0]), float(rgb[r, c, 1]), float(rgb[r, c, 2]))
    behind, own, goes_on, side = 0, 1.0, False, 0.0
    for down in range(-1, 2):
        for right in range(-1, 2):
            if before[row + down, col + right] <= _SOLID:
                continue
            near, fu, fv = to_luma_chroma_kernel(
                float(rgb[r + down, c + right, 0]),
                float(rgb[r + down, c + right, 1]),
                float(rgb[r + down, c + right, 2]),
            )
            if side * (near - by) < 0.0:
                return 0
            side = 1.0 if near > by else -1.0
            lean, _ = lean_kernel(fu, fv, bu, bv)
            behind, own = behind + 1, min(own, lean)
            if before[row + 2 * down, col + 2 * right] > _SOLID:
                fall = near - luma_at_kernel(rgb, r + 2 * down, c + 2 * right)
                further = side * (near + fall - y)
                goes_on |= side * fall < -_FALLS and -_ALIKE <= further <= _FURTHER
    seen, _ = lean_kernel(u, v, bu, bv)
    if not goes_on or behind < _BEHIND or seen - own >= _MOSTLY * max(0.2, 1.0 - own):
        return 0
    past = side * (by - y)
    return 2 if past > noise else 1 if past > -noise else 0


@njit(cache=True, nogil=True, inline="always")
def _count_along(falls, before, row, col):  # type: ignore[no-untyped-def]
    """Return how many of the places around one are solid or fall past, and how many of them fall past."""
    both, past = 0, 0
    for there in range(row - 1, row + 2):
        for here in range(col - 1, col + 2):
            if there == row and here == col:
                continue
            past += falls[there, here] == 2
            both += falls[there, here] == 2 or before[there, here] > _SOLID
    return both, past


@njit(cache=True, nogil=True)
def _make_solid(rgb, top, left, before, row, col, share, figure):  # type: ignore[no-untyped-def]
    """Make a place solid, as light as it is seen and with the chroma of the solid places around it."""
    chroma_u, chroma_v, count = 0.0, 0.0, 0
    for there in range(row - 1, row + 2):
        for here in range(col - 1, col + 2):
            if before[there, here] > _SOLID:
                _, u, v = to_luma_chroma_kernel(
                    figure[there, here, 0], figure[there, here, 1], figure[there, here, 2]
                )
                chroma_u, chroma_v, count = chroma_u + u, chroma_v + v, count + 1
    luma = luma_at_kernel(rgb, row + top, col + left)
    colour = to_rgb_kernel(luma, chroma_u / count, chroma_v / count)
    share[row, col] = 1.0
    for channel in range(3):
        figure[row, col, channel] = min(255.0, max(0.0, colour[channel]))


@njit(cache=True, nogil=True)
def fall_kernel(rgb, ground, grain, top, left, before, share, figure):  # type: ignore[no-untyped-def]
    """Make solid where a row of places has a shade that falls past the screen's luma.

    No mixture of the screen and what stands behind is as dark as that, or as light. The row is followed for
    a few pixels where it is no darker than the screen.
    """
    falls = np.zeros(share.shape, np.uint8)
    for row in range(2, share.shape[0] - 2):
        for col in range(2, share.shape[1] - 2):
            touches = (
                before[row - 1, col] > _SOLID
                or before[row + 1, col] > _SOLID
                or before[row, col - 1] > _SOLID
                or before[row, col + 1] > _SOLID
            )
            if touches and before[row, col] <= _FAINT:
                falls[row, col] = _falls(rgb, ground, top, left, before, row, col, _NOISE * grain)
    for _ in range(_FOLLOWED_PX):
        then = falls.copy()
        for row in range(1, share.shape[0] - 1):
            for col in range(1, share.shape[1] - 1):
                if then[row, col] == 1 and _count_along(then, before, row, col)[1] > 0:
                    falls[row, col] = 2
    for row in range(2, share.shape[0] - 2):
        for col in range(2, share.shape[1] - 2):
            if falls[row, col] < 2 or _count_along(falls, before, row, col)[0] < _BESIDE:
                continue
            _make_solid(rgb, top, left, before, row, col, share, figure)


@njit(cache=True, nogil=True)
def close_kernel(rgb, ground, top, left, before, share, figure):  # type: ignore[no-untyped-def]
    """Make solid a faint place among solid ones that is neither darker nor lighter than all of them.

    With some of the screen in it, it would lie beyond them on the screen's side.
    """
    for row in range(1, share.shape[0] - 1):
        for col in range(1, share.shape[1] - 1):
            if not 0.0 < before[row, col] <= _FAINT:
                continue
            least, most, count = 255.0, 0.0, 0
            for there in range(row - 1, row + 2):
                for here in range(col - 1, col + 2):
                    if before[there, here] > _SOLID:
                        y = luma_at_kernel(figure, there, here)
                        least, most, count = min(least, y), max(most, y), count + 1
            if count < _AMONG:
                continue
            r, c = row + top, col + left
            luma, screen = luma_at_kernel(rgb, r, c), luma_at_kernel(ground, r, c)
            if abs(luma - screen) > _SHADE or least < screen < most or not least <= luma <= most:
                continue
            _make_solid(rgb, top, left, before, row, col, share, figure)
