"""What is known at some places of a grid, carried on to the others."""

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

_KNOWN = 0.9  # of a cell, from which nothing is carried there; typed
_SMOOTH_CELLS = 1.2  # sigma that what is known is smoothed by; typed


@njit(cache=True, nogil=True)
def _weigh_kernel(values, weight, out):  # type: ignore[no-untyped-def]
    """Fill values times their places' weight."""
    for row in range(out.shape[0]):
        for col in range(out.shape[1]):
            for channel in range(3):
                out[row, col, channel] = values[row, col, channel] * weight[row, col]


@njit(cache=True, nogil=True)
def _mean_kernel(sums, weight, least, out):  # type: ignore[no-untyped-def]
    """Fill weighed sums over their weight, which counts as `least` where it is less."""
    for row in range(out.shape[0]):
        for col in range(out.shape[1]):
            for channel in range(3):
                out[row, col, channel] = sums[row, col, channel] / max(weight[row, col], least)


@njit(cache=True, nogil=True)
def _blend_kernel(values, weight, others):  # type: ignore[no-untyped-def]
    """Mix values, in place, with others where their weight is below 1."""
    for row in range(values.shape[0]):
        for col in range(values.shape[1]):
            kept = min(np.float32(1.0), max(np.float32(0.0), weight[row, col]))
            if kept == 1.0:
                continue
            for channel in range(3):
                other = others[row, col, channel] * (np.float32(1.0) - kept)
                values[row, col, channel] = values[row, col, channel] * kept + other


def _weighed(values: NDArray[np.float32], weight: NDArray[np.float32]) -> NDArray[np.float32]:
    out = np.empty(values.shape, np.float32)
    _weigh_kernel(values, weight, out)
    return out


def _mean_of(
    sums: NDArray[np.float32], weight: NDArray[np.float32], least: float
) -> NDArray[np.float32]:
    out = np.empty(sums.shape, np.float32)
    _mean_kernel(sums, weight, np.float32(least), out)
    return out


def _fill(values: NDArray[np.float32], weight: NDArray[np.float32]) -> None:
    """Fill places without weight, in place, from coarser and coarser averages of those with it."""
    height, width = weight.shape
    if min(height, width) <= 2 or bool((weight > _KNOWN).all()):
        total = max(float(weight.sum()), 1e-6)
        mean = _weighed(values, weight).sum(axis=(0, 1)) / np.float32(total)
        _blend_kernel(values, weight, np.ascontiguousarray(np.broadcast_to(mean, values.shape)))
        return
    half = ((width + 1) // 2, (height + 1) // 2)
    coarse_weight = np.asarray(cv2.resize(weight, half, interpolation=cv2.INTER_AREA), np.float32)
    sums = cv2.resize(_weighed(values, weight), half, interpolation=cv2.INTER_AREA)
    coarse = _mean_of(np.asarray(sums, np.float32), coarse_weight, 1e-6)
    _fill(coarse, np.minimum(1, 2 * coarse_weight))
    smooth = cv2.GaussianBlur(
        cv2.resize(coarse, (width, height), interpolation=cv2.INTER_LINEAR), (0, 0), 1.0
    )
    _blend_kernel(values, weight, np.asarray(smooth))


def carry_on(rest: NDArray[np.float32], sound: NDArray[np.bool_]) -> NDArray[np.float32]:
    """Return what a surface leaves over on sound ground, smoothed, and carried on beyond it."""
    weight = sound.astype(np.float32)
    near = np.asarray(cv2.GaussianBlur(weight, (0, 0), _SMOOTH_CELLS), np.float32)
    sums = np.asarray(cv2.GaussianBlur(_weighed(rest, weight), (0, 0), _SMOOTH_CELLS), np.float32)
    smooth = _mean_of(sums, near, 1e-3)
    _fill(smooth, weight)
    return smooth
