"""A part of a picture while its cut is solved, with as much around it as the next step needs."""

import numpy as np

Slices = tuple[slice, slice]


class Part:
    """What is solved of a region, and of `reach_px` around it, where some of that may lie beyond the picture.

    Parameters
    ----------
    shape : tuple of 2 int
        Height and width of the region with its halo, as it lies in the picture.
    margins : tuple of 4 int
        How much of that is halo at the top, left, bottom and right.
    reach_px : int
        How far around the region is solved; at least as much halo is there, but where the picture ends.

    Attributes
    ----------
    share, doubt : (h, w) ndarray of float32
        The matte, 0 to 1, and its variance, 0 where it is known.
    figure : (h, w, 3) ndarray of float32
        The figure's colour, 0 to 255.
    """

    def __init__(
        self, shape: tuple[int, int], margins: tuple[int, int, int, int], reach_px: int
    ) -> None:
        self._shape, self._margins, self.reach_px = shape, margins, reach_px
        top, left, below, beside = margins
        solved = (shape[0] - top - below + 2 * reach_px, shape[1] - left - beside + 2 * reach_px)
        self.share, self.doubt = np.zeros(solved, np.float32), np.zeros(solved, np.float32)
        self.figure = np.zeros((*solved, 3), np.float32)

    @property
    def corner(self) -> tuple[int, int]:
        """Where in the region with its halo the first place of `window` lies."""
        top, left, _, _ = self._margins
        return max(0, top - self.reach_px), max(0, left - self.reach_px)

    @property
    def end(self) -> tuple[int, int]:
        """Where in the region with its halo `window` ends."""
        height, width = self._shape
        _, _, below, beside = self._margins
        return (
            min(height, height - below + self.reach_px),
            min(width, width - beside + self.reach_px),
        )

    @property
    def near(self) -> Slices:
        """The rows and columns of the region with its halo that `window` stands for."""
        (top, left), (bottom, right) = self.corner, self.end
        return slice(top, bottom), slice(left, right)

    @property
    def window(self) -> Slices:
        """The rows and columns of what is solved that lie in the picture."""
        rows, cols = self.near
        down, right = self.reach_px - self._margins[0], self.reach_px - self._margins[1]
        return (
            slice(rows.start + down, rows.stop + down),
            slice(cols.start + right, cols.stop + right),
        )

    def shrink(self, by_px: int) -> None:
        """Give up what lies farthest around, which the next step does not need."""
        inner = (slice(by_px, -by_px),) * 2
        self.share = np.ascontiguousarray(self.share[inner])
        self.doubt = np.ascontiguousarray(self.doubt[inner])
        self.figure = np.ascontiguousarray(self.figure[inner])
        self.reach_px -= by_px
