"""The rim: solving figure colour and matte where figure and ground mix.

Observed C, ground B and figure colour F obey C = a F + (1 - a) B in display-coded sRGB (T. Porter and
T. Duff, "Compositing digital images", 1984; A. R. Smith and J. Blinn, "Blue screen matting", 1996).
B is known everywhere. F of a mixed pixel is taken from the nearest sure figure pixel whose colour
explains it, or, in strokes too thin to have one, from the most different pixel along the stroke.
Luma and chroma are weighted by how far each can be trusted, since lossy coding blurs chroma.
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.candidates import (
    MISFIT_UNIT,
    doubt_share,
    find_even,
    find_stained,
    mark_sure_kernel,
    mix_two,
    solve_share,
)
from tidymargin.core.colour import to_luma_chroma_kernel, to_rgb_kernel
from tidymargin.core.compose import compose_cut
from tidymargin.core.distance import distance_px, list_round
from tidymargin.core.ink_rim import solve_ink_kernel
from tidymargin.core.near_ground import GAPS_HALO_PX, SETTLE_PX, find_gaps, settle_ground
from tidymargin.core.spill import DEPTH_PX, Spill, hold_lean_kernel
from tidymargin.core.steady import FILL_STEPS, STEADY_HALO_PX, fill_inner_kernel, steady_share

SEARCH_PX = 8
"""How far a figure colour may come from."""

CARRY_PX = 8
"""How far a figure colour is carried on under transparent pixels."""

MAX_WIDTH_PX = 6
"""Widest rim that is solved."""

_EXPLAINED = 2.0
_DOUBTED = 0.2
_NEAR_LOSSY_PX = 4
_FAINT = 12.0  # grains: what is fainter and lies alone beside the ground is its noise
_SHALLOW = 16.0  # doubt in a share that is too small for its depth
_DOUBT = 4.0  # variances, as in ink: what falls short of solid by no more is drawn to it
_EVEN_LEAST = 3
_STAINED = 3.0
_EVEN_COST = 2.0  # as much as a sure pixel two pixels away
_MOST_UNEVEN = 5.0
_NEAR_PX = 2  # a figure colour is averaged over this much around the pixel it was found at

HALO_PX = CARRY_PX + STEADY_HALO_PX + max(SEARCH_PX + _NEAR_LOSSY_PX, SETTLE_PX) + MAX_WIDTH_PX + 2
"""How much of the surroundings a region needs where no spill is taken off."""


_ROUND = list_round(SEARCH_PX)


@dataclass(frozen=True, slots=True, eq=False)
class RimFacts:
    """What the whole picture says about its rims.

    Parameters
    ----------
    width_px : int
        Pixels from ground to sure figure, 1 to 6; 1 is a plain anti-aliased edge.
    stain_px : int
        How deep lossy coding stains the figure with the ground's colour; `width_px` when lossless.
    grain : float
        Coding noise near edges in 8-bit levels; 0.5 for a lossless picture.
    chroma_blur : float
        How wrong a matte solved from chroma alone is, 0 (trustworthy) to 1.
    luma_ringing : float
        Share of the contrast that scatters into the luma near edges, 0 and up.
    palette_rgb : (N, 3) ndarray of float32
        The figure's even colours, 0 to 255; N may be 0.
    carried_rgb : tuple of 3 int
        The figure's commonest colour, laid under what is far from any figure.
    settles : bool
        Whether the ground is a smooth model that is to be settled on what is seen of it near by.
    ink_rgb : (N, 3) ndarray of float32 or None
        The inks, 0 to 255, of a figure that is as solid as it differs; None for an opaque one.
    spill : Spill or None
        The screen's light on the figure, where there is any.
    is_screen : bool
        Whether the ground is a screen, so that its hue in a narrow gap betrays it.
    softness_px : float
        Pixels from ground to figure across a clean edge of the picture; 1 where it is as sharp as can be.
    most_lean : float
        How far the figure's own colours lean to a screen's hue, as a share of the screen's chroma.
    """

    width_px: int
    stain_px: int
    grain: float
    chroma_blur: float
    luma_ringing: float
    palette_rgb: NDArray[np.float32]
    carried_rgb: tuple[int, int, int]
    settles: bool = False
    ink_rgb: NDArray[np.float32] | None = None
    spill: Spill | None = None
    is_screen: bool = False
    softness_px: float = 1.0
    most_lean: float = 1.0

    @property
    def halo_px(self) -> int:
        """How much of the surroundings a region needs, so that it comes out as in the whole picture."""
        own = HALO_PX + (GAPS_HALO_PX if self.is_screen else 0)
        return own if self.spill is None else max(own, DEPTH_PX + CARRY_PX + 2)


@njit(cache=True, nogil=True)
def _solve_rim_kernel(  # type: ignore[no-untyped-def]
    rgb, ground, inside_px, outside_px, sure, top, left, bottom, right,
    width, stain, grain, ringing, blur, palette, share_out, figure_out, doubt_out,
):  # fmt: skip
    """Fill share and figure colour for one tile inside a haloed region.

    `inside_px` is an uncleared pixel's distance to the nearest cleared one (0 on cleared pixels),
    `outside_px` the other way round.
    """
    height, columns = inside_px.shape
    limit = width + 0.5
    lossy = stain != width
    shallow = _SHALLOW if lossy else 0.0
    for row in range(top, bottom):
        for col in range(left, right):
            out_row, out_col = row - top, col - left
            deep = inside_px[row, col]
            solid = deep > limit or sure[row, col]
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

            # the nearest sure figure pixel that explains this one; the deeper in, the more of it shows
            least_share = min(1.0, (deep - 1.0) / width) if deep > 0 else 0.0
            best = 1e18
            best_row, best_col = -1, -1
            for number in range(_ROUND.shape[0]):
                near_by = 0.5 * _ROUND[number, 2]
                if near_by >= best:
                    break
                there, here = row + _ROUND[number, 0], col + _ROUND[number, 1]
                if not (0 <= there < height and 0 <= here < columns and sure[there, here]):
                    continue
                fy, fu, fv = to_luma_chroma_kernel(
                    float(rgb[there, here, 0]),
                    float(rgb[there, here, 1]),
                    float(rgb[there, here, 2]),
                )
                share, misfit = solve_share(
                    y, u, v, fy - by, fu - bu, fv - bv, grain, ringing, blur
                )
                cost = misfit / MISFIT_UNIT + near_by
                cost += shallow * max(0.0, least_share - share)
                if cost < best:
                    best, best_row, best_col = cost, there, here
            # an even colour of the figure that shows near by, such as that of a thin pale outline
            even = -1
            if stain != width and best > _EVEN_COST:
                counts = find_even(rgb, inside_px, row, col, palette, 4.0 * grain + 1.0)
                for entry in range(palette.shape[0]):
                    if counts[entry] < _EVEN_LEAST:
                        continue
                    fy, fu, fv = to_luma_chroma_kernel(
                        palette[entry, 0], palette[entry, 1], palette[entry, 2]
                    )
                    share, misfit = solve_share(
                        y, u, v, fy - by, fu - bu, fv - bv, grain, ringing, blur
                    )
                    cost = misfit / MISFIT_UNIT + _EVEN_COST
                    cost += shallow * max(0.0, least_share - share)
                    if cost < best and share <= 1.3:
                        best, even = cost, entry
            red, green, blue = 0.0, 0.0, 0.0
            if even >= 0:
                best_row, best_col, best = row, col, best - _EVEN_COST
            misfit = best - 0.5 * ((best_row - row) ** 2 + (best_col - col) ** 2)
            explained = best_row >= 0 and misfit < _EXPLAINED
            found = explained
            if (
                solid and not explained
            ):  # where two parts of the figure meet; no ground has got here
                share_out[out_row, out_col] = 1.0
                for channel in range(3):
                    figure_out[out_row, out_col, channel] = rgb[row, col, channel]
                continue
            if explained and even >= 0:
                red, green, blue = palette[even, 0], palette[even, 1], palette[even, 2]
            elif explained:
                count = 0.0
                near = (3.0 * grain) ** 2 * 3.0
                round_px = _NEAR_PX if stain == width else _NEAR_LOSSY_PX
                r0, g0, b0 = (
                    float(rgb[best_row, best_col, 0]),
                    float(rgb[best_row, best_col, 1]),
                    float(rgb[best_row, best_col, 2]),
                )
                for there in range(
                    max(0, best_row - round_px), min(height, best_row + round_px + 1)
                ):
                    for here in range(
                        max(0, best_col - round_px), min(columns, best_col + round_px + 1)
                    ):
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
                if stain != width:  # an even colour's mean over the whole picture has no noise left
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
                            red, green, blue = (
                                palette[entry, 0],
                                palette[entry, 1],
                                palette[entry, 2],
                            )
                if lossy:
                    entry = find_stained(red, green, blue, by, bu, bv, palette, ringing, 0.0)
                    if entry >= 0:
                        red, green, blue = palette[entry, 0], palette[entry, 1], palette[entry, 2]
            if not found or (stain == width and misfit > _DOUBTED and not solid):
                # without coding noise a sure pixel that fits poorly is a mixture itself
                limit_misfit = 0.5 * misfit if found else _EXPLAINED
                mixed, mixed_red, mixed_green, mixed_blue = mix_two(
                    rgb,
                    sure,
                    row,
                    col,
                    by,
                    bu,
                    bv,
                    y,
                    u,
                    v,
                    grain,
                    ringing,
                    blur,
                    palette,
                    limit_misfit,
                )
                if mixed:
                    found, red, green, blue = True, mixed_red, mixed_green, mixed_blue
            if not found:
                # a stroke too thin for a sure pixel: the most different pixel in this one's direction
                most = 0.0
                for there in range(max(0, row - SEARCH_PX), min(height, row + SEARCH_PX + 1)):
                    for here in range(max(0, col - SEARCH_PX), min(columns, col + SEARCH_PX + 1)):
                        if inside_px[there, here] == 0:
                            continue
                        away = (there - row) ** 2 + (here - col) ** 2
                        if away > SEARCH_PX * SEARCH_PX:
                            continue
                        fy, fu, fv = to_luma_chroma_kernel(
                            float(rgb[there, here, 0]),
                            float(rgb[there, here, 1]),
                            float(rgb[there, here, 2]),
                        )
                        fy, fu, fv = fy - by, fu - bu, fv - bv
                        share, misfit = solve_share(y, u, v, fy, fu, fv, grain, ringing, blur)
                        if share < 0.0 or share > 1.02 or misfit / MISFIT_UNIT > _EXPLAINED:
                            continue
                        extent = (fy * fy + fu * fu + fv * fv) ** 0.5 - 0.75 * away**0.5
                        if extent > most:
                            found = True
                            most = extent
                            best_row, best_col = there, here
                found = found and (most > _FAINT * grain or not lossy)
                if found:
                    red, green, blue = (
                        float(rgb[best_row, best_col, 0]),
                        float(rgb[best_row, best_col, 1]),
                        float(rgb[best_row, best_col, 2]),
                    )
                    # that pixel may be mixed itself: an even colour of the figure farther out on its line
                    ty, tu, tv = to_luma_chroma_kernel(red, green, blue)
                    ty, tu, tv = ty - by, tu - bu, tv - bv
                    least = 1e18
                    for entry in range(palette.shape[0]):
                        fy, fu, fv = to_luma_chroma_kernel(
                            palette[entry, 0], palette[entry, 1], palette[entry, 2]
                        )
                        share, misfit = solve_share(
                            ty, tu, tv, fy - by, fu - bu, fv - bv, grain, ringing, blur
                        )
                        if (
                            0.5 <= share <= 1.02
                            and misfit / MISFIT_UNIT < _EXPLAINED
                            and 1.0 - share < least
                        ):
                            least = 1.0 - share
                            red, green, blue = (
                                palette[entry, 0],
                                palette[entry, 1],
                                palette[entry, 2],
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
            share, _ = solve_share(y, u, v, fy, fu, fv, grain, ringing, blur)
            if (
                lossy and deep > 1.5 and share < 1.0
            ):  # short of solid by no more than coding explains
                short = 1.0 - share
                doubt = _DOUBT * doubt_share(fy, fu, fv, grain, ringing, blur)
                share = 1.0 - short * short * short / (short * short + doubt)
            doubt_out[out_row, out_col] = (
                doubt_share(fy, fu, fv, grain, ringing, blur) if lossy else 0.0
            )
            share = 1.0 if solid else min(1.0, max(0.0, share))
            share_out[out_row, out_col] = share
            # F = B + (C - B) / a where stable, drawn to the local F where noise would be blown up
            value_y, value_u, value_v = fy + by, fu + bu, fv + bv
            if share > 0.05:
                fade = 1.0 / max(1.0, deep - width)
                luma_doubt = (2.0 * grain + 1.5 * ringing * abs(fy)) / share
                gap_y = y / share - fy
                gap_u, gap_v = u / share - fu, v / share - fv
                # what leans to the ground is most likely its chroma, blurred by coding
                stained = gap_u * fu + gap_v * fv < 0.0
                likely = _STAINED if stained else 2.0 * fade
                chroma_doubt = (2.0 * grain + likely * blur * (fu * fu + fv * fv) ** 0.5) / share
                luma_trust = gap_y**4 / (gap_y**4 + luma_doubt**4 + 1e-9)
                chroma_gap = (gap_u * gap_u + gap_v * gap_v) ** 2
                chroma_trust = chroma_gap / (chroma_gap + chroma_doubt**4 + 1e-9)
                value_y += gap_y * luma_trust
                value_u += gap_u * chroma_trust
                value_v += gap_v * chroma_trust
            value_r, value_g, value_b = to_rgb_kernel(value_y, value_u, value_v)
            figure_out[out_row, out_col, 0] = min(255.0, max(0.0, value_r))
            figure_out[out_row, out_col, 1] = min(255.0, max(0.0, value_g))
            figure_out[out_row, out_col, 2] = min(255.0, max(0.0, value_b))


def _find_window(
    margins: tuple[int, int, int, int], height: int, width: int, reach: int
) -> tuple[int, int, int, int, tuple[slice, slice]]:
    """Return the rows and columns `reach` px around a region within its halo, and where they lie there."""
    top, left, below, beside = margins
    first_row, first_col = max(0, top - reach), max(0, left - reach)
    last_row, last_col = min(height, height - below + reach), min(width, width - beside + reach)
    window = (
        slice(first_row - top + reach, last_row - top + reach),
        slice(first_col - left + reach, last_col - left + reach),
    )
    return first_row, first_col, last_row, last_col, window


def solve_cut(
    rgb: NDArray[np.uint8],
    ground: NDArray[np.float32],
    cleared: NDArray[np.bool_],
    facts: RimFacts,
    *,
    margins: tuple[int, int, int, int],
    alpha: NDArray[np.uint8] | None = None,
    spill_amount: float = 1.0,
    dropped_inks: tuple[tuple[int, int, int], ...] = (),
) -> NDArray[np.uint8]:
    """Solve figure colour and matte of a region.

    Parameters
    ----------
    rgb : (h, w, 3) ndarray of uint8
        The region with its halo.
    ground : (h, w, 3) ndarray of float32
        The ground there, 0 to 255.
    cleared : (h, w) ndarray of bool
        What reach clears there.
    facts : RimFacts
        Measured on the whole picture.
    margins : tuple of 4 int
        How much of the region is halo at the top, left, bottom and right; `facts.halo_px` except where the
        picture ends.
    alpha : (h, w) ndarray of uint8, optional
        Alpha that came in; multiplied into the result.
    spill_amount : float
        How much of the measured spill is taken off, 0 to 2.
    dropped_inks : tuple of (red, green, blue)
        Inks that go; each means the measured ink nearest to it.

    Returns
    -------
    (h', w', 4) ndarray of uint8
        Straight RGBA of the region without its halo, figure colour carried on under transparent pixels.
    """
    height, width = cleared.shape
    top, left, below, beside = margins
    core_h, core_w = height - top - below, width - left - beside
    own = (slice(top, height - below), slice(left, width - beside))
    out = np.empty((core_h, core_w, 4), np.uint8)
    if not cleared.any():
        out[..., :3] = rgb[own]
        if (
            facts.spill is not None and spill_amount > 1
        ):  # beyond all that falls off there is an even rest
            inside = rgb[own].astype(np.float32)
            solid = np.ones(inside.shape[:2], np.float32)
            facts.spill.take_off(inside, solid, np.full_like(solid, DEPTH_PX), spill_amount)
            out[..., :3] = np.floor(inside + np.float32(0.5))
        out[..., 3] = 255 if alpha is None else alpha[own]
        return out
    if cleared.all():
        out[:] = (*facts.carried_rgb, 0)
        return out
    if facts.is_screen:
        cleared = cleared | find_gaps(rgb, ground, cleared, facts.palette_rgb, facts.grain)
    inside_px = distance_px(~cleared)
    outside_px = distance_px(cleared)
    if facts.settles:
        ground = settle_ground(rgb, ground, outside_px > facts.width_px + 1.5)
    lossless = facts.stain_px == facts.width_px
    # the rim is needed as far out as colours are carried from; beyond the picture's end there is none
    reach = CARRY_PX + (0 if lossless or facts.ink_rgb is not None else STEADY_HALO_PX)
    share = np.zeros((core_h + 2 * reach, core_w + 2 * reach), np.float32)
    figure = np.zeros((*share.shape, 3), np.float32)
    first_row, first_col, last_row, last_col, window = _find_window(margins, height, width, reach)
    if facts.ink_rgb is not None:
        kept = np.ones(len(facts.ink_rgb), np.bool_)
        for rgb_srgb in dropped_inks:
            kept[np.abs(facts.ink_rgb - np.array(rgb_srgb, np.float32)).max(axis=1).argmin()] = (
                False
            )
        solve_ink_kernel(
            rgb, ground, outside_px, first_row, first_col, last_row, last_col, facts.width_px + 1,
            facts.grain, facts.luma_ringing, facts.chroma_blur, facts.ink_rgb, kept,
            share[window], figure[window],
        )  # fmt: skip
        return compose_cut(
            share, figure, reach, facts.carried_rgb, None if alpha is None else alpha[own], out
        )
    doubt = np.zeros(share.shape, np.float32)
    sure = np.zeros(cleared.shape, np.bool_)
    least, most = (0.6, 0.6) if lossless else (facts.grain + 1, _MOST_UNEVEN * facts.grain)
    mark_sure_kernel(rgb, ground, inside_px, facts.stain_px + 0.5, least, most, sure)
    _solve_rim_kernel(
        rgb, ground, inside_px, outside_px, sure, first_row, first_col, last_row, last_col,
        facts.width_px, facts.stain_px, facts.grain, facts.luma_ringing, facts.chroma_blur, facts.palette_rgb,
        share[window], figure[window], doubt[window],
    )  # fmt: skip
    if not lossless:
        for _ in range(FILL_STEPS):
            fill_inner_kernel(
                rgb, ground, inside_px, first_row, first_col, share[window], figure[window]
            )
        share, figure = steady_share(share, figure, doubt, facts.softness_px)
        reach = CARRY_PX
        first_row, first_col, last_row, last_col, window = _find_window(
            margins, height, width, reach
        )
        if facts.is_screen and spill_amount > 0:
            near = (slice(first_row, last_row), slice(first_col, last_col))
            hold_lean_kernel(
                figure[window], share[window], inside_px[near], ground[near], facts.most_lean,
                facts.stain_px + 0.5,
            )  # fmt: skip
    if facts.spill is not None and spill_amount > 0:
        deep = cv2.distanceTransform((~cleared).view(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
        depth = np.zeros(share.shape, np.float32)
        depth[window] = np.asarray(deep)[first_row:last_row, first_col:last_col]
        facts.spill.take_off(figure, share, depth, spill_amount)
    return compose_cut(
        share, figure, reach, facts.carried_rgb, None if alpha is None else alpha[own], out
    )
