"""A cut placed in a scene: scaled, mirrored, turned and moved, of which bands of rows are made as they are wanted.

What is not scaled or turned and lies at whole pixels is taken as it is. What is made smaller is the mean of all that a pixel covers, wherever
its sides lie; larger, a curve through the pixels; turned, the mean of sixteen by sixteen places of each pixel. Colours are weighed by the matte.
"""

import math
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.scenes.kernels import (
    find_turn_weights,
    reduce_kernel,
    trim_kernel,
    turn_kernel,
    weigh_kernel,
)

Rgba = NDArray[np.uint8]
Layer = NDArray[np.float64]
"""(H, W, 4): colours times the matte, and the matte, 0 to 255."""

AROUND = 3
"""Pixels of a cut beyond those that a band shows, which a curve through them needs."""

_WHOLE = 1e-9
_LEAST_MATTE = 1e-3


@dataclass(frozen=True, slots=True)
class Place:
    """Where a cut is in a scene.

    Parameters
    ----------
    left, top : float
        Of its upper left corner before it is turned, px of the scene.
    scale : float
        Over 0; 1 for pixel on pixel.
    turn : float
        About its middle, degrees clockwise.
    mirror : bool
        Whether left and right change places; before it is turned.
    """

    left: float = 0.0
    top: float = 0.0
    scale: float = 1.0
    turn: float = 0.0
    mirror: bool = False

    def seen(self, left: float, top: float, cell: float) -> "Place":
        """Return where it is in a window that begins at a place and has so many pixels of the scene in each of its own."""
        if cell == 1:  # whole pixels stay whole
            return Place(self.left - left, self.top - top, self.scale, self.turn, self.mirror)
        return Place((self.left - left) / cell, (self.top - top) / cell, self.scale / cell, self.turn, self.mirror)  # fmt: skip


