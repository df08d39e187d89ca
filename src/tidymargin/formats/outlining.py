"""What a recipe says of outlines and of the cutting line."""

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator

from tidymargin.core.ground.kinds import from_hex
from tidymargin.core.outlines.cutline import CutLinePlan, SheetPlan
from tidymargin.core.outlines.plan import (
    LEAST_TOLERANCE_PX,
    MOST_COLOURS,
    MOST_TOLERANCE_PX,
    OutlinePlan,
    PieceWay,
)
from tidymargin.formats.fields import Auto, Colour, Place

_Mm = Annotated[float, Field(ge=0, le=1000, allow_inf_nan=False)]
_MOST_DROPPED = _MOST_DECIDED = 1000
_MOST_PLACES = 10_000
_Far = Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)]
_Anywhere = tuple[_Far, _Far]  # beyond the picture as well, as a hand draws it


class OutlineEntry(BaseModel):
    """What becomes of one outline: the innermost around a place."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    x: Place
    y: Place
    way: PieceWay


class OutlinesEntry(BaseModel):
    """How a cut is traced."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    colours: Annotated[int, Field(ge=1, le=MOST_COLOURS)] | Auto = Field(
        1, description="In how many colours; auto: as many as there is evidence for"
    )
    tolerance_px: Annotated[float, Field(ge=LEAST_TOLERANCE_PX, le=MOST_TOLERANCE_PX, allow_inf_nan=False)] | Auto = Field(
        "auto", description="How far a line or curve may keep from the contour"
    )  # fmt: skip
    cutoff: Annotated[float, Field(gt=0, lt=100, allow_inf_nan=False)] | None = Field(
        None, description="Lightness, 0 black to 100 white, up to which is traced; None: all that is solid"
    )  # fmt: skip
    smallest_px: Annotated[float, Field(ge=0, le=1e6, allow_inf_nan=False)] = Field(
        4.0, description="Areas under so many square px are dropped"
    )
    as_strokes: bool = Field(False, description="Lines along their middle, with a width")
    pieces: Annotated[tuple[OutlineEntry, ...], Field(max_length=_MOST_DECIDED)] = ()
    merged: Annotated[tuple[tuple[Colour, Colour], ...], Field(max_length=MOST_COLOURS)] = Field(
        (), description="Colours that are taken for another: which, and for which"
    )
    names: Annotated[tuple[tuple[Colour, Annotated[str, Field(min_length=1, max_length=60)]], ...], Field(max_length=MOST_COLOURS)] = Field(
        (), description="What colours are called"
    )  # fmt: skip
    loop: Annotated[tuple[_Anywhere, ...], Field(max_length=_MOST_PLACES)] = Field(
        (), description="Places of a line around what is traced; with none, all is"
    )

    @field_validator("loop")
    @classmethod
    def _goes_round(cls, loop: tuple[_Anywhere, ...]) -> tuple[_Anywhere, ...]:
        if 0 < len(loop) < 3:
            raise ValueError("a loop goes around three places at least")
        return loop

    def to_plan(self) -> OutlinePlan:
        """Return it as the core takes it."""
        return OutlinePlan(
            self.colours, self.tolerance_px, self.cutoff, self.smallest_px, self.as_strokes,
            tuple((float(entry.x), float(entry.y), entry.way) for entry in self.pieces),
            tuple((from_hex(a), from_hex(b)) for a, b in self.merged),
            tuple((from_hex(colour), name) for colour, name in self.names),
            tuple((float(x), float(y)) for x, y in self.loop),
        )  # fmt: skip


class SheetEntry(BaseModel):
    """A sheet that pieces are laid out on."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    width_mm: Annotated[float, Field(gt=0, le=5000, allow_inf_nan=False)]
    height_mm: Annotated[float, Field(gt=0, le=5000, allow_inf_nan=False)]
    gap_mm: Annotated[float, Field(ge=0, le=500, allow_inf_nan=False)] = Field(
        5.0, description="Between two pieces, and from the sheet's sides, at least"
    )
    copies: Annotated[int, Field(ge=1, le=1000)] = Field(1, description="Of each piece")


class CutLineEntry(BaseModel):
    """How a cutting line is made."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    offset_mm: Annotated[float, Field(ge=-1000, le=1000, allow_inf_nan=False)] = Field(
        2.0, description="How far outside the figure; below 0 inside"
    )
    corners: Literal["round", "sharp"] = "round"
    smallest_mm: _Mm = Field(
        0.0, description="Pieces and holes that fit into a circle this wide are left out"
    )
    bridges_mm: Annotated[float, Field(gt=0, le=1000, allow_inf_nan=False)] | None = Field(
        None, description="How wide the bridges are that join separate pieces; None: none"
    )
    cuts_holes: bool = True
    blade_mm: Annotated[float, Field(gt=0, le=100, allow_inf_nan=False)] = Field(
        0.5, description="The smallest radius and width that the blade can follow"
    )
    dropped: Annotated[tuple[tuple[Place, Place], ...], Field(max_length=_MOST_DROPPED)] = Field(
        (), description="Places, x and y, whose pieces are left out"
    )
    sheet: SheetEntry | None = Field(
        None, description="A sheet that the pieces are laid out on; None: they stay where they are"
    )
    with_marks: bool = Field(
        False, description="Of what is printed: marks at its corners, by which a machine finds it"
    )

    def to_plan(self) -> CutLinePlan:
        """Return it as the core takes it."""
        return CutLinePlan(
            self.offset_mm, self.corners, self.smallest_mm, self.bridges_mm, self.cuts_holes,
            self.blade_mm, tuple((float(x), float(y)) for x, y in self.dropped),
            None if self.sheet is None else SheetPlan(**self.sheet.model_dump(), with_marks=self.with_marks), self.with_marks,
        )  # fmt: skip
