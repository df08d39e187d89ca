"""Where a screen's light is taken off by another amount, and which colours it is not taken off at all."""

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.colour import srgb_u8_to_oklab
from tidymargin.core.base.picture import Region
from tidymargin.core.tint.plan import Rgb, SpillPlace

Layer = NDArray[np.float32]


def fade_out(place: SpillPlace, region: Region) -> Layer:
    """Return how much of a place's own amount counts in a region, (h, w) 0 to 1: all of it in its inner half."""
    rows = np.arange(region.top, region.bottom, dtype=np.float32)[:, None] - np.float32(place.row)
    cols = np.arange(region.left, region.right, dtype=np.float32)[None] - np.float32(place.col)
    away = np.sqrt(rows * rows + cols * cols) / np.float32(place.radius_px)
    return np.asarray(np.clip(2 - 2 * away, 0, 1), np.float32)


def hold_guarded(figure: Layer, guards: tuple[tuple[Rgb, float], ...]) -> Layer:
    """Return how much a figure's colours are guarded, (h, w) 0 to 1: wholly within the distance of one, fading to twice that.

    Parameters
    ----------
    figure : (h, w, 3) ndarray of float32
        0 to 255.
    guards : tuple of (colour, distance)
        The distance is 100 times that in OKLab.
    """
    lab = srgb_u8_to_oklab(np.clip(np.rint(figure), 0, 255).astype(np.uint8))
    held = np.zeros(figure.shape[:2])
    for colour, distance in guards:
        own = srgb_u8_to_oklab(np.array([[colour]], np.uint8))
        away = 100 * np.linalg.norm(lab - own, axis=-1)
        np.maximum(held, np.clip(2 - away / max(distance, 1e-3), 0, 1), out=held)
    return held.astype(np.float32)
