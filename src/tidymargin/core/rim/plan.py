"""What a person decided of rims: how far they are drawn in, smoothed and softened once they are solved."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class RimPlan:
    """Step 4; the defaults are nobody's decisions, and change nothing.

    Parameters
    ----------
    choke_px : float
        How far the rim is drawn in, -12 to 12; below 0 it is spread.
    spares_lines : bool
        Whether a line too thin for it is drawn in by less, so that a pixel of it is left.
    smooth_px : float
        Over what length along the rim its jags are averaged, 0 to 8.
    feather_px : float
        Over how much the rim is softened, 0 to 40.
    black, white, gamma : float
        The matte at and below which all is clear, at and above which all is solid, 0 to 1, and the power between; above 1
        what is half there grows more solid.
    fringe, fringe_px : float
        How much, 0 to 1, and how deep, 1 to 12, the rim's colours are drawn to those of the figure just inside it.
    """

    choke_px: float = 0.0
    spares_lines: bool = True
    smooth_px: float = 0.0
    feather_px: float = 0.0
    black: float = 0.0
    white: float = 1.0
    gamma: float = 1.0
    fringe: float = 0.0
    fringe_px: float = 2.0
