"""Bands that a person wants worked out: hair, fur, blur, and the edge of an outline, where anything may be mixed.

Every place of a band is tried with figure colours seen from it along rays, over the ground as it is modelled or, where
somebody decided what is ground, as it is seen along rays too; the pair that explains it best is taken (E. S. L. Gastal
and M. M. Oliveira, "Shared sampling for real-time alpha matting", 2010, have the idea of few samples along rays).
"""

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.base.colour import to_luma_chroma_kernel
from tidymargin.core.base.part import Part
from tidymargin.core.marks.covering import cover, cover_edge
from tidymargin.core.marks.laying import lay_on_mask
from tidymargin.core.marks.plan import MarksPlan
from tidymargin.core.rim.candidates import MISFIT_UNIT, doubt_share, solve_share
from tidymargin.core.rim.facts import RimFacts

MOST_SEEN_PX = 64
"""How far away a colour may be that a place in a band is worked out by."""

_BEYOND_PX = 16  # behind a band's other side, colours are seen as well
_RAYS = 16  # that a place looks along; twice as many change no digit
_DIRECTIONS = np.array([(np.sin(a), np.cos(a)) for a in 2 * np.pi * np.arange(_RAYS) / _RAYS])
_MEAN_PX = 1  # around a place that is averaged
_FAR = 0.1  # what it costs a colour to be twice as far away as the nearest
_TRACE = 2.5  # grains, as in ink: a trace so strong is half drawn to nothing
_SHORT = 1.8  # variances, as in ink

_BAND, _FIGURE, _GROUND = 0, 1, 2
_LEAST_SHARE = 0.05  # of figure, under which its colour is not divided out; typed


def seen_px(plan: MarksPlan) -> int:
    """Return how far away a colour may be that bands as wide as these marks have are worked out by."""
    return min(MOST_SEEN_PX, int(plan.solved_px) + _BEYOND_PX)


def bands_halo_px(plan: MarksPlan) -> int:
    """Return how much of the surroundings working out bands needs."""
    return seen_px(plan) + _MEAN_PX


@njit(cache=True, nogil=True)
def _mean_known(rgb, known, kind, row, col, mean):  # type: ignore[no-untyped-def]
    """Set `mean` to the colour of what is known to be of a kind around a place."""
    mean[:] = 0.0
    count = 0
    for there in range(max(0, row - _MEAN_PX), min(known.shape[0], row + _MEAN_PX + 1)):
        for here in range(max(0, col - _MEAN_PX), min(known.shape[1], col + _MEAN_PX + 1)):
            if known[there, here] == kind:
                for channel in range(3):
                    mean[channel] += rgb[there, here, channel]
                count += 1
    mean /= max(1, count)


@njit(cache=True, nogil=True)
def _look_around(rgb, known, kind, row, col, most, colours, away):  # type: ignore[no-untyped-def]
    """Fill colours of a kind and how far away they are, the first along each ray; return how many."""
    count = 0
    for ray in range(_RAYS):
        for far in range(1, most + 1):
            there = row + int(np.rint(far * _DIRECTIONS[ray, 0]))
            here = col + int(np.rint(far * _DIRECTIONS[ray, 1]))
            if not (0 <= there < known.shape[0] and 0 <= here < known.shape[1]):
                break
            if known[there, here] == kind:
                _mean_known(rgb, known, kind, there, here, colours[count])
                away[count] = far
                count += 1
                break
    return count


