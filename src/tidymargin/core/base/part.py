"""A part of a picture while its cut is solved, with as much around it as the next stage needs."""

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.picture import Region, whole

Slices = tuple[slice, slice]
Margins = tuple[int, int, int, int]

_WORTH_PX = 30  # copying what came in pays where so much less of it is looked at afterwards


class Part:
    """What is worked on of a region, and around it, where some of that may lie beyond the picture.

    A region at the picture's left end, drawn with what lies around it::

          solved: share, doubt, figure
        +--------------------------+
        |  . came in: rgb, ground, cleared, distances
        |  +---------------------+--+--+
        |  |     +---------+     |  |  |
        |  |     | region  |     |  |  |
        |  |     |  (out)  |     |  |  |
        |  |     +---------+     |  |  |
        |  |  inside(reach_px)   |  |  |
        |  +---------------------+  |  |
        |  |                        |  |
        +--|------------------------+  |
           +---------------------------+
           ^ the picture ends here

    What came in ends with the picture; what is solved goes on beyond it, so that a stage need not ask where it
    is. `inside(reach_px)` is what a stage has to get right; the same places are `near` in what came in, `window` in
    what is solved, and `where` in the picture.

    Parameters
    ----------
    rgb : (h, w, 3) ndarray of uint8
        The region with what lies around it, as far as the picture goes.
    ground : (h, w, 3) ndarray of float32
        The ground there, 0 to 255.
    cleared : (h, w) ndarray of bool
        What reach clears there.
    margins : tuple of 4 int
        How much of that lies around the region at the top, left, bottom and right.
    reach_px : int
        How far around the region what came in goes; less than that is there only where the picture ends.
    corner_px : tuple of 2 int
        Where the region begins in the picture, row and col.
    alpha : (h', w') ndarray of uint8, optional
        Alpha of the region itself that came in.
    lit : (h, w, 3) ndarray of float32, optional
        The ground there without the shade that lies on it, 0 to 255; the ground itself where there is none.

    Attributes
    ----------
    reach_px : int
        How far around the region the stage at work has to be right.
    alpha_in : (h, w) ndarray of uint8
        Alpha that came in, with what lies around the region; empty where none did.
    inside_px, outside_px : (h, w) ndarray of float32
        Distance to the nearest cleared place, and to the nearest that is not.
    depth_px : (h, w) ndarray of float32
        Distance to the nearest cleared place, exact as far as spill goes.
    share, doubt : (H, W) ndarray of float32
        The matte, 0 to 1, and its variance, 0 where it is known; with `reach_px` around the region on every
        side, also beyond the picture, where there is nothing.
    figure : (H, W, 3) ndarray of float32
        The figure's colour, 0 to 255.
    out : (h', w', 4) ndarray of uint8
        The region's cut, straight RGBA, which the last stage fills.
    """

    def __init__(
        self,
        rgb: NDArray[np.uint8],
        ground: NDArray[np.float32],
        cleared: NDArray[np.bool_],
        margins: Margins,
        reach_px: int,
        alpha: NDArray[np.uint8] | None = None,
        corner_px: tuple[int, int] = (0, 0),
        lit: NDArray[np.float32] | None = None,
    ) -> None:
        self.rgb, self.ground, self.cleared, self.alpha = rgb, ground, cleared, alpha
        self.lit = ground if lit is None else lit
        self.alpha_in = np.empty((0, 0), np.uint8)
        self.inside_px = self.outside_px = self.depth_px = np.empty((0, 0), np.float32)
        self.reach_px = reach_px
        self._margins = margins
        self._corner_px = corner_px
        top, left, below, beside = margins
        self.height = cleared.shape[0] - top - below
        self.width = cleared.shape[1] - left - beside
        self.share = self.doubt = np.empty((0, 0), np.float32)
        self.figure = np.empty((0, 0, 3), np.float32)
        self.out = np.empty((self.height, self.width, 4), np.uint8)

    def aim(self, reach_px: int) -> "Part":
        """Say how far around the region the next stage has to be right."""
        self.reach_px = reach_px
        return self

    def lay_out(self) -> None:
        """Make room for what is solved."""
        solved = (self.height + 2 * self.reach_px, self.width + 2 * self.reach_px)
        self.share, self.doubt = np.zeros(solved, np.float32), np.zeros(solved, np.float32)
        self.figure = np.zeros((*solved, 3), np.float32)

    @property
    def solved_px(self) -> int:
        """How far around the region there is room for what is solved."""
        return int(self.share.shape[0] - self.height) // 2

    def inside(self, reach_px: int) -> Region:
        """Return the region and so much around it, cut off at the picture's end, as part of what came in."""
        height, width = self.cleared.shape
        top, left, below, beside = self._margins
        own = Region(top, left, height - below, width - beside)
        return own.grown(reach_px, whole(height, width))

    def near(self, reach_px: int) -> Slices:
        """Return the rows and columns of `inside`, in what came in."""
        return self.inside(reach_px).slices

    def window(self, reach_px: int) -> Slices:
        """Return the rows and columns of `inside`, in what is solved."""
        top, left, _, _ = self._margins
        return self.inside(reach_px).moved(self.solved_px - top, self.solved_px - left).slices

    def where(self, reach_px: int) -> Region:
        """Return `inside` as part of the picture."""
        (row, col), (top, left, _, _) = self._corner_px, self._margins
        return self.inside(reach_px).moved(row - top, col - left)

    def shrink(self) -> None:
        """Give up what lies farther around than the stages to come need."""
        by_px = self.solved_px - self.reach_px
        if self.share.size and by_px > 0:
            inner = (slice(by_px, -by_px),) * 2
            self.share = np.ascontiguousarray(self.share[inner])
            self.doubt = np.ascontiguousarray(self.doubt[inner])
            self.figure = np.ascontiguousarray(self.figure[inner])
        if max(self._margins) - self.reach_px >= _WORTH_PX:
            self._crop()

    def _crop(self) -> None:
        """Copy what is still looked at of what came in, and of what was measured in it."""
        rows, cols = self.near(self.reach_px)
        height, width = self.cleared.shape
        top, left, below, beside = self._margins
        self._margins = (
            top - rows.start,
            left - cols.start,
            below - (height - rows.stop),
            beside - (width - cols.stop),
        )
        for name in ("rgb", "ground", "cleared", "alpha_in", "inside_px", "outside_px", "depth_px"):
            layer = getattr(self, name)
            if layer.size:
                setattr(self, name, np.ascontiguousarray(layer[rows, cols]))
