"""The rim: solving figure colour and matte where figure and ground mix, stage by stage.

Observed C, ground B and figure colour F obey C = a F + (1 - a) B in display-coded sRGB (T. Porter and
T. Duff, "Compositing digital images", 1984; A. R. Smith and J. Blinn, "Blue screen matting", 1996).
B is known everywhere. `opaque` and `inked` solve for a and F pixel by pixel; here is the order of what goes
before and after: gaps, distances, steadying, spill, and what is carried on under nothing.
"""

from functools import partial

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.distance import distance_px
from tidymargin.core.base.part import Margins, Part
from tidymargin.core.base.stages import Stage, halo_of, run_stages
from tidymargin.core.figure.parts import InkParts
from tidymargin.core.marks.laying import lay_marks
from tidymargin.core.marks.plan import MarksPlan
from tidymargin.core.rim.after import list_rim_stages
from tidymargin.core.rim.band import bands_halo_px, solve_bands
from tidymargin.core.rim.candidates import mark_sure_kernel
from tidymargin.core.rim.compose import compose_cut
from tidymargin.core.rim.corners import CORNERS_HALO_PX, DEEPER_PX, reach_into_corners
from tidymargin.core.rim.dips import fill_dips
from tidymargin.core.rim.facts import RimFacts
from tidymargin.core.rim.inked import solve_ink_kernel
from tidymargin.core.rim.opaque import LOSSLESS_HALO_PX, LOSSY_HALO_PX, solve_opaque_kernel
from tidymargin.core.rim.plan import RimPlan
from tidymargin.core.rim.steady import STEADY_PX, steady_share
from tidymargin.core.screen.gaps import GAPS_HALO_PX, find_gaps
from tidymargin.core.screen.spill import DEPTH_PX, HOLD_PX, hold_lean_kernel
from tidymargin.core.tint.colours import list_colour_stages
from tidymargin.core.tint.outlook import Outlook
from tidymargin.core.tint.plan import TintPlan
from tidymargin.core.tint.sparing import fade_out, hold_guarded

BANDS = "bands"

CARRY_PX = 8
"""How far a figure colour is carried on under transparent pixels."""

_MOST_UNEVEN = 5.0  # grains within an even patch; typed
_SOFT_PX = 3  # beyond a stain's depth, how far into a figure of one colour a soft edge may go
_ROUNDED = 0.6  # levels of luma or chroma: whole levels, and a little


def _fill_gaps(facts: RimFacts, part: Part) -> None:
    gaps = find_gaps(part.rgb, part.ground, part.cleared, facts.palette_rgb, facts.grain)
    part.cleared = part.cleared | gaps


