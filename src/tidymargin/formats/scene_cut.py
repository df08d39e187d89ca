"""How a cut stands in a scene, as JSON: what a scene file says of it, and a saved scene as well."""

from collections.abc import Callable, Sequence
from typing import Annotated, Literal, Protocol, TypeVar

from pydantic import BaseModel, ConfigDict, Field

from tidymargin.core.base.limits import MAX_SIDE_PX
from tidymargin.core.ground.kinds import from_hex
from tidymargin.core.scenes.placing import Place
from tidymargin.core.scenes.sitting import Shadow
from tidymargin.core.scenes.standing import Gradient

MOST_CUTS = 500
_MOST_PX = 1_000_000.0

Far = Annotated[float, Field(ge=-_MOST_PX, le=_MOST_PX, allow_inf_nan=False)]
Name = Annotated[str, Field(min_length=1, max_length=100)]
ColourCode = Annotated[str, Field(pattern=r"^#[0-9a-fA-F]{6}$")]
Turn = Annotated[float, Field(ge=-360, le=360, allow_inf_nan=False)]
Share = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
SidePx = Annotated[int, Field(ge=1, le=MAX_SIDE_PX)]


class GradientSaid(BaseModel):
    """Two colours and the way from one to the other."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    start: ColourCode
    end: ColourCode
    turn: Turn = Field(0.0, description="Degrees clockwise; 0 from the top to the bottom")

    def to_gradient(self) -> Gradient:
        """Return it as the core takes it."""
        return Gradient(from_hex(self.start), from_hex(self.end), self.turn)


class FillSaid(GradientSaid):
    """A gradient of a size, as a cut."""

    width: SidePx
    height: SidePx


class ShadowSaid(BaseModel):
    """A shadow that a cut casts."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    kind: Literal["contact", "cast"]
    amount: Share = 0.5
    lean: Annotated[float, Field(ge=-80, le=80, allow_inf_nan=False)] = Field(
        35.0, description="Of a cast one: degrees off straight behind, to the right"
    )
    length: Annotated[float, Field(gt=0, le=3, allow_inf_nan=False)] = Field(
        0.5, description="Of a cast one: times the cut's height"
    )

    def to_shadow(self) -> Shadow:
        """Return it as the core takes it."""
        return Shadow(self.kind, self.amount, self.lean, self.length)


class PlacedCut(BaseModel):
    """Where and how a cut stands in a scene."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    left: Far = Field(0.0, description="Of its upper left corner before it is turned, px")
    top: Far = 0.0
    scale: Annotated[float, Field(gt=0.0005, le=100, allow_inf_nan=False)] = 1.0
    turn: Turn = Field(0.0, description="About its middle, degrees clockwise")
    mirror: bool = False
    opacity: Share = 1.0
    inside: Name | None = Field(
        None, description="The name of the cut within which alone it is seen"
    )
    hidden: bool = Field(False, description="Not shown; others may be inside of it all the same")
    shadow: ShadowSaid | None = None
    light: Share = Field(0.0, description="How far its colours are brought towards the base's")
    fill: FillSaid | None = Field(None, description="A gradient in place of a picture")

    def to_place(self) -> Place:
        """Return where it is, as the core takes it."""
        return Place(self.left, self.top, self.scale, self.turn, self.mirror)


class _Titled(Protocol):
    @property
    def title(self) -> str: ...

    @property
    def inside(self) -> str | None: ...


T = TypeVar("T", bound=_Titled)


def find_titled(cuts: Sequence[T], title: str) -> int | None:
    """Return the number of the cut of a name; None where none or several are called so."""
    found = [number for number, cut in enumerate(cuts) if cut.title == title]
    return found[0] if len(found) == 1 else None


def require_whole(cuts: Sequence[T], say: Callable[[str], str]) -> None:
    """Refuse cuts of which one is inside of none, or of itself.

    Parameters
    ----------
    cuts : sequence
        With their names, and of the ones they are inside of.
    say : callable
        Makes a name one that is shown.

    Raises
    ------
    ValueError
        One is.
    """
    for cut in cuts:
        at, seen = cut, [cut.title]
        while at.inside is not None:
            number = find_titled(cuts, at.inside)
            if number is None:
                raise ValueError(f"{say(at.inside)} is no cut of the scene, or several are called so")  # fmt: skip
            at = cuts[number]
            if at.title in seen:
                raise ValueError(f"{say(cut.title)} is inside itself")
            seen.append(at.title)
