"""Framing a cut: trimmed or whole, with margins, centred in a square or a box; and at which sizes it is written."""

from dataclasses import dataclass
from typing import Literal

from tidymargin.core.base.errors import BadParameterError
from tidymargin.core.base.limits import MAX_PIXELS, MAX_SIDE_PX, MM_PER_INCH
from tidymargin.core.base.picture import Region, whole


def _require_size(height: int, width: int, field: str, hint: str) -> None:
    if max(height, width) > MAX_SIDE_PX or height * width > MAX_PIXELS:
        raise BadParameterError(
            f"{width} × {height} px is too large: at most {MAX_SIDE_PX} px a side and {MAX_PIXELS // 1_000_000} megapixels can be written.",
            hint=hint,
            field=field,
        )


@dataclass(frozen=True, slots=True)
class Frame:
    """What part of a cut is written.

    Parameters
    ----------
    trims : bool
        Whether it is cropped to the figure.
    margins_px : tuple of 4 int
        Beyond that at the top, right, bottom and left, 0 or more.
    box : tuple of 2 int, "square" or None
        Width and height, in pixels, in whose middle the figure with its margins is put; where it is wider than that, the box is
        scaled up around it. A square is as long as its longer side.
    """

    trims: bool = False
    margins_px: tuple[int, int, int, int] = (0, 0, 0, 0)
    box: tuple[int, int] | Literal["square"] | None = None

    def place(self, figure: Region | None, height: int, width: int) -> Region:
        """Return what is written of a cut, which may reach beyond it.

        Parameters
        ----------
        figure : Region or None
            The box of all that is not wholly clear; None where there is no figure.
        height, width : int
            The cut's.

        Raises
        ------
        BadParameterError
            With its margins, in its box, that is larger than may be written.
        """
        inner = figure if self.trims and figure is not None else whole(height, width)
        top, right, bottom, left = self.margins_px if self.trims else (0, 0, 0, 0)
        wide = Region(
            inner.top - top, inner.left - left, inner.bottom + bottom, inner.right + right
        )
        tall, broad = wide.height, wide.width
        if self.box is not None:
            tall, broad = self._size_around(tall, broad)
        _require_size(tall, broad, "box" if self.box else "margins_px", "Choose less around the figure, or another box.")  # fmt: skip
        above, beside = (tall - wide.height) // 2, (broad - wide.width) // 2
        return Region(wide.top - above, wide.left - beside, wide.top - above + tall, wide.left - beside + broad)  # fmt: skip

    def _size_around(self, height: int, width: int) -> tuple[int, int]:
        """Return height and width of the least box of its proportions around so much."""
        if self.box == "square" or self.box is None:
            longer = max(height, width)
            return longer, longer
        box_width, box_height = self.box
        scale = max(height / box_height, width / box_width)
        return max(height, round(box_height * scale)), max(width, round(box_width * scale))


@dataclass(frozen=True, slots=True)
class Size:
    """A size that a framed cut is written at.

    Parameters
    ----------
    value : float
        Above 0.
    unit : str
        "px", "mm" or "times" what it is.
    side : str
        Which side the value is of: "width", "height" or the "longer" one; of no matter for "times".
    """

    value: float
    unit: Literal["px", "mm", "times"] = "px"
    side: Literal["width", "height", "longer"] = "longer"

    def of(self, height: int, width: int, dots_per_inch: float) -> tuple[int, int]:
        """Return height and width in pixels of something so high and wide.

        Raises
        ------
        BadParameterError
            That is larger than may be written.
        """
        if self.unit == "times":
            scale = self.value
        else:
            px = self.value * dots_per_inch / MM_PER_INCH if self.unit == "mm" else self.value
            scale = px / {"width": width, "height": height, "longer": max(height, width)}[self.side]
        tall, broad = max(1, round(height * scale)), max(1, round(width * scale))
        _require_size(tall, broad, "sizes", "Choose a smaller one.")
        return tall, broad
