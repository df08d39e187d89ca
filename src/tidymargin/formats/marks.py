"""Marks as a recipe has them: what was drawn, in pixels of the whole picture from its upper left corner.

A mark is stored once, under the hash of what was drawn; a state's list names it, says whether it is on, and in which
spell of work it was made. So a state of a thousand marks is small, and nothing is read twice.
"""

import hashlib
import json
from abc import ABC, abstractmethod
from threading import Lock
from typing import Annotated, Any, Literal

import numpy as np
from cachetools import LRUCache, cached
from pydantic import BaseModel, ConfigDict, Field, PrivateAttr, TypeAdapter, model_validator

from tidymargin.core.base.area import Area
from tidymargin.core.marks.lines import Node, outline_ring, smooth_line
from tidymargin.core.marks.plan import Like, Mark, Points, Rings, Stroke, Verdict

Edge = Annotated[float, Field(ge=-1_000_000, le=1_000_000, allow_inf_nan=False)]
Spot = tuple[Edge, Edge]
Share = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
Pressed = tuple[Edge, Edge, Share]

MOST_PLACES = 20_000
MOST_MARKS = 2000
WIDEST_PX = 2000
DEEPEST_EDGE_PX = 60

Ring = Annotated[tuple[Spot, ...], Field(min_length=3, max_length=MOST_PLACES)]
Line = Annotated[tuple[Spot | Pressed, ...], Field(min_length=1, max_length=MOST_PLACES)]
Across = Annotated[float, Field(ge=0.5, le=WIDEST_PX, allow_inf_nan=False)]
EdgePx = Annotated[float, Field(ge=0, le=DEEPEST_EDGE_PX, allow_inf_nan=False)]

_LISTED = {"is_on", "spell"}
_PLACE_LETTERS = 12  # of one place in JSON, about
MOST_PLACES_OF_ALL = 500_000
"""Places that the marks of one sheet may have together, as they were drawn."""

MOST_DRAWN_OF_ALL = 3_000_000
"""Places that the smooth lines and rings of the marks of one sheet may have together."""

MOST_HEIGHT_OF_ALL_PX = 20_000_000
"""How far up and down the rings of the marks of one sheet may go together: by that goes how long their cover takes."""

_MOST_KEPT = 500_000  # places of marks that are remembered, once as read and once as made


class MarkEntry(BaseModel, ABC):
    """What all marks have."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    is_on: bool = Field(True, description="false: it rests, and can be switched on again")
    spell: Annotated[int, Field(ge=0, le=1_000_000)] = Field(
        0, description="Marks made one after the other in one spell of work have the same"
    )

    _text: str = PrivateAttr("")
    _name: str = PrivateAttr("")

    @property
    def text(self) -> str:
        """What was drawn, as it is stored: canonical JSON."""
        if not self._text:
            body = self.model_dump(mode="json", exclude=_LISTED)
            self._text = json.dumps(body, sort_keys=True, separators=(",", ":"))
        return self._text

    @property
    def name(self) -> str:
        """The hash that it is stored under, whether it is on or not."""
        if not self._name:
            self._name = hashlib.sha256(self.text.encode()).hexdigest()
        return self._name

    def __eq__(self, other: object) -> bool:
        """Whether the same was drawn and said of it."""
        if not isinstance(other, MarkEntry):
            return NotImplemented
        return (self.is_on, self.spell, self.name) == (other.is_on, other.spell, other.name)

    def __hash__(self) -> int:
        """Return a hash of what was drawn."""
        return hash((self.name, self.is_on, self.spell))

    def listed(self, *, is_on: bool, spell: int) -> "MarkEntry":
        """Return it as a list has it."""
        return self.model_copy(update={"is_on": is_on, "spell": spell})

    @property
    @abstractmethod
    def place(self) -> Spot:
        """Where it begins."""

    def moved(self, by_x: float, by_y: float) -> "MarkEntry":
        """Return it moved by so many pixels of the whole picture."""
        return read_new_mark({**self.model_dump(), **self._moved(by_x, by_y)})

    @abstractmethod
    def _moved(self, by_x: float, by_y: float) -> dict[str, Any]:
        """Return the fields that hold places, moved."""

    def to_marks(self, area: Area) -> tuple[Mark, ...]:
        """Return it as the core takes it, in pixels of the work area; nothing where nothing is decided yet."""
        return _to_marks(self, area)

    @abstractmethod
    def make(self, area: Area) -> tuple[Mark, ...]:
        """Make what `to_marks` returns and remembers."""


def _shift(places: tuple[Any, ...], by_x: float, by_y: float) -> list[tuple[float, ...]]:
    return [(round(x + by_x, 3), round(y + by_y, 3), *rest) for x, y, *rest in places]


def count_places(entry: MarkEntry) -> int:
    """Return about how many places a mark was drawn with."""
    return 1 + len(entry.text) // _PLACE_LETTERS


def count_drawn(marks: tuple[Mark, ...]) -> int:
    """Return how many places the lines of marks have."""
    return sum(
        len(mark.shape.line) if isinstance(mark.shape, Stroke) else sum(map(len, mark.shape.rings))
        for mark in marks
    )


def measure_height(marks: tuple[Mark, ...]) -> float:
    """Return how far the rings of marks go up and down, in pixels."""
    rings = [ring for mark in marks if isinstance(mark.shape, Rings) for ring in mark.shape.rings]
    return float(sum(np.abs(np.diff(ring[:, 1], append=ring[0, 1])).sum() for ring in rings))


@cached(LRUCache(6 * _MOST_KEPT, lambda marks: 1 + count_drawn(marks)), lock=Lock())
def _to_marks(entry: MarkEntry, area: Area) -> tuple[Mark, ...]:
    return entry.make(area)


class AreaEntry(MarkEntry):
    """What rings surround."""

    kind: Literal["area"] = "area"
    verdict: Literal["keep", "clear", "solve"]
    rings: Annotated[tuple[Ring, ...], Field(min_length=1, max_length=100)] = Field(
        description="Closed lines through places [x, y]; what an odd number of them surround is in it"
    )

    @property
    def place(self) -> Spot:
        """Where it begins."""
        return self.rings[0][0]

    def _moved(self, by_x: float, by_y: float) -> dict[str, Any]:
        return {"rings": [_shift(ring, by_x, by_y) for ring in self.rings]}

    def make(self, area: Area) -> tuple[Mark, ...]:
        """Make the mark."""
        rings = tuple(area.to_area_all(np.array(ring)) for ring in self.rings)
        return (Mark(_name_in(self, area), self.verdict, Rings(rings)),)


class LikeEntry(BaseModel):
    """That a stroke takes only what is like a colour."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    colour: Literal["ground", "first", "middle"] = Field(
        "ground", description="The ground as it is modelled there, the first touch, or the middle all along"
    )  # fmt: skip
    tolerance: (
        Literal["auto"] | Annotated[float, Field(ge=0, le=50, allow_inf_nan=False)]
    ) = "auto"  # fmt: skip
    is_joined: bool = Field(True, description="Only what hangs together with the stroke’s middle")

    def to_like(self) -> Like:
        """Return it as the core takes it."""
        own = None if self.tolerance == "auto" else float(self.tolerance)
        return Like(self.colour, own, self.is_joined)


