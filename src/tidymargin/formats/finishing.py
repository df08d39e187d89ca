"""Steps 4 and 5 of a recipe: what is done to rims and colours once they are solved."""

from typing import Annotated, Self

from pydantic import BaseModel, ConfigDict, Field, model_validator

from tidymargin.core.base.area import Area
from tidymargin.core.ground.kinds import from_hex
from tidymargin.core.rim.plan import RimPlan
from tidymargin.core.tint.plan import Backing, Recolour, SpillPlace, TintPlan
from tidymargin.formats.fields import Auto, Colour, Place, Share
from tidymargin.formats.step import AtMost, Step

_FROZEN = ConfigDict(frozen=True, extra="forbid")
Amount = Annotated[float, Field(ge=0, le=2, allow_inf_nan=False)]
Signed = Annotated[float, Field(ge=-1, le=1, allow_inf_nan=False)]


class RimStep(Step):
    """What is done to rims once they are solved; the defaults change nothing."""

    choke_px: Annotated[float, Field(ge=-12, le=12, allow_inf_nan=False)] = Field(
        0.0, description="How far the rim is drawn in; below 0 it is spread"
    )
    spares_lines: bool = Field(
        True, description="Draw lines in by less where nothing of them would be left"
    )
    smooth_px: Annotated[float, Field(ge=0, le=8, allow_inf_nan=False)] = Field(
        0.0, description="Along how much of the rim its jags are averaged; corners stay"
    )
    feather_px: Annotated[float, Field(ge=0, le=40, allow_inf_nan=False)] = Field(
        0.0, description="Over how much the rim is softened"
    )
    black: Share = Field(0.0, description="The matte at and below which all is clear")
    white: Share = Field(1.0, description="The matte at and above which all is solid")
    gamma: Annotated[float, Field(ge=0.2, le=5, allow_inf_nan=False)] = 1.0
    fringe: Share = Field(
        0.0, description="How much the rim's colours are drawn to those just inside it"
    )
    fringe_px: Annotated[float, Field(ge=1, le=12, allow_inf_nan=False)] = 2.0

    @model_validator(mode="after")
    def _check_points(self) -> Self:
        if self.black >= self.white:
            raise ValueError("black should be below white")
        return self

    def to_plan(self) -> RimPlan:
        """Return the step as the core takes it."""
        return RimPlan(**{name: getattr(self, name) for name in type(self).model_fields})


class PieceEntry(BaseModel):
    """A place of the whole picture, whose piece of the figure gets a colour of its own."""

    model_config = _FROZEN

    x: Place
    y: Place
    colour: Colour


class RecolourEntry(BaseModel):
    """Other colours for the figure; its matte stays as it is."""

    model_config = _FROZEN

    colour: Colour | None = Field(None, description="What all of the figure gets")
    towards: Colour | None = Field(None, description="The colour at a gradient's other end")
    degrees: Annotated[float, Field(ge=-360, le=360, allow_inf_nan=False)] = Field(
        0.0, description="Which way the gradient goes: 0 to the right, 90 downwards"
    )
    pieces: Annotated[tuple[PieceEntry, ...], AtMost(200)] = ()

    @model_validator(mode="after")
    def _check_ends(self) -> Self:
        if self.colour is None and self.towards is not None:
            raise ValueError("a gradient should have a colour at either end")
        if self.colour is None and not self.pieces:
            raise ValueError("should have a colour, or pieces with one")
        return self

    def to_plan(self, area: Area) -> Recolour:
        """Return it as the core takes it."""
        pieces = []
        for piece in self.pieces:
            col, row = area.to_area(piece.x, piece.y)
            if area.holds(col, row):
                pieces.append((round(row), round(col), from_hex(piece.colour)))
        return Recolour(
            None if self.colour is None else from_hex(self.colour),
            None if self.towards is None else from_hex(self.towards),
            self.degrees,
            tuple(pieces),
        )


class BackingEntry(BaseModel):
    """A solid layer under the figure's outer silhouette."""

    model_config = _FROZEN

    colour: Colour = "#FFFFFF"
    grown_px: Annotated[float, Field(ge=-400, le=400, allow_inf_nan=False)] = Field(
        0.0, description="How far beyond the silhouette it goes; below 0 it stays back"
    )
    fills_holes: bool = True

    def to_plan(self) -> Backing:
        """Return it as the core takes it."""
        return Backing(from_hex(self.colour), self.grown_px, self.fills_holes)


class SpillPlaceEntry(BaseModel):
    """A round place of the whole picture where another amount of a screen's light is taken off."""

    model_config = _FROZEN

    x: Place
    y: Place
    radius_px: Annotated[float, Field(gt=0, le=100_000, allow_inf_nan=False)] = 40.0
    amount: Amount = 0.0


class SpillGuardEntry(BaseModel):
    """A colour that no light is taken off, and how far from it another may be."""

    model_config = _FROZEN

    colour: Colour
    distance: Annotated[float, Field(ge=0, le=50, allow_inf_nan=False)] = 8.0


class ColourStep(Step):
    """Colours of the figure, and what lies under it; but for a screen's light the defaults change nothing."""

    spill: Auto | Amount = Field(
        "auto", description="How much of a screen's measured light is taken off; auto: all of it"
    )
    spill_places: Annotated[tuple[SpillPlaceEntry, ...], AtMost(200)] = ()
    spill_guards: Annotated[tuple[SpillGuardEntry, ...], AtMost(100)] = ()
    dropped_inks: Annotated[tuple[Colour, ...], AtMost(64)] = Field(
        (), description="Inks that are not kept; each means the measured ink nearest to it"
    )
    depth: Share = Field(0.0, description="How far the darkest colour is drawn to black")
    brightness: Signed = 0.0
    contrast: Signed = 0.0
    saturation: Amount = 1.0
    recolour: RecolourEntry | None = None
    backing: BackingEntry | None = None
    shadow: Share = Field(
        0.0, description="How much of a shadow on the ground is kept, as black with its own matte"
    )

    def to_plan(self, area: Area) -> TintPlan:
        """Return the step as the core takes it."""
        places = []
        for place in self.spill_places:
            col, row = area.to_area(place.x, place.y)
            places.append(SpillPlace(row, col, place.radius_px, place.amount))
        return TintPlan(
            spill=1.0 if self.spill == "auto" else self.spill,
            spill_places=tuple(places),
            spill_guards=tuple((from_hex(g.colour), g.distance) for g in self.spill_guards),
            dropped_inks=tuple(from_hex(code) for code in self.dropped_inks),
            depth=self.depth,
            brightness=self.brightness,
            contrast=self.contrast,
            saturation=self.saturation,
            recolour=None if self.recolour is None else self.recolour.to_plan(area),
            backing=None if self.backing is None else self.backing.to_plan(),
            shadow=self.shadow,
        )
