"""At which sizes pages of a PDF and drawings are drawn."""

from dataclasses import dataclass

from tidymargin.core.base.errors import BadParameterError
from tidymargin.core.base.limits import MAX_SIDE_PX

PAGE_DPI, LEAST_DPI, MOST_DPI = 300.0, 18.0, 2400.0
DRAWING_PX = 2048
"""Of an SVG's longer side, where nothing else is said."""


@dataclass(frozen=True, slots=True)
class Asked:
    """At which sizes pages and drawings are drawn."""

    dots_per_inch: float = PAGE_DPI
    drawing_px: int = DRAWING_PX

    def __post_init__(self) -> None:
        """Refuse what cannot be drawn."""
        if not LEAST_DPI <= self.dots_per_inch <= MOST_DPI:
            raise BadParameterError(
                f"Expected {LEAST_DPI:g} to {MOST_DPI:g} dots to the inch, got {self.dots_per_inch:g}.",
                field="page_dpi",
            )
        if not 8 <= self.drawing_px <= MAX_SIDE_PX // 4:
            raise BadParameterError(
                f"Expected a drawing of 8 to {MAX_SIDE_PX // 4} px, got {self.drawing_px}.",
                field="drawing_px",
            )
