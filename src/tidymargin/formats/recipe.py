"""The recipe of a sheet: every decision in order, frozen, as plain JSON both ways."""

import hashlib
import json
from dataclasses import replace
from typing import Annotated, Any, Literal

from pydantic import (
    BaseModel,
    ConfigDict,
    Field,
    GetCoreSchemaHandler,
    GetJsonSchemaHandler,
    ValidationError,
    ValidationInfo,
)
from pydantic_core import PydanticCustomError, core_schema

from tidymargin.core.base.area import Area, whole_area
from tidymargin.core.base.errors import BadParameterError, BadRecipeError
from tidymargin.core.cut import Decisions
from tidymargin.core.ground.kinds import from_hex
from tidymargin.core.reach.clearing import HIGHEST_TOLERANCE, Pick
from tidymargin.core.reach.pockets import PocketChoice
from tidymargin.core.reach.prepare import Preparation
from tidymargin.core.reach.walls import Guard

RECIPE_VERSION: Literal[1] = 1

_STORED = {"stored": True}


class AtMost:
    """Bounds a list where it comes in; what was stored before there were bounds is still read, and may get shorter.

    Parameters
    ----------
    count : int
        Things that the list may have.
    """

    def __init__(self, count: int) -> None:
        self.count = count

    def _check(self, value: tuple[Any, ...], info: ValidationInfo) -> tuple[Any, ...]:
        context = info.context or {}
        if len(value) <= self.count or context.get("stored"):
            return value
        before = getattr(context.get("before"), info.field_name or "", ())
        if len(value) <= len(before) or value in before:
            return value
        raise PydanticCustomError(
            "too_many",
            "should have at most {most} entries, got {got}",
            {"most": self.count, "got": len(value)},
        )

    def __get_pydantic_core_schema__(
        self, source: Any, handler: GetCoreSchemaHandler
    ) -> core_schema.CoreSchema:
        """Look at the length once the list itself is read."""
        return core_schema.with_info_after_validator_function(self._check, handler(source))

    def __get_pydantic_json_schema__(
        self, schema: core_schema.CoreSchema, handler: GetJsonSchemaHandler
    ) -> dict[str, Any]:
        """Say the bound in the schema."""
        return {**handler(schema), "maxItems": self.count}


Auto = Literal["auto"]
Tolerance = Annotated[float, Field(ge=0, le=HIGHEST_TOLERANCE, allow_inf_nan=False)]
Colour = Annotated[str, Field(pattern=r"^#[0-9A-Fa-f]{6}$")]
Place = Annotated[int | float, Field(ge=0, le=1_000_000, allow_inf_nan=False)]
"""A pixel's index along one side of the whole picture; broken where the work area was resampled."""
Edge = Annotated[float, Field(ge=-1_000_000, le=1_000_000, allow_inf_nan=False)]
Corners = tuple[tuple[Edge, Edge], tuple[Edge, Edge], tuple[Edge, Edge], tuple[Edge, Edge]]


MOST_FENCE_PLACES = 1000
Fence = Annotated[tuple[tuple[Place, Place], ...], AtMost(MOST_FENCE_PLACES)]


