"""What a person decided by hand: places, how far they reach, and what becomes of them."""

from dataclasses import dataclass, field, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.picture import Region

Verdict = Literal["keep", "clear", "solve"]
Taken = Literal["ground", "first", "middle"]
Points = NDArray[np.float64]

EVERYWHERE = Region(-(1 << 30), -(1 << 30), 1 << 30, 1 << 30)


@dataclass(frozen=True, slots=True, eq=False)
class Rings:
    """What closed lines surround: an odd number of them, so that parts are added, cut out and cross as they were drawn.

    Parameters
    ----------
    rings : tuple of (N, 2) ndarray of float64
        Places x, y in pixels from the upper left corner of the work area: the middle of its first pixel is (0.5, 0.5).
    """

    rings: tuple[Points, ...]

    @property
    def box(self) -> Region:
        """The pixels that it may touch; beyond the work area too."""
        return _box_of(np.concatenate(self.rings), 1.0)


@dataclass(frozen=True, slots=True, eq=False)
class Stroke:
    """What is near a line.

    Parameters
    ----------
    line : (N, 3) ndarray of float64
        Places x, y as in `Rings`, and how far from there the stroke reaches, in pixels.
    hardness : float
        The part of that, 0 to 1, up to which it covers fully.
    strength : float
        How much it covers there, 0 to 1.
    """

    line: Points
    hardness: float = 1.0
    strength: float = 1.0

    @property
    def box(self) -> Region:
        """The pixels that it may touch; beyond the work area too."""
        return _box_of(self.line, float(self.line[:, 2].max()) + 1)


def _box_of(places: Points, around: float) -> Region:
    left, top = places[:, :2].min(axis=0) - around
    right, bottom = places[:, :2].max(axis=0) + around
    return Region(int(np.floor(top)), int(np.floor(left)), int(np.ceil(bottom)), int(np.ceil(right)))  # fmt: skip


@dataclass(frozen=True, slots=True)
class Like:
    """Of what a mark covers, only what is like a colour counts.

    Parameters
    ----------
    taken : str
        Where the colour is from: the ``ground`` as it is modelled at each place, under the ``first`` touch, or under the
        ``middle`` all along.
    tolerance : float or None
        How far from it is like it, as a difference; None where the sheet's own tolerance and noise say.
    is_joined : bool
        Whether it has to hang together with what is like it under the middle of the stroke.
    """

    taken: Taken = "ground"
    tolerance: float | None = None
    is_joined: bool = False


@dataclass(frozen=True, slots=True, eq=False)
class Mark:
    """A place that a person decided on.

    Parameters
    ----------
    name : str
        What it is known by: marks of one name are the same mark.
    verdict : str
        ``keep`` shows the picture as it came there, ``clear`` nothing; ``solve`` works the rim out.
    shape : Rings or Stroke
        The place.
    is_outside : bool
        Whether it decides on what lies outside of its rings instead.
    edge_px : float
        How far to either side of its rings the rim is worked out, and nothing decided.
    like : Like or None
        That only what is like a colour counts: what goes or comes then gets the rims of the key.
    """

    name: str
    verdict: Verdict
    shape: Rings | Stroke
    is_outside: bool = False
    edge_px: float = 0.0
    like: Like | None = None
    box: Region = field(init=False)

    def __post_init__(self) -> None:
        box = EVERYWHERE if self.is_outside else self.band_box
        object.__setattr__(self, "box", box)

    def __eq__(self, other: object) -> bool:
        """Whether it is the same mark."""
        return isinstance(other, Mark) and self.name == other.name

    def __hash__(self) -> int:
        """Return a hash of its name."""
        return hash(self.name)

    def seen_through(self, left: float, top: float, cell: float) -> "Mark":
        """Return it in the cells of a window that begins at a place, each so many pixels a side."""
        if isinstance(self.shape, Stroke):
            line = (self.shape.line - (left, top, 0)) / cell
            shape: Rings | Stroke = replace(self.shape, line=line)
        else:
            shape = Rings(tuple((ring - (left, top)) / cell for ring in self.shape.rings))
        return replace(self, shape=shape, edge_px=self.edge_px / cell)

    @property
    def band_box(self) -> Region:
        """The pixels that its band, if it has one, may touch."""
        return self.shape.box.grown(int(self.edge_px + 1), EVERYWHERE)

    @property
    def solved_px(self) -> float:
        """How wide a band it has that is worked out anew; 0 where there is none."""
        if self.verdict != "solve":
            return 2 * self.edge_px
        if isinstance(self.shape, Stroke):
            return 2 * float(self.shape.line[:, 2].max())
        return float(min(self.box.height, self.box.width))


@dataclass(frozen=True, slots=True)
class MarksPlan:
    """Step 3: marks in the order in which they were made; a later one wins over an earlier one."""

    marks: tuple[Mark, ...] = ()

    def changed_since(self, before: "MarksPlan") -> tuple[Mark, ...]:
        """Return the marks by which it may cut otherwise than an earlier plan: those between what both begin and end with.

        Two marks may be the same one laid twice, and an order matters, so they are not compared as sets.
        """
        was, now = before.marks, self.marks
        most = min(len(was), len(now))
        first = next((n for n in range(most) if was[n] != now[n]), most)
        most -= first
        last = next((n for n in range(most) if was[-1 - n] != now[-1 - n]), most)
        return was[first : len(was) - last] + now[first : len(now) - last]

    def seen_through(self, left: float, top: float, cell: float) -> "MarksPlan":
        """Return them in the cells of a window that begins at a place, each so many pixels a side."""
        return MarksPlan(tuple(mark.seen_through(left, top, cell) for mark in self.marks))

    def has_band_near(self, region: Region) -> bool:
        """Whether a region may touch a band that is worked out anew."""
        return any(mark.solved_px > 0 and mark.band_box.touches(region) for mark in self.marks)

    def without_bands(self) -> "MarksPlan":
        """Return them as they are where no band is near."""
        return MarksPlan(
            tuple(replace(mark, edge_px=0.0) for mark in self.marks if mark.verdict != "solve")
        )

    @property
    def likes(self) -> tuple[Mark, ...]:
        """Those that take only what is like a colour."""
        return tuple(mark for mark in self.marks if mark.like)

    @property
    def solved_px(self) -> float:
        """How wide the widest band is that is worked out anew; 0 where there is none."""
        return max((mark.solved_px for mark in self.marks), default=0.0)

    def near(self, region: Region) -> "MarksPlan":
        """Return those that may touch a region."""
        return MarksPlan(tuple(mark for mark in self.marks if mark.box.touches(region)))
