"""What a sheet's ground and figure could be meant as, as small cuts to choose from by eye."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.errors import NoGroundError
from tidymargin.core.cut import cut_out
from tidymargin.core.facts import measure_sheet
from tidymargin.core.ground.detect import GROUND_KINDS, GroundKind, find_meant
from tidymargin.formats.encode import encode_quick
from tidymargin.formats.recipe import change_recipe
from tidymargin.services.executor import Priority
from tidymargin.services.identity import facts_name
from tidymargin.services.pictures import load_work
from tidymargin.services.states import read_recipe_of
from tidymargin.services.viewing import reduce_work
from tidymargin.services.workshop import Workshop
from tidymargin.store.values import Sheet

NATURES = ("opaque", "ink")
_STANDS = 24  # alpha from which something is worth showing
_AROUND_PX = 8


def make_alternative(workshop: Workshop, sheet: Sheet, name: str) -> bytes:
    """Return a small PNG of the cut as it would be with that nature or kind of ground, to choose by eye.

    It is cut from the reduced picture, which decides nothing, and cropped to what stands.
    """
    field = "figure" if name in NATURES else "kind"
    recipe = change_recipe(read_recipe_of(sheet), "ground", **{field: name})

    def make() -> NDArray[np.uint8]:
        small = reduce_work(load_work(workshop, sheet, recipe))
        try:
            cut = cut_out(small, measure_sheet(small, recipe.ground.to_plan())).render_whole()
        except NoGroundError:  # nothing of that kind is there: all of it stands
            cut = np.dstack([small.rgb, np.full(small.rgb.shape[:2], 255, np.uint8)])
        rows, cols = (np.flatnonzero((cut[..., 3] > _STANDS).any(axis=axis)) for axis in (1, 0))
        if not len(rows):
            return cut
        top, left = max(0, rows[0] - _AROUND_PX), max(0, cols[0] - _AROUND_PX)
        return cut[top : rows[-1] + _AROUND_PX, left : cols[-1] + _AROUND_PX]

    return _remember(
        workshop, f"alternative:{facts_name(sheet, recipe.names)}", lambda: encode_quick(make())
    )


def find_meant_grounds(workshop: Workshop, sheet: Sheet) -> tuple[GroundKind, ...]:
    """Return the kinds of ground that could be meant, as the reduced picture shows them."""
    recipe = read_recipe_of(sheet)

    def compute() -> bytes:
        return " ".join(find_meant(reduce_work(load_work(workshop, sheet, recipe)))).encode()

    name = f"meant:{facts_name(sheet, change_recipe(recipe, 'ground', kind='auto', figure='auto').names)}"
    found = _remember(workshop, name, compute).decode().split()
    return tuple(kind for kind in GROUND_KINDS if kind in found)


def _remember(workshop: Workshop, name: str, compute: Callable[[], bytes]) -> bytes:
    """Return something small that is made once."""
    found: bytes | None = workshop.small.get(name)
    if found is None:
        found = workshop.executor.run(name, Priority.THUMBNAIL, compute)
        workshop.small.put(name, found, len(found))
    return found
