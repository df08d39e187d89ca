"""Resizing a cut: what is clear has no colour to give, so colours are weighed by the matte."""

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.colour import linear_to_srgb, srgb_to_linear

_BAND_PX = 256  # rows at a time: what is enlarged is far larger than what it is made of


def _scale(layer: NDArray[Any], height: int, width: int) -> NDArray[Any]:
    # smaller, the mean of all that a pixel covers; larger, a curve through the pixels
    shrinks = height <= layer.shape[0] and width <= layer.shape[1]
    how = cv2.INTER_AREA if shrinks else cv2.INTER_CUBIC
    return np.asarray(cv2.resize(layer, (width, height), interpolation=how))


def resize_cut(
    rgba: NDArray[np.uint8], height: int, width: int, *, in_linear: bool = False
) -> NDArray[np.uint8]:
    """Return a cut at another size.

    Parameters
    ----------
    rgba : (H, W, 4) ndarray of uint8
        Straight alpha.
    height, width : int
        Of what is wanted.
    in_linear : bool
        Whether colours are averaged as light and not as they are coded: fine detail then keeps its brightness, and
        rims laid by a browser, which lays coded colours, grow a little paler.

    Returns
    -------
    (height, width, 4) ndarray of uint8
        Straight alpha; where it is clear, the colour of what is carried on there.
    """
    if rgba.shape[:2] == (height, width):
        return rgba
    share = rgba[..., 3].astype(np.float32) / np.float32(255)
    weight = _scale(share, height, width)  # a curve may overshoot, in colours as in the matte
    out = np.empty((height, width, 4), np.uint8)
    bands = [slice(top, top + _BAND_PX) for top in range(0, height, _BAND_PX)]
    for band in bands:
        out[band, :, 3] = np.rint(np.clip(weight[band], 0, 1) * 255)
    stands = weight > 0.5 / 255
    weight[~stands] = 1
    for channel in range(3):  # one at a time, or a large sheet would take gigabytes
        own = np.ascontiguousarray(rgba[..., channel])
        carried = _scale(own, height, width)
        values = srgb_to_linear(own / np.float32(255)) if in_linear else own.astype(np.float32)
        scaled = _scale(values * share, height, width)
        for band in bands:
            mean = scaled[band] / weight[band]
            if in_linear:
                mean = 255 * linear_to_srgb(np.clip(mean, 0, 1))
            out[band, :, channel] = np.rint(np.clip(np.where(stands[band], mean, carried[band]), 0, 255))  # fmt: skip
    return out


def remove_clear_colour(rgba: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Return a cut whose wholly clear places are black, (H, W, 4) uint8: smaller files, and nothing of what was there."""
    return np.where(rgba[..., 3:] == 0, np.uint8(0), rgba)


def lay_on(rgba: NDArray[np.uint8], colour: tuple[int, int, int]) -> NDArray[np.uint8]:
    """Return a cut laid on a colour, (H, W, 3) uint8, as a browser lays it."""
    share = rgba[..., 3:].astype(np.uint16)
    mixed = rgba[..., :3] * share + np.array(colour, np.uint16) * (255 - share)
    return ((mixed.astype(np.uint32) + 127) // 255).astype(np.uint8)
