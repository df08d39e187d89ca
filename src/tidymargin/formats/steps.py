"""The seven steps of a recipe, and what the core takes of each."""

import json
from collections.abc import Mapping
from typing import Annotated, Any, ClassVar, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationInfo, field_validator

from tidymargin.core.base.area import Area
from tidymargin.core.base.errors import BadParameterError, TooLargeError, UnreadableStepError
from tidymargin.core.ground.guards import Guard
from tidymargin.core.ground.kinds import from_hex
from tidymargin.core.ground.plan import GroundPlan
from tidymargin.core.ground.prepare import Preparation
from tidymargin.core.marks.plan import Mark, MarksPlan
from tidymargin.core.reach.clearing import HIGHEST_TOLERANCE, Pick
from tidymargin.core.reach.plan import ReachPlan
from tidymargin.core.reach.pockets import PocketChoice, PocketRule
from tidymargin.core.reach.regions import RegionChoice
from tidymargin.formats.export_step import ExportStep
from tidymargin.formats.fields import Auto, Colour, Place
from tidymargin.formats.finishing import ColourStep, RimStep
from tidymargin.formats.marks import (
    MOST_DRAWN_OF_ALL,
    MOST_HEIGHT_OF_ALL_PX,
    MOST_MARKS,
    AnyMark,
    Edge,
    MarkEntry,
    count_drawn,
    measure_height,
    read_mark,
)
from tidymargin.formats.proofing import ProofStep
from tidymargin.formats.step import AtMost, Step

Tolerance = Annotated[float, Field(ge=0, le=HIGHEST_TOLERANCE, allow_inf_nan=False)]
Corners = tuple[tuple[Edge, Edge], tuple[Edge, Edge], tuple[Edge, Edge], tuple[Edge, Edge]]


MOST_FENCE_PLACES = 1000
Fence = Annotated[tuple[tuple[Place, Place], ...], AtMost(MOST_FENCE_PLACES)]


class GroundStep(Step):
    """What lies behind, and the figure's nature."""

    area: Auto | Corners = Field(
        "auto",
        description="The work area's corners [x, y] at pixel edges: those that become upper left, upper "
        "right, lower right and lower left; auto: the whole picture",
    )
    kind: Literal["auto", "flat", "paper", "screen", "checker"] = "auto"
    colour: Auto | Colour = Field("auto", description="The flat ground's colour, #RRGGBB")
    also: tuple[Colour, ...] = Field(
        (), max_length=6, description="Further flat colours of the ground, #RRGGBB"
    )
    figure: Literal["auto", "opaque", "ink"] = "auto"
    preparations: Annotated[tuple[Preparation, ...], AtMost(8)] = Field(
        (), description="What is done for the key only, and never to exported colours"
    )

    def to_plan(self) -> GroundPlan:
        """Return the step as the core takes it."""
        return GroundPlan(
            self.kind,
            None if self.colour == "auto" else from_hex(self.colour),
            tuple(from_hex(code) for code in self.also),
            self.figure,
            self.preparations,
        )


class PickEntry(BaseModel):
    """A point marked as ground or as figure, in pixels of the whole picture from its upper left."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    x: Place
    y: Place
    marks: Literal["ground", "figure"] = "ground"
    tolerance: Auto | Tolerance = Field("auto", description="auto: the sheet's own tolerance")

    def to_pick(self, row: int, col: int) -> Pick:
        """Return the pick as the core takes it, at its place in the work area."""
        own = None if self.tolerance == "auto" else float(self.tolerance)
        return Pick(row, col, self.marks == "figure", own)


class PocketEntry(BaseModel):
    """What was decided of the pocket at a place."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    x: Place
    y: Place
    verdict: Literal["clear", "keep"]
    also: tuple[tuple[Place, Place], ...] = Field(
        (), max_length=16, description="Further places [x, y] of that pocket, for when it splits"
    )

    def to_choice(self, row: int, col: int, area: Area) -> PocketChoice:
        """Return the decision as the core takes it, at its places in the work area."""
        also = (_locate(x, y, area, "pockets") for x, y in self.also)
        return PocketChoice(row, col, self.verdict, tuple(at for at in also if at))


