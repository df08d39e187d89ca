"""Slivers of a screen: gaps of a pixel or two, where coding has blurred the chroma away.

Chroma is blurred but keeps its sum, so over a few pixels it says how much ground there is; luma says where, but a
narrow dip of it may as well be a line of the figure. So the ground that every dip of luma allows is shared out
again until, blurred, it makes the chroma that is seen: the multiplicative update of Richardson (1972) and Lucy
(1974) in its least-squares form (Daube-Witherspoon and Muehllehner 1986), held below the dip.
"""

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.colour import lean_kernel, to_luma_chroma_kernel
from tidymargin.core.unexplained import UNEXPLAINED_HALO_PX, specks_kernel, unmatched_kernel

ALIKE = 12.0
"""Levels of luma between a place and the even colour that it is taken for, at most."""

SLIVER_PX = 4
"""No dip of luma is filled that is wider."""

_CONTRAST = 24.0  # levels of luma between figure and ground, below which a dip tells nothing
_LEAN_SLACK = 0.08  # a figure may lean so much more than its even colours of that luma do
_LEAST_DIP = 38  # of 256
_MOST_DIP = 300
_NOTICED = 4.0  # grains
_SHARED = 0.3  # of what its luma allows, from which a dip is ground
_SHARED_UNMATCHED = 0.05  # the same where nothing of the figure's nearby is as deep
_ROUNDS = 3
_EVEN_SHARE = 0.25  # of what luma allows: where rounds begin at an even colour of the figure
_EVEN_BESIDE = 3  # of the eight places beside one that are as light, where that is an even colour
_BLUR = (5, 5)  # of chroma sampled at half the size and smoothed as it is enlarged, near enough
_UNIT = 32  # of the sums, in what `lean` and `dip` are in: whole numbers, so that every region gets the same
_FREE = 512 * _UNIT  # added while sums may be negative

