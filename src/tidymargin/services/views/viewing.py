"""What is in view: regions of the cut, tile by tile, at full size or averaged down."""

from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.average import average_down, average_rgb
from tidymargin.core.base.picture import Picture, Region, whole
from tidymargin.core.cut import Cutter, cut_out
from tidymargin.core.draft import sample_levels, shift_view
from tidymargin.core.facts import measure_sheet
from tidymargin.core.finish_draft import draft_finish
from tidymargin.core.marks.laying import lay_on_share
from tidymargin.core.reach.clearing import to_step
from tidymargin.formats.encode import encode_quick
from tidymargin.services.views.cutting import load_cutter
from tidymargin.services.views.drafts import without_step
from tidymargin.services.views.pictures import decoding_cost, load_picture, load_work, picture_cost
from tidymargin.services.views.proofs import keep_proof
from tidymargin.services.views.windows import (
    Settled,
    View,
    cut_window,
    recut_window,
    reduce_work,
)
from tidymargin.services.workshop.cache import size_of_array
from tidymargin.services.workshop.executor import Priority
from tidymargin.services.workshop.identity import cut_name, facts_name, levels_name, tile_name
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.store.values import Sheet

_DRAFT_GRID_PX = 160  # of an uneven ground: fitting it is most of a draft

Rgba = NDArray[np.uint8]


@dataclass(frozen=True, slots=True, eq=False)
class _Look:
    """One window onto a sheet's cut, and what is kept of it from one look to the next.

    ============  ===============================================  ======================================
    kept          what                                             named by
    ============  ===============================================  ======================================
    `settled`     the exact cut                                    all that decides the cut
    `sketch`      the same with no rim solved                      the same
    `original`    what came in                                     the picture and its work area
    `samples`     levels, from which a tried tolerance is drawn    what reach is measured by
    ============  ===============================================  ======================================

    All four share the memory of tiles. What was settled last is remembered besides, whatever decided it: where
    nothing but marks has changed since, only what lies under these is cut again.
    """

    workshop: Workshop
    sheet: Sheet
    view: View
    cutter: Cutter

    @property
    def _shown(self) -> Region:
        return self.view.covers(whole(self.cutter.picture.height, self.cutter.picture.width))

    def settled(self) -> Rgba:
        """Return the exact cut."""
        view, cutter = self.view, self.cutter
        name = _settled_name(self.sheet, view)
        found: Rgba | None = self.workshop.tiles.get(name)
        latest = ("latest", self.sheet.id, view)
        but_marks = (tile_name(self.sheet), self.sheet.names["reach"])
        if found is None:
            before: Settled | None = self.workshop.small.get(latest)
            alone = not cutter.plan.tint.needs_outlook
            if alone and before is not None and before.name == but_marks:
                found = recut_window(self.workshop, self.sheet, cutter, view, before)
            else:
                found = cut_window(self.workshop, self.sheet, cutter, view)
            self.workshop.tiles.put(name, found, size_of_array(found))
        self.workshop.small.put(latest, Settled(but_marks, cutter.plan.marks, found), found.nbytes)
        return found

    def at_hand(self) -> Rgba:
        """Return the exact cut if it is there; else a draft of it from the cut without steps 4 and 5; else a sketch."""
        settled: Rgba | None = self.workshop.tiles.get(_settled_name(self.sheet, self.view))
        if settled is not None:
            return settled
        unfinished = without_step(without_step(self.sheet.recipe, "rim"), "colour")
        name = _settled_name(self.sheet.decided_by(unfinished), self.view)
        plain: Rgba | None = self.workshop.tiles.get(name)
        if plain is not None:
            finished = draft_finish(
                plain, self.cutter, (self.view.top, self.view.left), self.view.cell
            )
            if finished is not None:
                return finished
        name = ("sketch", cut_name(self.sheet), self.view)
        return self.workshop.tiles.find(name, self._sketch, size_of_array)

    def _sketch(self) -> Rgba:
        """Return the picture's own colours where it stands, no rim solved."""
        sketch = self.original().copy()
        region = self._shown
        window = (self.view.top - region.top, self.view.left - region.left, self.view.cell)
        cleared = self.cutter.cleared(region).view(np.uint8)
        stays = 1 - sample_levels(cleared, window, sketch.shape[:2]).mean(axis=0, dtype=np.float32)
        self._lay_marks_on(stays)
        sketch[..., 3] = np.rint(sketch[..., 3] * stays)
        return sketch

    def tried(self, tolerance: float) -> Rgba:
        """Return a draft at another tolerance: a hand that moves never waits for rims."""
        now = self.at_hand()
        steps = to_step(self.cutter.tolerance), to_step(tolerance)
        shifted = shift_view(now, self.original(), self._samples(), steps)
        held = self._lay_marks_on(np.zeros(now.shape[:2], np.float32))[..., None]
        if not held.any():
            return shifted
        # what was decided by hand stays as it is
        return np.asarray(np.rint(shifted + (now.astype(np.float32) - shifted) * held), np.uint8)

    def original(self) -> Rgba:
        """Return what came in."""
        return _find_original(self.workshop, self.sheet, self.view)

    def _samples(self) -> NDArray[np.uint8]:
        view, shown = self.view, self._shown
        shape = (shown.height, shown.width) if view.cell == 1 else (view.height, view.width)
        window = (view.top, view.left, view.cell)
        return self.workshop.tiles.find(
            ("levels", levels_name(self.sheet), view),
            lambda: sample_levels(self.cutter.reach.levels, window, shape),
            size_of_array,
        )

    def _lay_marks_on(self, stays: NDArray[np.float32]) -> NDArray[np.float32]:
        """Lay what was decided by hand over a matte, in place; return how much of each place it decides."""
        marks = self.cutter.plan.marks.seen_through(self.view.left, self.view.top, self.view.cell)
        return lay_on_share(marks, whole(*stays.shape), stays)


