"""What a person decided of rims and of colours, both of which are solved there."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class RimPlan:
    """Step 4; there is nothing to decide yet."""


@dataclass(frozen=True, slots=True)
class TintPlan:
    """Step 5; the defaults are nobody's decisions.

    Parameters
    ----------
    spill : float
        How much of a screen's measured light is taken off the figure, 0 to 2.
    dropped_inks : tuple of (red, green, blue)
        Inks that are not kept, 0 to 255; each means the measured ink nearest to it.
    """

    spill: float = 1.0
    dropped_inks: tuple[tuple[int, int, int], ...] = ()