@njit(cache=True, nogil=True)
def _band_kernel(  # type: ignore[no-untyped-def]
    rgb,
    ground,
    is_modelled,
    known,
    top,
    left,
    most,
    grain,
    ringing,
    blur,
    own_part,
    share_out,
    figure_out,
):
    """Work out each place of a band; what sees no figure is none.

    `known` says of what came in what is figure, ground or band; `share_out` and `figure_out` begin at its `top`, `left`.
    """
    figures, far_figures = np.empty((_RAYS, 3)), np.empty(_RAYS)
    grounds, far_grounds = np.empty((_RAYS, 3)), np.empty(_RAYS)
    for row in range(top, top + share_out.shape[0]):
        for col in range(left, left + share_out.shape[1]):
            if known[row, col] != _BAND:
                continue
            out_row, out_col = row - top, col - left
            seen = _look_around(rgb, known, _FIGURE, row, col, most, figures, far_figures)
            if is_modelled[row, col]:
                behind = 1
                grounds[0] = ground[row, col]
                far_grounds[0] = 1.0
            else:
                behind = _look_around(rgb, known, _GROUND, row, col, most, grounds, far_grounds)
            if seen == 0 or behind == 0:
                if seen > 0:
                    share_out[out_row, out_col] = 1.0
                    figure_out[out_row, out_col] = rgb[row, col]
                elif behind > 0:
                    share_out[out_row, out_col] = 0.0
                continue
            cy, cu, cv = to_luma_chroma_kernel(
                float(rgb[row, col, 0]), float(rgb[row, col, 1]), float(rgb[row, col, 2])
            )
            near_figure, near_ground = far_figures[:seen].min(), far_grounds[:behind].min()
            best, found, doubt, power, first, second = 1e18, 0.0, 1.0, 1.0, 0, 0
            for f in range(seen):
                fy0, fu0, fv0 = to_luma_chroma_kernel(figures[f, 0], figures[f, 1], figures[f, 2])
                for b in range(behind):
                    by, bu, bv = to_luma_chroma_kernel(grounds[b, 0], grounds[b, 1], grounds[b, 2])
                    fy, fu, fv = fy0 - by, fu0 - bu, fv0 - bv
                    share, misfit = solve_share(
                        cy - by, cu - bu, cv - bv, fy, fu, fv, grain, ringing, blur
                    )
                    over = max(0.0, share - 1.0) + max(0.0, -share)
                    cost = (
                        misfit / MISFIT_UNIT + over
                        + _FAR * (far_figures[f] / near_figure + far_grounds[b] / near_ground)
                    )  # fmt: skip
                    if cost < best:
                        best, found, first, second = cost, share, f, b
                        power = fy * fy + fu * fu + fv * fv
                        doubt = doubt_share(fy, fu, fv, grain, ringing, blur)
            found = min(1.0, max(0.0, found))
            if grain > 0.5:
                trace = (_TRACE * grain) ** 2 / max(1.0, power)
                found *= found * found / (found * found + trace + 1e-12)
                short = 1.0 - found
                if short > 0.0:
                    found = 1.0 - short * short * short / (short * short + _SHORT * doubt)
            share_out[out_row, out_col] = found
            for channel in range(3):
                # what is nearly solid shows its own colour, what is faint the one it was explained by
                own = grounds[second, channel]
                own += (rgb[row, col, channel] - own) / max(found, _LEAST_SHARE)
                own = min(255.0, max(0.0, own))
                weight = own_part * found * found
                figure_out[out_row, out_col, channel] = (
                    weight * own + (1.0 - weight) * figures[first, channel]
                )


def solve_bands(facts: RimFacts, plan: MarksPlan, has_ground: bool, part: Part) -> None:
    """Work out the bands of marks in a part, over what the key made of it.

    Parameters
    ----------
    facts : RimFacts
        Measured on the whole picture.
    plan : MarksPlan
        All marks: what they decide for sure is known beside a band.
    has_ground : bool
        Whether the ground is modelled, so that it is known under a band as well.
    part : Part
        Its `share` and `figure` are filled.
    """
    most = seen_px(plan)
    reach_px = part.reach_px + most + _MEAN_PX
    there, near = part.where(reach_px), part.near(reach_px)
    plan = plan.near(there)
    covered = np.zeros((there.height, there.width), np.float32)
    for mark in plan.marks:
        if mark.verdict == "solve" and mark.like is None:
            np.maximum(covered, cover(mark, there), out=covered)
        elif mark.edge_px > 0:
            np.maximum(covered, cover_edge(mark, there), out=covered)
    if not covered.any():
        return
    stands = ~part.cleared[near]
    by_key = ~stands
    lay_on_mask(plan, there, stands)
    known = np.where(stands, np.uint8(_FIGURE), np.uint8(_GROUND))
    known[covered > 0.5] = _BAND
    # ground that a person had to decide on is none that is modelled
    is_modelled = np.full(stands.shape, has_ground)
    if has_ground:
        is_modelled = _near_key(known, by_key, most)
    inner, window = part.near(part.reach_px), part.window(part.reach_px)
    top, left = inner[0].start - near[0].start, inner[1].start - near[1].start
    # what a screen's light falls on shows that light as well: there the figure's own colours are those seen beyond the band
    own_part = 0.0 if facts.is_screen else 1.0
    share, figure = part.share[window].copy(), part.figure[window].copy()
    _band_kernel(
        np.ascontiguousarray(part.rgb[near]), np.ascontiguousarray(part.ground[near]), is_modelled, known, top, left,
        most, facts.grain, facts.luma_ringing, facts.chroma_blur, own_part, share, figure,
    )  # fmt: skip
    part.share[window], part.figure[window] = share, figure


def _near_key(
    known: NDArray[np.uint8], by_key: NDArray[np.bool_], far_px: int
) -> NDArray[np.bool_]:
    """Return where the ground that is known around is mostly what the key cleared, (h, w) bool."""
    is_ground = (known == _GROUND).astype(np.float32)
    total, keyed = (_count_around(mask, far_px) for mask in (is_ground, is_ground * by_key))
    return np.asarray(2 * keyed >= total)


def _count_around(mask: NDArray[np.float32], far_px: int) -> NDArray[np.float64]:
    """Return sums over a square around each place; of whole numbers, so that they are the same from any region."""
    size = (2 * far_px + 1,) * 2
    return np.asarray(
        cv2.boxFilter(mask, cv2.CV_64F, size, normalize=False, borderType=cv2.BORDER_CONSTANT),
        np.float64,
    )
