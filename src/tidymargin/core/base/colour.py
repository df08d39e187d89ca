"""sRGB, linear light and OKLab, and the distance between colours that people see.

Sources: IEC 61966-2-1 for sRGB; B. Ottosson, "A perceptual color space for image processing"
(2020), for OKLab.
"""

from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

_M1 = np.array(
    [
        [0.4122214708, 0.5363325363, 0.0514459929],
        [0.2119034982, 0.6806995451, 0.1073969566],
        [0.0883024619, 0.2817188376, 0.6299787005],
    ]
)
_M2 = np.array(
    [
        [0.2104542553, 0.7936177850, -0.0040720468],
        [1.9779984951, -2.4285922050, 0.4505937099],
        [0.0259040371, 0.7827717662, -0.8086757660],
    ]
)


def srgb_to_linear(rgb_srgb: NDArray[np.floating]) -> NDArray[np.float64]:
    """Decode sRGB.

    Parameters
    ----------
    rgb_srgb : ndarray of float
        Display-coded values, 0 to 1, any shape.

    Returns
    -------
    ndarray of float64
        Linear light, 0 to 1, same shape.
    """
    v = np.asarray(rgb_srgb, np.float64)
    return np.where(v <= 0.04045, v / 12.92, ((np.maximum(v, 0) + 0.055) / 1.055) ** 2.4)


def linear_to_srgb(rgb_linear: NDArray[np.floating]) -> NDArray[np.float64]:
    """Encode linear light as sRGB; the inverse of `srgb_to_linear`."""
    v = np.asarray(rgb_linear, np.float64)
    return np.where(
        v <= 0.0031308, v * 12.92, 1.055 * np.maximum(v, 0.0031308) ** (1 / 2.4) - 0.055
    )


def linear_to_oklab(rgb_linear: NDArray[np.floating]) -> NDArray[np.float64]:
    """Convert linear sRGB to OKLab.

    Parameters
    ----------
    rgb_linear : (..., 3) ndarray of float
        Linear sRGB, 0 to 1.

    Returns
    -------
    (..., 3) ndarray of float64
        L in 0 to 1, a and b about -0.4 to 0.4.
    """
    return np.asarray(np.cbrt(np.asarray(rgb_linear, np.float64) @ _M1.T) @ _M2.T)


def srgb_u8_to_oklab(rgb_srgb_u8: NDArray[np.uint8]) -> NDArray[np.float64]:
    """Convert 8-bit sRGB to OKLab; shape (..., 3) in and out."""
    return linear_to_oklab(LINEAR_OF_U8.astype(np.float64)[rgb_srgb_u8])


LINEAR_OF_U8: NDArray[np.float32] = srgb_to_linear(np.arange(256) / 255).astype(np.float32)
"""Linear light of each 8-bit sRGB value."""

LUMA_RED, LUMA_GREEN, LUMA_BLUE = 0.299, 0.587, 0.114
"""What each channel adds to the luma (ITU-R BT.601)."""

BLUE_SCALE, RED_SCALE = 0.564, 0.713
"""What a difference of blue and of red from the luma counts as chroma (ITU-R BT.601)."""

LUMA: NDArray[np.float64] = np.array([LUMA_RED, LUMA_GREEN, LUMA_BLUE])

_A = _M1.astype(np.float32)
_B = _M2.astype(np.float32)


_ROOT_CELLS = 65536  # of the table: its error is under 1e-6
_ROOTS = np.cbrt(np.arange(_ROOT_CELLS + 2) / _ROOT_CELLS).astype(np.float32)


@njit(cache=True, nogil=True, inline="always")
def _root_kernel(value):  # type: ignore[no-untyped-def]
    """Cube root of 0 to 1 from a table: right to 5e-6 from the light of the darkest 8-bit value up."""
    at = value * _ROOT_CELLS
    cell = int(at)
    return _ROOTS[cell] + (at - cell) * (_ROOTS[cell + 1] - _ROOTS[cell])


@njit(cache=True, nogil=True, inline="always")
def oklab_kernel(red: float, green: float, blue: float) -> tuple[float, float, float]:
    """OKLab of one linear sRGB colour, 0 to 1 each; the kernel twin of `linear_to_oklab`."""
    long = _root_kernel(_A[0, 0] * red + _A[0, 1] * green + _A[0, 2] * blue)
    medium = _root_kernel(_A[1, 0] * red + _A[1, 1] * green + _A[1, 2] * blue)
    short = _root_kernel(_A[2, 0] * red + _A[2, 1] * green + _A[2, 2] * blue)
    return (
        _B[0, 0] * long + _B[0, 1] * medium + _B[0, 2] * short,
        _B[1, 0] * long + _B[1, 1] * medium + _B[1, 2] * short,
        _B[2, 0] * long + _B[2, 1] * medium + _B[2, 2] * short,
    )


@njit(cache=True, nogil=True, inline="always")
def to_luma_chroma_kernel(red, green, blue):  # type: ignore[no-untyped-def]
    """ITU-R BT.601 luma, and the two scaled colour differences."""
    luma = LUMA_RED * red + LUMA_GREEN * green + LUMA_BLUE * blue
    return luma, BLUE_SCALE * (blue - luma), RED_SCALE * (red - luma)


@njit(cache=True, nogil=True, inline="always")
def to_rgb_kernel(luma, blue_way, red_way):  # type: ignore[no-untyped-def]
    """Undo `to_luma_chroma_kernel`."""
    blue = blue_way / BLUE_SCALE + luma
    red = red_way / RED_SCALE + luma
    return red, (luma - LUMA_RED * red - LUMA_BLUE * blue) / LUMA_GREEN, blue


@njit(cache=True, nogil=True)
def lean_kernel(u, v, ground_u, ground_v):  # type: ignore[no-untyped-def]
    """Return how much of a ground's chroma a colour has, 1 for all of it, and how alike their hues are.

    The second is the squared cosine between both chromas, 0 to 1.
    """
    along = u * ground_u + v * ground_v
    power = ground_u * ground_u + ground_v * ground_v + 1e-6
    return along / power, along * along / (power * (u * u + v * v) + 1e-6)


def most_of_channels(values: NDArray[Any]) -> NDArray[Any]:
    """Return the largest of the three values in the last axis; NumPy takes many times as long over so short an axis."""
    return np.asarray(np.maximum(np.maximum(values[..., 0], values[..., 1]), values[..., 2]))


def least_of_channels(values: NDArray[Any]) -> NDArray[Any]:
    """Return the smallest of the three values in the last axis."""
    return np.asarray(np.minimum(np.minimum(values[..., 0], values[..., 1]), values[..., 2]))
