"""The faults of a sheet's cut: found behind what somebody looks at."""

from tidymargin.core.faults.kinds import Fault
from tidymargin.services.picture.judging import judge_cut, list_unaccepted
from tidymargin.services.views.cutting import load_cutter
from tidymargin.services.workshop.executor import Priority
from tidymargin.services.workshop.identity import cut_name
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.store.values import Sheet


def _faults_name(sheet: Sheet) -> str:
    proof = sheet.recipe.proof
    return f"faults:{cut_name(sheet)}:{proof.limits.model_dump_json()}:{proof.print_mm}"  # fmt: skip


def load_faults(workshop: Workshop, sheet: Sheet) -> tuple[Fault, ...]:
    """Return a sheet's faults, the accepted ones too; those of its earlier states are looked for no more.

    Raises
    ------
    StoppedError
        The sheet has gone on to another state.
    """
    name = _faults_name(sheet)
    if workshop.small.get(name) is None:
        workshop.executor.follow(f"faults of {sheet.id}", name)
    return workshop.look_up(
        name,
        Priority.THUMBNAIL,
        lambda: judge_cut(load_cutter(workshop, sheet), sheet.recipe.proof),
        lambda there: 200 + 300 * len(there),
    )


def faults_at_hand(workshop: Workshop, sheet: Sheet) -> tuple[Fault, ...] | None:
    """Return a sheet's faults where they have been looked for; None where not."""
    found: tuple[Fault, ...] | None = workshop.small.get(_faults_name(sheet))
    return found


def list_open(sheet: Sheet, faults: tuple[Fault, ...]) -> list[Fault]:
    """Return the faults that nobody has accepted."""
    return list_unaccepted(faults, sheet.recipe, sheet.area)
