"""Faint places of a rim that stand alone: noise of lossy coding, taken for a little of some far colour.

Where coding makes the ground beside a pale figure darker, a little of the figure's dark outline farther in
would explain it. A figure goes on, though: what is faint has as much of a like colour beside it, or more.
"""

import numpy as np
from numba import njit
from numpy.typing import NDArray

_FAINT = 0.3  # of the figure, above which a place may stand alone
_NEARLY = 0.6  # of its share, that a place beside one has to have where nothing speaks against it
_STEPS = 2  # what leant on such a place stands alone once it is gone

ALONE_HALO_PX = _STEPS
"""How much of the surroundings telling what stands alone needs."""


@njit(cache=True, nogil=True)
def _drop_alone_kernel(ground, top, left, solved, colours, share, figure):  # type: ignore[no-untyped-def]
    """Clear what stands alone; `solved` is what all shares were, `colours` the figure before this step."""
    for row in range(1, share.shape[0] - 1):
        for col in range(1, share.shape[1] - 1):
            own = solved[row, col]
            if not 0.0 < own < _FAINT:
                continue
            r, c = row + top, col + left
            red = colours[row, col, 0] - ground[r, c, 0]
            green = colours[row, col, 1] - ground[r, c, 1]
            blue = colours[row, col, 2] - ground[r, c, 2]
            like, other, other_row, other_col = own * 0, own * 0, -1, -1
            for there in range(row - 1, row + 2):
                for here in range(col - 1, col + 2):
                    beside = solved[there, here]
                    if beside <= 0.0 or (there == row and here == col):
                        continue
                    along = red * (colours[there, here, 0] - ground[r, c, 0])
                    along += green * (colours[there, here, 1] - ground[r, c, 1])
                    along += blue * (colours[there, here, 2] - ground[r, c, 2])
                    if along > 0.0:
                        like = max(like, beside)
                    elif beside > other:
                        other, other_row, other_col = beside, there, here
            if other_row >= 0 and like < own and (other > own or like < _NEARLY * own):
                share[row, col] = 0.0
                for channel in range(3):
                    figure[row, col, channel] = colours[other_row, other_col, channel]


def drop_alone(
    ground: NDArray[np.float32],
    corner: tuple[int, int],
    share: NDArray[np.float32],
    figure: NDArray[np.float32],
) -> None:
    """Clear faint places that differ from the ground another way than what is of the figure beside them.

    Parameters
    ----------
    ground : (h, w, 3) ndarray of float32
        The ground of a region, 0 to 255.
    corner : tuple of 2 int
        Where in the region the first place of what was solved lies.
    share : (h', w') ndarray of float32
        The matte, 0 to 1. Modified, but not within a pixel of its ends.
    figure : (h', w', 3) ndarray of float32
        The figure's colours there, 0 to 255. Modified.
    """
    solved = share.copy()
    for _ in range(_STEPS):
        _drop_alone_kernel(ground, *corner, solved, figure.copy(), share, figure)
