"""What a rim pixel may be made of: how well a colour explains it, and which colours there are to try."""

import numpy as np
from numba import njit

from tidymargin.core.base.colour import to_luma_chroma_kernel

MISFIT_UNIT = 18.0
"""Squared misfit of three deviations, twice: weighed against half a squared pixel away."""

_MIXED = 1.0  # doubt that a mixture of two colours carries over a single one that explains as well
_MIX_PX = 3  # around a place that parts may meet in; typed
_MIX_COLOURS = 12  # that are tried in pairs: speed
_EVEN_PX = 2  # around a place that an even colour shows in; typed
_SEEN = np.int64(1) << 62
_EVEN = 0.3  # of the difference to the ground; see mark_sure_kernel
_EVEN_STEPS = 0.6  # of the steps of a soft edge, what is still even
_ALIKE = 6.0  # levels of luma; typed
_SAME = 4.0  # levels of luma or chroma; typed
_SLIGHTLY_MORE = 1.02  # of a share: rounding
# px of an edge, and of the patch that is even beside it; typed
_SOFT_PX, _SHARP_PATCH_PX, _SOFT_PATCH_PX = 2.0, 5, 7
_STAIN = 0.05  # of a share, under which coding has stained nothing; typed


@njit(cache=True, nogil=True, inline="always")
def _coding_variance(fy, fu, fv, grain, ringing, blur):  # type: ignore[no-untyped-def]
    """Return the power of luma and chroma in a figure's difference, and the variance coding gives each."""
    luma_power = fy * fy
    chroma_power = fu * fu + fv * fv
    luma_variance = grain * grain + ringing * ringing * luma_power
    chroma_variance = grain * grain + blur * blur * chroma_power
    return luma_power, chroma_power, luma_variance, chroma_variance


@njit(cache=True, nogil=True, inline="always")
def solve_share(y, u, v, fy, fu, fv, grain, ringing, blur):  # type: ignore[no-untyped-def]
    """Solve the share of figure from differences to the ground.

    Returns the share, not clamped, and the misfit of the clamped one: the sum of squares, each over the
    variance that coding explains.
    """
    luma_power, chroma_power, luma_variance, chroma_variance = _coding_variance(
        fy, fu, fv, grain, ringing, blur
    )
    # each part's share counts by its power over its variance; then the power cancels out
    by_luma, by_chroma = 1.0 / luma_variance, 1.0 / chroma_variance
    total = luma_power * by_luma + chroma_power * by_chroma
    if total < 1e-9:
        return 0.0, 1e9
    share = (y * fy * by_luma + (u * fu + v * fv) * by_chroma) / total
    held = min(1.0, max(0.0, share))
    dy, du, dv = y - held * fy, u - held * fu, v - held * fv
    return share, dy * dy * by_luma + (du * du + dv * dv) * by_chroma


@njit(cache=True, nogil=True)
def doubt_share(fy, fu, fv, grain, ringing, blur):  # type: ignore[no-untyped-def]
    """Return the variance that coding gives a solved share; see `solve_share`."""
    luma_power, chroma_power, luma_variance, chroma_variance = _coding_variance(
        fy, fu, fv, grain, ringing, blur
    )
    return 1.0 / max(1e-9, luma_power / luma_variance + chroma_power / chroma_variance)


@njit(cache=True, nogil=True)
def mix_two(  # type: ignore[no-untyped-def]
    rgb, sure, row, col, by, bu, bv, y, u, v, grain, ringing, blur, palette, limit
):
    """Explain a pixel where two parts of the figure meet at its rim: their mixture, over the ground.

    Returns whether that succeeded with a misfit below `limit`, and the mixed figure colour.
    """
    height, columns = sure.shape
    colours = np.empty((_MIX_COLOURS, 3))
    count = 0
    for there in range(max(0, row - _MIX_PX), min(height, row + _MIX_PX + 1)):
        for here in range(max(0, col - _MIX_PX), min(columns, col + _MIX_PX + 1)):
            if not sure[there, here] or count == _MIX_COLOURS:
                continue
            known = False
            for entry in range(count):
                gap = 0.0
                for channel in range(3):
                    gap = max(gap, abs(colours[entry, channel] - rgb[there, here, channel]))
                known = known or gap <= 6.0 * grain
            if not known:
                for channel in range(3):
                    colours[count, channel] = rgb[there, here, channel]
                count += 1
    nearby = count
    for entry in range(palette.shape[0]):
        if count < _MIX_COLOURS:
            for channel in range(3):
                colours[count, channel] = palette[entry, channel]
            count += 1
    best, red, green, blue = limit, 0.0, 0.0, 0.0
    for first in range(nearby):
        for second in range(first + 1, count):
            for part in range(16):
                weight = part / 16.0
                r = colours[first, 0] * weight + colours[second, 0] * (1 - weight)
                g = colours[first, 1] * weight + colours[second, 1] * (1 - weight)
                b = colours[first, 2] * weight + colours[second, 2] * (1 - weight)
                fy, fu, fv = to_luma_chroma_kernel(r, g, b)
                share, misfit = solve_share(
                    y, u, v, fy - by, fu - bu, fv - bv, grain, ringing, blur
                )
                cost = misfit / MISFIT_UNIT + _MIXED * weight * (1 - weight)
                if share <= _SLIGHTLY_MORE and cost < best:
                    best, red, green, blue = cost, r, g, b
    return best < limit, red, green, blue


