"""A scene as JSON: a base, its size, and cuts from the bottom up; read with sentences for all that is wrong."""

import json
from pathlib import PurePosixPath, PureWindowsPath
from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator, model_validator

from tidymargin.core.base.errors import BadRecipeError
from tidymargin.formats.scene_cut import (
    MOST_CUTS,
    GradientSaid,
    Name,
    PlacedCut,
    SidePx,
    require_whole,
)

_Path = Annotated[str, Field(min_length=1, max_length=1000)]


def _stay_beside(path: str) -> str:
    """Return a path that stays in the folder of its scene."""
    for kind in (PurePosixPath, PureWindowsPath):
        if kind(path).is_absolute() or kind(path).drive or ".." in kind(path).parts:
            raise ValueError("a path stays in the folder of its scene")
    return path


class SceneCut(PlacedCut):
    """A cut in a scene."""

    picture: _Path | None = Field(
        None, description="Path, beside the scene, of a cut, or of a picture that is keyed"
    )
    recipe: _Path | None = Field(None, description="Path of the recipe that a picture is keyed by")
    name: Name | None = Field(None, description="Its own; its file's when not said")

    _stays = field_validator("picture", "recipe")(
        lambda path: None if path is None else _stay_beside(path)
    )

    @model_validator(mode="after")
    def _is_one_thing(self) -> "SceneCut":
        if (self.picture is None) == (self.fill is None):
            raise ValueError("a cut has a picture or a fill, and not both")
        return self

    @property
    def title(self) -> str:
        """Its name, or its file's without an ending."""
        return self.name or PurePosixPath(self.picture or "gradient").stem


class Scene(BaseModel):
    """Cuts arranged on a base."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    base: GradientSaid | _Path | None = Field(
        None, description="A colour as #RRGGBB, a gradient, or a picture's path; None: clear"
    )
    cover: bool = Field(
        False,
        description="Whether a base picture is scaled to cover the scene; else it lies in its upper left corner",
    )
    width: SidePx | None = Field(None, description="px; the base picture's when not said")
    height: SidePx | None = None
    dots_per_inch: Annotated[float, Field(gt=0, le=10_000, allow_inf_nan=False)] | None = None
    cuts: Annotated[tuple[SceneCut, ...], Field(max_length=MOST_CUTS)] = Field(
        (), description="From the bottom up"
    )

    @field_validator("base")
    @classmethod
    def _has_a_base(cls, base: GradientSaid | str | None) -> GradientSaid | str | None:
        return _stay_beside(base) if isinstance(base, str) and not base.startswith("#") else base

    @property
    def base_picture(self) -> str | None:
        """The path of the base's picture, where it has one."""
        return self.base if isinstance(self.base, str) and not self.base.startswith("#") else None

    @model_validator(mode="after")
    def _hangs_together(self) -> "Scene":
        if (self.width is None) != (self.height is None):
            raise ValueError("width and height are said both, or neither")
        if self.width is None and self.base_picture is None:
            raise ValueError("width and height are said where the base is no picture")
        require_whole(self.cuts, lambda name: f"“{name}”")
        return self


def read_scene(text: str | bytes) -> Scene:
    """Read a scene from JSON.

    Raises
    ------
    BadRecipeError
        Not JSON, an unknown field, or a value out of range: the message names the place.
    """
    try:
        body: Any = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise BadRecipeError("This scene is not JSON.") from error
    if not isinstance(body, dict):
        raise BadRecipeError("Expected a scene as a JSON object.", field="scene")
    try:
        return Scene.model_validate(body)
    except ValidationError as error:
        first = error.errors()[-1]
        place = ".".join(str(part) for part in first["loc"])
        if first["type"] == "extra_forbidden":
            said = f"“{place}” is not a field of a scene."
        else:
            said = f"{place or 'The scene'}: {first['msg'].removeprefix('Value error, ')}."
        raise BadRecipeError(said, hint="Compare it with `./tidy scene --schema`.", field=place or "scene") from error  # fmt: skip
