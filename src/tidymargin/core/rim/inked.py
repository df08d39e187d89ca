"""The rim of ink, which is everywhere: every pixel is as solid as it differs from the ground."""

from numba import njit

from tidymargin.core.base.colour import to_luma_chroma_kernel
from tidymargin.core.rim.candidates import doubt_share, solve_share

_TRACE = 2.5  # grains: how strong a trace of ink is that is half drawn to nothing
_SHORT = 1.8  # variances: how far short of full ink a place falls that is half drawn to solid


@njit(cache=True, nogil=True)
def solve_ink_kernel(  # type: ignore[no-untyped-def]
    rgb, ground, outside_px, top, left, bottom, right, width, grain, ringing, blur, inks, kept,
    share_out, figure_out,
):  # fmt: skip
    """Fill share and figure colour for one tile of a figure that is ink: every pixel is solved.

    What is nearest to an ink that is not kept goes.
    """
    for row in range(top, bottom):
        for col in range(left, right):
            if outside_px[row, col] > width + 0.5:
                continue
            out_row, out_col = row - top, col - left
            by, bu, bv = to_luma_chroma_kernel(
                ground[row, col, 0], ground[row, col, 1], ground[row, col, 2]
            )
            cy, cu, cv = to_luma_chroma_kernel(
                float(rgb[row, col, 0]), float(rgb[row, col, 1]), float(rgb[row, col, 2])
            )
            best, found, best_power, doubt = 1e18, 0.0, 1.0, 0.0
            best_ink = 0
            for ink in range(inks.shape[0]):
                fy, fu, fv = to_luma_chroma_kernel(inks[ink, 0], inks[ink, 1], inks[ink, 2])
                share, misfit = solve_share(
                    cy - by, cu - bu, cv - bv, fy - by, fu - bu, fv - bv, grain, ringing, blur
                )
                if misfit < best:
                    best, best_ink, found = misfit, ink, share
                    best_power = (fy - by) ** 2 + (fu - bu) ** 2 + (fv - bv) ** 2
                    doubt = doubt_share(fy - by, fu - bu, fv - bv, grain, ringing, blur)
            # a trace no stronger than the coding's own grain is drawn to nothing
            trace = (_TRACE * grain) ** 2 / max(1.0, best_power) if grain > 0.5 else 0.0
            found *= found * found / (found * found + trace + 1e-12)
            short = 1.0 - found
            if short > 0.0 and grain > 0.5:  # as is full ink that noise alone makes fall short
                found = 1.0 - short * short * short / (short * short + _SHORT * doubt)
            share_out[out_row, out_col] = min(1.0, max(0.0, found)) if kept[best_ink] else 0.0
            for channel in range(3):
                figure_out[out_row, out_col, channel] = inks[best_ink, channel]
