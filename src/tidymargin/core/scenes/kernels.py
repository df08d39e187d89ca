"""The loops over pixels that lay cuts on one another; colours are weighed by the matte throughout."""

import math
from functools import lru_cache

import numpy as np
from numba import njit
from numpy.typing import NDArray

_STEPS = 256  # places between two pixels, for which weights are kept: within half a level of 255
_LEAST_STEPS = 16
_FINER, _FINER_PER_PX = (
    16,
    8,
)  # places along each side of a pixel, of what is turned, and of each of its own pixels
# what lies half-way goes up whatever the last bits of its sum are, which differ from window to window
_HALF_UP = 0.5 + 1e-6


@njit(cache=True, nogil=True)
def weigh_kernel(rgba, out):  # type: ignore[no-untyped-def]
    """Write colours times the matte, and the matte, 0 to 255."""
    for row in range(rgba.shape[0]):
        for col in range(rgba.shape[1]):
            matte = rgba[row, col, 3]
            for channel in range(3):
                out[row, col, channel] = rgba[row, col, channel] * (matte / 255)
            out[row, col, 3] = matte


@njit(cache=True, nogil=True)
def over_kernel(under, layer, opacity, inside, has_inside, touched):  # type: ignore[no-untyped-def]
    """Lay a layer over what is there, as solid as `opacity` and, where there is one, a matte of 0 to 255 say."""
    for row in range(layer.shape[0]):
        for col in range(layer.shape[1]):
            share = opacity * inside[row, col] / 255 if has_inside else opacity
            matte = layer[row, col, 3] * share
            if matte <= 0:
                continue
            rest = 1 - matte / 255
            for channel in range(3):
                under[row, col, channel] = (
                    under[row, col, channel] * rest + layer[row, col, channel] * share
                )
            under[row, col, 3] = under[row, col, 3] * rest + matte
            touched[row, col] = True


@njit(cache=True, nogil=True)
def straighten_kernel(band, touched, out):  # type: ignore[no-untyped-def]
    """Write straight colours where something lies; what nothing lies on stays as it was, to its colours where it is clear."""
    for row in range(band.shape[0]):
        for col in range(band.shape[1]):
            if not touched[row, col]:
                continue
            matte = band[row, col, 3]
            for channel in range(3):
                value = band[row, col, channel] * 255 / max(matte, 1e-9)
                out[row, col, channel] = math.floor(min(max(value, 0.0), 255.0) + _HALF_UP)
            out[row, col, 3] = math.floor(min(max(matte, 0.0), 255.0) + _HALF_UP)


@njit(cache=True, nogil=True)
def reduce_kernel(rgba, rows, cols, out):  # type: ignore[no-untyped-def]
    """Write the mean of all between each two sides, in pixels of `rgba`; what lies beyond it is clear."""
    height, width = rgba.shape[:2]
    area = (rows[1] - rows[0]) * (cols[1] - cols[0])
    summed = np.empty((width, 4))
    for row in range(len(rows) - 1):
        top, bottom = max(0.0, rows[row]), min(float(height), rows[row + 1])
        if bottom <= top:
            out[row] = 0
            continue
        summed[:] = 0
        for y in range(int(top), min(height, math.ceil(bottom))):
            share = min(bottom, y + 1.0) - max(top, float(y))
            for x in range(width):
                matte = rgba[y, x, 3] * share
                if matte > 0:
                    for channel in range(3):
                        summed[x, channel] += rgba[y, x, channel] * matte / 255
                    summed[x, 3] += matte
        for col in range(len(cols) - 1):
            left, right = max(0.0, cols[col]), min(float(width), cols[col + 1])
            for channel in range(4):
                out[row, col, channel] = 0
            for x in range(int(left), min(width, math.ceil(right))):
                share = (min(right, x + 1.0) - max(left, float(x))) / area
                for channel in range(4):
                    out[row, col, channel] += summed[x, channel] * share


@njit(cache=True, nogil=True)
def _turn_weights_kernel(along_x, along_y, finer, weights):  # type: ignore[no-untyped-def]
    """Note, for each place of a turned pixel's middle, how much of each pixel around it holds; straight lines between pixels."""
    steps, span = weights.shape[0] - 1, weights.shape[2]
    before = span // 2 - 1
    for y_step in range(steps + 1):
        for x_step in range(steps + 1):
            own = weights[y_step, x_step]
            for first in range(finer):
                for second in range(finer):
                    across, down = (second + 0.5) / finer - 0.5, (first + 0.5) / finer - 0.5
                    x = x_step / steps + across * along_x - down * along_y + before
                    y = y_step / steps + across * along_y + down * along_x + before
                    col, row = int(x), int(y)
                    right, below = x - col, y - row
                    own[row, col] += (1 - right) * (1 - below)
                    own[row, col + 1] += right * (1 - below)
                    own[row + 1, col] += (1 - right) * below
                    own[row + 1, col + 1] += right * below
    weights /= finer * finer


