"""Putting a cut together: share and figure colour become straight RGBA, carried on under nothing."""

import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.distance import distance_px


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
                best, best_row, best_col = 1 << 30, -1, -1
                for there in range(r - carry, r + carry + 1):
                    for here in range(c - carry, c + carry + 1):
                        away = (there - r) ** 2 + (here - c) ** 2
                        if away < best and share[there, here] * 255.0 >= 0.5:
                            best, best_row, best_col = away, there, here
                for channel in range(3):
                    if best_row >= 0:
                        out[row, col, channel] = int(figure[best_row, best_col, channel] + 0.5)
                    else:
                        out[row, col, channel] = carried[channel]
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