class Step(BaseModel):
    """One of the seven steps; unknown fields are refused."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    def to_json(self) -> str:
        """Return the step as canonical JSON: keys sorted, no spaces."""
        return json.dumps(self.model_dump(mode="json"), sort_keys=True, separators=(",", ":"))

    @property
    def name(self) -> str:
        """The hash that the step is stored under."""
        return hashlib.sha256(self.to_json().encode()).hexdigest()


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

    def to_decisions(self, area: Area) -> Decisions:
        """Return the step as the core takes it.

        Places are given in the work area; what lies in the picture but beyond the area rests.
        """
        picks = ((_locate(p.x, p.y, area, "picks"), p) for p in self.picks)
        pockets = ((_locate(p.x, p.y, area, "pockets"), p) for p in self.pockets)
        drops = (_locate(x, y, area, "drops") for x, y in self.drops)
        return Decisions(
            start=self.start,
            tolerance=None if self.tolerance == "auto" else float(self.tolerance),
            picks=tuple(entry.to_pick(*at) for at, entry in picks if at),
            choices=tuple(entry.to_choice(*at, area) for at, entry in pockets if at),
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
        own = {"start", "picks", "guards", "fences"}
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


class ByHandStep(Step):
    """Marks; none can be made yet."""


class RimStep(Step):
    """How the rim is solved; nothing to decide yet."""


class ColourStep(Step):
    """Colours of the figure."""

    spill: Auto | Annotated[float, Field(ge=0, le=2, allow_inf_nan=False)] = Field(
        "auto", description="How much of a screen's measured light is taken off; auto: all of it"
    )

    dropped_inks: Annotated[tuple[Colour, ...], AtMost(64)] = Field(
        (), description="Inks that are not kept; each means the measured ink nearest to it"
    )


class ProofStep(Step):
    """What the cut is judged on."""

    backdrop: Colour = Field("#E8B23A", description="The backdrop of any colour, #RRGGBB")


class ExportStep(Step):
    """What is written."""

    trim: bool = Field(False, description="Crop to the figure")
    margin_px: Annotated[int, Field(ge=0, le=4000)] = 12


class Recipe(BaseModel):
    """Every decision about a sheet. Same picture, recipe and engine version: same cut."""

    model_config = ConfigDict(frozen=True, extra="forbid", title="Tidy Margin recipe")

    recipe_version: Literal[1] = RECIPE_VERSION
    ground: GroundStep = GroundStep()
    reach: ReachStep = ReachStep()
    by_hand: ByHandStep = ByHandStep()
    rim: RimStep = RimStep()
    colour: ColourStep = ColourStep()
    proof: ProofStep = ProofStep()
    export: ExportStep = ExportStep()

    @property
    def steps(self) -> dict[str, Step]:
        """The seven steps by name, in order."""
        return {name: getattr(self, name) for name in STEPS}

    def to_area(self, picture_height: int, picture_width: int) -> Area:
        """Return the work area in a picture of that size."""
        said = self.ground.area
        if said == "auto":
            return whole_area(picture_height, picture_width)
        return Area(said, picture_height, picture_width)

    def to_decisions(self, area: Area) -> Decisions:
        """Return what the core decides by, with places in the work area."""
        return replace(
            self.reach.to_decisions(area),
            spill=1.0 if self.colour.spill == "auto" else self.colour.spill,
            dropped_inks=tuple(from_hex(code) for code in self.colour.dropped_inks),
        )

    def to_json(self) -> str:
        """Return the recipe as indented JSON with a final newline."""
        return json.dumps(self.model_dump(mode="json"), indent=2) + "\n"


STEPS = ("ground", "reach", "by_hand", "rim", "colour", "proof", "export")
_STEP_TYPES: dict[str, type[Step]] = {
    "ground": GroundStep,
    "reach": ReachStep,
    "by_hand": ByHandStep,
    "rim": RimStep,
    "colour": ColourStep,
    "proof": ProofStep,
    "export": ExportStep,
}


def recipe_schema() -> dict[str, Any]:
    """Return the recipe's JSON Schema."""
    return Recipe.model_json_schema()


def from_steps(bodies: dict[str, str]) -> Recipe:
    """Put a recipe together from its steps' JSON."""
    return Recipe(
        **{
            name: _STEP_TYPES[name].model_validate_json(bodies[name], context=_STORED)
            for name in STEPS
        }
    )


def change_recipe(recipe: Recipe, step: str, **values: Any) -> Recipe:
    """Return the recipe with some values of one step replaced.

    Raises
    ------
    BadRecipeError
        A value is of the wrong kind or out of range; `field` names it.
    """
    before = getattr(recipe, step)
    body = {**before.model_dump(), **values}
    try:
        changed = _STEP_TYPES[step].model_validate(body, context={"before": before})
        return recipe.model_copy(update={step: changed})
    except ValidationError as error:
        raise _to_words(error, (step,)) from error


def read_recipe(text: str | bytes) -> Recipe:
    """Read a recipe from JSON.

    Raises
    ------
    BadRecipeError
        Not JSON, an unknown field, or a value out of range: the message names the place.
    """
    try:
        body = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise BadRecipeError(
            "Expected a recipe as JSON, got something that is not JSON.",
            hint="Save one with --save-recipe and change that.",
        ) from error
    if not isinstance(body, dict):
        raise BadRecipeError("Expected a recipe as a JSON object.", field="recipe")
    version = body.get("recipe_version", RECIPE_VERSION)
    if version != RECIPE_VERSION:
        raise BadRecipeError(
            f"Expected a recipe of version {RECIPE_VERSION}, got version {version}.",
            hint="It was made by another version of Tidy Margin; use that one, or remake it.",
            field="recipe_version",
        )
    try:
        return Recipe.model_validate(body)
    except ValidationError as error:
        raise _to_words(error, ()) from error


def _to_words(error: ValidationError, prefix: tuple[str, ...]) -> BadRecipeError:
    # a value that may be `auto` or a number fails twice; the more telling complaint comes last
    first = error.errors()[-1]
    place = [str(part) for part in (*prefix, *first["loc"])]
    place = [part for part in place if not part.startswith(("constrained-", "literal["))]
    field = ".".join(place)
    if first["type"] == "extra_forbidden":
        return BadRecipeError(
            f"“{field}” is not a field of a recipe.",
            hint="Remove it, or check its spelling against the schema.",
            field=field,
        )
    if first["type"] == "too_many":
        return BadRecipeError(f"“{field}” {first['msg']}.", field=field)
    given = first["input"]
    short = given if isinstance(given, (int, float, str)) else type(given).__name__
    if first["type"] == "string_pattern_mismatch":
        return BadRecipeError(
            f"“{field}” should be a colour as #RRGGBB; got {short!s:.60}.", field=field
        )
    said = first["msg"].removeprefix("Input ")
    return BadRecipeError(f"“{field}” {said}; got {short!s:.60}.", field=field)
