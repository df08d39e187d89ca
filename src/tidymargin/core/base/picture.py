"""A decoded picture and the rectangles that work is done in."""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.errors import BadImageError


@dataclass(frozen=True, slots=True, eq=False)
class Picture:
    """An 8-bit sRGB picture, as decoded; never written into.

    Parameters
    ----------
    rgb : (H, W, 3) ndarray of uint8
        Display-coded sRGB.
    alpha : (H, W) ndarray of uint8 or None
        The alpha that came in with the file, 255 solid; None when it was solid all over.
    """

    rgb: NDArray[np.uint8]
    alpha: NDArray[np.uint8] | None = None

    def __post_init__(self) -> None:
        if self.rgb.ndim != 3 or self.rgb.shape[2] != 3 or self.rgb.dtype != np.uint8:
            found = f"{self.rgb.dtype} {self.rgb.shape}"
            raise BadImageError(f"Expected a uint8 picture of shape (H, W, 3), got {found}.")
        if self.rgb.size == 0:
            raise BadImageError("This picture is empty.")
        if self.alpha is not None and self.alpha.shape != self.rgb.shape[:2]:
            raise BadImageError("Expected an alpha channel as large as the picture.")

    @property
    def height(self) -> int:
        """Rows."""
        return int(self.rgb.shape[0])

    @property
    def width(self) -> int:
        """Columns."""
        return int(self.rgb.shape[1])

    @property
    def area_px(self) -> int:
        """Rows times columns."""
        return self.height * self.width


@dataclass(frozen=True, slots=True)
class Region:
    """A rectangle of whole pixels: rows `top` to `bottom`, columns `left` to `right`, ends excluded.

    What crosses a border of the program (JSON, a message to a worker, a page) is its `edges`; all else is a `Region`.
    """

    top: int
    left: int
    bottom: int
    right: int

    @property
    def height(self) -> int:
        """Rows."""
        return self.bottom - self.top

    @property
    def width(self) -> int:
        """Columns."""
        return self.right - self.left

    @property
    def edges(self) -> tuple[int, int, int, int]:
        """Left, top, right and bottom, as pages, reports and recipes give a rectangle: x before y."""
        return int(self.left), int(self.top), int(self.right), int(self.bottom)

    @property
    def slices(self) -> tuple[slice, slice]:
        """Index that crops an array of the whole picture to this region."""
        return slice(self.top, self.bottom), slice(self.left, self.right)

    def grown(self, margin_px: int, within: "Region") -> "Region":
        """Return this region with a margin on every side, cut off at `within`."""
        return Region(
            max(within.top, self.top - margin_px),
            max(within.left, self.left - margin_px),
            min(within.bottom, self.bottom + margin_px),
            min(within.right, self.right + margin_px),
        )

    def within(self, other: "Region") -> "Region":
        """Return what of it lies in another one that it touches."""
        return Region(
            max(self.top, other.top),
            max(self.left, other.left),
            min(self.bottom, other.bottom),
            min(self.right, other.right),
        )

    def touches(self, other: "Region") -> bool:
        """Whether they share a pixel."""
        return (
            self.top < other.bottom
            and other.top < self.bottom
            and self.left < other.right
            and other.left < self.right
        )

    def holds(self, row: int, col: int) -> bool:
        """Whether a pixel lies in it."""
        return self.top <= row < self.bottom and self.left <= col < self.right

    def bands(self, rows: int) -> Iterator["Region"]:
        """Yield this region in bands of at most so many rows, from the top."""
        for top in range(self.top, self.bottom, rows):
            yield Region(top, self.left, min(top + rows, self.bottom), self.right)

    def tiles(self, side_px: int) -> Iterator["Region"]:
        """Yield this region in squares of at most so many pixels a side, from the top left."""
        for band in self.bands(side_px):
            for left in range(self.left, self.right, side_px):
                yield Region(band.top, left, band.bottom, min(left + side_px, self.right))

    def moved(self, down_px: int, right_px: int) -> "Region":
        """Return this region so far down and to the right."""
        return Region(
            self.top + down_px, self.left + right_px, self.bottom + down_px, self.right + right_px
        )

    def seen_from(self, outer: "Region") -> "Region":
        """Return this region in the coordinates of `outer`'s own top left corner."""
        return self.moved(-outer.top, -outer.left)


def whole(height: int, width: int) -> Region:
    """Return the region of a whole picture."""
    return Region(0, 0, height, width)
