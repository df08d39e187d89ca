"""What there is to decide in a sheet's cut: pockets, narrow gaps, solid things that may not be wanted."""

from collections.abc import Callable
from dataclasses import replace
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.picture import Region, whole
from tidymargin.core.cut import Cutter
from tidymargin.core.facts import SheetFacts
from tidymargin.core.marks.plan import EVERYWHERE
from tidymargin.core.place import Place, describe_place
from tidymargin.core.reach.narrows import Narrow, find_narrows
from tidymargin.core.reach.pockets import Pockets
from tidymargin.core.suggest.strays import Unwanted, find_unwanted
from tidymargin.services.views.cutting import cutter_at_hand, load_cutter
from tidymargin.services.workshop.executor import Priority
from tidymargin.services.workshop.identity import cut_name, cutter_name, found_name, tile_name
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.store.values import Sheet

T = TypeVar("T")

_AT_ONCE_PX = 2_000_000  # up to here gaps are found in a tenth of a second
_DIRTY_PX = 256
_NARROWS_BYTES = 10  # a pixel; see docs/memory.md


def load_pockets(workshop: Workshop, sheet: Sheet) -> Pockets:
    """Return a sheet's pockets at its present state."""
    return _ask(workshop, sheet, "pockets", lambda cutter: cutter.pockets)


def load_narrows(workshop: Workshop, sheet: Sheet) -> tuple[Narrow, ...]:
    """Return gaps through which clearing runs where figure and ground are alike.

    On a large sheet they are looked for behind what somebody looks at, and those of its earlier states no more.

    Raises
    ------
    StoppedError
        The sheet has gone on to another state.
    """

    def find(facts: SheetFacts, cleared: NDArray[np.bool_]) -> tuple[Narrow, ...]:
        if facts.nature == "ink" or facts.ground.kind not in ("flat", "paper"):
            return ()  # there what lies behind a gap is ground as well
        return find_narrows(cleared, workshop.executor.tick)

    area = sheet.area
    area_px = area.width * area.height
    if area_px <= _AT_ONCE_PX:
        return _look_for(workshop, sheet, "narrows", find)
    workshop.executor.follow(f"narrows of {sheet.id}", found_name(sheet, "narrows"))
    return _look_for(workshop, sheet, "narrows", find, Priority.THUMBNAIL, _NARROWS_BYTES * area_px)


def narrows_at_hand(workshop: Workshop, sheet: Sheet) -> tuple[Narrow, ...] | None:
    """Return the gaps; None where looking for them takes long and has not been done yet."""
    area = sheet.area
    if area.width * area.height <= _AT_ONCE_PX:
        return load_narrows(workshop, sheet)
    found: tuple[Narrow, ...] | None = workshop.small.get(found_name(sheet, "narrows"))
    return found


def load_unwanted(workshop: Workshop, sheet: Sheet) -> Unwanted:
    """Return solid things that may not be wanted; those dropped already are not among them."""
    return _look_for(workshop, sheet, "unwanted", lambda _, cleared: (find_unwanted(cleared),))[0]


def count_small(workshop: Workshop, sheet: Sheet) -> tuple[int, int]:
    """Return how many crumbs are dropped and how many pinholes filled at a sheet's present state."""
    return _ask(workshop, sheet, "small", lambda cutter: (cutter.dropped, cutter.filled))


def look_at_place(workshop: Workshop, sheet: Sheet, row: int, col: int) -> Place:
    """Say what a click at a place would do."""
    name = f"place:{cut_name(sheet)}:{row}:{col}"
    return workshop.look_up(
        name,
        Priority.VIEW,
        lambda: describe_place(load_cutter(workshop, sheet), row, col),
        lambda place: 64 if place.takes is None else place.takes.nbytes,
    )


def find_dirty(workshop: Workshop, sheet: Sheet, before_id: int) -> list[Region] | None:
    """Return the boxes in which a sheet is not cut as it was at an earlier state.

    None is all of it, also where that is not known without cutting the earlier state again.
    """
    before = workshop.sheets.load_at(sheet, before_id)
    if before.head == sheet.head:
        return []
    was = cutter_at_hand(workshop, before)
    if was is None or tile_name(before) != tile_name(sheet):
        return None

    if was.plan.tint.needs_outlook:
        return None  # what is cleared in one place may be seen in another
    if cutter_name(before) == cutter_name(sheet):
        return _find_marked(sheet, was)

    def compare(cutter: Cutter) -> list[Region] | None:
        if was.painted_over is not None or cutter.painted_over is not None:
            return None
        everywhere = whole(cutter.picture.height, cutter.picture.width)
        changed = was.cleared(everywhere) ^ cutter.cleared(everywhere)
        return [
            tile.grown(cutter.halo_px, everywhere)
            for tile in everywhere.tiles(_DIRTY_PX)
            if changed[tile.slices].any()
            or was.plan.marks.near(tile) != cutter.plan.marks.near(tile)
        ]

    return _ask(workshop, sheet, f"dirty since {before_id}", compare)


def _find_marked(sheet: Sheet, was: Cutter) -> list[Region]:
    """Return the boxes in which a sheet is not cut as it was, where nothing but its marks is another."""
    now = replace(was, plan=sheet.recipe.to_plan(sheet.area))
    everywhere = whole(was.picture.height, was.picture.width)
    halo_px = max(was.halo_px, now.halo_px)
    others = now.plan.marks.changed_since(was.plan.marks)
    boxes = [mark.box.grown(halo_px, EVERYWHERE) for mark in others]
    return [box.within(everywhere) for box in boxes if box.touches(everywhere)]


def _ask(workshop: Workshop, sheet: Sheet, what: str, ask: Callable[[Cutter], T]) -> T:
    """Return what a sheet's cutter knows at its present state; only where there is none yet is one waited for."""
    cutter = cutter_at_hand(workshop, sheet)
    if cutter is not None:
        return ask(cutter)
    return workshop.executor.run(
        found_name(sheet, what),
        Priority.VIEW,
        lambda: ask(load_cutter(workshop, sheet)),
    )


def _look_for(
    workshop: Workshop,
    sheet: Sheet,
    what: str,
    find: Callable[[SheetFacts, NDArray[np.bool_]], tuple[T, ...]],
    priority: Priority = Priority.VIEW,
    cost_bytes: int = 0,
) -> tuple[T, ...]:
    """Return what is found in what is cleared of a sheet, looked for once for all states that clear alike."""

    def compute() -> tuple[T, ...]:
        cutter = load_cutter(workshop, sheet)
        everywhere = whole(cutter.picture.height, cutter.picture.width)
        return find(cutter.facts, cutter.cleared(everywhere))

    return workshop.look_up(
        found_name(sheet, what),
        priority,
        compute,
        lambda there: 200 + 1000 * len(there),
        cost_bytes=cost_bytes,
    )
