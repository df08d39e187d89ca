"""Narrow dips of luma beside a gap that no part of the figure explains: specks of ground that kept no chroma.

A line of the figure is longer than a few pixels, and its colour shows as an even one somewhere near by.
"""

import numpy as np
from numba import njit

from tidymargin.core.colour import to_luma_chroma_kernel

_NEARBY_PX = 8  # how far away an even colour that explains a dip may be
_SPECK_PX = 7  # the most pixels of a speck
UNEXPLAINED_HALO_PX = _NEARBY_PX + _SPECK_PX
"""How much of the surroundings telling them needs."""

_ALIKE = 12.0  # levels of luma between a place and the even colour that it is taken for
_AS_DEEP = 10.0  # levels of luma that an even colour of the figure may fall short of a dip by
_SHOWN = 3  # how many places of it there have to be
_DEEP = 30.0  # levels of luma that a speck is as deep as, at least
_CONTRAST = 24.0  # levels of luma between ground and what is around a speck
_AROUND = ((-1, -1), (-1, 0), (-1, 1), (0, -1), (0, 1), (1, -1), (1, 0), (1, 1))


@njit(cache=True, nogil=True, inline="always")
def _is_matched(luma, is_unsure, own, row, col, sign):  # type: ignore[no-untyped-def]
    """Whether an even colour of the figure that is as deep shows nearby."""
    count = 0
    for there in range(max(0, row - _NEARBY_PX), min(luma.shape[0], row + _NEARBY_PX + 1)):
        for here in range(max(0, col - _NEARBY_PX), min(luma.shape[1], col + _NEARBY_PX + 1)):
            y = float(luma[there, here])
            if is_unsure[there, here] or sign * (y - float(luma[row, col])) > _AS_DEEP:
                continue
            for entry in range(own.shape[0]):
                if abs(own[entry, 0] - y) <= _ALIKE:
                    count += 1
                    break
    return count >= _SHOWN


@njit(cache=True, nogil=True)
def unmatched_kernel(luma, ground, is_unsure, is_doubtful, own, out):  # type: ignore[no-untyped-def]
    """Mark doubtful places that are deeper than every even colour of the figure near by.

    `luma` is uint8, `ground` float32 RGB, `own` (N, 3) luma and chroma of the figure's even colours;
    `is_unsure`, where nothing can match, `is_doubtful` and `out` are of bool.
    """
    for row in range(luma.shape[0]):
        for col in range(luma.shape[1]):
            if is_doubtful[row, col] and own.shape[0] > 0:
                by, _, _ = to_luma_chroma_kernel(
                    ground[row, col, 0], ground[row, col, 1], ground[row, col, 2]
                )
                sign = 1.0 if by < luma[row, col] else -1.0
                out[row, col] = not _is_matched(luma, is_unsure, own, row, col, sign)


@njit(cache=True, nogil=True, inline="always")
def _is_deep(luma, light, dark, ground, is_ground, row, col):  # type: ignore[no-untyped-def]
    """Whether a place that is not ground lies deep in a narrow dip towards the ground's luma."""
    if is_ground[row, col]:
        return False
    by, _, _ = to_luma_chroma_kernel(ground[row, col, 0], ground[row, col, 1], ground[row, col, 2])
    y = float(luma[row, col])
    if by < y:
        return light[row, col] - y >= _DEEP and light[row, col] - by > _CONTRAST
    return y - dark[row, col] >= _DEEP and by - dark[row, col] > _CONTRAST


@njit(cache=True, nogil=True)
def specks_kernel(luma, light, dark, ground, is_ground, is_doubtful, out):  # type: ignore[no-untyped-def]
    """Mark doubtful places of deep pieces that touch ground and are of a few pixels.

    `light` and `dark` are the luma with narrow dark, or narrow light, places filled.
    """
    rows, cols = np.empty(_SPECK_PX + 1, np.int32), np.empty(_SPECK_PX + 1, np.int32)
    for row in range(luma.shape[0]):
        for col in range(luma.shape[1]):
            if not is_doubtful[row, col] or not _is_deep(
                luma, light, dark, ground, is_ground, row, col
            ):
                continue
            rows[0], cols[0] = row, col
            count, done, touches = 1, 0, False
            while done < count <= _SPECK_PX:
                for down, right in _AROUND:
                    r, c = rows[done] + down, cols[done] + right
                    if not (0 <= r < luma.shape[0] and 0 <= c < luma.shape[1]):
                        continue
                    if is_ground[r, c]:
                        touches = True
                    elif count <= _SPECK_PX and _is_deep(
                        luma, light, dark, ground, is_ground, r, c
                    ):
                        known = False
                        for number in range(count):
                            known = known or (rows[number] == r and cols[number] == c)
                        if not known:
                            rows[count], cols[count] = r, c
                            count += 1
                done += 1
            out[row, col] = touches and count <= _SPECK_PX
