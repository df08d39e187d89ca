"""The rim of an opaque figure, pixel by pixel: its share and its colour.

F of a mixed pixel is taken from the nearest sure figure pixel whose colour explains it, or, in strokes too
thin to have one, from the most different pixel along the stroke. Luma and chroma are weighted by how far
each can be trusted, since lossy coding blurs chroma, and since a figure's shade may go on changing to its edge.
"""

import math

import numpy as np
from numba import njit

from tidymargin.core.base.colour import to_luma_chroma_kernel, to_rgb_kernel
from tidymargin.core.rim.candidates import (
    doubt_share,
    find_even,
    find_stained,
    mix_two,
    solve_share,
)
from tidymargin.core.rim.searching import (
    EVEN_COST,
    EXPLAINED,
    FIRST,
    SEARCH_PX,
    farther_out,
    search_even,
    search_stroke,
    search_sure,
)

MAX_WIDTH_PX = 6
"""Widest rim that is solved."""

NEAR_LOSSY_PX = 4
"""How far around the pixel it was found at a figure colour is averaged, where coding is lossy."""

_SHADED = 40.0  # levels of luma to the ground, above which shade matters little
_SLOPE_PX = 4.0  # over which a change of shade is measured
_UNSURE = 3.0  # what a share that is off by the change of shade does to the figure's chroma
_DOUBTED = 0.2  # of a misfit, from which two colours may be mixed; typed
_FAINT = 12.0  # grains: what is fainter and lies alone beside the ground is its noise
_NOTHING = 0.5  # variances that a cleared place differs from the ground by, at most, to hold none of the figure
_SHALLOW = 16.0  # doubt in a share that is too small for its depth
_DOUBT = 4.0  # variances, as in ink: what falls short of solid by no more is drawn to it
_STAINED = 3.0  # blurs of chroma that a stain is taken for; typed
_LEAST_SHOWN = 0.05  # of a share, under which a place's own colour is noise
_NEAR_PX = 2  # as NEAR_LOSSY_PX, without loss

_SURE_PX = 1  # how far around a place its evenness is looked at

LOSSY_HALO_PX = SEARCH_PX + max(NEAR_LOSSY_PX + _SURE_PX, round(_SLOPE_PX) + 1)
"""How much of the surroundings solving needs where coding is lossy: a colour is averaged over what is sure where it is
found, and its slope looked at farther on."""

LOSSLESS_HALO_PX = SEARCH_PX + _NEAR_PX + _SURE_PX
"""The same without loss."""

_KEPT = 1024  # means that are remembered
_RINGING_TWICE = 1.5  # times ringing, that a rim's luma is doubted by; typed
_PAST_RIM_PX = 1.5  # inside a figure, from where coding alone makes a share less than whole; typed


@njit(cache=True, nogil=True)
def _mean_sure(rgb, sure, row, col, grain, lossy, palette):  # type: ignore[no-untyped-def]
    """Return the mean colour of sure places around one that are like it, or the even colour that it is."""
    red, green, blue, count = 0.0, 0.0, 0.0, 0.0
    near = (3.0 * grain) ** 2 * 3.0
    round_px = NEAR_LOSSY_PX if lossy else _NEAR_PX
    r0, g0, b0 = float(rgb[row, col, 0]), float(rgb[row, col, 1]), float(rgb[row, col, 2])
    for there in range(max(0, row - round_px), min(sure.shape[0], row + round_px + 1)):
        for here in range(max(0, col - round_px), min(sure.shape[1], col + round_px + 1)):
            if not sure[there, here]:
                continue
            r, g, b = (
                float(rgb[there, here, 0]),
                float(rgb[there, here, 1]),
                float(rgb[there, here, 2]),
            )
            if (r - r0) ** 2 + (g - g0) ** 2 + (b - b0) ** 2 <= near:
                red += r
                green += g
                blue += b
                count += 1.0
    red, green, blue = red / count, green / count, blue / count
    if lossy:  # an even colour's mean over the whole picture has no noise left
        least = 4.0 * grain
        r0, g0, b0 = red, green, blue
        for entry in range(palette.shape[0]):
            gap = max(
                abs(palette[entry, 0] - r0),
                abs(palette[entry, 1] - g0),
                abs(palette[entry, 2] - b0),
            )
            if gap < least:
                least = gap
                red, green, blue = palette[entry, 0], palette[entry, 1], palette[entry, 2]
    return red, green, blue


