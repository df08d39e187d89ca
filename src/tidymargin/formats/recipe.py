"""The recipe of a sheet: every decision in order, frozen, as plain JSON both ways."""

import json
from collections.abc import Mapping
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, ValidationError

from tidymargin.core.base.area import Area, whole_area
from tidymargin.core.base.errors import BadRecipeError
from tidymargin.core.plan import Plan
from tidymargin.formats.export_step import ExportStep
from tidymargin.formats.finishing import ColourStep, RimStep
from tidymargin.formats.proofing import ProofStep
from tidymargin.formats.step import WRITTEN, Step
from tidymargin.formats.steps import (
    STEP_TYPES,
    ByHandStep,
    GroundStep,
    ReachStep,
)

RECIPE_VERSION: Literal[1] = 1


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

    @property
    def names(self) -> dict[str, str]:
        """What each step is stored under."""
        return {name: step.name for name, step in self.steps.items()}

    @property
    def bodies(self) -> dict[str, str]:
        """The JSON of each step, as it is stored."""
        return {name: step.to_json() for name, step in self.steps.items()}

    @property
    def parts(self) -> dict[str, str]:
        """What steps only name, by its hash: each mark that was made by hand."""
        return {name: text for step in self.steps.values() for name, text in step.parts.items()}

    def to_area(self, picture_height: int, picture_width: int) -> Area:
        """Return the work area in a picture of that size."""
        said = self.ground.area
        if said == "auto":
            return whole_area(picture_height, picture_width)
        return Area(said, picture_height, picture_width)

    def to_plan(self, area: Area) -> Plan:
        """Return what the core decides by, with places in the work area."""
        return Plan(
            self.ground.to_plan(),
            self.reach.to_plan(area),
            self.by_hand.to_plan(area),
            self.rim.to_plan(),
            self.colour.to_plan(area),
        )

    def to_json(self) -> str:
        """Return the recipe as indented JSON with a final newline."""
        return json.dumps(self.model_dump(mode="json"), indent=2) + "\n"


STEPS = tuple(STEP_TYPES)


def from_steps(bodies: dict[str, str], parts: Mapping[str, str] | None = None) -> Recipe:
    """Put a recipe together from its steps' JSON as it was stored, and from what is stored beside them.

    Raises
    ------
    UnreadableStepError
        One of them cannot be read.
    """
    steps: dict[str, Any] = {
        name: kind.read(bodies[name], parts) for name, kind in STEP_TYPES.items()
    }
    return Recipe().model_copy(update=steps)


def change_recipe(recipe: Recipe, step: str, **values: Any) -> Recipe:
    """Return the recipe with some values of one step replaced.

    Raises
    ------
    BadRecipeError
        A value is of the wrong kind or out of range; `field` names it.
    """
    before = getattr(recipe, step)
    # what stays is not read again: by hand it may be thousands of places
    body = {**{name: getattr(before, name) for name in type(before).model_fields}, **values}
    try:
        changed = STEP_TYPES[step].model_validate(body, context={"before": before})
        return recipe.model_copy(update={step: changed})
    except ValidationError as error:
        raise to_words(error, (step,)) from error


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
            "This recipe is not JSON.",
            hint="Save one with --save-recipe and change that.",
        ) from error
    if not isinstance(body, dict):
        raise BadRecipeError("Expected a recipe as a JSON object.", field="recipe")
    version = body.get("recipe_version", RECIPE_VERSION)
    if version != RECIPE_VERSION:
        raise BadRecipeError(
            f"This recipe is of version {version}, and this Tidy Margin reads version {RECIPE_VERSION}.",
            hint="It was made by another version of Tidy Margin; use that one, or remake it.",
            field="recipe_version",
        )
    try:
        return Recipe.model_validate(body, context=WRITTEN)
    except ValidationError as error:
        raise to_words(error, ()) from error


def to_words(error: ValidationError, prefix: tuple[str, ...]) -> BadRecipeError:
    """Return what is wrong with a value in a sentence; `prefix` is where it stands in a recipe."""
    # a value that may be `auto` or a number fails twice; the more telling complaint comes last
    first = error.errors()[-1]
    place = [str(part) for part in (*prefix, *first["loc"])]
    place = [part for part in place if not part.startswith(("constrained-", "literal[", "tuple["))]
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
