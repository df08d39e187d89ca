"""From a picture and a few decisions to the cut: what reach clears, then any region on its own."""

from collections.abc import Iterator
from dataclasses import dataclass, field, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.mask import PackedMask
from tidymargin.core.base.parallel import work_through
from tidymargin.core.base.picture import Picture, Region, whole
from tidymargin.core.base.progress import Tick, no_tick
from tidymargin.core.base.stages import Stage, halo_of
from tidymargin.core.facts import SheetFacts
from tidymargin.core.ground.surface import SurfaceGround
from tidymargin.core.levels import Levels, find_levels
from tidymargin.core.marks.laying import lay_on_mask
from tidymargin.core.marks.likeness import LEAST_LIKE, Found, find_like
from tidymargin.core.marks.plan import EVERYWHERE, Mark, MarksPlan
from tidymargin.core.plan import Plan
from tidymargin.core.reach.clearing import (
    HIGHEST_TOLERANCE,
    Reach,
    clear,
    to_step,
)
from tidymargin.core.reach.pockets import Pockets, find_pockets
from tidymargin.core.rim.solving import is_plain, list_stages, solve_cut
from tidymargin.core.suggest.crumbs import tidy_small
from tidymargin.core.suggest.strays import drop_pieces
from tidymargin.core.tint.outlook import Outlook, look_out

_BAND_PX = 512  # rows that are rendered at once: memory
_MOST_OUTLOOKS = 4  # that are remembered: memory
_MOST_FOUND = 1000  # marks whose findings are remembered; a few tens of kilobytes each
_TILE_PX = 256  # that a thread takes at once
_PAINTED_PX = 1  # around what is painted over, its edge is as well
_UNLIKE = 15.0  # of difference, from which what a person drops is painted over
_NO_GROUND = np.empty((0, 0, 3), np.float32)  # where there is no rim to solve it is not looked at


def _choose_tiles(
    block: Region, outer: Region, cleared: NDArray[np.bool_], halo_px: int
) -> list[Region]:
    """Return a block whole where that is less to look at, halos included, than each of its tiles with a rim."""
    tiles = list(block.tiles(_TILE_PX))
    to_solve = 0
    for around in (tile.grown(halo_px, outer) for tile in tiles):
        part = cleared[around.seen_from(outer).slices]
        if part.any() and not part.all():
            to_solve += around.height * around.width
    whole_block = block.grown(halo_px, outer)
    return tiles if to_solve <= whole_block.height * whole_block.width else [block]


