"""A scene as JSON: a base, its size, and cuts from the bottom up; read with sentences for all that is wrong."""

import json
from pathlib import PurePosixPath, PureWindowsPath
from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator, model_validator

from tidymargin.core.base.errors import BadRecipeError
from tidymargin.core.base.limits import MAX_SIDE_PX
from tidymargin.core.scenes.placing import Place

MOST_CUTS = 500
_MOST_PX = 1_000_000.0

_Far = Annotated[float, Field(ge=-_MOST_PX, le=_MOST_PX, allow_inf_nan=False)]
_Path = Annotated[str, Field(min_length=1, max_length=1000)]
_Name = Annotated[str, Field(min_length=1, max_length=100)]


def _stay_beside(path: str) -> str:
    """Return a path that stays in the folder of its scene."""
    for kind in (PurePosixPath, PureWindowsPath):
        if kind(path).is_absolute() or kind(path).drive or ".." in kind(path).parts:
            raise ValueError("a path stays in the folder of its scene")
    return path


class SceneCut(BaseModel):
    """A cut in a scene."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    picture: _Path = Field(
        description="Path, beside the scene, of a cut, or of a picture that is keyed"
    )
    recipe: _Path | None = Field(None, description="Path of the recipe that a picture is keyed by")
    name: _Name | None = Field(None, description="Its own; its file's when not said")
    left: _Far = Field(0.0, description="Of its upper left corner before it is turned, px")
    top: _Far = 0.0
    scale: Annotated[float, Field(gt=0.0005, le=100, allow_inf_nan=False)] = 1.0
    turn: Annotated[float, Field(ge=-360, le=360, allow_inf_nan=False)] = Field(
        0.0, description="About its middle, degrees clockwise"
    )
    mirror: bool = False
    opacity: Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)] = 1.0
    inside: _Name | None = Field(
        None, description="The name of the cut within which alone it is seen"
    )

    _stays = field_validator("picture", "recipe")(
        lambda path: None if path is None else _stay_beside(path)
    )

    def to_place(self) -> Place:
        """Return where it is, as the core takes it."""
        return Place(self.left, self.top, self.scale, self.turn, self.mirror)

    @property
    def title(self) -> str:
        """Its name, or its file's without an ending."""
        return self.name or PurePosixPath(self.picture).stem


class Scene(BaseModel):
    """Cuts arranged on a base."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    base: _Path | None = Field(
        None, description="A colour as #RRGGBB, or a picture's path; None: clear"
    )
    width: Annotated[int, Field(ge=1, le=MAX_SIDE_PX)] | None = Field(
        None, description="px; the base picture's when not said"
    )
    height: Annotated[int, Field(ge=1, le=MAX_SIDE_PX)] | None = None
    dots_per_inch: Annotated[float, Field(gt=0, le=10_000, allow_inf_nan=False)] | None = None
    cuts: Annotated[tuple[SceneCut, ...], Field(max_length=MOST_CUTS)] = Field(
        (), description="From the bottom up"
    )

    @field_validator("base")
    @classmethod
    def _has_a_base(cls, base: str | None) -> str | None:
        return base if base is None or base.startswith("#") else _stay_beside(base)

    @model_validator(mode="after")
    def _hangs_together(self) -> "Scene":
        if (self.width is None) != (self.height is None):
            raise ValueError("width and height are said both, or neither")
        if self.width is None and (self.base is None or self.base.startswith("#")):
            raise ValueError("width and height are said where the base is no picture")
        titles = [cut.title for cut in self.cuts]
        for cut in self.cuts:
            if cut.inside is None:
                continue
            if titles.count(cut.inside) != 1:
                raise ValueError(f"“{cut.inside}” is no cut of the scene, or several are called so")
            if self._is_inside_itself(cut):
                raise ValueError(f"“{cut.title}” is inside itself")
        return self

    def find(self, title: str) -> SceneCut:
        """Return the cut of a name that only one has."""
        return next(cut for cut in self.cuts if cut.title == title)

    def _is_inside_itself(self, cut: SceneCut) -> bool:
        seen = [cut]
        while seen[-1].inside is not None:
            following = next((c for c in self.cuts if c.title == seen[-1].inside), None)
            if following is None:
                return False
            if any(following is one for one in seen):
                return True
            seen.append(following)
        return False


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
        raise BadRecipeError("Expected a scene as JSON, got something that is not JSON.") from error
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
