"""Step 6 of a recipe: what the cut is judged on, which faults count, and which are accepted."""

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from tidymargin.core.faults.kinds import Kind, Limits
from tidymargin.formats.fields import Colour, Place
from tidymargin.formats.step import AtMost, Step

MOST_IN_STRIP = 6

Limit = Annotated[float, Field(gt=0, lt=1_000_000, allow_inf_nan=False)] | None


class AcceptedEntry(BaseModel):
    """A fault that a person has seen and lets be, at its place in the whole picture."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    kind: Kind
    x: Place
    y: Place


class LimitsEntry(BaseModel):
    """From which measure each kind of fault counts, where that is not the usual one."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    crumb: Limit = None
    fringe: Limit = None
    see_through: Limit = None
    eaten: Limit = None
    leftover: Limit = None
    jagged: Limit = None
    cut_off: Limit = None
    changed: Limit = None
    resolution: Limit = None

    def to_limits(self) -> Limits:
        """Return them as the core takes them."""
        return Limits(**{name: value for name, value in self if value is not None})


class ProofStep(Step):
    """What the cut is judged on."""

    backdrop: Colour = Field("#E8B23A", description="The backdrop of any colour, #RRGGBB")
    strip: Annotated[tuple[Colour | Literal["picture"], ...], AtMost(MOST_IN_STRIP)] = Field(
        ("#FFFFFF", "#000000", "#808080"),
        description="Backdrops that stand in the strip before it, #RRGGBB, or the user's own picture",
    )
    limits: LimitsEntry = LimitsEntry()
    accepted: Annotated[tuple[AcceptedEntry, ...], AtMost(2000)] = ()
    print_mm: Annotated[float, Field(gt=0, le=10_000, allow_inf_nan=False)] | None = Field(
        None, description="How wide the figure is to be printed"
    )