@dataclass(frozen=True, slots=True, eq=False)
class Cutter:
    """A sheet's facts and its decisions, ready to render any region.

    Parameters
    ----------
    picture, facts :
        The sheet.
    levels : Levels
        Of its start, picks and walls.
    tolerance : float
        The sheet's, 0 to 50.
    pockets : Pockets
        At that tolerance.
    tidied : PackedMask or None
        What is cleared after crumbs and pinholes; None where none were asked for.
    dropped, filled : int
        How many crumbs and pinholes that took.
    painted_over : PackedMask or None
        What a person dropped that differs much from the ground, or it would be taken for a rim of what stands
        beside it; None for nothing.
    plan : Plan
        What was decided; of its reach only what the fields above say holds.
    tried : float or None
        Another tolerance that is only tried out: pockets and crumbs stay as they are at `tolerance`.
    outlooks : dict
        What is known of the whole figure, by what of the plan it depends on; looked at once.
    """

    picture: Picture
    facts: SheetFacts
    levels: Levels
    tolerance: float
    pockets: Pockets
    tidied: PackedMask | None = None
    dropped: int = 0
    filled: int = 0
    painted_over: PackedMask | None = None
    plan: Plan = Plan()
    tried: float | None = None
    outlooks: dict[tuple[object, ...], Outlook] = field(default_factory=dict)

    @property
    def outlook(self) -> Outlook | None:
        """What the colours of one place depend on elsewhere; None where they do not."""
        tint = self.plan.tint
        if not tint.needs_outlook:
            return None
        fills = None if tint.backing is None else tint.backing.fills_holes
        pieces = () if tint.recolour is None else tint.recolour.pieces
        name = (self.plan.marks, self.tried, fills, pieces)
        found = self.outlooks.get(name)
        if found is None:
            everywhere = whole(self.picture.height, self.picture.width)
            stands = ~self.cleared(everywhere)
            if self.picture.alpha is not None:
                stands &= self.picture.alpha > 0
            lay_on_mask(self.plan.marks, everywhere, stands)
            found = look_out(stands, tint)
            self.outlooks[name] = found
            while len(self.outlooks) > _MOST_OUTLOOKS:
                self.outlooks.pop(next(iter(self.outlooks)), None)
        return found

    @property
    def stages(self) -> tuple[Stage, ...]:
        """What is done to a part of the cut that every mark may touch."""
        return self._list_stages(self.plan.marks)

    def _stages_near(self, tile: Region) -> tuple[Stage, ...]:
        """Return what is done to a tile: bands take much of what is around, so they are left out where none is near."""
        marks = self.plan.marks
        if marks.solved_px == 0 or marks.has_band_near(tile.grown(self.halo_px, EVERYWHERE)):
            return self.stages
        return self._list_stages(marks.without_bands())

    def _list_stages(self, marks: MarksPlan) -> tuple[Stage, ...]:
        facts, plan = self.facts, self.plan
        has_ground, has_alpha = not facts.is_busy, self.picture.alpha is not None
        return list_stages(facts.rim, marks, plan.rim, plan.tint, has_ground=has_ground, outlook=self.outlook, came_transparent=has_alpha)  # fmt: skip

    @property
    def halo_px(self) -> int:
        """How much of the surroundings a region needs, so that it comes out as in the whole picture."""
        return self._halo_of(self.stages)

    def _halo_of(self, stages: tuple[Stage, ...]) -> int:
        return halo_of(stages) + (0 if self.painted_over is None else _PAINTED_PX)

    @property
    def reach(self) -> Reach:
        """The levels from the start and the picks."""
        return self.levels.reach

    @property
    def size_bytes(self) -> int:
        """Memory that its own arrays take, beside the facts and levels."""
        kept = (self.pockets.opened, self.tidied, self.painted_over)
        return 1000 + sum(mask.size_bytes for mask in kept if mask is not None)

    def cleared(self, region: Region) -> NDArray[np.bool_]:
        """Return what is cleared in a region, pockets and crumbs included, (h, w) bool."""
        if self.tidied is not None:
            found = self.tidied.over(region)
        else:
            found = clear(self.reach, self.tolerance, region)
            if self.pockets.opened is not None:
                found |= self.pockets.opened.over(region)
        if self.tried is not None:
            then = clear(self.reach, self.tried, region)
            if self.tried > self.tolerance:
                found |= then
            else:
                found &= then | ~clear(self.reach, self.tolerance, region)
        for mark in self.plan.marks.near(region).likes:
            self._find_like(mark).apply(region, found, clears=mark.verdict == "clear")
        return found

    def _find_like(self, mark: Mark) -> Found:
        """Return what a mark takes of what is like its colour; it is looked for once."""
        assert mark.like is not None
        own = mark.like.tolerance
        tolerance = max(self.tolerance, LEAST_LIKE) if own is None else own
        found = self.levels.found.get((mark, tolerance))
        if found is None:
            guards = self.plan.reach.guards
            found = find_like(self.picture, self.facts.difference.steps, guards, mark, tolerance)
            self.levels.found[mark, tolerance] = found
            while len(self.levels.found) > _MOST_FOUND:
                self.levels.found.pop(next(iter(self.levels.found)), None)
        return found

    def render(self, region: Region) -> NDArray[np.uint8]:
        """Return the cut in a region, (h, w, 4) uint8 straight RGBA; equals the crop of the whole.

        It is worked on in tiles, so that little memory is taken and only tiles with a rim are solved.
        """
        everywhere = whole(self.picture.height, self.picture.width)
        halo_px = self.halo_px
        outer = region.grown(halo_px, everywhere)
        cleared = self.cleared(outer)
        if self.picture.alpha is not None:  # what came in transparent has no ground to unmix
            cleared &= self.picture.alpha[outer.slices] > 0
        out = np.empty((region.height, region.width, 4), np.uint8)

        def render_block(block: Region) -> None:
            for tile in _choose_tiles(block, outer, cleared, halo_px):
                stages = self._stages_near(tile)
                around = tile.grown(self._halo_of(stages), everywhere)
                part = np.ascontiguousarray(cleared[around.seen_from(outer).slices])
                out[tile.seen_from(region).slices] = self._render_tile(tile, around, part, stages)

        work_through(render_block, region.tiles(2 * _TILE_PX))
        return out

    def _render_tile(
        self,
        tile: Region,
        around: Region,
        cleared: NDArray[np.bool_],
        stages: tuple[Stage, ...],
    ) -> NDArray[np.uint8]:
        """Return the cut in a tile; `cleared` is what is cleared in it and its halo."""
        alpha = None if self.picture.alpha is None else self.picture.alpha[around.slices]
        # where there is no rim the ground is looked at for its shadow alone
        has_rim = not is_plain(bool(cleared.all()), bool(cleared.any()), self.facts.rim, stages)
        is_looked_at = has_rim or (self.plan.tint.shadow > 0 and bool(cleared.any()))
        ground = self.facts.ground.over(around) if is_looked_at else _NO_GROUND
        has_shade = is_looked_at and self.plan.tint.shadow > 0
        lit = (
            self.facts.ground.lit_over(around)
            if has_shade and isinstance(self.facts.ground, SurfaceGround)
            else None
        )
        # in one piece wherever it is cut from, or kernels would be compiled once more for narrow pictures
        if self.facts.fringe is not None:
            rgb = self.facts.fringe.take_off(self.picture, around)
        else:
            rgb = np.ascontiguousarray(self.picture.rgb[around.slices])
        if has_rim and self.painted_over is not None:
            rgb = self._paint_over(self.painted_over, around, rgb, ground, cleared)
        return solve_cut(
            rgb,
            ground,
            cleared,
            self.facts.rim,
            stages,
            margins=(
                tile.top - around.top,
                tile.left - around.left,
                around.bottom - tile.bottom,
                around.right - tile.right,
            ),
            corner_px=(tile.top, tile.left),
            alpha=alpha,
            lit=lit,
        )

    def _paint_over(
        self,
        mask: PackedMask,
        around: Region,
        rgb: NDArray[np.uint8],
        ground: NDArray[np.float32],
        cleared: NDArray[np.bool_],
    ) -> NDArray[np.uint8]:
        """Return a region's colours with the ground laid over what was dropped, and its edge but for a rim's."""
        wider = around.grown(1, whole(self.picture.height, self.picture.width))
        dropped = mask.over(wider)
        if not dropped.any():
            return rgb
        beside = np.ones((3, 3), np.uint8)
        inside = around.seen_from(wider).slices
        edge = np.asarray(cv2.dilate(dropped.view(np.uint8), beside))[inside] > 0
        edge &= np.asarray(cv2.dilate((~cleared).view(np.uint8), beside)) == 0
        over = cleared & (dropped[inside] | edge)
        out = rgb.copy()
        out[over] = np.rint(ground[over])
        return out

    def render_bands(self, tick: Tick = no_tick) -> Iterator[NDArray[np.uint8]]:
        """Yield the whole cut from the top, in bands of a few hundred rows."""
        for band in whole(self.picture.height, self.picture.width).bands(_BAND_PX):
            tick(band.top / self.picture.height)
            yield self.render(band)

    def render_whole(self) -> NDArray[np.uint8]:
        """Return the whole cut, (H, W, 4) uint8."""
        out = np.empty((self.picture.height, self.picture.width, 4), np.uint8)
        top = 0
        for band in self.render_bands():
            out[top : top + len(band)] = band
            top += len(band)
        return out


