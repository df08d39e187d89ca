"""Distances to a ground that may be seen in another light.

OKLab is a cube root of linear light, so a ground in another light lies on the ray through its colour, and what
lies along that ray can count for less.
"""

import math

import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.base.colour import oklab_kernel, srgb_to_linear

FINE_LINEAR: NDArray[np.float32] = srgb_to_linear(np.arange(256 * 16) / (255 * 16)).astype(
    np.float32
)
"""Linear light of sixteenths of 8-bit sRGB values."""


@njit(cache=True, nogil=True, inline="always")
def shade_away_kernel(linear, ground, weight):  # type: ignore[no-untyped-def]
    """Return the OKLab distance between two colours of linear light; its part along shades counts by `weight`."""
    l1, a1, b1 = oklab_kernel(linear[0], linear[1], linear[2])
    l0, a0, b0 = oklab_kernel(ground[0], ground[1], ground[2])
    l1, a1, b1 = l1 - l0, a1 - a0, b1 - b0
    power = l1 * l1 + a1 * a1 + b1 * b1
    if weight < 1.0:
        size = l0 * l0 + a0 * a0 + b0 * b0
        along = l1 * l0 + a1 * a0 + b1 * b0
        along_power = along * along / size if size > 1e-6 else 0.0
        power -= (1.0 - weight * weight) * along_power
    return math.sqrt(max(0.0, power))


@njit(cache=True, nogil=True, inline="always")
def to_fine_linear_kernel(fine, red, green, blue):  # type: ignore[no-untyped-def]
    """Return the linear light of a colour, 0 to 255 each, in sixteenths; `fine` is `FINE_LINEAR`."""
    return (
        fine[int(red * 16 + 0.5)],
        fine[int(green * 16 + 0.5)],
        fine[int(blue * 16 + 0.5)],
    )
