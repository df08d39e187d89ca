"""How doubtful a cut is, and what for: which ones to look at first.

How likely it is wrong follows from evidence by fitted weights; the reasons say what a person should look at.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

from tidymargin.core.base.picture import Region, whole
from tidymargin.core.base.weighing import IN_DOUBT
from tidymargin.core.cut import Cutter
from tidymargin.core.faults.evidence import find_wrong_probability, measure_evidence
from tidymargin.core.faults.kinds import Fault
from tidymargin.core.rim.plan import RimPlan
from tidymargin.core.tint.plan import TintPlan

ReasonKind = Literal[
    "no_ground",
    "nothing_cleared",
    "nothing_left",
    "strays",
    "nature",
    "other_nature",
    "ink_parts",
    "fault",
    "unsure",
]

TO_LOOK_AT = 0.3
"""From which doubt a sheet is one to look at: of families left out 86 % of the wrong have more, and 31 % of the usable, on truth 22 %."""

# what a tolerance or a nature does that somebody set, and parts in ink, which the evidence was not fitted with
_BESIDE = ("strays", "other_nature", "ink_parts")
_NO_GROUND, _NOTHING, _STRAYS = 0.9, 0.95, 0.5  # how likely it is wrong; typed
_ENOUGH = 0.3  # weight of a reason that says by itself why a cut is one to look at; typed


@dataclass(frozen=True, slots=True)
class Cause:
    """One thing that speaks against a cut.

    Parameters
    ----------
    kind : str
        What it is; a fault's own kind stands in `fault`.
    weight : float
        0 to 1: how likely the cut is wrong for it alone.
    box : Region or None
        Where it is, in the work area.
    fault : Fault or None
        The most severe of its kind.
    """

    kind: ReasonKind
    weight: float
    box: Region | None = None
    fault: Fault | None = None


@dataclass(frozen=True, slots=True)
class Doubt:
    """All that speaks against a cut.

    Parameters
    ----------
    reasons : tuple of Cause
        What can be named, the weightiest first.
    probability : float or None
        How likely a cut with its evidence is wrong, fitted on what the engine does wrong; None where there is none: of a
        picture that came in cut out, or that has no ground.
    """

    reasons: tuple[Cause, ...]
    probability: float | None = None

    @property
    def score(self) -> float:
        """How likely it is wrong, 0 to 1, were what speaks against it independent of each other.

        With evidence only what that was not fitted on counts beside it: what a person said, and parts in ink.
        """
        counted = self.reasons
        if self.probability is not None:
            counted = tuple(reason for reason in counted if reason.kind in _BESIDE)
        wrong = self.probability or 0.0
        for reason in counted:
            wrong += (1 - wrong) * reason.weight
        return wrong

    @property
    def is_to_look_at(self) -> bool:
        """Whether a person should see it before it goes out."""
        return self.score >= TO_LOOK_AT


def weigh_doubt(cutter: Cutter, faults: Sequence[Fault]) -> Doubt:
    """Weigh what speaks against a cut.

    Parameters
    ----------
    cutter : Cutter
        The cut with what was measured of its sheet.
    faults : sequence of Fault
        What is wrong in it and nobody has accepted; of each kind the most severe counts.
    """
    facts = cutter.facts
    cleared = cutter.cleared(whole(cutter.picture.height, cutter.picture.width))
    came_transparent = cutter.picture.alpha is not None
    reasons = []
    if facts.is_busy and not came_transparent:
        reasons.append(Cause("no_ground", _NO_GROUND))
    elif not cleared.any() and not came_transparent:
        reasons.append(Cause("nothing_cleared", _NOTHING))
    if cleared.all():
        reasons.append(Cause("nothing_left", _NOTHING))
    calm = facts.calm
    beyond = calm.next_jump is not None and cutter.tolerance >= calm.next_jump
    if not facts.is_busy and (beyond or cutter.tolerance < calm.noise_end):
        reasons.append(Cause("strays", _STRAYS))
    if facts.measures:
        # how likely the figure is of the other nature than it is cut as, whoever said that
        ink = facts.ink_probability
        other = 1 - ink if facts.nature == "ink" else ink
        said = cutter.plan.ground.nature != "auto"
        if other >= IN_DOUBT[0]:
            reasons.append(Cause("other_nature" if said else "nature", other))
    if facts.ink_parts is not None:
        reasons.append(Cause("ink_parts", _ENOUGH, facts.ink_parts.boxes[0]))
    worst: dict[str, Fault] = {}
    for fault in faults:
        if fault.kind not in worst or fault.severity > worst[fault.kind].severity:
            worst[fault.kind] = fault
    reasons += [Cause("fault", fault.severity, fault.box, fault) for fault in worst.values()]
    probability = None
    if not facts.is_busy and facts.ground.border_share > 0 and cleared.any() and not cleared.all():
        plain = replace(cutter, plan=replace(cutter.plan, rim=RimPlan(), tint=TintPlan()))
        probability = find_wrong_probability(measure_evidence(plain, faults))
        named = max([0.0, *(reason.weight for reason in reasons)])
        if probability >= TO_LOOK_AT and named < _ENOUGH:
            reasons.append(Cause("unsure", probability))
    return Doubt(tuple(sorted(reasons, key=lambda reason: -reason.weight)), probability)