@njit(cache=True, nogil=True)
def _mean_luma(rgb, inside_px, row, col):  # type: ignore[no-untyped-def]
    """Return the mean luma of the nine places around one, all of the figure; below 0 where they are not."""
    if not (1 <= row < inside_px.shape[0] - 1 and 1 <= col < inside_px.shape[1] - 1):
        return -1.0
    total = 0.0
    for there in range(row - 1, row + 2):
        for here in range(col - 1, col + 2):
            if inside_px[there, here] == 0:
                return -1.0
            y, _, _ = to_luma_chroma_kernel(
                float(rgb[there, here, 0]), float(rgb[there, here, 1]), float(rgb[there, here, 2])
            )
            total += y
    return total / 9.0


@njit(cache=True, nogil=True)
def _guess_shade(rgb, inside_px, row, col, best_row, best_col, grain):  # type: ignore[no-untyped-def]
    """Return by how many levels of luma a figure's shade may have changed on the way to a rim pixel.

    (best_row, best_col) is where its colour was found; what changes farther in goes on changing.
    """
    down, right = best_row - row, best_col - col
    away = math.hypot(down, right)
    if away < 1.0:
        return 0.0
    here = _mean_luma(rgb, inside_px, best_row, best_col)
    step = _SLOPE_PX / away
    far = _mean_luma(rgb, inside_px, best_row + round(step * down), best_col + round(step * right))
    if here < 0.0 or far < 0.0:
        return 0.0
    return max(0.0, abs(here - far) * away / _SLOPE_PX - grain)


@njit(cache=True, nogil=True)
def _settle_colour(seen, figure, share, fade, unsure, coding):  # type: ignore[no-untyped-def]
    """Return by how much a place's own colour, F = B + (C - B) / a, is left from the figure's that was found for it.

    It is drawn to that where noise would be blown up. `figure` is the figure's difference to the ground; `fade`, 0 to
    1, is how near the rim is, `unsure` what else is not known of its chroma.
    """
    y, u, v = seen
    fy, fu, fv = figure
    grain, ringing, blur = coding
    luma_doubt = (2.0 * grain + _RINGING_TWICE * ringing * abs(fy)) / share
    gap_y = y / share - fy
    gap_u, gap_v = u / share - fu, v / share - fv
    # what leans to the ground is most likely its chroma, blurred by coding
    stained = gap_u * fu + gap_v * fv < 0.0
    likely = _STAINED if stained else 2.0 * fade
    likely = likely * blur + unsure
    chroma_doubt = (2.0 * grain + likely * math.hypot(fu, fv)) / share
    luma_trust = gap_y**4 / (gap_y**4 + luma_doubt**4 + 1e-9)
    chroma_gap = (gap_u * gap_u + gap_v * gap_v) ** 2
    chroma_trust = chroma_gap / (chroma_gap + chroma_doubt**4 + 1e-9)
    return gap_y * luma_trust, gap_u * chroma_trust, gap_v * chroma_trust


