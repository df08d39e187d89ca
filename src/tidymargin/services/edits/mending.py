"""What a person decides about faults: accepted, mended by one change each, and from which measure they count."""

from tidymargin.core.base.errors import BadParameterError
from tidymargin.core.faults.kinds import Fault
from tidymargin.formats.proofing import AcceptedEntry
from tidymargin.services.edits import deciding, finishing, marking, settings
from tidymargin.services.edits.changing import change_step
from tidymargin.services.views.faults import load_faults
from tidymargin.services.views.finding import load_pockets
from tidymargin.services.workshop.states import area_of, read_recipe_of
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.store.values import Sheet

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
