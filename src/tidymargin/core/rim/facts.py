"""What the whole picture says about its rims."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.colour import LUMA
from tidymargin.core.figure.parts import InkParts
from tidymargin.core.screen.spill import Spill


@dataclass(frozen=True, slots=True, eq=False)
class RimFacts:
    """What the whole picture says about its rims.

    Parameters
    ----------
    width_px : int
        Pixels from ground to sure figure, 1 to 6; 1 is a plain anti-aliased edge.
    stain_px : int
        How deep lossy coding stains the figure with the ground's colour; `width_px` when lossless.
    grain : float
        Coding noise near edges in 8-bit levels; 0.5 for a lossless picture.
    chroma_blur : float
        How wrong a matte solved from chroma alone is, 0 (trustworthy) to 1.
    luma_ringing : float
        Share of the contrast that scatters into the luma near edges, 0 and up.
    palette_rgb : (N, 3) ndarray of float32
        The figure's even colours, 0 to 255; N may be 0.
    carried_rgb : tuple of 3 int
        The figure's commonest colour, laid under what is far from any figure.
    ink_rgb : (N, 3) ndarray of float32 or None
        The inks, 0 to 255, of a figure that is as solid as it differs; None for an opaque one.
    ink_parts : InkParts or None
        Which parts of an opaque figure are ink all the same.
    one_rgb : (1, 3) ndarray of float32 or None
        The only colour, 0 to 255, of an opaque figure that has no other.
    spill : Spill or None
        The screen's light on the figure, where there is any.
    is_screen : bool
        Whether the ground is a screen, so that its hue in a narrow gap betrays it.
    is_of_one_colour : bool
        Whether ground and one colour explain all of an opaque figure, so that nothing fills its outlines.
    softness_px : float
        Pixels from ground to figure across a clean edge of the picture; 1 where it is as sharp as can be.
    most_lean : float
        How far the figure's own colours lean to a screen's hue, as a share of the screen's chroma.
    """

    width_px: int
    stain_px: int
    grain: float
    chroma_blur: float
    luma_ringing: float
    palette_rgb: NDArray[np.float32]
    carried_rgb: tuple[int, int, int]
    ink_rgb: NDArray[np.float32] | None = None
    one_rgb: NDArray[np.float32] | None = None
    spill: Spill | None = None
    is_screen: bool = False
    is_of_one_colour: bool = False
    softness_px: float = 1.0
    most_lean: float = 1.0
    ink_parts: InkParts | None = None

    @property
    def darkest(self) -> float:
        """Luma of the darkest colour that the figure is known to have, 0 to 255; 0 where none is."""
        known = [
            c for c in (self.ink_rgb, self.one_rgb, self.palette_rgb) if c is not None and len(c)
        ]
        if not known:
            return 0.0
        return float((known[0] @ LUMA).min())

    @property
    def is_lossless(self) -> bool:
        """Whether no coding stains the figure deeper than its rims go."""
        return self.stain_px == self.width_px
