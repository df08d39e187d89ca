"""What is wrong in a cut: looked for, and what of it a person has accepted."""

import numpy as np

from tidymargin.core.base.area import Area
from tidymargin.core.base.picture import whole
from tidymargin.core.cut import Cutter
from tidymargin.core.faults.finding import find_faults
from tidymargin.core.faults.judged import JudgedAlone, JudgedSheet, Seen
from tidymargin.core.faults.kinds import Fault, to_severity
from tidymargin.core.suggest.strays import find_unwanted
from tidymargin.formats.decode import Decoded
from tidymargin.formats.proofing import ProofStep
from tidymargin.formats.recipe import Recipe
from tidymargin.services.picture.keying import cut_by

_SAME_PX = 16  # between a fault that was accepted and one that is found


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


def list_unaccepted(faults: tuple[Fault, ...], recipe: Recipe, area: Area) -> list[Fault]:
    """Return the faults that a recipe does not say to be accepted."""
    seen = [(entry.kind, *area.to_area(entry.x, entry.y)) for entry in recipe.proof.accepted]

    def is_accepted(fault: Fault) -> bool:
        return any(
            kind == fault.kind and max(abs(x - fault.col), abs(y - fault.row)) <= _SAME_PX
            for kind, x, y in seen
        )

    return [fault for fault in faults if not is_accepted(fault)]


def judge_decoded(decoded: Decoded, recipe: Recipe) -> tuple[list[Fault], bool]:
    """Return the faults of a picture file's cut by a recipe, or of a file that is a cut, and whether it is one."""
    picture, limits = decoded.picture, recipe.proof.limits.to_limits()
    if picture.alpha is not None and bool((picture.alpha == 0).any()):
        seen = Seen(np.dstack([picture.rgb, picture.alpha]))
        return find_faults(JudgedAlone(seen), limits, print_mm=recipe.proof.print_mm), True
    cutter = cut_by(recipe, picture)
    return list(judge_cut(cutter, recipe.proof)), False
