"""Small pictures of a sheet's cut, of what it could be, and those that are kept of what an older engine made."""

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.errors import NoGroundError, UnreadableStepError
from tidymargin.core.cut import cut_out
from tidymargin.core.facts import measure_sheet
from tidymargin.core.ground.detect import GROUND_KINDS, GroundKind, find_meant
from tidymargin.formats.encode import encode_quick
from tidymargin.formats.recipe import change_recipe
from tidymargin.services.views.cutting import load_cutter
from tidymargin.services.views.pictures import load_work
from tidymargin.services.views.windows import cut_window, fit_whole, reduce_work
from tidymargin.services.workshop.executor import Priority
from tidymargin.services.workshop.identity import cut_name, facts_name, proof_name
from tidymargin.services.workshop.states import is_of_older_engine
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.store.values import Sheet

THUMBNAIL_PX = 360
PROOF_PX = 900


def make_thumbnail(workshop: Workshop, sheet: Sheet) -> bytes:
    """Return a small PNG of the whole cut."""
    kept = load_proof(workshop, sheet)
    if kept is not None and is_of_older_engine(sheet):
        return kept
    name = f"thumbnail:{cut_name(sheet)}"
    found: bytes | None = workshop.small.get(name) or workshop.disk.get(name)
    if found is None:

        def compute() -> bytes:
            cutter = load_cutter(workshop, sheet)
            view = fit_whole(cutter.picture, THUMBNAIL_PX)
            return encode_quick(cut_window(workshop, sheet, cutter, view))

        try:
            found = workshop.executor.run(name, Priority.THUMBNAIL, compute)
        except UnreadableStepError:
            if kept is not None:
                return kept
            raise
        workshop.keep(workshop.disk, sheet.original, name, found)
    workshop.small.put(name, found, len(found))
    return found


def load_proof(workshop: Workshop, sheet: Sheet) -> bytes | None:
    """Return the PNG that was kept of a sheet's cut when the engine of that time made it, if there is one."""
    return workshop.proofs.get(proof_name(sheet))


def _make_proof(workshop: Workshop, sheet: Sheet) -> bytes:
    cutter = load_cutter(workshop, sheet)
    view = fit_whole(cutter.picture, PROOF_PX)
    return encode_quick(cut_window(workshop, sheet, cutter, view))


def make_comparison(workshop: Workshop, sheet: Sheet) -> bytes:
    """Return the present engine's cut as a PNG of the same size as a kept one."""
    name = f"comparison:{cut_name(sheet)}"
    return workshop.executor.run(name, Priority.THUMBNAIL, lambda: _make_proof(workshop, sheet))


def keep_proof(workshop: Workshop, sheet: Sheet) -> None:
    """Have a picture of a sheet's cut kept, to compare with once there is a newer engine."""
    if is_of_older_engine(sheet) or load_proof(workshop, sheet) is not None:
        return
    name = proof_name(sheet)

    def keep() -> None:
        proof = _make_proof(workshop, sheet)
        workshop.keep(workshop.proofs, sheet.original, name, proof)

    # of states that were left before there was time for it, none is kept
    workshop.executor.follow(f"proof of {sheet.id}", name)
    workshop.executor.submit(name, Priority.KEEPING, keep)


NATURES = ("opaque", "ink")
_STANDS = 24  # alpha from which something is worth showing
_AROUND_PX = 8


def make_alternative(workshop: Workshop, sheet: Sheet, name: str) -> bytes:
    """Return a small PNG of the cut as it would be with that nature or kind of ground, to choose by eye.

    It is cut from the reduced picture, which decides nothing, and cropped to what stands.
    """
    field = "figure" if name in NATURES else "kind"
    other = sheet.decided_by(change_recipe(sheet.recipe, "ground", **{field: name}))

    def make() -> NDArray[np.uint8]:
        small = reduce_work(load_work(workshop, sheet))
        plan = other.recipe.ground.to_plan()
        try:
            cut = cut_out(small, measure_sheet(small, plan)).render_whole()
        except NoGroundError:  # nothing of that kind is there: all of it stands
            cut = np.dstack([small.rgb, np.full(small.rgb.shape[:2], 255, np.uint8)])
        rows, cols = (np.flatnonzero((cut[..., 3] > _STANDS).any(axis=axis)) for axis in (1, 0))
        if not len(rows):
            return cut
        top, left = max(0, rows[0] - _AROUND_PX), max(0, cols[0] - _AROUND_PX)
        return cut[top : rows[-1] + _AROUND_PX, left : cols[-1] + _AROUND_PX]

    name = f"alternative:{facts_name(other)}"
    return workshop.look_up(name, Priority.THUMBNAIL, lambda: encode_quick(make()), len)


def find_meant_grounds(workshop: Workshop, sheet: Sheet) -> tuple[GroundKind, ...]:
    """Return the kinds of ground that could be meant, as the reduced picture shows them."""
    automatic = change_recipe(sheet.recipe, "ground", kind="auto", figure="auto")

    def compute() -> bytes:
        return " ".join(find_meant(reduce_work(load_work(workshop, sheet)))).encode()

    name = f"meant:{facts_name(sheet.decided_by(automatic))}"
    found = workshop.look_up(name, Priority.THUMBNAIL, compute, len).decode().split()
    return tuple(kind for kind in GROUND_KINDS if kind in found)
