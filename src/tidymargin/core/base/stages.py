"""The contract of local stages: what is done to a cut region by region, and how much lies around each for it.

A stage gives what it gives exactly for `part.reach_px` around a region, out of what the stage before it gave for
`halo_px` more. So a list of stages says by itself how much of the surroundings a region needs: all their halos.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from tidymargin.core.base.part import Part


@dataclass(frozen=True, slots=True)
class Stage:
    """One thing that is done to every part of a cut.

    Parameters
    ----------
    name : str
        What it does, in a word.
    run : callable
        Given a part whose `reach_px` is how far around the region this stage has to be right; what came before it is
        right for `halo_px` more. It works in floating point: bytes are made by the last stage alone.
    halo_px : int
        How far away a place may be that this stage looks at.
    on_figure, on_clear : bool
        Whether it does something also where, within all halos, nothing is cleared, and where all is: `share` is 1
        and 0 there, and nothing was measured.
    """

    name: str
    run: Callable[[Part], None]
    halo_px: int
    on_figure: bool = False
    on_clear: bool = False


def halo_of(stages: Sequence[Stage]) -> int:
    """Return how much of the surroundings a region needs, so that it comes out as in the whole picture."""
    return sum(stage.halo_px for stage in stages)


def run_stages(stages: Sequence[Stage], part: Part) -> None:
    """Run stages in order on a part that reaches `halo_of` them around its region."""
    for stage in stages:
        reach_px = part.reach_px - stage.halo_px
        stage.run(part.aim(reach_px))
        part.shrink()
