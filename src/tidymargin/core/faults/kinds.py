"""Kinds of faults, from which measure each counts, and what one is."""

from dataclasses import dataclass, fields
from typing import Literal, get_args

from tidymargin.core.base.picture import Region

Kind = Literal[
    "crumb", "pocket", "fringe", "see_through", "eaten", "swallowed", "leftover", "jagged", "cut_off", "changed", "resolution"
]  # fmt: skip
KINDS: tuple[Kind, ...] = get_args(Kind)

_CRUMB_PICTURE_PX = 250_000
"""Pixels of a picture from which crumbs may be larger: about those of the pictures that the limit was set for; typed,
judged on planted crumbs that grow as it does: on truth 43 of 50 are found where a constant limit finds 39, and no clean cut
of truth, letters or icons is accused of a crumb by it."""

SEVERE = 0.6
"""From which severity a cut should not go out unseen."""


@dataclass(frozen=True, slots=True)
class Limits:
    """From which measure something counts as a fault; above the defaults less is found.

    Parameters
    ----------
    crumb : float
        Pixels of a standing piece up to which it is a crumb, in a picture of a quarter of a megapixel or less; in a larger
        one as many times more as the picture is larger.
    fringe : float
        Share of the old ground in the colour of a rim, 0 to 1.
    see_through : float
        How clear, 0 to 1, a patch inside an opaque figure is.
    eaten : float
        Difference from the ground of structure that was cleared, 100 times in OKLab; also of what was swallowed whole.
    leftover : float
        Matte, 0 to 1, of what stands faintly beside an opaque figure.
    jagged : float
        Pixels along a slanting rim that has no soft ones.
    cut_off : float
        Pixels of the figure along the picture's edge.
    changed : float
        Difference between the picture and the cut laid back on its ground, 100 times in OKLab.
    resolution : float
        Dots per inch at the stated print size, below which it is too low.
    """

    crumb: float = 40.0
    fringe: float = 0.3
    see_through: float = 0.12
    eaten: float = 7.0
    leftover: float = 0.04
    jagged: float = 24.0
    cut_off: float = 12.0
    changed: float = 8.0
    resolution: float = 150.0

    def crumb_px(self, picture_px: int) -> float:
        """Return the pixels of a standing piece up to which it is a crumb in a picture of so many pixels."""
        return self.crumb * max(1.0, picture_px / _CRUMB_PICTURE_PX)

    def __post_init__(self) -> None:
        """Refuse what cannot be a measure."""
        for field in fields(self):
            if not 0 < getattr(self, field.name) < 1e6:
                raise ValueError(f"{field.name} should be above 0")


@dataclass(frozen=True, slots=True)
class Fault:
    """Something found wrong.

    Parameters
    ----------
    kind : str
        One of `KINDS`.
    severity : float
        0 to 1; from `SEVERE` it is severe.
    row, col : int
        Its middle, in pixels of the work area.
    box : Region
        Around it.
    size : float
        What its words name: pixels of its area, or of its length for fringe, jags and what is cut off; dots per inch for resolution.
    """

    kind: Kind
    severity: float
    row: int
    col: int
    box: Region
    size: float

    @property
    def is_severe(self) -> bool:
        """Whether it should be seen before the cut goes out."""
        return self.severity >= SEVERE


def to_severity(weight: float) -> float:
    """Return a severity of 0 to 1 for how many times what counts at all a fault is."""
    return round(max(0.0, weight / (weight + 4.0)), 3)
