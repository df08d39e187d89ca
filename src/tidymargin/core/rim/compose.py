"""Putting a cut together: share and figure colour become straight RGBA, carried on under nothing."""

import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.base.distance import REACH_PX, distance_px, list_round

_ROUND = list_round(REACH_PX)
_RINGS = np.searchsorted(_ROUND[:, 2], np.arange(REACH_PX * REACH_PX + 2))
"""Where the places of each squared length begin among them."""


@njit(cache=True, nogil=True)
def _compose_kernel(share, figure, deep, carry, carried, alpha_in, has_alpha, out):  # type: ignore[no-untyped-def]
    """Round share and figure to straight RGBA; carry the nearest figure colour on under nothing.

    `share` and `figure` come with a margin of `carry` px; `deep` is each pixel's distance to a pixel
    with some figure in it.
    """
    height, width = out.shape[:2]
    for row in range(height):
        for col in range(width):
            r, c = row + carry, col + carry
            alpha = int(255.0 * share[r, c] + 0.5)
            if alpha > 0:
                for channel in range(3):
                    out[row, col, channel] = int(figure[r, c, channel] + 0.5)
            elif deep[r, c] > carry:
                for channel in range(3):
                    out[row, col, channel] = carried[channel]
            else:
                # `deep` is exact: the nearest figure lies on the ring of that radius
                squared = int(deep[r, c] * deep[r, c] + 0.5)
                for number in range(_RINGS[squared], _RINGS[squared + 1]):
                    there, here = r + _ROUND[number, 0], c + _ROUND[number, 1]
                    if not (0 <= there < share.shape[0] and 0 <= here < share.shape[1]):
                        continue
                    if share[there, here] * 255.0 >= 0.5:
                        for channel in range(3):
                            out[row, col, channel] = int(figure[there, here, channel] + 0.5)
                        break
            if has_alpha:
                alpha = (alpha * alpha_in[row, col] + 127) // 255
            out[row, col, 3] = alpha


def compose_cut(
    share: NDArray[np.float32],
    figure: NDArray[np.float32],
    reach: int,
    carried_rgb: tuple[int, int, int],
    alpha: NDArray[np.uint8] | None,
    out: NDArray[np.uint8],
) -> NDArray[np.uint8]:
    """Fill `out` from share and figure, which come with a margin of `reach` px."""
    deep = distance_px(share * 255.0 < 0.5)
    own_alpha = np.zeros((1, 1), np.uint8) if alpha is None else np.ascontiguousarray(alpha)
    carried = np.array(carried_rgb, np.int64)
    _compose_kernel(share, figure, deep, reach, carried, own_alpha, alpha is not None, out)
    return out
