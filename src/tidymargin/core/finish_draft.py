"""A draft of what steps 4 and 5 do to a view, worked out on the view itself: what is exact follows when it is solved.

Zoomed out, solving every rim of a large sheet again takes a second; on the pixels that are looked at, the same stages take
a few milliseconds, with their lengths in those pixels.
"""

from dataclasses import replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.parallel import work_through
from tidymargin.core.base.part import Part
from tidymargin.core.base.picture import Region, whole
from tidymargin.core.base.stages import Stage, halo_of, run_stages
from tidymargin.core.cut import Cutter
from tidymargin.core.rim.after import list_rim_stages
from tidymargin.core.rim.compose import compose_cut
from tidymargin.core.rim.plan import RimPlan
from tidymargin.core.rim.solving import CARRY_PX
from tidymargin.core.tint.colours import SET_BACK_PX, list_colour_stages
from tidymargin.core.tint.outlook import look_out
from tidymargin.core.tint.plan import TintPlan

_LEAST_FRINGE_PX = 1.0  # of the view: what is less cannot be drawn
_BAND_PX = 128  # of a view: each core takes one after another


def _scale_rim(rim: RimPlan, cell: float) -> RimPlan:
    if cell > 1:  # the mean of a cell that a rim crosses says nothing of the matte in it
        rim = replace(rim, black=0.0, white=1.0, gamma=1.0)
    return replace(
        rim,
        choke_px=rim.choke_px / cell,
        smooth_px=rim.smooth_px / cell,
        feather_px=rim.feather_px / cell,
        fringe_px=max(_LEAST_FRINGE_PX, rim.fringe_px / cell),
    )


def _scale_tint(tint: TintPlan, cell: float) -> TintPlan:
    backing, recolour = tint.backing, tint.recolour
    if backing is not None:
        backing = replace(backing, grown_px=(backing.grown_px - SET_BACK_PX) / cell + SET_BACK_PX)
    if recolour is not None:
        pieces = tuple((int(row / cell), int(col / cell), code) for row, col, code in recolour.pieces)  # fmt: skip
        recolour = replace(recolour, pieces=pieces)
    # the ground that a shadow lies on is not in a cut
    return replace(tint, backing=backing, recolour=recolour, shadow=0.0)


def draft_finish(
    plain: NDArray[np.uint8], cutter: Cutter, corner_px: tuple[float, float], cell: float
) -> NDArray[np.uint8] | None:
    """Return what steps 4 and 5 make of a view of the cut without them; None where the view does not hold enough for that.

    Parameters
    ----------
    plain : (h, w, 4) ndarray of uint8
        The view, straight RGBA.
    cutter : Cutter
        With the decisions.
    corner_px : tuple of float
        Where the view begins in the picture, row and col.
    cell : float
        Pixels of the picture in each of the view's, 1 or more.
    """
    height, width = plain.shape[:2]
    rim, tint, outlook = (
        _scale_rim(cutter.plan.rim, cell),
        _scale_tint(cutter.plan.tint, cell),
        None,
    )
    if tint.needs_outlook and cell == 1:
        outlook = cutter.outlook
    elif tint.needs_outlook:
        is_whole = max(corner_px) == 0 and height * cell > cutter.picture.height - cell and width * cell > cutter.picture.width - cell  # fmt: skip
        if not is_whole:
            return None
        outlook = look_out(plain[..., 3] > 127, tint)
    facts = cutter.facts.rim

    def compose(part: Part) -> None:
        part.out = compose_cut(part.share, part.figure, part.solved_px, facts.carried_rgb, None, part.out)  # fmt: skip

    stages = [
        *list_rim_stages(rim, on_figure=True, on_clear=True),
        *list_colour_stages(tint, facts.darkest, facts.grain, outlook, is_marked=True),
        Stage("compose", partial(compose), CARRY_PX),
    ]
    around_px = halo_of(stages)
    everywhere = whole(height, width)
    out = np.empty_like(plain)

    def finish(band: Region) -> None:
        around = band.grown(around_px, everywhere)
        seen = plain[around.slices]
        margins = (band.top - around.top, 0, around.bottom - band.bottom, 0)
        corner = int(corner_px[0]) + band.top, int(corner_px[1])
        nothing = np.broadcast_to(np.float32(0), seen[..., :3].shape)
        part = Part(seen[..., :3], nothing, np.zeros(seen.shape[:2], np.bool_), margins, around_px, corner_px=corner)  # fmt: skip
        part.lay_out()
        own = part.window(around_px)
        part.share[own] = seen[..., 3] / np.float32(255)
        part.figure[own] = seen[..., :3]
        run_stages(stages, part)
        out[band.slices] = part.out

    work_through(finish, everywhere.bands(_BAND_PX))
    return out
