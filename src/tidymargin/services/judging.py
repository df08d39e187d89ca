"""The faults of a sheet's cut: found behind what somebody looks at, accepted, and mended by one change each."""

import numpy as np

from tidymargin.core.base.area import Area
from tidymargin.core.base.errors import BadParameterError
from tidymargin.core.base.picture import whole
from tidymargin.core.cut import Cutter
from tidymargin.core.faults.finding import find_faults
from tidymargin.core.faults.judged import JudgedAlone, JudgedSheet, Seen
from tidymargin.core.faults.kinds import Fault, to_severity
from tidymargin.core.suggest.strays import find_unwanted
from tidymargin.formats.decode import Decoded
from tidymargin.formats.proofing import AcceptedEntry, ProofStep
from tidymargin.formats.recipe import Recipe
from tidymargin.services import deciding, finishing, marking, settings
from tidymargin.services.changing import change_step
from tidymargin.services.cutting import cut_by, load_cutter
from tidymargin.services.executor import Priority
from tidymargin.services.finding import load_pockets
from tidymargin.services.identity import cut_name
from tidymargin.services.states import area_of, read_recipe_of
from tidymargin.services.workshop import Workshop
from tidymargin.store.values import Sheet

_SAME_PX = 16  # between a fault that was accepted and one that is found
_LOST_TOLERANCE = (
    5.0  # of difference, beyond which what was lost comes back, whatever the sheet's own
)
_FAINT_TOLERANCE = 20.0  # of difference, up to which what is left over goes
_AROUND_PX = 3  # of a fault that is kept or cleared by hand

REMEDIES = {
    "crumb": "drop", "pocket": "clear", "fringe": "clean", "see_through": "fill", "eaten": "spare", "swallowed": "spare",
    "leftover": "clear", "jagged": "smooth",
}  # fmt: skip
"""What mends a kind of fault by one change; those that are not here can only be accepted."""


def judge_cut(cutter: Cutter, proof: ProofStep) -> tuple[Fault, ...]:
    """Return what is wrong in a cut, the most severe first, accepted or not."""
    limits = proof.limits.to_limits()
    undecided = tuple(p for p in cutter.pockets.listed if not p.is_decided)
    found = find_faults(JudgedSheet(cutter), limits, undecided, proof.print_mm)
    specks = find_unwanted(cutter.cleared(whole(*cutter.picture.rgb.shape[:2]))).specks
    if specks and specks.most_px <= limits.crumb:  # dust is dropped together, and is one fault
        box = specks.box
        row, col = (box.top + box.bottom) // 2, (box.left + box.right) // 2
        severity = to_severity(specks.count / 10)
        found.insert(0, Fault("crumb", severity, row, col, box, float(specks.most_px)))
    return tuple(sorted(found, key=lambda fault: -fault.severity))


def _faults_name(sheet: Sheet, recipe: Recipe) -> str:
    proof = recipe.proof
    return f"faults:{cut_name(sheet, recipe.names)}:{proof.limits.model_dump_json()}:{proof.print_mm}"  # fmt: skip


def load_faults(workshop: Workshop, sheet: Sheet) -> tuple[Fault, ...]:
    """Return a sheet's faults, the accepted ones too; those of its earlier states are looked for no more.

    Raises
    ------
    StoppedError
        The sheet has gone on to another state.
    """
    recipe = read_recipe_of(sheet)
    name = _faults_name(sheet, recipe)
    found: tuple[Fault, ...] | None = workshop.small.get(name)
    if found is not None:
        return found

    def compute() -> tuple[Fault, ...]:
        cutter = load_cutter(workshop, sheet, recipe)
        there = judge_cut(cutter, recipe.proof)
        workshop.small.put(name, there, 200 + 300 * len(there))
        return there

    workshop.executor.follow(f"faults of {sheet.id}", name)
    return workshop.executor.run(name, Priority.THUMBNAIL, compute)


def faults_at_hand(workshop: Workshop, sheet: Sheet) -> tuple[Fault, ...] | None:
    """Return a sheet's faults where they have been looked for; None where not."""
    found: tuple[Fault, ...] | None = workshop.small.get(_faults_name(sheet, read_recipe_of(sheet)))
    return found


def list_open(sheet: Sheet, faults: tuple[Fault, ...]) -> list[Fault]:
    """Return the faults that nobody has accepted."""
    recipe = read_recipe_of(sheet)
    return list_unaccepted(faults, recipe, area_of(sheet, recipe))


def list_unaccepted(faults: tuple[Fault, ...], recipe: Recipe, area: Area) -> list[Fault]:
    """Return the faults that a recipe does not say to be accepted."""
    seen = [(entry.kind, *area.to_area(entry.x, entry.y)) for entry in recipe.proof.accepted]

    def is_accepted(fault: Fault) -> bool:
        return any(
            kind == fault.kind and max(abs(x - fault.col), abs(y - fault.row)) <= _SAME_PX
            for kind, x, y in seen
        )

    return [fault for fault in faults if not is_accepted(fault)]


