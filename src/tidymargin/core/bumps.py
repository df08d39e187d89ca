"""Bumps on the edge of a part of one of the figure's own colours: a little of a lighter colour, misread.

Beside a dark part a pixel with a little of a light one over the screen has the dark part's own luma, and is
told for it. The dark part's edge runs evenly, though: what stands out of it and may as well be a little of
the light colour beside it is that.
"""

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.colour import luma_at_kernel, to_luma_chroma_kernel
from tidymargin.core.steady import STEADY_HALO_PX, steady_share

_LIKE = 20.0  # levels of luma from an even colour, within which a place has it
_FARTHER = 24.0  # levels from the screen that another colour has to be beyond it
_SOLID = 0.9
_BROAD = 5  # pixels across, from which a part has an edge of its own
_NEAR_PX = 3  # of such a part
_STANDS = 0.35  # of the colour, that a bump has at least
_EVEN = 0.3  # of it, that the edge leaves there at most
_DOUBT, _CORE_DOUBT = 0.15, 0.002  # variances
_MOST_OVER = 4.0
_BESIDE_PX = 2  # how far away the other colour shows, and the screen
_OPEN = 0.5  # of the figure, below which a place is the screen's

BUMPS_HALO_PX = STEADY_HALO_PX + 2 * (_BROAD // 2)
"""How much of the surroundings finding bumps needs."""


@njit(cache=True, nogil=True)
def _label_kernel(rgb, ground, top, left, share, figure, luma, likes):  # type: ignore[no-untyped-def]
    """Fill whether each place has a colour of that luma, as solved and as far as what is seen allows."""
    for row in range(share.shape[0]):
        for col in range(share.shape[1]):
            screen = luma_at_kernel(ground, row + top, col + left)
            least, most = min(screen, luma) - _LIKE, max(screen, luma) + _LIKE
            seen = luma_at_kernel(rgb, row + top, col + left)
            own = luma_at_kernel(figure, row, col)
            likes[row, col] = (
                share[row, col] > 0.0 and abs(own - luma) < _LIKE and least < seen < most
            )


@njit(cache=True, nogil=True)
def _reread_kernel(  # type: ignore[no-untyped-def]
    rgb, ground, top, left, bumps, own_rgb, own_luma, entry, solved, colours, share, figure
):
    """Give each bump as much as its luma asks of the other colour that shows beside it most, if any does.

    `entry` is the even colour that bumps were told for, `solved` and `colours` are share and figure before.
    """
    reach = _BESIDE_PX
    shown = np.empty(own_luma.size)
    for row in range(reach, share.shape[0] - reach):
        for col in range(reach, share.shape[1] - reach):
            if not bumps[row, col]:
                continue
            screen = luma_at_kernel(ground, row + top, col + left)
            way = 1.0 if own_luma[entry] > screen else -1.0
            shown[:] = 0.0
            for there in range(row - reach, row + reach + 1):
                for here in range(col - reach, col + reach + 1):
                    luma = luma_at_kernel(colours, there, here)
                    for other in range(own_luma.size):
                        beyond = way * (own_luma[other] - own_luma[entry])
                        if beyond > _FARTHER and abs(luma - own_luma[other]) < _LIKE:
                            shown[other] += solved[there, here]
            most = shown.argmax()
            if shown[most] == 0.0:
                continue
            part = luma_at_kernel(rgb, row + top, col + left) - screen
            share[row, col] = min(1.0, max(0.0, part / (own_luma[most] - screen)))
            for channel in range(3):
                figure[row, col, channel] = own_rgb[most, channel]


def smooth_bumps(
    rgb: NDArray[np.uint8],
    ground: NDArray[np.float32],
    corner: tuple[int, int],
    own_rgb: NDArray[np.float32],
    softness_px: float,
    share: NDArray[np.float32],
    figure: NDArray[np.float32],
) -> None:
    """Read again what stands out of the edges of parts of one even colour.

    Parameters
    ----------
    rgb : (h, w, 3) ndarray of uint8
        A region of the picture.
    ground : (h, w, 3) ndarray of float32
        The screen there, 0 to 255.
    corner : tuple of 2 int
        Where in the region the first place of what was solved lies.
    own_rgb : (N, 3) ndarray of float32
        The figure's even colours, 0 to 255.
    softness_px : float
        Pixels from ground to figure across a clean edge of the picture, 1 and up.
    share : (h', w') ndarray of float32
        The matte, 0 to 1. Modified, but not within `BUMPS_HALO_PX` of its ends.
    figure : (h', w', 3) ndarray of float32
        The figure's colours there, 0 to 255. Modified.
    """
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (_BROAD, _BROAD))
    near_by, beside = (np.ones((2 * px + 1,) * 2, np.uint8) for px in (_NEAR_PX, _BESIDE_PX))
    # within the figure what stands out of a shade is another shade
    by_screen = np.asarray(cv2.dilate((share < _OPEN).view(np.uint8), beside)) > 0
    likes = np.empty(share.shape, np.bool_)
    # each colour looks at what was solved, or it would need the surroundings of the one before as well
    solved, colours = share.copy(), figure.copy()
    halo = STEADY_HALO_PX
    own_luma = np.array([to_luma_chroma_kernel(*map(float, colour))[0] for colour in own_rgb])
    for entry, luma in enumerate(own_luma):
        _label_kernel(rgb, ground, *corner, solved, colours, luma, likes)
        solid = (likes & (solved > _SOLID)).view(np.uint8)
        core = np.asarray(cv2.morphologyEx(solid, cv2.MORPH_OPEN, disc)).view(np.bool_)
        near = np.asarray(cv2.dilate(core.view(np.uint8), near_by)).view(np.bool_)
        bumps = near & ~core & likes & by_screen & (solved > _STANDS)
        if not bumps.any():
            continue
        of_it = np.where(core, np.float32(1), np.where(likes, solved, np.float32(0)))
        doubt = np.where(near & ~core, np.float32(_DOUBT), np.float32(_CORE_DOUBT))
        even = steady_share(of_it, doubt, softness_px, _MOST_OVER, bumps)
        bumps &= np.pad(even < _EVEN, halo)
        _reread_kernel(
            rgb, ground, *corner, bumps, own_rgb, own_luma, entry, solved, colours, share, figure
        )
