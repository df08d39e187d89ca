"""How far every place is from the ground, less what noise explains."""

from dataclasses import dataclass

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.base.colour import (
    LINEAR_OF_U8,
    linear_to_oklab,
    oklab_kernel,
    srgb_to_linear,
)
from tidymargin.core.base.components import find_pieces
from tidymargin.core.base.parallel import work_out, work_through
from tidymargin.core.base.picture import Picture, Region, whole
from tidymargin.core.ground.kinds import Ground
from tidymargin.core.ground.other_light import FINE_LINEAR, shade_away_kernel, to_fine_linear_kernel

STEP = 0.2
"""Difference per step of the quantised map."""

MAX_STEP = 255
"""Largest step; it stands for every difference of 51 and more."""

RINGING_REACH_PX = 8
"""How far a lossy block's ringing reaches from an edge."""

_RAW_PER_UNIT = 256.0  # fixed point of the raw map: differences up to 255 in 16 bits
_FLARE = 0.005
"""Of white's light, what a screen adds to every colour: near black OKLab alone makes much of nothing."""
_STRONG = 12.0  # contrast above which ringing is looked for
_FULL = 25.0  # contrast from which an edge rings as much as any
_PEAK = 5.5  # the strongest of a thousand places, in the ripple that one in ten exceeds
_MAX_RINGING = 6.0  # of difference: JPEG 50 has no more
_STILL = 2  # hundredths of a unit
_HAZE_SHARE = 0.08  # of contrast; engine.md: 0.075
_BAND_PX = 256  # rows that a thread takes at once
_RIM_ENDS_PX = 2.5  # from a strong edge, where ringing begins to be told from it; typed
_FEW_PX, _RIPPLE_AT = 50, 0.9  # of which fewer tell no ripple; its quantile; typed


@dataclass(frozen=True, slots=True, eq=False)
class Difference:
    """The difference map of a whole picture.

    Parameters
    ----------
    steps : (H, W) ndarray of uint8
        Difference in steps of 0.2, never below 0; 255 stands for 51 and more.
    ringing : float
        What lossy coding scatters over the ground near strong edges, beyond the ground's own noise, in
        units of difference, 0 to 6.
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
def _uneven_difference_kernel(rgb, linear, ground, fine, shade_weight, per_unit, out):  # type: ignore[no-untyped-def]
    """Fill differences from a ground of its own colour at every pixel.

    `linear` and `fine` hold linear light of 8-bit values and of sixteenths of them; `shade_weight` as in
    `shade_away_kernel`.
    """
    height, width = rgb.shape[:2]
    for row in range(height):
        for col in range(width):
            seen = (linear[rgb[row, col, 0]], linear[rgb[row, col, 1]], linear[rgb[row, col, 2]])
            under = to_fine_linear_kernel(
                fine, ground[row, col, 0], ground[row, col, 1], ground[row, col, 2]
            )
            away = shade_away_kernel(seen, under, shade_weight)
            out[row, col] = min(65535, int(100.0 * away * per_unit + 0.5))


@njit(cache=True, nogil=True)
def _quantise_kernel(raw, contrast, noise, ringing, strong, per_unit, step, out):  # type: ignore[no-untyped-def]
    """Take noise off, and ringing where an edge of full or lesser strength is near."""
    height, width = raw.shape
    for row in range(height):
        for col in range(width):
            strength = min(1.0, contrast[row, col] / strong)
            away = raw[row, col] / per_unit - noise - ringing * strength
            out[row, col] = min(255, int(max(0.0, away) / step + 0.5))


@njit(cache=True, nogil=True)
def _ripple_sample_kernel(raw, contrast, away_px, strong, reach, per_unit, out):  # type: ignore[no-untyped-def]
    """Count, near strong edges, how far places are from the mean of the 3 x 3 around them."""
    height, width = raw.shape
    for row in range(1, height - 1):
        for col in range(1, width - 1):
            if contrast[row, col] < strong or not _RIM_ENDS_PX <= away_px[row, col] <= reach:
                continue
            total = 0
            for there in range(row - 1, row + 2):
                for here in range(col - 1, col + 2):
                    total += raw[there, here]
            ripple = abs(raw[row, col] - total / 9.0) / per_unit
            out[min(999, int(ripple * 100))] += 1


@njit(cache=True, nogil=True)
def _below_kernel(raw, contrast, base, share, out):  # type: ignore[no-untyped-def]
    """Mark what differs by no more than a base, plus a share of the contrast near it where that is more.

    All in the units of the raw map; `base` is a pair: what always counts, and the least of the share.
    """
    for row in range(raw.shape[0]):
        for col in range(raw.shape[1]):
            limit = base[0] + max(base[1], share * contrast[row, col])
            out[row, col] = 1 if raw[row, col] <= limit else 0


def _below(
    raw: NDArray[np.uint16], contrast: NDArray[np.uint16], base: tuple[float, float], share: float
) -> NDArray[np.uint8]:
    out = np.empty(raw.shape, np.uint8)

    def mark(band: Region) -> None:
        _below_kernel(raw[band.slices], contrast[band.slices], base, share, out[band.slices])

    work_through(mark, whole(*raw.shape).bands(_BAND_PX))
    return out


def _touching_border(mask: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Return the pieces of a mask that touch the picture's border, as 0 and 1."""
    pieces = find_pieces(mask.view(np.bool_))
    left, top, width, height, _ = pieces.stats.T
    at_border = (left == 0) | (top == 0)
    at_border |= (left + width == mask.shape[1]) | (top + height == mask.shape[0])
    at_border[0] = False
    touching = np.zeros(mask.shape, np.bool_)
    pieces.mark(at_border, touching)
    return touching.view(np.uint8)