SLIVERS_HALO_PX = SLIVER_PX + 1 + (2 * _ROUNDS + 1) * (_BLUR[0] // 2) + UNEXPLAINED_HALO_PX
"""How much of the surroundings finding them needs."""


@njit(cache=True, nogil=True)
def _dips_kernel(rgb, ground, cleared, near, light, dark, least, own, most_lean, lean, dip):  # type: ignore[no-untyped-def]
    """Fill how much ground each pixel holds by its chroma (`lean`) and by its luma (`dip`), in 1/256.

    `light` and `dark` are the luma with narrow dark, or narrow light, places filled. The lean that the figure
    has of itself is taken off: that of its even colours, `own`, which are as light, or the most it may be.
    """
    for row in range(cleared.shape[0]):
        for col in range(cleared.shape[1]):
            if cleared[row, col] or not near[row, col]:
                lean[row, col] = dip[row, col] = 256 if cleared[row, col] else 0
                continue
            by, bu, bv = to_luma_chroma_kernel(
                ground[row, col, 0], ground[row, col, 1], ground[row, col, 2]
            )
            y, u, v = to_luma_chroma_kernel(
                float(rgb[row, col, 0]), float(rgb[row, col, 1]), float(rgb[row, col, 2])
            )
            along, _ = lean_kernel(u, v, bu, bv)
            above, below = light[row, col] - by, by - dark[row, col]
            share, level = 0.0, y
            if above > _CONTRAST and (y > by - _CONTRAST or below <= _CONTRAST):
                if light[row, col] - y > least:
                    level = light[row, col]
                    share = (light[row, col] - y) / above
            elif below > _CONTRAST and y - dark[row, col] > least:
                level = dark[row, col]
                share = (y - dark[row, col]) / below
            dip[row, col] = int(np.rint(256.0 * min(2.0, max(0.0, share))))
            figure, is_known = -1.0, False
            for entry in range(own.shape[0]):
                if abs(own[entry, 0] - level) <= ALIKE:
                    leant, _ = lean_kernel(own[entry, 1], own[entry, 2], bu, bv)
                    figure, is_known = max(figure, leant + _LEAN_SLACK), True
            if not is_known:
                figure = most_lean
            along = (along - figure) / (1.0 - figure)
            lean[row, col] = int(np.rint(256.0 * min(1.5, max(-1.0, along))))


@njit(cache=True, nogil=True, inline="always")
def find_as_light(luma, own, row, col, beside):  # type: ignore[no-untyped-def]
    """Return the even colour that a place is as light as, and so are that many of the eight beside it; or -1."""
    for entry in range(own.shape[0]):
        if abs(own[entry, 0] - float(luma[row, col])) > ALIKE:
            continue
        count = -1
        for there in range(row - 1, row + 2):
            for here in range(col - 1, col + 2):
                count += abs(own[entry, 0] - float(luma[there, here])) <= ALIKE
        if count >= beside:
            return entry
    return -1


@njit(cache=True, nogil=True)
def _hold_even_kernel(luma, own, share):  # type: ignore[no-untyped-def]
    """Lessen the share of what is as light as an even colour of the figure, and so are places beside it.

    Where both would make the chroma that is seen, a gap beside a line of that colour is likelier than a wider gap.
    """
    for row in range(1, luma.shape[0] - 1):
        for col in range(1, luma.shape[1] - 1):
            if share[row, col] > 0 and find_as_light(luma, own, row, col, _EVEN_BESIDE) >= 0:
                share[row, col] = int(share[row, col] * _EVEN_SHARE)


@njit(cache=True, nogil=True)
def _share_out_kernel(allowed, seen, made, share):  # type: ignore[no-untyped-def]
    """Move each share by what is seen around it over what it makes there, half as far again, to converge sooner."""
    for row in range(share.shape[0]):
        for col in range(share.shape[1]):
            if share[row, col] == 0:
                continue
            rate = max(0.0, float(seen[row, col]) - _FREE) / max(1.0, float(made[row, col]))
            moved = share[row, col] * rate * np.sqrt(rate)
            share[row, col] = int(np.rint(min(float(allowed[row, col]), moved)))


def find_slivers(
    rgb: NDArray[np.uint8],
    ground: NDArray[np.float32],
    cleared: NDArray[np.bool_],
    leans: NDArray[np.bool_],
    near: NDArray[np.uint8],
    own: NDArray[np.float64],
    most_lean: float,
    grain: float,
) -> NDArray[np.bool_]:
    """Find ground in gaps so narrow that their own colour does not tell.

    Parameters
    ----------
    rgb : (h, w, 3) ndarray of uint8
        A region of the picture.
    ground : (h, w, 3) ndarray of float32
        The screen there, 0 to 255.
    cleared, leans : (h, w) ndarray of bool
        What reach clears, and what is told to be ground by its own colour.
    near : (h, w) ndarray of uint8
        Where to look; 0 elsewhere.
    own : (N, 3) ndarray of float64
        Luma and chroma of the figure's even colours.
    most_lean : float
        How far the figure's even colours lean to the screen's hue, as a share of the screen's chroma.
    grain : float
        Coding noise near edges in 8-bit levels.

    Returns
    -------
    (h, w) ndarray of bool
        Nothing of it is cleared or leans. The same for a region and for the crop of a larger one,
        `SLIVERS_HALO_PX` from its ends.
    """
    luma = np.asarray(cv2.cvtColor(rgb, cv2.COLOR_RGB2GRAY))
    window = np.ones((SLIVER_PX + 1, SLIVER_PX + 1), np.uint8)
    light = np.asarray(cv2.morphologyEx(luma, cv2.MORPH_CLOSE, window)).astype(np.int32)
    dark = np.asarray(cv2.morphologyEx(luma, cv2.MORPH_OPEN, window)).astype(np.int32)
    lean, dip = (np.empty(cleared.shape, np.int32) for _ in range(2))
    _dips_kernel(
        rgb, ground, cleared, near, light, dark, _NOTICED * grain, own, most_lean, lean, dip
    )
    is_asked = ~(cleared | leans) & (dip >= _LEAST_DIP) & (dip <= _MOST_DIP)
    if not is_asked.any():
        return is_asked
    seen = cv2.GaussianBlur((lean * _UNIT + _FREE).astype(np.uint16), _BLUR, 0)
    dip[leans] = np.maximum(dip, lean)[leans]
    allowed = (np.minimum(dip, _MOST_DIP) * _UNIT).astype(np.uint16)
    share = allowed.copy()
    _hold_even_kernel(luma, own, share)
    for _ in range(_ROUNDS):
        made = cv2.GaussianBlur(cv2.GaussianBlur(share, _BLUR, 0), _BLUR, 0)
        _share_out_kernel(allowed, seen, made, share)
    found = is_asked & (share > _SHARED * allowed)
    unmatched, specks = np.zeros((2, *found.shape), np.bool_)
    doubtful = is_asked & ~found
    has_trace = doubtful & (share > _SHARED_UNMATCHED * allowed)
    unmatched_kernel(luma, ground, cleared | leans | found | has_trace, has_trace, own, unmatched)
    found |= unmatched
    specks_kernel(luma, light, dark, ground, cleared | leans | found, doubtful & ~found, specks)
    return np.asarray(found | specks)