def _measure_depth(part: Part) -> None:
    figure = (~part.cleared).view(np.uint8)
    deep = cv2.distanceTransform(figure, cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    part.depth_px = np.minimum(
        deep, np.float32(DEPTH_PX)
    )  # with nothing cleared, there is no telling


def _measure_distances(part: Part) -> None:
    part.inside_px, part.outside_px = distance_px(~part.cleared), distance_px(part.cleared)


def _reach_into_corners(facts: RimFacts, part: Part) -> None:
    limit_px = facts.width_px + 0.5
    part.inside_px = reach_into_corners(part.rgb, part.ground, part.inside_px, limit_px)


def _solve_opaque(facts: RimFacts, part: Part) -> None:
    """Solve the rim of an opaque figure, where what is figure for sure is marked first."""
    part.lay_out()
    sure = np.zeros(part.cleared.shape, np.bool_)
    lossless = facts.is_lossless
    least, most = (
        (_ROUNDED, _ROUNDED) if lossless else (facts.grain + 1, _MOST_UNEVEN * facts.grain)
    )
    mark_sure_kernel(
        part.rgb, part.ground, part.inside_px, facts.stain_px + 0.5, facts.softness_px, least,
        most, sure,
    )  # fmt: skip
    inside, window = part.inside(part.reach_px), part.window(part.reach_px)
    solve_opaque_kernel(
        part.rgb, part.ground, part.inside_px, part.outside_px, sure,
        inside.top, inside.left, inside.bottom, inside.right,
        facts.width_px, facts.stain_px, facts.grain, facts.luma_ringing, facts.chroma_blur,
        facts.palette_rgb, part.share[window], part.figure[window], part.doubt[window],
    )  # fmt: skip


def _solve_inks(
    facts: RimFacts, inks: NDArray[np.float32], kept: NDArray[np.bool_], part: Part
) -> None:
    part.lay_out()
    inside, window = part.inside(part.reach_px), part.window(part.reach_px)
    solve_ink_kernel(
        part.rgb, part.ground, part.outside_px, inside.top, inside.left, inside.bottom,
        inside.right, facts.width_px + 1, facts.grain, facts.luma_ringing, facts.chroma_blur, inks, kept,
        part.share[window], part.figure[window],
    )  # fmt: skip


def _solve_ink_parts(facts: RimFacts, parts: InkParts, kept: NDArray[np.bool_], part: Part) -> None:
    """Solve anew as ink what is, in place of what an opaque figure would be there."""
    window = part.window(part.reach_px)
    of_ink = parts.over(part.where(part.reach_px))
    if not of_ink.any():
        return
    inside = part.inside(part.reach_px)
    share, figure = np.zeros(of_ink.shape, np.float32), np.zeros((*of_ink.shape, 3), np.float32)
    solve_ink_kernel(
        part.rgb, part.ground, part.outside_px, inside.top, inside.left, inside.bottom,
        inside.right, facts.width_px + 1, facts.grain, facts.luma_ringing, facts.chroma_blur, parts.rgb, kept,
        share, figure,
    )  # fmt: skip
    part.share[window][of_ink], part.figure[window][of_ink] = share[of_ink], figure[of_ink]


def _keep_deep(facts: RimFacts, part: Part) -> None:
    """Leave what lies deep in a figure of one colour as it is."""
    near, window = part.near(part.reach_px), part.window(part.reach_px)
    is_deep = part.inside_px[near] > facts.stain_px + _SOFT_PX
    part.share[window][is_deep] = 1.0
    part.figure[window][is_deep] = part.rgb[near][is_deep]


def _steady(facts: RimFacts, part: Part) -> None:
    steadied = steady_share(part.share, part.doubt, facts.softness_px)
    part.share[STEADY_PX:-STEADY_PX, STEADY_PX:-STEADY_PX] = steadied


def _take_off_spill(facts: RimFacts, tint: TintPlan, part: Part) -> None:
    if facts.spill is None:
        return
    depth = np.full(part.share.shape, DEPTH_PX, np.float32)
    taken = np.zeros(part.share.shape, np.float32)
    near, window = part.near(part.reach_px), part.window(part.reach_px)
    if part.depth_px.size:
        depth[window] = part.depth_px[near]
        lit = (depth[window] < DEPTH_PX) & (part.share[window] > 0)
        taken[window][lit] = facts.spill.find_taken(
            part.rgb[near][lit], part.ground[near][lit], part.figure[window][lit],
            part.share[window][lit],
        )  # fmt: skip
    lit_figure = part.figure.copy() if tint.spill_places or tint.spill_guards else part.figure
    facts.spill.take_off(part.figure, part.share, depth, tint.spill, taken)
    for place in tint.spill_places:
        weight = fade_out(place, part.where(part.reach_px))
        if weight.any():
            other = lit_figure.copy()
            facts.spill.take_off(other, part.share, depth, place.amount, taken)
            part.figure[window] += weight[..., None] * (other - part.figure)[window]
    if tint.spill_guards:
        held = hold_guarded(lit_figure[window], tint.spill_guards)[..., None]
        part.figure[window] += held * (lit_figure - part.figure)[window]


def _hold_lean(facts: RimFacts, part: Part) -> None:
    near, window = part.near(part.solved_px), part.window(part.solved_px)
    hold_lean_kernel(
        part.figure[window], part.share[window], part.inside_px[near], part.ground[near],
        facts.most_lean, facts.stain_px + 0.5,
    )  # fmt: skip


def _lay_alpha_in(part: Part) -> None:
    """Count alpha that came in as part of the matte, before anything is done to that."""
    if part.alpha_in.size:
        near, window = part.near(part.reach_px), part.window(part.reach_px)
        part.share[window] *= part.alpha_in[near] / np.float32(255)
        part.alpha = None


def _compose(facts: RimFacts, part: Part) -> None:
    part.out = compose_cut(
        part.share, part.figure, part.solved_px, facts.carried_rgb, part.alpha, part.out
    )


def _choose_kept(
    inks: NDArray[np.float32], dropped_inks: tuple[tuple[int, int, int], ...]
) -> NDArray[np.bool_]:
    """Return which inks stay; each that goes means the measured ink nearest to it."""
    kept = np.ones(len(inks), np.bool_)
    for rgb_srgb in dropped_inks:
        away = np.abs(inks - np.array(rgb_srgb, np.float32)).max(axis=1)
        kept[away.argmin()] = False
    return kept


def _list_ink_stages(
    facts: RimFacts, inks: NDArray[np.float32], dropped_inks: tuple[tuple[int, int, int], ...]
) -> list[Stage]:
    """Return the stages of a figure that is as solid as it differs: all of it, or where it is not deep."""
    reach_px = facts.width_px + 2
    if facts.one_rgb is not None:
        reach_px = max(reach_px, facts.stain_px + _SOFT_PX + 1)
    solve = partial(_solve_inks, facts, inks, _choose_kept(inks, dropped_inks))
    stages = [
        Stage("distances", _measure_distances, reach_px),
        Stage("solve inks", solve, 0),
    ]
    if facts.one_rgb is not None:
        stages.append(Stage("keep what is deep", partial(_keep_deep, facts), 0))
    return stages


def _list_opaque_stages(facts: RimFacts, tint: TintPlan) -> list[Stage]:
    spill_amount = max([tint.spill, *(place.amount for place in tint.spill_places)])
    takes_off = facts.spill is not None and spill_amount > 0
    solve_px = LOSSLESS_HALO_PX if facts.is_lossless else LOSSY_HALO_PX
    edge_px = facts.width_px + 1 + DEEPER_PX if facts.is_lossless else facts.stain_px + 1
    parts = facts.ink_parts
    if parts is not None:
        edge_px = max(edge_px, facts.width_px + 2)
    stages = [Stage("depth", _measure_depth, DEPTH_PX)] if takes_off else []
    stages.append(Stage("distances", _measure_distances, edge_px))
    if facts.is_lossless:
        stages.append(Stage("corners", partial(_reach_into_corners, facts), CORNERS_HALO_PX))
    stages.append(Stage("solve", partial(_solve_opaque, facts), solve_px))
    if not facts.is_lossless:
        stages.append(Stage("steady", partial(_steady, facts), STEADY_PX))
    if not (facts.is_of_one_colour or facts.is_screen):  # a screen shows in a gap by its hue
        stages.append(Stage("dips", partial(fill_dips, facts.stain_px), facts.stain_px))
    if parts is not None:
        kept = _choose_kept(parts.rgb, tint.dropped_inks)
        stages.append(Stage("ink parts", partial(_solve_ink_parts, facts, parts, kept), 0))
    if takes_off:
        stages.append(Stage("spill", partial(_take_off_spill, facts, tint), 0, spill_amount > 1))
    if facts.is_screen and not facts.is_lossless and spill_amount > 0:
        stages.append(Stage("hold lean", partial(_hold_lean, facts), HOLD_PX))
    return stages


def list_stages(
    facts: RimFacts,
    marks: MarksPlan = MarksPlan(),
    rim: RimPlan = RimPlan(),
    tint: TintPlan = TintPlan(),
    *,
    has_ground: bool = True,
    outlook: Outlook | None = None,
    came_transparent: bool = False,
) -> tuple[Stage, ...]:
    """Return what is done to every part of a cut, in order.

    Parameters
    ----------
    facts : RimFacts
        Measured on the whole picture.
    marks, rim, tint :
        What was decided.
    has_ground : bool
        Whether the ground is modelled, so that a figure can be unmixed from it.
    outlook : Outlook, optional
        What is known of the whole figure, where `tint.needs_outlook`.
    came_transparent : bool
        Whether some of the picture came in transparent, so that there are rims that no key knows of.
    """
    gaps = Stage("gaps", partial(_fill_gaps, facts), GAPS_HALO_PX)
    first = [gaps] if facts.is_screen else []
    bands = []
    if marks.solved_px > 0:
        solve = partial(solve_bands, facts, marks, has_ground)
        bands.append(Stage(BANDS, solve, bands_halo_px(marks)))
    if facts.one_rgb is not None:
        solving = [*_list_ink_stages(facts, facts.one_rgb, ()), *bands]
    elif facts.ink_rgb is not None:
        solving = [*_list_ink_stages(facts, facts.ink_rgb, tint.dropped_inks), *bands]
    else:
        solving = [*_list_opaque_stages(facts, tint), *bands]
    if marks.marks:
        solving.append(Stage("marks", partial(lay_marks, marks), 0, on_figure=True, on_clear=True))
    is_marked = bool(marks.marks)
    after = list_rim_stages(rim, on_figure=is_marked or came_transparent, on_clear=is_marked)
    after += list_colour_stages(tint, facts.darkest, facts.grain, outlook, is_marked=is_marked)
    if after:  # what is spread or laid under is not bounded by what came in transparent
        on_clear = any(stage.on_clear for stage in after)
        solving += [Stage("came in", _lay_alpha_in, 0, on_figure=True, on_clear=on_clear), *after]
    return (*first, *solving, Stage("compose", partial(_compose, facts), CARRY_PX))


def solve_cut(
    rgb: NDArray[np.uint8],
    ground: NDArray[np.float32],
    cleared: NDArray[np.bool_],
    facts: RimFacts,
    stages: tuple[Stage, ...],
    *,
    margins: Margins,
    corner_px: tuple[int, int] = (0, 0),
    alpha: NDArray[np.uint8] | None = None,
    lit: NDArray[np.float32] | None = None,
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
    stages : tuple of Stage
        See `list_stages`.
    margins : tuple of 4 int
        How much of the region is halo at the top, left, bottom and right: `halo_of(stages)` except where the
        picture ends.
    corner_px : tuple of 2 int
        Where the region without its halo begins in the picture, row and col.
    alpha : (h, w) ndarray of uint8, optional
        Alpha that came in; multiplied into the result.
    lit : (h, w, 3) ndarray of float32, optional
        The ground without the shade that lies on it, 0 to 255, where a shadow is kept.

    Returns
    -------
    (h', w', 4) ndarray of uint8
        Straight RGBA of the region without its halo, figure colour carried on under transparent pixels.
    """
    part = Part(rgb, ground, cleared, margins, halo_of(stages), corner_px=corner_px, lit=lit)
    own = part.near(0)
    if alpha is not None:
        part.alpha, part.alpha_in = alpha[own], alpha
    is_cleared = bool(cleared.all())
    if is_plain(is_cleared, bool(cleared.any()), facts, stages):
        return _finish_plain(part, stages, facts, is_cleared=is_cleared)
    run_stages(stages, part)
    return part.out


def is_plain(
    is_cleared: bool, is_any_cleared: bool, facts: RimFacts, stages: tuple[Stage, ...]
) -> bool:
    """Whether there is no rim in a region and its halo: all of it is cleared or figure, and nothing there is worked out."""
    if any(stage.name == BANDS for stage in stages):
        return False
    has_ink = facts.ink_rgb is not None or facts.ink_parts is not None
    return is_cleared or not (is_any_cleared or has_ink)


def _finish_plain(
    part: Part, stages: tuple[Stage, ...], facts: RimFacts, *, is_cleared: bool
) -> NDArray[np.uint8]:
    """Return a region that has no rim near it: nothing, or figure in its own colours, but for what acts there too."""
    acting = [stage for stage in stages if (stage.on_clear if is_cleared else stage.on_figure)]
    if not acting:
        if is_cleared:
            part.out[:] = (*facts.carried_rgb, 0)
        else:
            part.out[..., :3] = part.rgb[part.near(0)]
            part.out[..., 3] = 255 if part.alpha is None else part.alpha
        return part.out
    acting.append(stages[-1])
    around_px = halo_of(acting)
    part.aim(around_px).lay_out()
    if not is_cleared:
        window = part.window(around_px)
        part.share[window] = 1
        part.figure[window] = part.rgb[part.near(around_px)]
    run_stages(acting, part)
    return part.out
