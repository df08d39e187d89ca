"""Drawing figures with a known matte: shapes on a fine grid of labels, averaged down to pixels."""

from dataclasses import dataclass, field
from itertools import pairwise

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

Points = list[tuple[float, float]]


def _arc(x: float, y: float, radius_x: float, radius_y: float, start: float, end: float) -> Points:
    """Return points of an elliptic arc, in quarter turns from the right and upwards."""
    turns = np.linspace(start, end, 14) * np.pi / 2
    return [(float(x + radius_x * np.cos(t)), float(y + radius_y * np.sin(t))) for t in turns]


_ROUND = _arc(0.3, 0.5, 0.3, 0.5, 0, 4)
_UPPER_BOWL = [(0.0, 1.0), *_arc(0.3, 0.74, 0.28, 0.26, 1, -1), (0.0, 0.48)]
_STEM = [(0.0, 0.0), (0.0, 1.0)]

LETTERS: dict[str, tuple[Points, ...]] = {
    " ": (),
    "0": (_ROUND,),
    "1": ([(0.1, 0.8), (0.3, 1.0), (0.3, 0.0)],),
    "2": ([*_arc(0.3, 0.72, 0.28, 0.28, 2, -0.4), (0.0, 0.0), (0.6, 0.0)],),
    "3": ([*_arc(0.28, 0.75, 0.28, 0.25, 1.8, -1), *_arc(0.28, 0.26, 0.32, 0.26, 1, -1.8)],),
    "4": ([(0.45, 0.0), (0.45, 1.0), (0.0, 0.3), (0.6, 0.3)],),
    "5": ([(0.56, 1.0), (0.06, 1.0), (0.04, 0.56), *_arc(0.28, 0.31, 0.32, 0.31, 1, -1.8)],),
    "6": (_arc(0.3, 0.3, 0.28, 0.3, 0, 4), _arc(0.5, 0.3, 0.48, 0.7, 2, 1)),
    "8": (_arc(0.3, 0.75, 0.24, 0.25, 0, 4), _arc(0.3, 0.26, 0.3, 0.26, 0, 4)),
    "9": (_arc(0.3, 0.7, 0.28, 0.3, 0, 4), _arc(0.1, 0.7, 0.48, 0.7, 0, -1)),
    "A": ([(0.0, 0.0), (0.3, 1.0), (0.6, 0.0)], [(0.12, 0.35), (0.48, 0.35)]),
    "B": (_STEM, _UPPER_BOWL, [(0.0, 0.48), *_arc(0.3, 0.24, 0.3, 0.24, 1, -1), (0.0, 0.0)]),
    "C": (_arc(0.35, 0.5, 0.33, 0.5, 0.6, 3.4),),
    "D": (_STEM, [(0.0, 1.0), *_arc(0.2, 0.5, 0.4, 0.5, 1, -1), (0.0, 0.0)]),
    "E": ([(0.6, 1.0), (0.0, 1.0), (0.0, 0.0), (0.6, 0.0)], [(0.0, 0.5), (0.5, 0.5)]),
    "I": ([(0.3, 0.0), (0.3, 1.0)],),
    "K": (_STEM, [(0.6, 1.0), (0.0, 0.4)], [(0.2, 0.6), (0.6, 0.0)]),
    "L": ([(0.0, 1.0), (0.0, 0.0), (0.6, 0.0)],),
    "M": ([(0.0, 0.0), (0.0, 1.0), (0.32, 0.4), (0.64, 1.0), (0.64, 0.0)],),
    "N": ([(0.0, 0.0), (0.0, 1.0), (0.6, 0.0), (0.6, 1.0)],),
    "O": (_ROUND,),
    "P": (_STEM, _UPPER_BOWL),
    "Q": (_ROUND, [(0.36, 0.25), (0.62, -0.05)]),
    "R": (_STEM, _UPPER_BOWL, [(0.25, 0.48), (0.6, 0.0)]),
    "S": ([*_arc(0.3, 0.76, 0.28, 0.24, 0.4, 3), *_arc(0.3, 0.26, 0.3, 0.26, 1, -1.6)],),
    "T": ([(0.0, 1.0), (0.6, 1.0)], [(0.3, 1.0), (0.3, 0.0)]),
    "U": ([(0.0, 1.0), *_arc(0.3, 0.28, 0.3, 0.28, 2, 4), (0.6, 1.0)],),
    "V": ([(0.0, 1.0), (0.3, 0.0), (0.6, 1.0)],),
    "W": ([(0.0, 1.0), (0.16, 0.0), (0.34, 0.7), (0.52, 0.0), (0.68, 1.0)],),
    "Y": ([(0.0, 1.0), (0.3, 0.5), (0.6, 1.0)], [(0.3, 0.5), (0.3, 0.0)]),
}
"""Single-stroke capitals: lines of x, y in units of the letter's height, from the baseline up."""


@njit(cache=True, nogil=True)
def _average_kernel(labels, palette, scale, rgba):  # type: ignore[no-untyped-def]
    height, width = rgba.shape[:2]
    for row in range(height):
        for col in range(width):
            red, green, blue, covered = 0.0, 0.0, 0.0, 0
            for down in range(scale):
                for right in range(scale):
                    label = labels[row * scale + down, col * scale + right]
                    if label:
                        red += palette[label, 0]
                        green += palette[label, 1]
                        blue += palette[label, 2]
                        covered += 1
            if covered:
                rgba[row, col, 0] = red / covered
                rgba[row, col, 1] = green / covered
                rgba[row, col, 2] = blue / covered
                rgba[row, col, 3] = covered / (scale * scale)


