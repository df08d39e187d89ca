"""A saved scene as JSON: a base, its size, and cuts from the bottom up that stay sheets."""

import json
from collections.abc import Callable, Iterable
from typing import Annotated, Any, Literal, TypeVar

from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from tidymargin.core.base.errors import BadParameterError, UnreadableStepError
from tidymargin.core.base.limits import MAX_PIXELS, MM_PER_INCH
from tidymargin.formats.scene_cut import (
    MOST_CUTS,
    ColourCode,
    GradientSaid,
    Name,
    PlacedCut,
    SidePx,
    find_titled,
    require_whole,
)

SceneFormat = Literal["png", "jpeg", "webp", "avif", "pdf", "ora", "svg"]
M = TypeVar("M", bound=BaseModel)
Number = Annotated[int, Field(ge=1)]


class ArrangedCut(PlacedCut):
    """A cut of a saved scene: a sheet as it is, or as it was at one of its states.

    `key` tells it from the scene's others, whatever it is called; `group` is shared by those that move together.
    """

    key: Number
    name: Name
    sheet: Number | None = None
    state: Number | None = None
    uncut: bool = False
    outlined: bool = False
    locked: bool = False
    group: Number | None = None

    @model_validator(mode="after")
    def _is_one_thing(self) -> "ArrangedCut":
        if (self.sheet is None) == (self.fill is None):
            raise ValueError("a cut has a sheet or a fill, and not both")
        return self

    @property
    def title(self) -> str:
        """Its name."""
        return self.name


class ArrangedBase(BaseModel):
    """What a saved scene's cuts lie on: nothing, a colour, a gradient, or a sheet uncut."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    colour: ColourCode | None = None
    gradient: GradientSaid | None = None
    sheet: Number | None = None
    state: Number | None = None

    @model_validator(mode="after")
    def _is_one_thing(self) -> "ArrangedBase":
        if sum(one is not None for one in (self.colour, self.gradient, self.sheet)) > 1:
            raise ValueError("a base is a colour, a gradient or a picture")
        return self


class Series(BaseModel):
    """What a scene is filled with in turn: each sheet of a tray in place of one cut, as high as that."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    tray: Number
    key: Number


class Arrangement(BaseModel):
    """Cuts arranged on a base."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    width: SidePx
    height: SidePx
    dots_per_inch: Annotated[float, Field(ge=1, le=10_000, allow_inf_nan=False)] = 300.0
    unit: Literal["px", "mm"] = "px"
    base: ArrangedBase = ArrangedBase()
    cuts: Annotated[tuple[ArrangedCut, ...], Field(max_length=MOST_CUTS)] = Field(
        (), description="From the bottom up"
    )
    format: SceneFormat = "png"
    series: Series | None = None

    @model_validator(mode="after")
    def _hangs_together(self) -> "Arrangement":
        if self.width * self.height > MAX_PIXELS:
            raise ValueError(f"a scene has at most {MAX_PIXELS:,} pixels, this one would have {self.width:,} × {self.height:,}")  # fmt: skip
        if len({cut.key for cut in self.cuts}) != len(self.cuts):
            raise ValueError("each cut has a key of its own")
        if len({cut.name for cut in self.cuts}) != len(self.cuts):
            raise ValueError("each cut has a name of its own")
        require_whole(self.cuts, lambda name: f"“{name}”")
        return self

    def to_json(self) -> str:
        """Return it as it is stored: keys sorted, no spaces, and nothing that is as it always is."""
        body = self.model_dump(mode="json", exclude_defaults=True)
        return json.dumps(body, sort_keys=True, separators=(",", ":"))

    @property
    def mm_per_px(self) -> float:
        """How large a pixel is on paper."""
        return MM_PER_INCH / self.dots_per_inch

    def find(self, key: int) -> ArrangedCut:
        """Return a cut by its key.

        Raises
        ------
        BadParameterError
            There is none.
        """
        for cut in self.cuts:
            if cut.key == key:
                return cut
        raise BadParameterError("This cut is not in the scene any more.", hint="Reload the page.")  # fmt: skip

    def find_around(self, cut: ArrangedCut) -> int | None:
        """Return the number of the cut that one is inside of."""
        return None if cut.inside is None else find_titled(self.cuts, cut.inside)

    @property
    def sheets(self) -> set[int]:
        """The sheets that it names."""
        named = {cut.sheet for cut in self.cuts if cut.sheet is not None}
        return named | ({self.base.sheet} if self.base.sheet is not None else set())

    @property
    def next_key(self) -> int:
        """A key that no cut has."""
        return max((cut.key for cut in self.cuts), default=0) + 1

    def free_name(self, wanted: str) -> str:
        """Return a name that no cut has, most like the one that is wanted."""
        taken = {cut.name for cut in self.cuts}
        wanted = wanted.strip()[:90] or "cut"
        if wanted not in taken:
            return wanted
        stem, _, last = wanted.rpartition(" ")
        stem = stem if stem and last.isdigit() else wanted  # a copy of “bell 2” is “bell 3”
        return next(name for name in (f"{stem} {number}" for number in range(2, len(taken) + 3)) if name not in taken)  # fmt: skip

    def changed(self, **values: Any) -> "Arrangement":
        """Return it with other values.

        Raises
        ------
        BadParameterError
            They are none that it can have; the message names the field.
        """
        fields = type(self).model_fields
        body = {name: getattr(self, name) for name in fields} | values
        return _validate(lambda: Arrangement.model_validate(_dump(body)))

    def with_cuts(self, cuts: Iterable[ArrangedCut]) -> "Arrangement":
        """Return it with other cuts."""
        return self.changed(cuts=tuple(cuts))

    def with_cut(self, key: int, **values: Any) -> "Arrangement":
        """Return it with other values of one cut; what is inside of that stays so when it gets another name."""
        before = self.find(key)
        body = {name: getattr(before, name) for name in type(before).model_fields} | values
        after = _validate(
            lambda: ArrangedCut.model_validate({k: _dump(v) for k, v in body.items()})
        )
        cuts = [after if cut.key == key else cut for cut in self.cuts]
        if after.name != before.name:
            cuts = [cut.model_copy(update={"inside": after.name}) if cut.inside == before.name else cut for cut in cuts]  # fmt: skip
        return self.with_cuts(cuts)


def _dump(value: Any) -> Any:
    if isinstance(value, BaseModel):
        return value.model_dump()
    if isinstance(value, dict):
        return {name: _dump(one) for name, one in value.items()}
    return tuple(_dump(one) for one in value) if isinstance(value, tuple) else value


def _validate(make: Callable[[], M]) -> M:
    try:
        return make()
    except ValidationError as error:
        first = error.errors()[-1]
        said = first["msg"].removeprefix("Value error, ").removeprefix("Input ")
        # the last part is said where it stands on the page
        field = str(first["loc"][-1]) if first["loc"] else None
        place = f"{field.replace('_', ' ')}: " if field else ""
        raise BadParameterError(
            f"This scene does not hold together: {place}{said}.", field=field
        ) from error


def read_arrangement(text: str) -> Arrangement:
    """Return a scene as it was stored.

    Raises
    ------
    UnreadableStepError
        It holds what this version cannot read.
    """
    try:
        return Arrangement.model_validate_json(text)
    except ValidationError as error:
        raise UnreadableStepError(
            "This scene holds what this Tidy Margin cannot read.",
            hint="It was saved by another version of Tidy Margin; use that one for it.",
        ) from error