class PocketRuleEntry(BaseModel):
    """What becomes of all pockets, which are enclosed and of the ground's colour, by their size."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    under_px: Annotated[int, Field(ge=2, le=200_000_000)] = Field(
        description="Of pockets that have fewer pixels than this"
    )
    verdict: Literal["clear", "keep"]


class RegionEntry(BaseModel):
    """What was decided of the region at a place: it goes, or it stays, whatever the tolerance."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    x: Place
    y: Place
    verdict: Literal["clear", "keep"]
    px: Annotated[int, Field(ge=1)] | None = Field(
        None, description="How large it was; where another is there now, this rests"
    )


class GuardEntry(BaseModel):
    """A colour that is never cleared, and the difference from it that is guarded."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    colour: Colour
    tolerance: Tolerance = 6.0
    x: Place | None = Field(
        None, description="Where on the picture the colour was taken, if it was"
    )
    y: Place | None = None


class ReachStep(Step):
    """Where clearing starts and how far it goes."""

    start: Literal["outside", "picks", "everywhere"] = "outside"
    tolerance: Auto | Tolerance = "auto"
    picks: Annotated[tuple[PickEntry, ...], AtMost(1000)] = ()
    pockets: Annotated[tuple[PocketEntry, ...], AtMost(20_000)] = ()
    pocket_rules: Annotated[tuple[PocketRuleEntry, ...], AtMost(20)] = Field(
        (), description="The later over the earlier; what is said of a pocket by its place over all"
    )
    regions: Annotated[tuple[RegionEntry, ...], AtMost(20_000)] = ()
    guards: Annotated[tuple[GuardEntry, ...], AtMost(100)] = ()
    fences: Annotated[tuple[Fence, ...], AtMost(100)] = Field(
        (), description="Lines through places [x, y] that clearing cannot cross"
    )
    crumbs_px: Auto | Annotated[int, Field(ge=0, le=100_000)] = Field(
        "auto", description="Standing pieces smaller than this are dropped; auto: by the grain"
    )
    pinholes_px: Annotated[int, Field(ge=0, le=100_000)] = 0
    drops: Annotated[tuple[tuple[Place, Place], ...], AtMost(20_000)] = Field(
        (), description="Places [x, y] of solid pieces that are not wanted"
    )

    def to_plan(self, area: Area) -> ReachPlan:
        """Return the step as the core takes it.

        Places are given in the work area; what lies in the picture but beyond the area rests.
        """
        picks = ((_locate(p.x, p.y, area, "picks"), p) for p in self.picks)
        pockets = ((_locate(p.x, p.y, area, "pockets"), p) for p in self.pockets)
        regions = ((_locate(r.x, r.y, area, "regions"), r) for r in self.regions)
        drops = (_locate(x, y, area, "drops") for x, y in self.drops)
        return ReachPlan(
            start=self.start,
            tolerance=None if self.tolerance == "auto" else float(self.tolerance),
            picks=tuple(entry.to_pick(*at) for at, entry in picks if at),
            choices=tuple(entry.to_choice(*at, area) for at, entry in pockets if at),
            rules=tuple(PocketRule(rule.under_px, rule.verdict) for rule in self.pocket_rules),
            regions=tuple(
                RegionChoice(*at, entry.verdict, entry.px) for at, entry in regions if at
            ),
            guards=tuple(Guard(from_hex(g.colour), g.tolerance) for g in self.guards),
            fences=tuple(
                tuple(_to_row_col(x, y, area, "fences") for x, y in fence) for fence in self.fences
            ),
            crumb_px=None if self.crumbs_px == "auto" else int(self.crumbs_px),
            pinhole_px=self.pinholes_px,
            drops=tuple(at for at in drops if at),
        )

    @property
    def walls(self) -> str:
        """What levels depend on, as JSON; everything of this step but tolerance, pockets and crumbs."""
        own = {"start", "picks", "regions", "guards", "fences"}
        return self.model_dump_json(include=own)


def _to_row_col(x: float, y: float, area: Area, field: str) -> tuple[int, int]:
    if not (x <= area.picture_width - 0.5 and y <= area.picture_height - 0.5):
        raise BadParameterError(
            f"Expected a place inside {area.picture_width} × {area.picture_height} px, got {x:g},{y:g}.",
            field=field,
        )
    col, row = area.to_area(x, y)
    return round(row), round(col)


def _locate(x: float, y: float, area: Area, field: str) -> tuple[int, int] | None:
    row, col = _to_row_col(x, y, area, field)
    return (row, col) if area.holds(col, row) else None


def _areas_to_marks(body: dict[str, Any]) -> dict[str, Any]:
    """Bring a step of the first version, which knew areas alone, to the second."""
    return {"marks": [{"kind": "area", **entry} for entry in body.get("areas", ())]}


class ByHandStep(Step):
    """Marks, in the order in which they were made: a later one wins over an earlier one.

    As it is stored, the list only names them; each is stored once, on its own.
    """

    VERSION: ClassVar[int] = 2
    UPGRADES: ClassVar = {1: _areas_to_marks}

    marks: Annotated[tuple[AnyMark, ...], AtMost(MOST_MARKS)] = ()

    @field_validator("marks", mode="before")
    @classmethod
    def _look_up(cls, said: Any, info: ValidationInfo) -> Any:
        """Read the marks that a stored list names."""
        parts = (info.context or {}).get("parts")
        if parts is None or not isinstance(said, list | tuple):
            return said
        return [_read_listed(each, parts) if isinstance(each, dict) and "of" in each else each for each in said]  # fmt: skip

    def to_json(self) -> str:
        """Return the step as it was stored, or else the list of its marks as canonical JSON."""
        if self._stored:
            return self._stored
        listed = [
            {"of": mark.name, "is_on": mark.is_on, "spell": mark.spell} for mark in self.marks
        ]
        body = {"version": self.VERSION, "marks": listed}
        return json.dumps(body, sort_keys=True, separators=(",", ":"))

    @property
    def parts(self) -> dict[str, str]:
        """What is stored on its own, by its hash."""
        return {mark.name: mark.text for mark in self.marks}

    def to_plan(self, area: Area) -> MarksPlan:
        """Return the step as the core takes it."""
        made: list[Mark] = []
        drawn, height_px = 0, 0.0
        for mark in self.marks:
            own = mark.to_marks(area) if mark.is_on else ()
            drawn += count_drawn(own)
            height_px += measure_height(own)
            if drawn > MOST_DRAWN_OF_ALL or height_px > MOST_HEIGHT_OF_ALL_PX:
                raise TooLargeError(
                    f"Expected marks of at most {MOST_DRAWN_OF_ALL:,} places and {MOST_HEIGHT_OF_ALL_PX:,} px of line together, these have more.",
                    hint="Switch some off, or remove them.",
                    field="marks",
                )
            made += own
        return MarksPlan(tuple(made))


def _read_listed(listed: dict[str, Any], parts: Mapping[str, str]) -> MarkEntry:
    name = str(listed["of"])
    if name not in parts:
        raise UnreadableStepError(
            "A mark of the step “by hand” is missing.",
            hint="Run ./tidy doctor; a copy may have it.",
        )
    return read_mark(parts[name]).listed(is_on=listed["is_on"], spell=listed["spell"])


STEP_TYPES: dict[str, type[Step]] = {
    "ground": GroundStep,
    "reach": ReachStep,
    "by_hand": ByHandStep,
    "rim": RimStep,
    "colour": ColourStep,
    "proof": ProofStep,
    "export": ExportStep,
}
"""The seven steps in order."""