@dataclass
class Drawing:
    """A figure under construction; coordinates are x, y in pixels from the top left corner.

    Parameters
    ----------
    height, width : int
        Size of the picture in pixels.
    scale : int
        Grid cells per pixel along each side; the matte has scale**2 levels.
    """

    height: int
    width: int
    scale: int = 8
    _labels: NDArray[np.uint8] = field(init=False)
    _palette: list[tuple[float, float, float]] = field(init=False)

    def __post_init__(self) -> None:
        self._labels = np.zeros((self.height * self.scale, self.width * self.scale), np.uint8)
        self._palette = [(0.0, 0.0, 0.0)]

    def colour(self, hexcode: str) -> int:
        """Return the label of a colour given as #RRGGBB; 0 is the label of nothing."""
        value = (int(hexcode[1:3], 16), int(hexcode[3:5], 16), int(hexcode[5:7], 16))
        if value not in self._palette[1:]:
            self._palette.append(value)
        return self._palette.index(value, 1)

    def _fixed(self, points: Points) -> NDArray[np.int32]:
        return np.round((np.array(points) * self.scale - 0.5) * 16).astype(np.int32)

    def polygon(self, points: Points, label: int) -> None:
        """Fill a polygon."""
        cv2.fillPoly(self._labels, [self._fixed(points)], label, shift=4)

    def ellipse(
        self, x: float, y: float, radius_x: float, label: int, radius_y: float | None = None
    ) -> None:
        """Fill an ellipse, or a disc when one radius is given."""
        angles = np.linspace(0, 2 * np.pi, max(48, int(radius_x * 4)), endpoint=False)
        tall = radius_x if radius_y is None else radius_y
        self.polygon(
            [(x + radius_x * np.cos(t), y + tall * np.sin(t)) for t in angles],
            label,
        )

    def ring(self, x: float, y: float, radius: float, width: float, label: int) -> None:
        """Stroke a circle; `radius` is to the middle of the stroke."""
        angles = np.linspace(0, 2 * np.pi, max(64, int(radius * 4)), endpoint=False)
        self.stroke(
            [(x + radius * np.cos(t), y + radius * np.sin(t)) for t in angles], width, label, True
        )

    def stroke(self, points: Points, width: float, label: int, closed: bool = False) -> None:
        """Draw a line of even width with round ends and joins."""
        ends = [*points, points[0]] if closed else points
        for (x0, y0), (x1, y1) in pairwise(ends):
            length = float(np.hypot(x1 - x0, y1 - y0))
            if length < 1e-9:
                continue
            across = ((y0 - y1) / length * width / 2, (x1 - x0) / length * width / 2)
            self.polygon(
                [
                    (x0 + across[0], y0 + across[1]),
                    (x1 + across[0], y1 + across[1]),
                    (x1 - across[0], y1 - across[1]),
                    (x0 - across[0], y0 - across[1]),
                ],
                label,
            )
            self.ellipse(x1, y1, width / 2, label)
        if not closed:
            self.ellipse(*points[0], width / 2, label)

    def rounded(
        self, left: float, top: float, right: float, bottom: float, radius: float, label: int
    ) -> None:
        """Fill a rectangle with round corners; radius 0 makes them sharp."""
        points: Points = []
        for x, y, start in (
            (right - radius, bottom - radius, 0.0),
            (left + radius, bottom - radius, 0.5),
            (left + radius, top + radius, 1.0),
            (right - radius, top + radius, 1.5),
        ):
            for t in np.linspace(start * np.pi, (start + 0.5) * np.pi, 16 if radius else 1):
                points.append((x + radius * np.cos(t), y + radius * np.sin(t)))
        self.polygon(points, label)

    def text(self, words: str, x: float, y: float, height: float, width: float, label: int) -> None:
        """Draw words in plain single-stroke capitals, `height` tall, with their baseline at x, y."""
        for letter in words:
            for line in LETTERS[letter]:
                self.stroke([(x + a * height, y - b * height) for a, b in line], width, label)
            x += height * 0.9

    def render(self) -> NDArray[np.float32]:
        """Return the figure, (H, W, 4) float32: display-coded colour 0 to 255, alpha 0 to 1."""
        rgba = np.zeros((self.height, self.width, 4), np.float32)
        palette = np.array(self._palette, np.float32)
        _average_kernel(self._labels, palette, self.scale, rgba)
        return rgba


def mix_over(figure: NDArray[np.float32], ground_rgb: NDArray[np.floating]) -> NDArray[np.floating]:
    """Lay a figure over a ground, in display-coded sRGB; (H, W, 3), 0 to 255, not rounded."""
    alpha = figure[..., 3:]
    return figure[..., :3] * alpha + ground_rgb * (1 - alpha)


def lay_over(figure: NDArray[np.float32], ground_rgb: NDArray[np.floating]) -> NDArray[np.uint8]:
    """Lay a figure over a ground, in display-coded sRGB; (H, W, 3) uint8."""
    return np.clip(np.round(mix_over(figure, ground_rgb)), 0, 255).astype(np.uint8)


def to_true_cut(figure: NDArray[np.float32]) -> NDArray[np.uint8]:
    """Return the figure as straight 8-bit RGBA."""
    rounded = np.round(figure * np.array([1, 1, 1, 255], np.float32))
    return np.clip(rounded, 0, 255).astype(np.uint8)
