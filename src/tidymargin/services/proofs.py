"""Small pictures of a sheet's cut, and those that are kept of what an older engine made."""

from tidymargin.core.base.errors import UnreadableStepError
from tidymargin.formats.encode import encode_quick
from tidymargin.formats.recipe import Recipe
from tidymargin.services.cutting import load_cutter
from tidymargin.services.executor import Priority
from tidymargin.services.identity import cut_name, proof_name
from tidymargin.services.states import is_of_older_engine, read_recipe_of
from tidymargin.services.windows import cut_window, fit_whole
from tidymargin.services.workshop import Workshop
from tidymargin.store.values import Sheet

THUMBNAIL_PX = 360
PROOF_PX = 900


def make_thumbnail(workshop: Workshop, sheet: Sheet) -> bytes:
    """Return a small PNG of the whole cut."""
    kept = load_proof(workshop, sheet)
    if kept is not None and is_of_older_engine(sheet):
        return kept
    try:
        recipe = read_recipe_of(sheet)
    except UnreadableStepError:
        if kept is not None:
            return kept
        raise
    name = f"thumbnail:{cut_name(sheet, recipe.names)}"
    found: bytes | None = workshop.small.get(name) or workshop.disk.get(name)
    if found is None:

        def compute() -> bytes:
            cutter = load_cutter(workshop, sheet, recipe)
            view = fit_whole(cutter.picture, THUMBNAIL_PX)
            return encode_quick(cut_window(workshop, sheet, recipe, cutter, view))

        found = workshop.executor.run(name, Priority.THUMBNAIL, compute)
        workshop.keep(workshop.disk, sheet.original, name, found)
    workshop.small.put(name, found, len(found))
    return found


def _proof_name(sheet: Sheet) -> str:
    return proof_name(sheet, sheet.names, sheet.engine_version)


def load_proof(workshop: Workshop, sheet: Sheet) -> bytes | None:
    """Return the PNG that was kept of a sheet's cut when the engine of that time made it, if there is one."""
    return workshop.proofs.get(_proof_name(sheet))


def _make_proof(workshop: Workshop, sheet: Sheet, recipe: Recipe) -> bytes:
    cutter = load_cutter(workshop, sheet, recipe)
    view = fit_whole(cutter.picture, PROOF_PX)
    return encode_quick(cut_window(workshop, sheet, recipe, cutter, view))


def make_comparison(workshop: Workshop, sheet: Sheet) -> bytes:
    """Return the present engine's cut as a PNG of the same size as a kept one."""
    recipe = read_recipe_of(sheet)
    name = f"comparison:{cut_name(sheet, recipe.names)}"
    return workshop.executor.run(
        name, Priority.THUMBNAIL, lambda: _make_proof(workshop, sheet, recipe)
    )


def keep_proof(workshop: Workshop, sheet: Sheet) -> None:
    """Have a picture of a sheet's cut kept, to compare with once there is a newer engine."""
    if is_of_older_engine(sheet) or load_proof(workshop, sheet) is not None:
        return
    recipe = read_recipe_of(sheet)
    name = _proof_name(sheet)

    def keep() -> None:
        proof = _make_proof(workshop, sheet, recipe)
        workshop.keep(workshop.proofs, sheet.original, name, proof)

    # of states that were left before there was time for it, none is kept
    workshop.executor.follow(f"proof of {sheet.id}", name)
    workshop.executor.submit(name, Priority.KEEPING, keep)
