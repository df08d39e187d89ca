"""What is done to a rim once it is solved, stage by stage; each is left out where it would change nothing."""

import math
from functools import partial

import numpy as np

from tidymargin.core.base.part import Part
from tidymargin.core.base.stages import Stage
from tidymargin.core.rim.edge import move_rim, moving_halo_px
from tidymargin.core.rim.plan import RimPlan
from tidymargin.core.rim.smoothing import smooth_rim, smoothing_halo_px
from tidymargin.core.rim.softening import (
    carry_on,
    clean_fringe,
    feather_halo_px,
    feather_rim,
    fringe_halo_px,
    scale_matte,
)


def _corner(part: Part, halo_px: int) -> tuple[int, int]:
    """Return where the region that a stage has to get right begins in what there is of the picture for it."""
    wide, own = part.near(part.reach_px + halo_px), part.near(part.reach_px)
    return own[0].start - wide[0].start, own[1].start - wide[1].start


def _clean_fringe(amount: float, depth_px: float, halo_px: int, part: Part) -> None:
    wide, own = part.window(part.reach_px + halo_px), part.window(part.reach_px)
    out = part.figure[own].copy()
    share, figure = np.ascontiguousarray(part.share[wide]), np.ascontiguousarray(part.figure[wide])
    clean_fringe(share, figure, amount, depth_px, out=out, corner=_corner(part, halo_px))  # fmt: skip
    part.figure[own] = out


def _carry_on(far_px: int, part: Part) -> None:
    wide = part.window(part.reach_px + far_px)
    figure = np.ascontiguousarray(part.figure[wide])
    carry_on(np.ascontiguousarray(part.share[wide]), figure, far_px)
    part.figure[wide] = figure


def _smooth(smooth_px: float, halo_px: int, part: Part) -> None:
    wide, own = part.window(part.reach_px + halo_px), part.window(part.reach_px)
    out = part.share[own].copy()
    smooth_rim(
        np.ascontiguousarray(part.share[wide]), smooth_px, out=out, corner=_corner(part, halo_px)
    )
    part.share[own] = out


def _move(by_px: float, spares_lines: bool, halo_px: int, part: Part) -> None:
    wide, own = part.window(part.reach_px + halo_px), part.window(part.reach_px)
    out = part.share[own].copy()
    move_rim(np.ascontiguousarray(part.share[wide]), by_px, spares_lines=spares_lines, out=out, corner=_corner(part, halo_px))  # fmt: skip
    part.share[own] = out


def _feather(feather_px: float, part: Part) -> None:
    wide, own = part.window(part.reach_px + feather_halo_px(feather_px)), part.window(part.reach_px)
    top, left = _corner(part, feather_halo_px(feather_px))
    height, width = part.share[own].shape
    soft = feather_rim(part.share[wide], feather_px)
    part.share[own] = soft[top : top + height, left : left + width]


def _scale(rim: RimPlan, part: Part) -> None:
    part.share = scale_matte(part.share, rim.black, rim.white, rim.gamma)


def list_rim_stages(rim: RimPlan, *, on_figure: bool, on_clear: bool) -> list[Stage]:
    """Return the stages of step 4, in order; none where nothing was decided.

    Parameters
    ----------
    rim : RimPlan
        What was decided.
    on_figure, on_clear : bool
        Whether there may be rims where reach has none, as it clears nothing or all.
    """
    stages = []

    def add(name: str, run: "partial[None]", halo_px: int) -> None:
        stages.append(Stage(name, run, halo_px, on_figure, on_clear))

    if rim.fringe > 0:
        halo_px = fringe_halo_px(rim.fringe_px)
        add("fringe", partial(_clean_fringe, rim.fringe, rim.fringe_px, halo_px), halo_px)
    smooth_px = smoothing_halo_px(rim.smooth_px) if rim.smooth_px > 0 else 0
    spread_px = math.ceil(max(0.0, -rim.choke_px)) + 1 if rim.choke_px < 0 else 0
    feather_px = feather_halo_px(rim.feather_px) if rim.feather_px > 0 else 0
    far_px = (2 if smooth_px else 0) + spread_px + feather_px
    if far_px:
        add("carry on", partial(_carry_on, far_px), far_px)
    if smooth_px:
        add("smooth", partial(_smooth, rim.smooth_px, smooth_px), smooth_px)
    if rim.choke_px:
        halo_px = moving_halo_px(rim.choke_px, spares_lines=rim.spares_lines)
        add("choke", partial(_move, rim.choke_px, rim.spares_lines, halo_px), halo_px)
    if feather_px:
        add("feather", partial(_feather, rim.feather_px), feather_px)
    if (rim.black, rim.white, rim.gamma) != (0, 1, 1):
        add("levels", partial(_scale, rim), 0)
    return stages
