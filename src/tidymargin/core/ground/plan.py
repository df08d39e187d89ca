"""What a person decided of the ground, and of the figure's nature."""

from dataclasses import dataclass
from typing import Literal

from tidymargin.core.ground.detect import GroundKind
from tidymargin.core.ground.prepare import Preparation

Nature = Literal["opaque", "ink"]
Rgb = tuple[float, float, float]


@dataclass(frozen=True, slots=True)
class GroundPlan:
    """Step 1; the defaults are nobody's decisions.

    Parameters
    ----------
    kind : str
        The ground's kind; ``auto`` is detected.
    rgb : tuple of 3 float or None
        The ground's colour, 0 to 255; None is measured.
    also_rgb : tuple of 3 float each
        Further flat colours of the ground, 0 to 255; with any, the ground is flat.
    nature : str
        The figure's nature; ``auto`` is measured.
    preparations : tuple of str
        See `prepare_steps`.
    """

    kind: GroundKind | Literal["auto"] = "auto"
    rgb: Rgb | None = None
    also_rgb: tuple[Rgb, ...] = ()
    nature: Nature | Literal["auto"] = "auto"
    preparations: tuple[Preparation, ...] = ()

    @property
    def says_ground(self) -> bool:
        """Whether anything is said of what the ground is."""
        return self.kind != "auto" or self.rgb is not None or bool(self.also_rgb)