def render_view(
    workshop: Workshop,
    sheet: Sheet,
    view: View,
    tried: float | None = None,
    *,
    settles: bool = False,
    asker: str = "",
) -> Rgba:
    """Return the cut in a window, (h, w, 4) uint8 straight RGBA.

    Parameters
    ----------
    workshop, sheet, view :
        What to show.
    tried : float, optional
        A tolerance in place of the recipe's: a draft.
    settles : bool
        Solve the rims of the draft too, as when a drag rests. Zoomed out, they follow when it is set.
    asker : str
        Who looks: what they asked for before and nobody else waits for is not finished any more.
    """
    if tried is not None:
        to_step(tried)  # refused here where it is out of range

    def compute() -> Rgba:
        cutter = load_cutter(workshop, sheet)
        look = _Look(workshop, sheet, view, cutter)
        if tried is None:
            settled = look.settled()
            # not before, or the two would solve the same rims side by side
            keep_proof(workshop, sheet)
            return settled
        if view.cell == 1 and settles:
            region = view.covers(whole(cutter.picture.height, cutter.picture.width))
            return replace(cutter, tried=tried).render(region)
        return look.tried(tried)

    name = f"view:{cut_name(sheet)}:{view}:{tried}:{settles}"
    if asker:
        workshop.executor.follow(asker, name)
    return workshop.executor.run(name, Priority.VIEW, compute)


def _settled_name(sheet: Sheet, view: View) -> tuple[object, ...]:
    return ("settled", cut_name(sheet), view)


def render_sketch(workshop: Workshop, sheet: Sheet, view: View) -> Rgba:
    """Return the cut in a window before its rims are solved, (h, w, 4) uint8, to look at while they are."""

    def compute() -> Rgba:
        return _Look(workshop, sheet, view, load_cutter(workshop, sheet)).at_hand()

    name = f"sketch:{cut_name(sheet)}:{view}"
    return workshop.executor.run(name, Priority.VIEW, compute)


def _find_original(workshop: Workshop, sheet: Sheet, view: View) -> Rgba:
    name = ("original", sheet.original, sheet.area.corners, view)
    return workshop.tiles.find(
        name, lambda: _look_at(load_work(workshop, sheet), view), size_of_array
    )


