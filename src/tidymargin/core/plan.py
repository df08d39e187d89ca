"""Everything that was decided of a cut, a plan a step."""

from dataclasses import dataclass

from tidymargin.core.ground.plan import GroundPlan
from tidymargin.core.marks.plan import MarksPlan
from tidymargin.core.reach.plan import ReachPlan
from tidymargin.core.rim.plan import RimPlan
from tidymargin.core.tint.plan import TintPlan


@dataclass(frozen=True, slots=True)
class Plan:
    """The steps that a cut depends on, in order; the defaults are nobody's decisions."""

    ground: GroundPlan = GroundPlan()
    reach: ReachPlan = ReachPlan()
    marks: MarksPlan = MarksPlan()
    rim: RimPlan = RimPlan()
    tint: TintPlan = TintPlan()