def _measure_ringing(raw: NDArray[np.uint16], contrast: NDArray[np.uint16], noise: float) -> float:
    """Return how much more than the ground's noise lossy coding scatters between 2.5 and 8 px from edges.

    Ringing ripples, while a pale outline is even: so what is measured is how far places differ from
    the mean around them, and not how far from the ground.
    """
    # what the figure closes in does not count, nor what differs by too much to be haze
    haze = _below(raw, contrast, (noise * _RAW_PER_UNIT, _RAW_PER_UNIT), _HAZE_SHARE)
    clear = np.asarray(cv2.erode(_touching_border(haze), np.ones((3, 3), np.uint8)))
    del haze
    everywhere = whole(*raw.shape)

    def count(band: Region) -> NDArray[np.int64]:
        # a ripple is seen against the row before and after; edges farther off than the reach are of no account
        seen = band.grown(1, everywhere)
        around = band.grown(RINGING_REACH_PX + 2, everywhere)
        at = around.slices
        faint = np.empty(raw[at].shape, np.uint8)
        _below_kernel(raw[at], contrast[at], (0.0, _STRONG / 2 * _RAW_PER_UNIT), 0.5, faint)
        away_px = np.asarray(cv2.distanceTransform(faint, cv2.DIST_L2, 3))
        away_px[clear[at] == 0] = 0
        counts = np.zeros(1000, np.int64)
        _ripple_sample_kernel(
            raw[seen.slices], contrast[seen.slices], away_px[seen.seen_from(around).slices],
            _STRONG * _RAW_PER_UNIT, RINGING_REACH_PX, _RAW_PER_UNIT, counts,
        )  # fmt: skip
        return counts

    # the picture's first and last rows and columns have nothing around them
    inner = Region(1, 0, everywhere.bottom - 1, everywhere.right)
    counts = np.sum(work_out(count, inner.bands(_BAND_PX)), axis=0)
    total = int(np.sum(counts))
    if total < _FEW_PX:
        return 0.0
    share = np.cumsum(counts) / total
    if (
        share[_STILL] > 0.5
    ):  # without lossy coding most of a ground near an edge is as even as elsewhere
        return 0.0
    ripple = int(np.searchsorted(share, _RIPPLE_AT)) / 100
    return float(np.clip(_PEAK * ripple - noise, 0.0, _MAX_RINGING))


def _flare(light: NDArray[np.floating]) -> NDArray[np.float32]:
    return np.asarray((light + _FLARE) / (1 + _FLARE), np.float32)


def _measure_raw(picture: Picture, ground: Ground) -> NDArray[np.uint16]:
    """Return the difference in units of 1/256, nothing taken off, band by band."""
    raw = np.empty(picture.rgb.shape[:2], np.uint16)
    if ground.is_even:
        light = srgb_to_linear(ground.over(Region(0, 0, 1, 1))[0, 0] / 255)
        colour = linear_to_oklab(_flare(light)).astype(np.float32)
        linear = _flare(LINEAR_OF_U8)

    def fill(band: Region) -> None:
        rgb, out = picture.rgb[band.slices], raw[band.slices]
        if ground.is_even:
            _raw_difference_kernel(rgb, linear, colour, _RAW_PER_UNIT, out)
        else:
            _uneven_difference_kernel(
                rgb, LINEAR_OF_U8, ground.over(band), FINE_LINEAR,
                np.float32(ground.shade_weight), _RAW_PER_UNIT, out,
            )  # fmt: skip

    work_through(fill, whole(picture.height, picture.width).bands(_BAND_PX))
    return raw


def _measure_contrast(raw: NDArray[np.uint16]) -> NDArray[np.uint16]:
    """Return the strongest difference within reach of ringing."""
    everywhere = whole(*raw.shape)
    around_px = np.ones((2 * RINGING_REACH_PX + 1,) * 2, np.uint8)
    contrast = np.empty(raw.shape, np.uint16)

    def fill(band: Region) -> None:
        around = band.grown(RINGING_REACH_PX, everywhere)
        widened = np.asarray(cv2.dilate(raw[around.slices], around_px))
        contrast[band.slices] = widened[band.seen_from(around).slices]

    work_through(fill, everywhere.bands(_BAND_PX))
    return contrast


def measure_difference(picture: Picture, ground: Ground) -> Difference:
    """Measure 100 x OKLab distance from the ground as a screen shows both, less the local noise allowance.

    The allowance is the ground's own noise, plus the measured ringing within 8 px of strong edges.

    Parameters
    ----------
    picture : Picture
        Pixels that came in fully transparent get difference 0.
    ground : Ground
        As measured from the same picture.

    Returns
    -------
    Difference
        Same height and width as the picture.
    """
    raw = _measure_raw(picture, ground)
    contrast = _measure_contrast(raw)
    ringing = _measure_ringing(raw, contrast, ground.noise)
    steps = np.empty(raw.shape, np.uint8)

    def quantise(band: Region) -> None:
        at = band.slices
        _quantise_kernel(
            raw[at], contrast[at], ground.noise, ringing, _FULL * _RAW_PER_UNIT, _RAW_PER_UNIT, STEP, steps[at]
        )  # fmt: skip

    work_through(quantise, whole(*raw.shape).bands(_BAND_PX))
    if picture.alpha is not None:
        steps[picture.alpha == 0] = 0
    return Difference(steps, ringing)


def all_figure(picture: Picture) -> Difference:
    """Return the difference map of a picture that shows no ground: only what came in transparent is 0."""
    steps = np.full(picture.rgb.shape[:2], MAX_STEP, np.uint8)
    if picture.alpha is not None:
        steps[picture.alpha == 0] = 0
    return Difference(steps, 0.0)