@njit(cache=True, nogil=True)
def solve_opaque_kernel(  # type: ignore[no-untyped-def]
    rgb, ground, inside_px, outside_px, sure, top, left, bottom, right,
    width, stain, grain, ringing, blur, palette, share_out, figure_out, doubt_out,
):  # fmt: skip
    """Fill share and figure colour for one tile inside a haloed region.

    `inside_px` is an uncleared pixel's distance to the nearest cleared one, `outside_px` the other way round. Across a
    rim, with a `width` of 1 and a `stain` of 3:

        cleared                | not cleared
        outside_px   3   2   1 | 1   2   3   4   5   inside_px
                       [ solved + solved ]             up to width + 0.5, both ways
                                 [ drawn ]             to solid, up to stain + 0.5; where coding is lossless, not at all
        ground           |                   picture

    `sure` is what is figure for certain, at any depth. `doubt_out` is the variance that coding gives a share.

    One kernel: each way of finding a colour begins where the one before it has failed, with all that it has found.
    """
    columns = inside_px.shape[1]
    limit = width + 0.5
    lossy = stain != width
    shallow, coding = _SHALLOW if lossy else 0.0, (grain, ringing, blur)
    even_yuv, counts = np.empty(palette.shape), np.empty(palette.shape[0], np.int64)
    for entry in range(palette.shape[0]):
        even_yuv[entry, 0], even_yuv[entry, 1], even_yuv[entry, 2] = to_luma_chroma_kernel(
            palette[entry, 0], palette[entry, 1], palette[entry, 2]
        )
    known = np.zeros(inside_px.shape, np.int64)
    # many rim pixels take their colour from the same place
    kept_at, kept = np.full(_KEPT, -1, np.int64), np.empty((_KEPT, 3))
    for row in range(top, bottom):
        for col in range(left, right):
            out_row, out_col = row - top, col - left
            deep = inside_px[row, col]
            # an edge as wide as is looked for may be wider
            solid = (deep > limit and width < MAX_WIDTH_PX) or sure[row, col]
            if deep > stain + 0.5 or (solid and stain == width):
                share_out[out_row, out_col] = 1.0
                for channel in range(3):
                    figure_out[out_row, out_col, channel] = rgb[row, col, channel]
                continue
            if deep == 0 and outside_px[row, col] > limit:
                share_out[out_row, out_col] = 0.0
                continue
            by, bu, bv = to_luma_chroma_kernel(
                ground[row, col, 0], ground[row, col, 1], ground[row, col, 2]
            )
            cy, cu, cv = to_luma_chroma_kernel(
                float(rgb[row, col, 0]), float(rgb[row, col, 1]), float(rgb[row, col, 2])
            )
            y, u, v = cy - by, cu - bu, cv - bv
            if deep == 0 and lossy and y * y + u * u + v * v <= _NOTHING * grain * grain:
                share_out[out_row, out_col] = 0.0
                continue

            # the nearest sure figure pixel that explains this one; the deeper in, the more of it shows
            least_share = min(1.0, (deep - 1.0) / width) if deep > 0 else 0.0
            # nearer than the figure there is only ground
            first = FIRST[min(SEARCH_PX + 1, int(outside_px[row, col]))]
            seen, below = (y, u, v), (by, bu, bv)
            best, best_row, best_col = search_sure(
                rgb, sure, row, col, first, seen, below, coding, least_share, shallow
            )
            even = -1
            if stain != width and best > EVEN_COST:
                find_even(rgb, inside_px, row, col, even_yuv, 4.0 * grain + 1.0, known, counts)
                best, even = search_even(
                    even_yuv, counts, seen, below, coding, least_share, shallow, best
                )
            red, green, blue = 0.0, 0.0, 0.0
            if even >= 0:
                best_row, best_col, best = row, col, best - EVEN_COST
            misfit = best - 0.5 * ((best_row - row) ** 2 + (best_col - col) ** 2)
            explained = best_row >= 0 and misfit < EXPLAINED
            found = explained
            if solid and not explained:
                # where two parts of the figure meet; no ground has got here
                share_out[out_row, out_col] = 1.0
                for channel in range(3):
                    figure_out[out_row, out_col, channel] = rgb[row, col, channel]
                continue
            if explained and even >= 0:
                red, green, blue = palette[even, 0], palette[even, 1], palette[even, 2]
            elif explained:
                place = best_row * columns + best_col
                slot = place % _KEPT
                if kept_at[slot] != place:
                    kept_at[slot] = place
                    kept[slot, 0], kept[slot, 1], kept[slot, 2] = _mean_sure(
                        rgb, sure, best_row, best_col, grain, lossy, palette
                    )
                red, green, blue = kept[slot, 0], kept[slot, 1], kept[slot, 2]
                if lossy:
                    entry = find_stained(red, green, blue, by, bu, bv, palette, ringing, 0.0)
                    if entry >= 0:
                        red, green, blue = palette[entry, 0], palette[entry, 1], palette[entry, 2]
            if not found or (stain == width and misfit > _DOUBTED and not solid):
                # without coding noise a sure pixel that fits poorly is a mixture itself
                limit_misfit = 0.5 * misfit if found else EXPLAINED
                mixed, mixed_red, mixed_green, mixed_blue = mix_two(
                    rgb, sure, row, col, by, bu, bv, y, u, v, grain, ringing, blur, palette, limit_misfit
                )  # fmt: skip
                if mixed:
                    found, red, green, blue = True, mixed_red, mixed_green, mixed_blue
            if not found:
                most, best_row, best_col = search_stroke(
                    rgb, inside_px, row, col, first, seen, below, coding
                )
                found = best_row >= 0 and (most > _FAINT * grain or not lossy)
                if found:
                    red, green, blue = farther_out(
                        float(rgb[best_row, best_col, 0]),
                        float(rgb[best_row, best_col, 1]),
                        float(rgb[best_row, best_col, 2]),
                        palette,
                        below,
                        coding,
                    )
            if not found:
                # nothing explains it: cleared or faint beside it is ground's own noise, the rest is figure
                faint = deep < 2.0 and y * y + u * u + v * v < (_FAINT * grain) ** 2 and lossy
                share_out[out_row, out_col] = 0.0 if deep == 0 or faint else 1.0
                for channel in range(3):
                    figure_out[out_row, out_col, channel] = rgb[row, col, channel]
                continue
            fy, fu, fv = to_luma_chroma_kernel(red, green, blue)
            fy, fu, fv = fy - by, fu - bu, fv - bv
            changed = 0.0
            if lossy and explained and abs(fy) < _SHADED:
                changed = _guess_shade(rgb, inside_px, row, col, best_row, best_col, grain)
                changed /= max(1.0, abs(fy))
            swing, unsure = math.hypot(ringing, changed), _UNSURE * min(0.5, changed)
            share, _ = solve_share(y, u, v, fy, fu, fv, grain, swing, blur)
            if lossy and deep > _PAST_RIM_PX and share < 1.0:
                # short of solid by no more than coding explains
                short = 1.0 - share
                doubt = _DOUBT * doubt_share(fy, fu, fv, grain, swing, blur)
                share = 1.0 - short * short * short / (short * short + doubt)
            doubt_out[out_row, out_col] = (
                doubt_share(fy, fu, fv, grain, swing, blur) if lossy else 0.0
            )
            share = 1.0 if solid else min(1.0, max(0.0, share))
            share_out[out_row, out_col] = share
            value_y, value_u, value_v = fy + by, fu + bu, fv + bv
            if share > _LEAST_SHOWN:
                fade = 1.0 / max(1.0, deep - width)
                more = _settle_colour(seen, (fy, fu, fv), share, fade, unsure, coding)
                value_y, value_u, value_v = value_y + more[0], value_u + more[1], value_v + more[2]
            value_r, value_g, value_b = to_rgb_kernel(value_y, value_u, value_v)
            figure_out[out_row, out_col, 0] = min(255.0, max(0.0, value_r))
            figure_out[out_row, out_col, 1] = min(255.0, max(0.0, value_g))
            figure_out[out_row, out_col, 2] = min(255.0, max(0.0, value_b))