class Placed:
    """A cut at its place.

    Parameters
    ----------
    rgba : (H, W, 4) ndarray of uint8
        The cut, straight alpha.
    place : Place
        Where.
    """

    def __init__(self, rgba: Rgba, place: Place) -> None:
        rgba = rgba[:, ::-1] if place.mirror else rgba
        # quarters of a turn need no sampling; the middle stays where it is
        quarters = round(place.turn / 90)
        turn = place.turn - 90 * quarters
        height, width = rgba.shape[0] * place.scale, rgba.shape[1] * place.scale
        middle = (place.left + width / 2, place.top + height / 2)
        if quarters % 2:
            height, width = width, height
        self.rgba = np.ascontiguousarray(np.rot90(rgba, -quarters))
        self.place = Place(middle[0] - width / 2, middle[1] - height / 2, place.scale, turn)
        self.height, self.width = height, width
        corners = self._list_corners()
        self.left, self.top = (math.floor(value + _WHOLE) for value in corners.min(axis=0).tolist())
        self.right, self.bottom = (math.ceil(value - _WHOLE) for value in corners.max(axis=0).tolist())  # fmt: skip

    def _list_corners(self) -> NDArray[np.float64]:
        angle = math.radians(self.place.turn)
        half = np.array([self.width, self.height]) / 2
        turned = np.array([[math.cos(angle), math.sin(angle)], [-math.sin(angle), math.cos(angle)]])
        corners = np.array([(-1, -1), (1, -1), (1, 1), (-1, 1)]) * half @ turned
        return np.asarray(corners + half + np.array([self.place.left, self.place.top]))

    @property
    def is_exact(self) -> bool:
        """Whether its pixels are the scene's."""
        place = self.place
        is_whole = float(place.left).is_integer() and float(place.top).is_integer()
        return place.scale == 1 and place.turn == 0 and is_whole

    def take_band(self, top: int, bottom: int) -> Layer:
        """Return rows of the scene, from `top` to `bottom`, as wide as it is itself: from its `left` to its `right`."""
        if self.is_exact:
            return _weigh(self.rgba[top - self.top : bottom - self.top])
        if self.place.turn:
            return self._turn(top, bottom)
        if self.place.scale > 1:
            return self._enlarge(top, bottom)
        return self._reduce(top, bottom)

    def _reduce(self, top: int, bottom: int) -> Layer:
        """Return the mean of all that each pixel covers."""
        scale = self.place.scale
        rows = (np.arange(top, bottom + 1) - self.place.top) / scale
        cols = (np.arange(self.left, self.right + 1) - self.place.left) / scale
        first = min(max(0, math.floor(rows[0])), len(self.rgba))
        last = max(first, min(len(self.rgba), math.ceil(rows[-1])))
        found = np.empty((bottom - top, self.right - self.left, 4))
        reduce_kernel(self.rgba[first:last], rows - first, cols, found)
        return found

    def _enlarge(self, top: int, bottom: int) -> Layer:
        """Return a curve through the pixels, as far as each pixel is within the cut's sides."""
        drawn = self._curve(top, bottom)
        down = _find_overlap(top, bottom, self.place.top, self.place.top + self.height)
        across = _find_overlap(self.left, self.right, self.place.left, self.place.left + self.width)
        return drawn * (down[:, None] * across)[..., None]

    def _turn(self, top: int, bottom: int) -> Layer:
        to_source = self._to_source(self.left, top)
        weights = find_turn_weights(*to_source[:, 0].tolist())
        drawn = np.empty((bottom - top, self.right - self.left, 4))
        turn_kernel(self.rgba, to_source, weights, drawn)
        angle = math.radians(self.place.turn)
        left = self.left + 0.5 - self.place.left - self.width / 2
        first = top + 0.5 - self.place.top - self.height / 2
        trim_kernel(math.cos(angle), math.sin(angle), left, first, self.width / 2, self.height / 2, drawn)  # fmt: skip
        return drawn

    def _to_source(self, left: int, top: int) -> NDArray[np.float64]:
        """Return from which place of the cut each place of a band comes, (2, 3), both by the middles of pixels."""
        angle, scale = math.radians(self.place.turn), self.place.scale
        turned = np.array([[math.cos(angle), math.sin(angle)], [-math.sin(angle), math.cos(angle)]])
        half = np.array([self.width, self.height]) / 2
        middle = half + np.array([self.place.left, self.place.top])
        # a place of the band, in px of the scene, less the middle, turned back, and by the scale
        shift = turned @ (np.array([left, top]) + 0.5 - middle) / scale + half / scale - 0.5
        return np.column_stack([turned / scale, shift])

    def _curve(self, top: int, bottom: int) -> Layer:
        """Return a curve through the pixels, at each place of a band."""
        to_source = self._to_source(self.left, top)
        size = (self.right - self.left, bottom - top)
        ends = np.array([(0, 0, 1), (*size, 1)]) @ to_source.T
        low = np.maximum(np.floor(ends.min(axis=0)).astype(int) - AROUND, 0)
        high = np.minimum(np.ceil(ends.max(axis=0)).astype(int) + AROUND + 1, self.rgba.shape[1::-1])  # fmt: skip
        if (high <= low).any():
            return np.zeros((bottom - top, self.right - self.left, 4))
        part = _weigh(self.rgba[low[1] : high[1], low[0] : high[0]]).astype(np.float32)
        to_source[:, 2] -= low
        drawn = cv2.warpAffine(part, to_source, size, flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REPLICATE)  # fmt: skip
        found = drawn.astype(np.float64)
        matte = np.clip(found[..., 3:], 0, 255)
        # where a curve overshoots, colours keep their share of the matte
        found[..., :3] *= matte / np.maximum(found[..., 3:], _LEAST_MATTE)
        return np.concatenate([np.clip(found[..., :3], 0, matte), matte], axis=2)


def _find_overlap(first: int, last: int, begins: float, ends: float) -> NDArray[np.float64]:
    """Return how much of each pixel from a first to a last one is within two sides, 0 to 1."""
    at = np.arange(first, last)
    return np.asarray(np.clip(np.minimum(at + 1, ends) - np.maximum(at, begins), 0, 1))


def _weigh(rgba: Rgba) -> Layer:
    weighed = np.empty(rgba.shape)
    weigh_kernel(rgba, weighed)
    return weighed