def cut_by_levels(picture: Picture, facts: SheetFacts, levels: Levels, plan: Plan) -> Cutter:
    """Apply tolerance, pockets and crumbs to levels that are at hand."""
    reach = plan.reach
    chosen = reach.tolerance
    tolerance = facts.calm.tolerance if chosen is None else chosen
    everywhere = whole(picture.height, picture.width)
    cleared = clear(levels.reach, tolerance, everywhere)
    step = to_step(tolerance)
    is_as_measured = step == to_step(facts.calm.tolerance) and levels.are_of(facts)
    if facts.is_busy or (is_as_measured and not reach.choices and not reach.rules):
        pockets = facts.pockets
    else:
        pockets = find_pockets(
            levels.steps, facts.outside, step, facts.ground, facts.nature, facts.evidence,
            reach.choices, cleared, reach.rules, facts.ink_parts,
        )  # fmt: skip
    cutter = Cutter(picture, facts, levels, tolerance, pockets, plan=plan)
    crumb_px = facts.crumb_px if reach.crumb_px is None else reach.crumb_px
    if crumb_px <= 1 and reach.pinhole_px <= 1 and not reach.drops:
        return cutter
    before = cutter.cleared(everywhere)
    cleared = drop_pieces(before, reach.drops) if reach.drops else before
    ringing = facts.difference.ringing
    faint = (
        (levels.steps, to_step(min(tolerance + ringing, HIGHEST_TOLERANCE)))
        if ringing > 0
        else None
    )
    by_hand = reach.crumb_px is not None
    tidied = tidy_small(cleared, crumb_px, reach.pinhole_px, haze=faint, hung=by_hand)
    painted_over = None
    if reach.drops or by_hand:
        gone = tidied.cleared & ~before
        unlike = gone & (levels.steps >= to_step(_UNLIKE))
        if unlike.any():
            gone &= np.asarray(cv2.dilate(unlike.view(np.uint8), np.ones((3, 3), np.uint8))) > 0
            painted_over = PackedMask.of(gone)
    return replace(
        cutter,
        tidied=PackedMask.of(tidied.cleared),
        dropped=tidied.dropped,
        filled=tidied.filled,
        painted_over=painted_over,
    )


def cut_out(picture: Picture, facts: SheetFacts, plan: Plan = Plan()) -> Cutter:
    """Apply a plan to a measured sheet."""
    return cut_by_levels(picture, facts, find_levels(picture, facts, plan.reach), plan)
