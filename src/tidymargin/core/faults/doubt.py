"""How doubtful a cut is, out of what was measured of its sheet and what is wrong in it: which ones to look at first."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from tidymargin.core.base.picture import Region, whole
from tidymargin.core.base.weighing import IN_DOUBT
from tidymargin.core.cut import Cutter
from tidymargin.core.faults.kinds import Fault

ReasonKind = Literal[
    "no_ground", "nothing_cleared", "nothing_left", "strays", "nature", "other_nature", "fault"
]

TO_LOOK_AT = 0.45
"""From which doubt a sheet is one to look at."""

_NO_GROUND, _NOTHING, _STRAYS = 0.9, 0.95, 0.5  # how likely it is wrong; typed


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
    """All that speaks against a cut, the weightiest first."""

    reasons: tuple[Cause, ...]

    @property
    def score(self) -> float:
        """How likely it is wrong, 0 to 1, were its reasons independent of each other."""
        right = 1.0
        for reason in self.reasons:
            right *= 1 - reason.weight
        return 1 - right

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
    worst: dict[str, Fault] = {}
    for fault in faults:
        if fault.kind not in worst or fault.severity > worst[fault.kind].severity:
            worst[fault.kind] = fault
    reasons += [Cause("fault", fault.severity, fault.box, fault) for fault in worst.values()]
    return Doubt(tuple(sorted(reasons, key=lambda reason: -reason.weight)))