@njit(cache=True, nogil=True)
def mark_sure_kernel(rgb, ground, inside_px, limit, softness, least, most, out):  # type: ignore[no-untyped-def]
    """Mark what is figure for sure: deep enough, or part of an even patch more than a line thick.

    Even is what differs by less than three tenths of its difference to the ground, which a soft edge's
    steps exceed, less where edges are `softness` pixels wide, and by no more than `most` levels of luma or chroma.
    What differs from the ground by so little that the noise, `least`, is more than that may be an edge's foot.
    """
    height, width = inside_px.shape
    part = min(_EVEN, _EVEN_STEPS / softness)
    needed = (
        _SHARP_PATCH_PX if softness < _SOFT_PX else _SOFT_PATCH_PX
    )  # with itself; a run along an edge makes three, on each step of a wide one
    for row in range(height):
        for col in range(width):
            if inside_px[row, col] > limit:
                out[row, col] = True
                continue
            if inside_px[row, col] == 0:
                continue
            y, u, v = to_luma_chroma_kernel(
                float(rgb[row, col, 0]), float(rgb[row, col, 1]), float(rgb[row, col, 2])
            )
            by, bu, bv = to_luma_chroma_kernel(
                ground[row, col, 0], ground[row, col, 1], ground[row, col, 2]
            )
            away = max(abs(y - by), abs(u - bu), abs(v - bv))
            slack = min(most, part * away)
            if slack < least:
                continue
            alike = 0
            for there in range(max(0, row - 1), min(height, row + 2)):
                for here in range(max(0, col - 1), min(width, col + 2)):
                    if inside_px[there, here] == 0:
                        continue
                    ny, nu, nv = to_luma_chroma_kernel(
                        float(rgb[there, here, 0]),
                        float(rgb[there, here, 1]),
                        float(rgb[there, here, 2]),
                    )
                    if max(abs(ny - y), abs(nu - u), abs(nv - v)) <= slack:
                        alike += 1
            out[row, col] = alike >= needed


@njit(cache=True, nogil=True, inline="always")
def _match_even(rgb, row, col, even_yuv, slack):  # type: ignore[no-untyped-def]
    """Return a bit for each even colour that a place is of, and the bit `_SEEN`."""
    y, u, v = to_luma_chroma_kernel(
        float(rgb[row, col, 0]), float(rgb[row, col, 1]), float(rgb[row, col, 2])
    )
    found = _SEEN
    for entry in range(even_yuv.shape[0]):
        away = max(
            abs(y - even_yuv[entry, 0]), abs(u - even_yuv[entry, 1]), abs(v - even_yuv[entry, 2])
        )
        if away <= slack:
            found |= np.int64(1) << entry
    return found


@njit(cache=True, nogil=True)
def find_even(rgb, inside_px, row, col, even_yuv, slack, known, counts):  # type: ignore[no-untyped-def]
    """Count, for each even colour of the figure, how many places around one are of that colour.

    `even_yuv` is its luma and chroma, of 62 colours at most; `known`, (h, w) int64 of zeros at first, remembers
    what was looked at; `counts` is written into.
    """
    height, columns = inside_px.shape
    counts[:] = 0
    for there in range(max(0, row - _EVEN_PX), min(height, row + _EVEN_PX + 1)):
        for here in range(max(0, col - _EVEN_PX), min(columns, col + _EVEN_PX + 1)):
            if inside_px[there, here] == 0:
                continue
            if known[there, here] == 0:
                known[there, here] = _match_even(rgb, there, here, even_yuv, slack)
            found = known[there, here]
            if found != _SEEN:
                for entry in range(counts.size):
                    counts[entry] += (found >> entry) & 1


@njit(cache=True, nogil=True)
def find_stained(red, green, blue, by, bu, bv, palette, ringing, overshoot):  # type: ignore[no-untyped-def]
    """Return the commonest palette colour that another one is, stained by the ground; -1 without any.

    Such a colour is none of the palette, as light, and leans to the ground or, by less than `overshoot`, away from it: coding
    blurs chroma and lets it swing. (by, bu, bv) is the ground.
    """
    y, u, v = to_luma_chroma_kernel(red, green, blue)
    for entry in range(palette.shape[0]):
        py, pu, pv = to_luma_chroma_kernel(palette[entry, 0], palette[entry, 1], palette[entry, 2])
        if max(abs(y - py), abs(u - pu), abs(v - pv)) <= _SAME:
            return -1
    for entry in range(palette.shape[0]):
        py, pu, pv = to_luma_chroma_kernel(palette[entry, 0], palette[entry, 1], palette[entry, 2])
        if abs(y - py) > _ALIKE + 2.0 * ringing * abs(y - by):
            continue
        way_u, way_v = bu - pu, bv - pv
        lean_u, lean_v = u - pu, v - pv
        share = (lean_u * way_u + lean_v * way_v) / max(way_u * way_u + way_v * way_v, 1e-9)
        aside = max(abs(lean_u - share * way_u), abs(lean_v - share * way_v))
        if aside <= _ALIKE and (_STAIN < share < 0.5 or -overshoot < share < -_STAIN):
            return entry
    return -1