class StrokeEntry(MarkEntry):
    """What is near a line."""

    kind: Literal["stroke"] = "stroke"
    verdict: Literal["keep", "clear", "solve"]
    places: Line = Field(description="[x, y], or [x, y, pressure 0 to 1]")
    across_px: Across = 40.0
    hardness: Share = 1.0
    strength: Share = 1.0
    like: LikeEntry | None = None

    @model_validator(mode="after")
    def _decides_like(self) -> "StrokeEntry":
        if self.like is not None and self.verdict == "solve":
            raise ValueError(
                "what is like a colour is kept or cleared, and its rim is solved anyway"
            )
        return self

    @property
    def place(self) -> Spot:
        """Where it begins."""
        return self.places[0][:2]

    def _moved(self, by_x: float, by_y: float) -> dict[str, Any]:
        return {"places": _shift(self.places, by_x, by_y)}

    def make(self, area: Area) -> tuple[Mark, ...]:
        """Make the mark."""
        line = smooth_line(to_line(self.places, self.across_px, area))
        like = None if self.like is None else self.like.to_like()
        shape = Stroke(line, self.hardness, self.strength)
        return (Mark(_name_in(self, area), self.verdict, shape, like=like),)


def to_line(places: tuple[Any, ...], across_px: float, area: Area) -> Points:
    """Return places of a stroke in the work area, with how far it reaches from each: (N, 3) x, y, radius in px."""
    came = np.array([(*place[:2], place[2] if len(place) > 2 else 1.0) for place in places])
    line = np.empty((len(came), 3))
    line[:, :2] = area.to_area_all(came[:, :2])
    line[:, 2] = came[:, 2] * across_px / 2
    if not area.is_upright:  # what is seen from the side is squared up, and a stroke on it with it
        along = area.to_area_all(came[:, :2] + (1, 0)) - line[:, :2]
        down = area.to_area_all(came[:, :2] + (0, 1)) - line[:, :2]
        line[:, 2] *= np.sqrt(np.abs(along[:, 0] * down[:, 1] - along[:, 1] * down[:, 0]))
    return line


class NodeEntry(BaseModel):
    """A point of an outline, and how the part to the next one goes."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    x: Edge
    y: Edge
    is_smooth: bool = Field(False, description="The line goes through it without a corner")
    bend: Spot | None = Field(
        None, description="The place [x, y] that the part to the next point was pulled to"
    )

    def to_node(self) -> Node:
        """Return it as the core takes it."""
        return Node(self.x, self.y, self.is_smooth, self.bend)


Does = Literal["cut_out", "keep_inside", "clear_inside", "clear_outside"]
"""What becomes of an outline's inside and outside; cut out: the one is kept and the other cleared, whatever the key says."""


