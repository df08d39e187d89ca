"""What a person decided by hand."""

from dataclasses import dataclass
from typing import Literal

from tidymargin.core.base.picture import Region

Ring = tuple[tuple[float, float], ...]
Verdict = Literal["keep", "clear"]


@dataclass(frozen=True, slots=True)
class AreaMark:
    """An area that is kept or cleared as a whole.

    Parameters
    ----------
    rings : tuple of ring
        Closed lines through places (x, y), in pixels from the upper left corner of the work area: the middle of its first pixel
        is (0.5, 0.5). What an odd number of them surround is in it, so that parts are added, cut out and cross as
        they were drawn.
    verdict : str
        ``keep`` shows the picture as it came there, ``clear`` nothing.
    """

    rings: tuple[Ring, ...]
    verdict: Verdict

    @property
    def box(self) -> Region:
        """The pixels that it may touch; beyond the work area too."""
        xs = [x for ring in self.rings for x, _ in ring]
        ys = [y for ring in self.rings for _, y in ring]
        return Region(int(min(ys)) - 1, int(min(xs)) - 1, int(max(ys)) + 2, int(max(xs)) + 2)


@dataclass(frozen=True, slots=True)
class MarksPlan:
    """Step 3: marks in the order in which they were made; a later one wins over an earlier one."""

    areas: tuple[AreaMark, ...] = ()

    def near(self, region: Region) -> tuple[AreaMark, ...]:
        """Return those that may touch a region."""
        return tuple(mark for mark in self.areas if mark.box.touches(region))
