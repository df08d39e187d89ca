"""What there is to decide in a sheet's cut: pockets, narrow gaps, solid things that may not be wanted."""

from collections.abc import Callable
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.facts import SheetFacts
from tidymargin.core.narrows import Narrow, find_narrows
from tidymargin.core.picture import whole
from tidymargin.core.place import Place, describe_place
from tidymargin.core.pockets import Pockets
from tidymargin.core.strays import Unwanted, find_unwanted
from tidymargin.services.executor import Priority
from tidymargin.services.opening import cut_name, load_cutter, read_recipe_of
from tidymargin.services.workshop import Workshop
from tidymargin.store.sheets import Sheet

T = TypeVar("T")


def load_pockets(workshop: Workshop, sheet: Sheet) -> Pockets:
    """Return a sheet's pockets at its present state."""
    recipe = read_recipe_of(sheet)
    name = f"pockets:{cut_name(sheet, recipe)}"
    return workshop.executor.run(
        name, Priority.VIEW, lambda: load_cutter(workshop, sheet, recipe).pockets
    )


def load_narrows(workshop: Workshop, sheet: Sheet) -> tuple[Narrow, ...]:
    """Return gaps through which clearing runs where figure and ground are alike."""

    def find(facts: SheetFacts, cleared: NDArray[np.bool_]) -> tuple[Narrow, ...]:
        if facts.nature == "ink" or facts.ground.kind not in ("flat", "paper"):
            return ()  # there what lies behind a gap is ground as well
        return find_narrows(cleared)

    return _look_for(workshop, sheet, "narrows", find)


def load_unwanted(workshop: Workshop, sheet: Sheet) -> Unwanted:
    """Return solid things that may not be wanted; those dropped already are not among them."""
    return _look_for(workshop, sheet, "unwanted", lambda _, cleared: (find_unwanted(cleared),))[0]


def count_small(workshop: Workshop, sheet: Sheet) -> tuple[int, int]:
    """Return how many crumbs are dropped and how many pinholes filled at a sheet's present state."""
    recipe = read_recipe_of(sheet)

    def count() -> tuple[int, int]:
        cutter = load_cutter(workshop, sheet, recipe)
        return cutter.dropped, cutter.filled

    return workshop.executor.run(f"small:{cut_name(sheet, recipe)}", Priority.VIEW, count)


def look_at_place(workshop: Workshop, sheet: Sheet, row: int, col: int) -> Place:
    """Say what a click at a place would do."""
    recipe = read_recipe_of(sheet)
    name = f"place:{cut_name(sheet, recipe)}:{row}:{col}"
    found: Place | None = workshop.small.get(name)
    if found is None:
        found = workshop.executor.run(
            name,
            Priority.VIEW,
            lambda: describe_place(load_cutter(workshop, sheet, recipe), row, col),
        )
        size = 64 if found.takes is None else found.takes.nbytes
        workshop.small.put(name, found, size)
    return found


def _look_for(
    workshop: Workshop,
    sheet: Sheet,
    what: str,
    find: Callable[[SheetFacts, NDArray[np.bool_]], tuple[T, ...]],
) -> tuple[T, ...]:
    """Return what is found in a sheet's cut, looked for once at each state."""
    recipe = read_recipe_of(sheet)
    name = f"{what}:{cut_name(sheet, recipe)}"
    found: tuple[T, ...] | None = workshop.small.get(name)
    if found is None:

        def compute() -> tuple[T, ...]:
            cutter = load_cutter(workshop, sheet, recipe)
            everywhere = whole(cutter.picture.height, cutter.picture.width)
            return find(cutter.facts, cutter.cleared(everywhere))

        found = workshop.executor.run(name, Priority.VIEW, compute)
        workshop.small.put(name, found, 200 + 1000 * len(found))
    return found
