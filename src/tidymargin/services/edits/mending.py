"""What a person decides about faults: accepted, mended by one change each, and from which measure they count."""

from tidymargin.core.base.errors import BadParameterError
from tidymargin.core.faults.kinds import Fault
from tidymargin.formats.proofing import AcceptedEntry
from tidymargin.services.edits import deciding, finishing, marking, settings
from tidymargin.services.edits.changing import Edit, change_step
from tidymargin.services.views.faults import load_faults
from tidymargin.services.views.finding import load_pockets
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
        raise BadParameterError(f"Expected a problem from 0 to {len(faults) - 1}, got {number}.")
    return faults[number]


def accept_fault(edit: Edit, number: int) -> Sheet:
    """Let a fault be; it is listed no more, also after other changes."""
    sheet = edit.sheet
    fault = _require_fault(edit.workshop, sheet, number)
    x, y = sheet.area.to_picture(fault.col, fault.row)
    entry = AcceptedEntry(kind=fault.kind, x=max(0.0, x), y=max(0.0, y))
    accepted = [*sheet.recipe.proof.accepted, entry]
    return change_step(edit, "fault_accepted", "proof", accepted=accepted)


def forget_accepted(edit: Edit) -> Sheet:
    """List all faults again that were accepted."""
    return change_step(edit, "faults_again", "proof", accepted=())


def mend_fault(edit: Edit, number: int) -> Sheet:
    """Mend a fault by the one change that is known for its kind.

    Raises
    ------
    BadParameterError
        None is known.
    """
    sheet = edit.sheet
    fault = _require_fault(edit.workshop, sheet, number)
    box = fault.box
    recipe = sheet.recipe
    left, top = box.left - _AROUND_PX, box.top - _AROUND_PX
    right, bottom = box.right + _AROUND_PX, box.bottom + _AROUND_PX
    ring = [(left, top), (right, top), (right, bottom), (left, bottom)]
    match REMEDIES.get(fault.kind):
        case "drop":
            least = max(int(fault.size) + 1, 2)
            return settings.set_values(edit, "crumbs", crumbs_px=least, pinholes_px=recipe.reach.pinholes_px)  # fmt: skip
        case "clean":
            return settings.set_values(edit, "rim", fringe=1.0, fringe_px=3.0)
        case "smooth":
            return settings.set_values(edit, "rim", smooth_px=finishing.JAGS_PX)
        case "fill":
            return marking.add_area(edit, "keep", [ring])
        case "spare":  # only what is unlike the ground comes back
            return _rub_over(edit, fault, "keep", _LOST_TOLERANCE)
        case "clear" if fault.kind == "pocket":
            pocket = next(p for p in load_pockets(edit.workshop, sheet).listed if p.box == box)
            return deciding.decide_pocket(edit, pocket.row, pocket.col, "clear")
        case "clear":  # and nothing of the figure beside it goes
            return _rub_over(edit, fault, "clear", _FAINT_TOLERANCE)
        case _:
            raise BadParameterError(
                "Nothing mends this by one change.",
                hint="Go back to the picture, or accept it.",
                field="faults",
            )


def _rub_over(
    edit: Edit, fault: Fault, verdict: str, tolerance: float
) -> Sheet:  # fmt: skip
    """Rub over all of a fault along the ground."""
    box = fault.box
    row, half = (box.top + box.bottom) / 2, box.height / 2 + _AROUND_PX
    values = {"verdict": verdict, "across_px": 2 * half, "like": {"colour": "ground", "tolerance": tolerance, "is_joined": False}}  # fmt: skip
    places = [(box.left - half, row), (box.right + half, row)]
    return marking.add_stroke(edit, places, values)


def set_limits(edit: Edit, **values: float | None) -> Sheet:
    """Set from which measure kinds of faults count; None is the usual one."""
    now = edit.sheet.recipe.proof.limits.model_dump()
    return change_step(edit, "limits", "proof", limits={**now, **values})
