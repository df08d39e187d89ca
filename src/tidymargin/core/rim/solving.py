"""The rim: solving figure colour and matte where figure and ground mix.

Observed C, ground B and figure colour F obey C = a F + (1 - a) B in display-coded sRGB (T. Porter and
T. Duff, "Compositing digital images", 1984; A. R. Smith and J. Blinn, "Blue screen matting", 1996).
B is known everywhere. `opaque` and `inked` solve for a and F pixel by pixel; here is what goes
before and after: gaps, steadying, spill.
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.distance import distance_px
from tidymargin.core.base.part import Part
from tidymargin.core.rim.candidates import mark_sure_kernel
from tidymargin.core.rim.compose import compose_cut
from tidymargin.core.rim.corners import reach_into_corners
from tidymargin.core.rim.inked import solve_ink_kernel
from tidymargin.core.rim.opaque import MAX_WIDTH_PX, NEAR_LOSSY_PX, SEARCH_PX, solve_opaque_kernel
from tidymargin.core.rim.steady import STEADY_PX, steady_share
from tidymargin.core.screen.gaps import GAPS_HALO_PX, find_gaps
from tidymargin.core.screen.spill import DEPTH_PX, HOLD_PX, Spill, hold_lean_kernel

CARRY_PX = 8
"""How far a figure colour is carried on under transparent pixels."""

_MOST_UNEVEN = 5.0
_SOFT_PX = 3.0  # beyond a stain's depth, how far into a figure of one colour a soft edge may go

HALO_PX = CARRY_PX + STEADY_PX + SEARCH_PX + NEAR_LOSSY_PX + MAX_WIDTH_PX + 2
"""How much of the surroundings a region needs where no spill is taken off."""


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
    ink_rgb : (N, 3) ndarray of float32 or None
        The inks, 0 to 255, of a figure that is as solid as it differs; None for an opaque one.
    one_rgb : (1, 3) ndarray of float32 or None
        The only colour, 0 to 255, of an opaque figure that has no other.
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
    ink_rgb: NDArray[np.float32] | None = None
    one_rgb: NDArray[np.float32] | None = None
    spill: Spill | None = None
    is_screen: bool = False
    softness_px: float = 1.0
    most_lean: float = 1.0

    @property
    def halo_px(self) -> int:
        """How much of the surroundings a region needs, so that it comes out as in the whole picture."""
        if not self.is_screen:
            return HALO_PX
        own = HALO_PX + GAPS_HALO_PX + HOLD_PX
        return own if self.spill is None else max(own, DEPTH_PX + CARRY_PX + HOLD_PX + 2)


def _solve_opaque(
    part: Part,
    rgb: NDArray[np.uint8],
    ground: NDArray[np.float32],
    inside_px: NDArray[np.float32],
    outside_px: NDArray[np.float32],
    facts: RimFacts,
) -> None:
    """Solve the rim of an opaque figure, and steady it where coding has made it noisy."""
    lossless = facts.stain_px == facts.width_px
    sure = np.zeros(inside_px.shape, np.bool_)
    least, most = (0.6, 0.6) if lossless else (facts.grain + 1, _MOST_UNEVEN * facts.grain)
    mark_sure_kernel(
        rgb, ground, inside_px, facts.stain_px + 0.5, facts.softness_px, least, most, sure
    )

    window = part.window
    solve_opaque_kernel(
        rgb, ground, inside_px, outside_px, sure, *part.corner, *part.end,
        facts.width_px, facts.stain_px, facts.grain, facts.luma_ringing, facts.chroma_blur,
        facts.palette_rgb, part.share[window], part.figure[window], part.doubt[window],
    )  # fmt: skip
    if not lossless:
        steadied = steady_share(part.share, part.doubt, facts.softness_px)
        part.shrink(STEADY_PX)
        part.share = steadied


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
    own = (slice(top, height - below), slice(left, width - beside))
    out = np.empty((*rgb[own].shape[:2], 4), np.uint8)
    own_alpha = None if alpha is None else alpha[own]
    if not cleared.any() and facts.ink_rgb is None:
        out[..., :3] = rgb[own]
        if (
            facts.spill is not None and spill_amount > 1
        ):  # beyond all that falls off there is an even rest
            inside = rgb[own].astype(np.float32)
            solid = np.ones(inside.shape[:2], np.float32)
            facts.spill.take_off(inside, solid, np.full_like(solid, DEPTH_PX), spill_amount)
            out[..., :3] = np.floor(inside + np.float32(0.5))
        out[..., 3] = 255 if own_alpha is None else own_alpha
        return out
    if cleared.all():
        out[:] = (*facts.carried_rgb, 0)
        return out
    if facts.is_screen:
        cleared = cleared | find_gaps(rgb, ground, cleared, facts.palette_rgb, facts.grain)
    inside_px = distance_px(~cleared)
    outside_px = distance_px(cleared)
    lossless = facts.stain_px == facts.width_px
    colours = facts.ink_rgb if facts.one_rgb is None else facts.one_rgb
    if colours is not None:
        dropped_inks = dropped_inks if facts.one_rgb is None else ()
        part = Part(cleared.shape, margins, CARRY_PX)
        window = part.window
        kept = np.ones(len(colours), np.bool_)
        for rgb_srgb in dropped_inks:
            away = np.abs(colours - np.array(rgb_srgb, np.float32)).max(axis=1)
            kept[away.argmin()] = False
        solve_ink_kernel(
            rgb, ground, outside_px, *part.corner, *part.end, facts.width_px + 1,
            facts.grain, facts.luma_ringing, facts.chroma_blur, colours, kept,
            part.share[window], part.figure[window],
        )  # fmt: skip
        if facts.one_rgb is not None:
            is_deep = inside_px[part.near] > facts.stain_px + _SOFT_PX
            part.share[window][is_deep] = 1.0
            part.figure[window][is_deep] = rgb[part.near][is_deep]
        return compose_cut(
            part.share, part.figure, part.reach_px, facts.carried_rgb, own_alpha, out
        )
    # the rim is needed as far out as colours are carried from; beyond the picture's end there is none
    reach_px = CARRY_PX
    if not lossless:
        reach_px += STEADY_PX + (HOLD_PX if facts.is_screen else 0)
    part = Part(cleared.shape, margins, reach_px)
    if lossless:
        inside_px = reach_into_corners(rgb, ground, inside_px, facts.width_px + 0.5)
    _solve_opaque(part, rgb, ground, inside_px, outside_px, facts)
    window, near = part.window, part.near
    if facts.spill is not None and spill_amount > 0:
        deep = cv2.distanceTransform((~cleared).view(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
        depth = np.zeros(part.share.shape, np.float32)
        depth[window] = np.asarray(deep)[near]
        taken = np.zeros(part.share.shape, np.float32)
        taken[window] = facts.spill.find_taken(
            rgb[near], ground[near], part.figure[window], part.share[window]
        )
        facts.spill.take_off(part.figure, part.share, depth, spill_amount, taken)
    if facts.is_screen and not lossless:
        if spill_amount > 0:
            hold_lean_kernel(
                part.figure[window], part.share[window], inside_px[near], ground[near],
                facts.most_lean, facts.stain_px + 0.5,
            )  # fmt: skip
        part.shrink(HOLD_PX)
    return compose_cut(part.share, part.figure, part.reach_px, facts.carried_rgb, own_alpha, out)
