"""A cut as scenes take it: no more than its figure, and by halves for views that are zoomed out."""

import math
import threading
from collections.abc import Callable
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.scenes.kernels import halve_kernel
from tidymargin.core.scenes.placing import AROUND, Place

Rgba = NDArray[np.uint8]


class Source:
    """What a cut shows, whatever its place.

    Parameters
    ----------
    rgba : (H, W, 4) ndarray of uint8
        The whole cut, straight alpha.

    Attributes
    ----------
    height, width : int
        Of the whole cut, px: places are said by this frame, so that a cut stays where it is when its figure grows.
    box : tuple of int
        Of all that is not wholly clear: top, left, bottom, right; one pixel where nothing is.
    is_clear : bool
        Whether nothing is.
    """

    def __init__(self, rgba: Rgba) -> None:
        self.height, self.width = rgba.shape[:2]
        shows = rgba[..., 3] > 0
        rows, cols = np.flatnonzero(shows.any(axis=1)), np.flatnonzero(shows.any(axis=0))
        self.is_clear = not len(rows)
        self.box = (0, 0, 1, 1) if self.is_clear else (int(rows[0]), int(cols[0]), int(rows[-1]) + 1, int(cols[-1]) + 1)  # fmt: skip
        # with what a curve through the pixels at its sides needs
        top, left = max(0, self.box[0] - AROUND), max(0, self.box[1] - AROUND)
        bottom, right = (
            min(self.height, self.box[2] + AROUND),
            min(self.width, self.box[3] + AROUND),
        )
        self._kept = (top, left, bottom, right)
        self._levels = [np.ascontiguousarray(rgba[top:bottom, left:right])]
        self._lock = threading.Lock()

    @property
    def rgba(self) -> Rgba:
        """The figure at full size."""
        return self._levels[0]

    @property
    def size_bytes(self) -> int:
        """What keeping it takes, with all halves."""
        return self.rgba.nbytes * 4 // 3 + 500

    def with_colours(self, change: Callable[[Rgba], Rgba]) -> "Source":
        """Return the same figure in other colours."""
        other = Source.__new__(Source)
        other.height, other.width = self.height, self.width
        other.box, other.is_clear, other._kept = self.box, self.is_clear, self._kept
        other._levels, other._lock = [change(self.rgba)], threading.Lock()
        return other

    def to_figure(self, place: Place) -> Place:
        """Return the place of the pixels at hand, where the whole cut has a place."""
        return self._to_part(place, self._kept)

    def to_box(self, place: Place) -> Place:
        """Return the place of the figure's box, where the whole cut has a place."""
        return self._to_part(place, self.box)

    def move_box(self, place: Place, left: float, top: float) -> Place:
        """Return the whole cut's place where its figure's box, before it is turned, begins at a left and a top."""
        now = self.to_box(place)
        return replace(place, left=place.left + left - now.left, top=place.top + top - now.top)

    def change(
        self, place: Place, *, scale: float | None = None, turn: float | None = None
    ) -> Place:
        """Return the whole cut's place at another scale or turn; the middle of its figure stays."""
        other = replace(place, scale=place.scale if scale is None else scale, turn=place.turn if turn is None else turn)  # fmt: skip
        before, after = (self.outline(one).mean(axis=0) for one in (place, other))
        right, down = (before - after).tolist()
        return replace(other, left=other.left + right, top=other.top + down)

    def surround(self, place: Place) -> tuple[float, float, float, float]:
        """Return the upright box around the figure's turned one: left, top, right, bottom, px of the scene."""
        corners = self.outline(place)
        (left, top), (right, bottom) = corners.min(axis=0).tolist(), corners.max(axis=0).tolist()
        return left, top, right, bottom

    def outline(self, place: Place) -> NDArray[np.float64]:
        """Return the corners of the figure's box, turned, from the upper left one on: (4, 2), x and y in px of the scene."""
        top, left, bottom, right = self.box
        part = self._to_part(place, self.box)
        half = np.array([right - left, bottom - top]) * part.scale / 2
        middle = np.array([part.left, part.top]) + half
        angle = math.radians(place.turn)
        turned = np.array([[math.cos(angle), math.sin(angle)], [-math.sin(angle), math.cos(angle)]])
        return np.asarray(np.array([(-1, -1), (1, -1), (1, 1), (-1, 1)]) * half @ turned + middle)

    def _to_part(self, place: Place, part: tuple[int, int, int, int]) -> Place:
        top, left, bottom, right = part
        across, down = (left + right - self.width) / 2, (top + bottom - self.height) / 2
        if place.mirror:
            across = -across
        angle = math.radians(place.turn)
        cos, sin = (math.cos(angle), math.sin(angle)) if place.turn else (1.0, 0.0)
        x = place.left + self.width * place.scale / 2 + (cos * across - sin * down) * place.scale
        y = place.top + self.height * place.scale / 2 + (sin * across + cos * down) * place.scale
        half = ((right - left) * place.scale / 2, (bottom - top) * place.scale / 2)
        return Place(x - half[0], y - half[1], place.scale, place.turn, place.mirror)

    def pick(self, place: Place, cell: float = 1.0) -> tuple[Rgba, Place]:
        """Return what is shown at a place, and the place of that: the figure itself, or halves of it where a view has several pixels in one.

        Parameters
        ----------
        place : Place
            Of the pixels at hand, in the view.
        cell : float
            Pixels of the scene in each of the view's; halves are taken as far as these go, so that at 1 nothing but the figure is.
        """
        level = 0
        while 2 ** (level + 1) <= cell and place.scale * 2 ** (level + 1) <= 1 and min(self.rgba.shape[:2]) >> (level + 1) >= 1:  # fmt: skip
            level += 1
        if not level:
            return self.rgba, place
        with self._lock:
            while len(self._levels) <= level:
                self._levels.append(_halve(self._levels[-1]))
        rgba, scale = self._levels[level], place.scale * 2**level
        # an odd side was cut by half a pixel at both ends: its middle stays where it was
        height, width = self.rgba.shape[:2]
        x, y = place.left + width * place.scale / 2, place.top + height * place.scale / 2
        return rgba, Place(x - rgba.shape[1] * scale / 2, y - rgba.shape[0] * scale / 2, scale, place.turn, place.mirror)  # fmt: skip


def _halve(rgba: Rgba) -> Rgba:
    """Return the mean of each two by two pixels, weighed by the matte."""
    half: Rgba = np.empty((rgba.shape[0] // 2, rgba.shape[1] // 2, 4), np.uint8)
    halve_kernel(rgba, half)
    return half
