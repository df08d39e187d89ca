"""How far every place is from the ground, less what noise explains."""

from dataclasses import dataclass

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.colour import LINEAR_OF_U8, oklab_kernel
from tidymargin.core.ground import FlatGround
from tidymargin.core.picture import Picture

STEP = 0.2
"""Difference per step of the quantised map."""

MAX_STEP = 255
"""Largest step; it stands for every difference of 51 and more."""

RINGING_REACH_PX = 8
"""How far a lossy block's ringing reaches from an edge."""

_RAW_PER_UNIT = 256.0  # fixed point of the raw map: differences up to 255 in 16 bits
_STRONG = 12.0  # contrast above which ringing is looked for
_MAX_RINGING = 0.12


@dataclass(frozen=True, slots=True, eq=False)
class Difference:
    """The difference map of a whole picture.

    Parameters
    ----------
    steps : (H, W) ndarray of uint8
        Difference in steps of 0.2, never below 0; 255 stands for 51 and more.
    ringing : float
        Measured share of the local contrast that lossy coding scatters over the ground, 0 to 0.12.
    """

    steps: NDArray[np.uint8]
    ringing: float


@njit(cache=True, nogil=True)
def _raw_difference_kernel(rgb, linear, ground, per_unit, out):  # type: ignore[no-untyped-def]
    height, width = rgb.shape[:2]
    for row in range(height):
        last_r, last_g, last_b, last = -1, -1, -1, 0
        for col in range(width):
            r, g, b = rgb[row, col, 0], rgb[row, col, 1], rgb[row, col, 2]
            if r != last_r or g != last_g or b != last_b:
                lightness, green_red, blue_yellow = oklab_kernel(linear[r], linear[g], linear[b])
                away = (
                    (lightness - ground[0]) ** 2
                    + (green_red - ground[1]) ** 2
                    + (blue_yellow - ground[2]) ** 2
                ) ** 0.5
                last = min(65535, int(100.0 * away * per_unit + 0.5))
                last_r, last_g, last_b = r, g, b
            out[row, col] = last


@njit(cache=True, nogil=True)
def _quantise_kernel(raw, contrast, noise, ringing, per_unit, step, out):  # type: ignore[no-untyped-def]
    height, width = raw.shape
    for row in range(height):
        for col in range(width):
            away = raw[row, col] / per_unit - noise - ringing * contrast[row, col] / per_unit
            out[row, col] = min(255, int(max(0.0, away) / step + 0.5))


@njit(cache=True, nogil=True)
def _ringing_sample_kernel(raw, contrast, away_px, strong, reach, out):  # type: ignore[no-untyped-def]
    count = 0
    height, width = raw.shape
    for row in range(height):
        for col in range(width):
            if contrast[row, col] < strong or not 2.5 <= away_px[row, col] <= reach:
                continue
            ratio = raw[row, col] / contrast[row, col]
            if ratio < 0.2:
                out[min(199, int(ratio * 1000))] += 1
                count += 1
    return count


def _measure_ringing(raw: NDArray[np.uint16], contrast: NDArray[np.uint16]) -> float:
    """Return the share of local contrast found as haze on the ground between 2.5 and 8 px from edges."""
    half = np.maximum(contrast // 2, int(_STRONG / 2 * _RAW_PER_UNIT))
    away_px = cv2.distanceTransform((raw <= half).astype(np.uint8), cv2.DIST_L2, 3)
    counts = np.zeros(200, np.int64)
    total = _ringing_sample_kernel(
        raw, contrast, away_px, _STRONG * _RAW_PER_UNIT, RINGING_REACH_PX, counts
    )
    if total < 50:
        return 0.0
    share = np.cumsum(counts) / total
    typical, high = (int(np.searchsorted(share, q)) / 1000 for q in (0.6, 0.9))
    # Pale parts of a figure near its outline look like haze too, but they leave the typical place at 0.
    if typical == 0 and high < 0.002:
        return 0.0
    return float(np.clip(min(high * 1.6, typical * 5), 0.0, _MAX_RINGING))


def measure_difference(picture: Picture, ground: FlatGround) -> Difference:
    """Measure 100 x OKLab distance from the ground, less the local noise allowance.

    The allowance is the ground's own noise, plus, near strong edges, the measured ringing times the
    largest contrast within 8 px.

    Parameters
    ----------
    picture : Picture
        Pixels that came in fully transparent get difference 0.
    ground : FlatGround
        As measured from the same picture.

    Returns
    -------
    Difference
        Same height and width as the picture.
    """
    raw = np.empty(picture.rgb.shape[:2], np.uint16)
    _raw_difference_kernel(
        picture.rgb, LINEAR_OF_U8, ground.oklab.astype(np.float32), _RAW_PER_UNIT, raw
    )
    side = 2 * RINGING_REACH_PX + 1
    contrast = np.asarray(cv2.dilate(raw, np.ones((side, side), np.uint8)), np.uint16)
    ringing = _measure_ringing(raw, contrast)
    steps = np.empty(raw.shape, np.uint8)
    _quantise_kernel(raw, contrast, ground.noise, ringing, _RAW_PER_UNIT, STEP, steps)
    if picture.alpha is not None:
        steps[picture.alpha == 0] = 0
    return Difference(steps, ringing)


def all_figure(picture: Picture) -> Difference:
    """Return the difference map of a picture that shows no ground: only what came in transparent is 0."""
    steps = np.full(picture.rgb.shape[:2], MAX_STEP, np.uint8)
    if picture.alpha is not None:
        steps[picture.alpha == 0] = 0
    return Difference(steps, 0.0)