@lru_cache(maxsize=12)
def find_turn_weights(along_x: float, along_y: float) -> NDArray[np.float32]:
    """Return the weights of the pixels around a turned one, (steps + 1, steps + 1, span, span), by where its middle is between them.

    Parameters
    ----------
    along_x, along_y : float
        How far a step to the right goes in what is turned, px; one down goes as far, square to it.
    """
    wide = math.hypot(along_x, along_y)
    steps = max(_LEAST_STEPS, min(_STEPS, math.ceil(_STEPS / wide)))
    span = 2 * math.ceil((abs(along_x) + abs(along_y)) / 2) + 2
    weights = np.zeros((steps + 1, steps + 1, span, span), np.float32)
    _turn_weights_kernel(along_x, along_y, max(_FINER, math.ceil(_FINER_PER_PX * wide)), weights)
    return weights


@njit(cache=True, nogil=True, inline="always")
def _half_plane_kernel(off, outer, inner, product):  # type: ignore[no-untyped-def]
    """How much of a pixel lies on one side of a line, by how far its middle is off that."""
    # a square pixel, seen along the line, is a trapezium: two boxes over one another
    a, b, c, d = max(off + outer, 0.0), max(off + inner, 0.0), max(off - inner, 0.0), max(off - outer, 0.0)  # fmt: skip
    return (a * a - b * b - c * c + d * d) / (2 * product)


@njit(cache=True, nogil=True)
def trim_kernel(cos, sin, left, top, half_width, half_height, out):  # type: ignore[no-untyped-def]
    """Keep of each pixel of a band what lies within a turned rectangle's sides; `left` and `top` are its first pixel's middle, seen from that of the rectangle."""
    p, q = max(abs(cos), 1e-6), max(abs(sin), 1e-6)
    outer, inner, product = (p + q) / 2, abs(p - q) / 2, p * q
    for row in range(out.shape[0]):
        for col in range(out.shape[1]):
            x, y = left + col, top + row
            along, across = cos * x + sin * y, cos * y - sin * x
            if abs(along) < half_width - 1 and abs(across) < half_height - 1:
                continue
            share = 1.0
            for off, half in ((along, half_width), (across, half_height)):
                over = _half_plane_kernel(off + half, outer, inner, product)
                share *= min(max(over - _half_plane_kernel(off - half, outer, inner, product), 0.0), 1.0)  # fmt: skip
            for channel in range(4):
                out[row, col, channel] *= share


@njit(cache=True, nogil=True)
def turn_kernel(rgba, to_source, weights, out):  # type: ignore[no-untyped-def]
    """Write what each pixel of a band covers of a turned picture; its sides are carried on beyond it."""
    height, width = rgba.shape[:2]
    steps, span = weights.shape[0] - 1, weights.shape[2]
    before = span // 2 - 1
    for row in range(out.shape[0]):
        for col in range(out.shape[1]):
            x = to_source[0, 0] * col + to_source[0, 1] * row + to_source[0, 2]
            y = to_source[1, 0] * col + to_source[1, 1] * row + to_source[1, 2]
            red = green = blue = alpha = 0.0
            if -span <= x <= width + span and -span <= y <= height + span:
                left, top = math.floor(x), math.floor(y)
                y_step, x_step = round((y - top) * steps), round((x - left) * steps)
                left, top = left - before, top - before
                is_within = left >= 0 and top >= 0 and left + span <= width and top + span <= height
                for down in range(span):
                    source_row = top + down if is_within else min(max(top + down, 0), height - 1)
                    for across in range(span):
                        source_col = left + across
                        if not is_within:
                            source_col = min(max(source_col, 0), width - 1)
                        share = weights[y_step, x_step, down, across] * rgba[source_row, source_col, 3]  # fmt: skip
                        red += share * rgba[source_row, source_col, 0]
                        green += share * rgba[source_row, source_col, 1]
                        blue += share * rgba[source_row, source_col, 2]
                        alpha += share
            out[row, col, 0] = red / 255
            out[row, col, 1] = green / 255
            out[row, col, 2] = blue / 255
            out[row, col, 3] = alpha


@njit(cache=True, nogil=True)
def halve_kernel(rgba, out):  # type: ignore[no-untyped-def]
    """Write the mean of each two by two pixels, weighed by the matte."""
    for row in range(out.shape[0]):
        for col in range(out.shape[1]):
            matte, red, green, blue = 0, 0, 0, 0
            for y in range(2 * row, 2 * row + 2):
                for x in range(2 * col, 2 * col + 2):
                    own = int(rgba[y, x, 3])
                    matte += own
                    red += own * rgba[y, x, 0]
                    green += own * rgba[y, x, 1]
                    blue += own * rgba[y, x, 2]
            out[row, col, 3] = (matte + 2) // 4
            half = matte // 2
            whole = max(1, matte)
            out[row, col, 0] = (red + half) // whole
            out[row, col, 1] = (green + half) // whole
            out[row, col, 2] = (blue + half) // whole
