"""Colours that are never cleared, wherever they are."""

from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.base.colour import LINEAR_OF_U8, linear_to_oklab, oklab_kernel, srgb_to_linear


@dataclass(frozen=True, slots=True)
class Guard:
    """A colour that is never cleared.

    `rgb_srgb` is display-coded, 0 to 255; `tolerance` the difference from it that is guarded, 0 to 50.
    """

    rgb_srgb: tuple[int, int, int]
    tolerance: float


@njit(cache=True, nogil=True)
def _guard_kernel(rgb, linear, colour, reach, wall, steps):  # type: ignore[no-untyped-def]
    for row in range(rgb.shape[0]):
        for col in range(rgb.shape[1]):
            lightness, green_red, blue_yellow = oklab_kernel(
                linear[rgb[row, col, 0]], linear[rgb[row, col, 1]], linear[rgb[row, col, 2]]
            )
            away = (
                (lightness - colour[0]) ** 2
                + (green_red - colour[1]) ** 2
                + (blue_yellow - colour[2]) ** 2
            )
            if away <= reach * reach:
                steps[row, col] = wall


def set_guarded(
    rgb: NDArray[np.uint8], guards: tuple[Guard, ...], value: int, out: NDArray[np.uint8]
) -> None:
    """Set `out`, (h, w) uint8, to a value wherever a picture, (h, w, 3) uint8, has a guarded colour."""
    for guard in guards:
        colour = linear_to_oklab(srgb_to_linear(np.array(guard.rgb_srgb) / 255)).astype(np.float32)
        _guard_kernel(rgb, LINEAR_OF_U8, colour, guard.tolerance / 100, np.uint8(value), out)
