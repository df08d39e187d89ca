"""Where the figure's colour of a rim pixel is looked for: in sure pixels around, in even colours, along thin strokes."""

import numpy as np
from numba import njit

from tidymargin.core.base.colour import to_luma_chroma_kernel
from tidymargin.core.base.distance import list_round
from tidymargin.core.rim.candidates import MISFIT_UNIT, solve_share

SEARCH_PX = 8
"""How far a figure colour may come from."""

EXPLAINED = 2.0
"""Cost of a misfit, in units of `MISFIT_UNIT`, up to which a colour explains a place; typed, judged on the drawn figures."""

EVEN_COST = 2.0
"""What an even colour costs beside its misfit: as much as a sure pixel two pixels away."""

_EVEN_LEAST = 3  # places around that are of an even colour, for it to be tried; typed
_MOST_OVER = 1.02  # of a share: by so much noise may take it over all of the figure
_MOST_OVER_EVEN = 1.3  # the same of an even colour, which an edge may overshoot; typed
_HALF = 0.5  # of a share: a colour that holds less of an even one is no darker part of it

_ROUND = list_round(SEARCH_PX)
_AWAY = 0.75 * np.sqrt(_ROUND[:, 2])
"""What a place's difference has to make up for by how far away it is."""

FIRST = np.array([(_ROUND[:, 2] < away**2).sum() for away in range(SEARCH_PX + 2)])
"""Where in the list places begin that are so many pixels away."""


@njit(cache=True, nogil=True)
def search_sure(rgb, sure, row, col, first, seen, below, coding, least_share, shallow):  # type: ignore[no-untyped-def]
    """Find the nearest sure figure pixel that explains a place: its cost, row and column, which are -1 without any.

    `seen` is the place's difference to the ground and `below` that ground, both luma and chroma; `coding` is grain,
    ringing and blur. Of the places in `_ROUND` those before `first` hold only ground. The deeper in a place lies, the
    more of it shows: a share under `least_share` costs `shallow` times what is missing.
    """
    height, columns = sure.shape
    y, u, v = seen
    by, bu, bv = below
    grain, ringing, blur = coding
    best, best_row, best_col = 1e18, -1, -1
    for number in range(first, _ROUND.shape[0]):
        near_by = 0.5 * _ROUND[number, 2]
        if near_by >= best:
            break
        there, here = row + _ROUND[number, 0], col + _ROUND[number, 1]
        if not (0 <= there < height and 0 <= here < columns and sure[there, here]):
            continue
        fy, fu, fv = to_luma_chroma_kernel(
            float(rgb[there, here, 0]), float(rgb[there, here, 1]), float(rgb[there, here, 2])
        )
        share, misfit = solve_share(y, u, v, fy - by, fu - bu, fv - bv, grain, ringing, blur)
        cost = misfit / MISFIT_UNIT + near_by
        cost += shallow * max(0.0, least_share - share)
        if cost < best:
            best, best_row, best_col = cost, there, here
    return best, best_row, best_col


@njit(cache=True, nogil=True)
def search_even(even_yuv, counts, seen, below, coding, least_share, shallow, best):  # type: ignore[no-untyped-def]
    """Find an even colour of the figure that shows near by, such as that of a thin pale outline.

    Returns its cost, under `best`, and its number, which is -1 without any; the rest is as in `search_sure`.
    """
    y, u, v = seen
    by, bu, bv = below
    grain, ringing, blur = coding
    even = -1
    for entry in range(even_yuv.shape[0]):
        if counts[entry] < _EVEN_LEAST:
            continue
        fy, fu, fv = even_yuv[entry, 0], even_yuv[entry, 1], even_yuv[entry, 2]
        share, misfit = solve_share(y, u, v, fy - by, fu - bu, fv - bv, grain, ringing, blur)
        cost = misfit / MISFIT_UNIT + EVEN_COST
        cost += shallow * max(0.0, least_share - share)
        if cost < best and share <= _MOST_OVER_EVEN:
            best, even = cost, entry
    return best, even


@njit(cache=True, nogil=True)
def search_stroke(rgb, inside_px, row, col, first, seen, below, coding):  # type: ignore[no-untyped-def]
    """Find the most different pixel in a place's direction, for strokes too thin to have a sure one.

    Returns how different it is, 0 without any, its row and its column. Parameters are as in `search_sure`.
    """
    height, columns = inside_px.shape
    y, u, v = seen
    by, bu, bv = below
    grain, ringing, blur = coding
    most, best_row, best_col = 0.0, -1, -1
    for number in range(_ROUND.shape[0] - 1, first - 1, -1):  # the farthest differ most
        there, here = row + _ROUND[number, 0], col + _ROUND[number, 1]
        if not (0 <= there < height and 0 <= here < columns):
            continue
        if inside_px[there, here] == 0:
            continue
        fy, fu, fv = to_luma_chroma_kernel(
            float(rgb[there, here, 0]), float(rgb[there, here, 1]), float(rgb[there, here, 2])
        )
        fy, fu, fv = fy - by, fu - bu, fv - bv
        least = most + _AWAY[number]
        power = fy * fy + fu * fu + fv * fv
        if power <= least * least:  # before what costs more
            continue
        share, misfit = solve_share(y, u, v, fy, fu, fv, grain, ringing, blur)
        if 0.0 <= share <= _MOST_OVER and misfit / MISFIT_UNIT <= EXPLAINED:
            most = power**0.5 - _AWAY[number]
            best_row, best_col = there, here
    return most, best_row, best_col


@njit(cache=True, nogil=True)
def farther_out(red, green, blue, palette, below, coding):  # type: ignore[no-untyped-def]
    """Return the even colour that a colour, which may be mixed with the ground itself, lies on the way to; else it."""
    by, bu, bv = below
    grain, ringing, blur = coding
    ty, tu, tv = to_luma_chroma_kernel(red, green, blue)
    ty, tu, tv = ty - by, tu - bu, tv - bv
    least = 1e18
    for entry in range(palette.shape[0]):
        fy, fu, fv = to_luma_chroma_kernel(palette[entry, 0], palette[entry, 1], palette[entry, 2])
        share, misfit = solve_share(ty, tu, tv, fy - by, fu - bu, fv - bv, grain, ringing, blur)
        if (
            _HALF <= share <= _MOST_OVER
            and misfit / MISFIT_UNIT < EXPLAINED
            and 1.0 - share < least
        ):
            least = 1.0 - share
            red, green, blue = palette[entry, 0], palette[entry, 1], palette[entry, 2]
    return red, green, blue