class OutlineEntry(MarkEntry):
    """A line of straight and bent parts, set point by point; nothing is decided while it is open."""

    kind: Literal["outline"] = "outline"
    does: Does = "clear_outside"
    points: Annotated[tuple[NodeEntry, ...], Field(min_length=1, max_length=5000)]
    is_closed: bool = False
    rim_px: EdgePx = Field(3.0, description="How far to either side its rim is solved; 0: as drawn")

    @property
    def place(self) -> Spot:
        """Where it begins."""
        return self.points[0].x, self.points[0].y

    def _moved(self, by_x: float, by_y: float) -> dict[str, Any]:
        points = []
        for point in self.points:
            ((x, y),) = _shift(((point.x, point.y),), by_x, by_y)
            bend = None if point.bend is None else _shift((point.bend,), by_x, by_y)[0]
            points.append({"x": x, "y": y, "is_smooth": point.is_smooth, "bend": bend})
        return {"points": points}

    @property
    def nodes(self) -> tuple[Node, ...]:
        """Its points as the core takes them, in pixels of the whole picture."""
        return tuple(point.to_node() for point in self.points)

    def make(self, area: Area) -> tuple[Mark, ...]:
        """Make the mark, once the outline is closed."""
        if not self.is_closed or len(self.points) < 2:
            return ()
        ring = area.to_area_all(outline_ring(self.nodes))
        return _surround(self, area, (ring,), self.does, self.rim_px)


class RoughEntry(MarkEntry):
    """A figure that was found by scribbles on it and beside it; the answer is kept, and never changes by itself."""

    kind: Literal["rough"] = "rough"
    does: Does = "cut_out"
    keep: Annotated[tuple[Line, ...], Field(max_length=500)] = Field(
        (), description="Scribbles on the figure"
    )
    clear: Annotated[tuple[Line, ...], Field(max_length=500)] = Field(
        (), description="Scribbles on what is to go"
    )
    around: Ring | None = Field(None, description="A line drawn loosely around the figure")
    across_px: Across = Field(20.0, description="How wide the scribbles are")
    rings: Annotated[tuple[Ring, ...], Field(max_length=2000)] = Field(
        (), description="The answer: what was found, as closed lines"
    )
    rim_px: EdgePx = Field(6.0, description="How far to either side its rim is solved; 0: as found")

    @property
    def place(self) -> Spot:
        """Where it begins."""
        if self.keep:
            return self.keep[0][0][:2]
        return self.around[0] if self.around else (0.0, 0.0)

    def _moved(self, by_x: float, by_y: float) -> dict[str, Any]:
        lines = {"keep": self.keep, "clear": self.clear, "rings": self.rings}
        found: dict[str, Any] = {
            name: [_shift(line, by_x, by_y) for line in those] for name, those in lines.items()
        }
        return {**found, "around": self.around and _shift(self.around, by_x, by_y)}

    def make(self, area: Area) -> tuple[Mark, ...]:
        """Make the mark, once there is an answer."""
        if not self.rings:
            return ()
        rings = tuple(area.to_area_all(np.array(ring)) for ring in self.rings)
        return _surround(self, area, rings, self.does, self.rim_px)


def _name_in(entry: MarkEntry, area: Area) -> str:
    return entry.name if area.is_whole else f"{entry.name}:{area.corners}"


def _surround(
    entry: MarkEntry, area: Area, rings: tuple[Points, ...], does: Does, edge_px: float
) -> tuple[Mark, ...]:
    name, shape = _name_in(entry, area), Rings(rings)
    inside: Verdict = "clear" if does == "clear_inside" else "keep"
    found = []
    if does != "clear_outside":
        found.append(Mark(name, inside, shape, edge_px=edge_px))
    if does in ("clear_outside", "cut_out"):
        found.append(Mark(f"{name}:outside", "clear", shape, is_outside=True, edge_px=edge_px))
    return tuple(found)


AnyMark = Annotated[
    AreaEntry | StrokeEntry | OutlineEntry | RoughEntry, Field(discriminator="kind")
]
_READER: TypeAdapter[MarkEntry] = TypeAdapter(AnyMark)


@cached(LRUCache(_MOST_KEPT, count_places), lock=Lock())
def read_mark(text: str) -> MarkEntry:
    """Read what was drawn as it was stored; what it says is kept as it is.

    Raises
    ------
    pydantic.ValidationError
        It is no mark of this version.
    """
    entry = _READER.validate_json(text)
    entry._text = text
    return entry


def read_new_mark(said: dict[str, Any]) -> MarkEntry:
    """Read a mark that is made now.

    Raises
    ------
    pydantic.ValidationError
        A value is of the wrong kind or out of range.
    """
    return _READER.validate_python(said)