def _look_at(picture: Picture, view: View) -> Rgba:
    region = view.covers(whole(picture.height, picture.width))
    alpha = picture.alpha
    if alpha is None and view.cell > 1:  # nothing to weigh by
        shown = average_rgb(
            picture.rgb,
            view.height,
            view.width,
            top=view.top,
            left=view.left,
            cell=(view.cell, view.cell),
        )
        return np.asarray(cv2.cvtColor(shown, cv2.COLOR_RGB2RGBA), np.uint8)
    solid = np.full((region.height, region.width), 255, np.uint8)
    rgba = np.dstack([picture.rgb[region.slices], solid if alpha is None else alpha[region.slices]])
    if view.cell == 1:
        return rgba
    inside = replace(view, top=view.top - region.top, left=view.left - region.left)
    return average_down(rgba, inside.grid)


def _load_draft(workshop: Workshop, sheet: Sheet) -> Rgba:
    """Return a cut of the reduced picture, to be looked at while the full size is measured."""

    def make() -> Rgba:
        small = reduce_work(load_work(workshop, sheet))
        return cut_out(
            small, measure_sheet(small, sheet.recipe.ground.to_plan(), grid_px=_DRAFT_GRID_PX)
        ).render_whole()

    return workshop.tiles.find(("draft", facts_name(sheet)), make, size_of_array)


def render_draft(workshop: Workshop, sheet: Sheet, view: View) -> Rgba:
    """Return a draft of the cut in a window, (h, w, 4) uint8: what is measured at full size decides."""

    def compute() -> Rgba:
        small = _load_draft(workshop, sheet)
        area = sheet.area
        shown = view.covers(whole(area.height, area.width))
        height = shown.height if view.cell == 1 else view.height
        width = shown.width if view.cell == 1 else view.width
        rows = (view.top + (np.arange(height) + 0.5) * view.cell) * small.shape[0] / area.height
        cols = (view.left + (np.arange(width) + 0.5) * view.cell) * small.shape[1] / area.width
        rows = np.minimum(rows.astype(np.int64), small.shape[0] - 1)
        cols = np.minimum(cols.astype(np.int64), small.shape[1] - 1)
        return np.ascontiguousarray(small[np.ix_(rows, cols)])

    name = f"draft:{facts_name(sheet)}:{view}"
    cost = picture_cost(workshop, sheet)
    return workshop.executor.run(name, Priority.VIEW, compute, cost_bytes=cost)


def render_original(workshop: Workshop, sheet: Sheet, view: View) -> Rgba:
    """Return what the work area holds as it came, in a window, (h, w, 4) uint8; it needs no measuring."""
    name = f"original:{sheet.original}:{sheet.area.corners}:{view}"
    return workshop.executor.run(
        name,
        Priority.VIEW,
        lambda: _find_original(workshop, sheet, view),
        cost_bytes=picture_cost(workshop, sheet),
    )


def render_uncropped(workshop: Workshop, sheet: Sheet, view: View) -> Rgba:
    """Return the whole picture as it came, in a window, (h, w, 4) uint8, whatever the work area."""
    return workshop.executor.run(
        f"uncropped:{sheet.original}:{view}",
        Priority.VIEW,
        lambda: _look_at(load_picture(workshop, sheet), view),
        cost_bytes=decoding_cost(workshop, sheet),
    )


def render_mask(mask: NDArray[np.bool_], view: View) -> NDArray[np.uint8]:
    """Return a mask in a window, (h, w) uint8: 255 where the middle of a window pixel is in it."""
    rows = (view.top + (np.arange(view.height) + 0.5) * view.cell).astype(int)
    cols = (view.left + (np.arange(view.width) + 0.5) * view.cell).astype(int)
    rows, cols = np.minimum(rows, mask.shape[0] - 1), np.minimum(cols, mask.shape[1] - 1)
    return np.where(mask[np.ix_(rows, cols)], 255, 0).astype(np.uint8)


def make_crop(workshop: Workshop, sheet: Sheet, region: Region, side_px: int = 48) -> bytes:
    """Return a small PNG of a square piece of the original around a region."""
    area = sheet.area
    side = min(max(region.height, region.width, side_px) * 1.15, area.width, area.height)
    top = min(max(0.0, (region.top + region.bottom - side) / 2), area.height - side)
    left = min(max(0.0, (region.left + region.right - side) / 2), area.width - side)
    cell = max(1.0, side / side_px)
    view = View(left, top, cell, max(1, int(side / cell)), max(1, int(side / cell)))
    return encode_quick(render_original(workshop, sheet, view)[: view.height, : view.width])