def _require_fault(workshop: Workshop, sheet: Sheet, number: int) -> Fault:
    faults = load_faults(workshop, sheet)
    if not 0 <= number < len(faults):
        raise BadParameterError(f"Expected a fault from 0 to {len(faults) - 1}, got {number}.")
    return faults[number]


def accept_fault(workshop: Workshop, sheet_id: int, seen: int, number: int) -> Sheet:
    """Let a fault be; it is listed no more, also after other changes."""
    sheet = workshop.sheets.load(sheet_id)
    fault = _require_fault(workshop, sheet, number)
    x, y = area_of(sheet).to_picture(fault.col, fault.row)
    entry = AcceptedEntry(kind=fault.kind, x=max(0.0, x), y=max(0.0, y))
    accepted = [*read_recipe_of(sheet).proof.accepted, entry]
    return change_step(workshop, sheet_id, seen, "fault_accepted", "proof", accepted=accepted)


def forget_accepted(workshop: Workshop, sheet_id: int, seen: int) -> Sheet:
    """List all faults again that were accepted."""
    return change_step(workshop, sheet_id, seen, "faults_again", "proof", accepted=())


def mend_fault(workshop: Workshop, sheet_id: int, seen: int, number: int) -> Sheet:
    """Mend a fault by the one change that is known for its kind.

    Raises
    ------
    BadParameterError
        None is known.
    """
    sheet = workshop.sheets.load(sheet_id)
    fault = _require_fault(workshop, sheet, number)
    box = fault.box
    recipe = read_recipe_of(sheet)
    left, top = box.left - _AROUND_PX, box.top - _AROUND_PX
    right, bottom = box.right + _AROUND_PX, box.bottom + _AROUND_PX
    ring = [(left, top), (right, top), (right, bottom), (left, bottom)]
    match REMEDIES.get(fault.kind):
        case "drop":
            least = max(int(fault.size) + 1, 2)
            return settings.set_small_pieces(workshop, sheet_id, seen, least, recipe.reach.pinholes_px)  # fmt: skip
        case "clean":
            return finishing.set_rim(workshop, sheet_id, seen, fringe=1.0, fringe_px=3.0)
        case "smooth":
            return finishing.set_rim(workshop, sheet_id, seen, smooth_px=finishing.JAGS_PX)
        case "fill":
            return marking.add_area(workshop, sheet_id, seen, "keep", [ring])
        case "spare":  # only what is unlike the ground comes back
            return _rub_over(workshop, sheet_id, seen, fault, "keep", _LOST_TOLERANCE)
        case "clear" if fault.kind == "pocket":
            pocket = next(p for p in load_pockets(workshop, sheet).listed if p.box == box)
            return deciding.decide_pocket(workshop, sheet_id, seen, pocket.row, pocket.col, "clear")
        case "clear":  # and nothing of the figure beside it goes
            return _rub_over(workshop, sheet_id, seen, fault, "clear", _FAINT_TOLERANCE)
        case _:
            raise BadParameterError(
                "Nothing mends this by one change.",
                hint="Go back to the picture, or accept it.",
                field="faults",
            )


def _rub_over(
    workshop: Workshop, sheet_id: int, seen: int, fault: Fault, verdict: str, tolerance: float
) -> Sheet:  # fmt: skip
    """Rub over all of a fault along the ground."""
    box = fault.box
    row, half = (box.top + box.bottom) / 2, box.height / 2 + _AROUND_PX
    values = {"verdict": verdict, "across_px": 2 * half, "like": {"colour": "ground", "tolerance": tolerance, "is_joined": False}}  # fmt: skip
    places = [(box.left - half, row), (box.right + half, row)]
    return marking.add_stroke(workshop, sheet_id, seen, places, values)


def set_limits(workshop: Workshop, sheet_id: int, seen: int, **values: float | None) -> Sheet:
    """Set from which measure kinds of faults count; None is the usual one."""
    now = read_recipe_of(workshop.sheets.load(sheet_id)).proof.limits.model_dump()
    return change_step(workshop, sheet_id, seen, "limits", "proof", limits={**now, **values})


def set_print(workshop: Workshop, sheet_id: int, seen: int, print_mm: float | None) -> Sheet:
    """Say how wide the figure is to be printed, in mm; None for nothing."""
    return change_step(workshop, sheet_id, seen, "print_size", "proof", print_mm=print_mm)


def set_strip(workshop: Workshop, sheet_id: int, seen: int, strip: list[str]) -> Sheet:
    """Choose which backdrops stand in the strip, #RRGGBB each."""
    return change_step(workshop, sheet_id, seen, "strip", "proof", strip=strip)


def judge_decoded(decoded: Decoded, recipe: Recipe) -> tuple[list[Fault], bool]:
    """Return the faults of a picture file's cut by a recipe, or of a file that is a cut, and whether it is one."""
    picture, limits = decoded.picture, recipe.proof.limits.to_limits()
    if picture.alpha is not None and bool((picture.alpha == 0).any()):
        seen = Seen(np.dstack([picture.rgb, picture.alpha]))
        return find_faults(JudgedAlone(seen), limits, print_mm=recipe.proof.print_mm), True
    cutter = cut_by(recipe, picture)
    return list(judge_cut(cutter, recipe.proof)), False
