"""Step 7 of a recipe: what of the cut is written, at which sizes, in which formats and under which names."""

import re
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator

from tidymargin.core.base.errors import BadParameterError
from tidymargin.core.base.limits import MAX_SIDE_PX
from tidymargin.core.ground.kinds import from_hex
from tidymargin.core.output.framing import Frame, Size
from tidymargin.formats.fields import Auto, Colour
from tidymargin.formats.format_names import CUT_LINES, ENDINGS, OUTLINES, FormatName
from tidymargin.formats.names import MOST_BYTES, shorten, to_file_name
from tidymargin.formats.outlining import CutLineEntry, OutlinesEntry
from tidymargin.formats.outputs import Wish
from tidymargin.formats.step import AtMost, Step

MOST_SIZES, MOST_FORMATS = 12, 15
PLACES = ("name", "piece", "width", "height", "size", "format")
"""What a naming pattern may hold, in braces."""

_PLACE = re.compile(r"\{([^{}]*)\}")
_Margin = Annotated[int, Field(ge=0, le=4000)]
_Side = Annotated[int, Field(ge=1, le=MAX_SIDE_PX)]


class SizeEntry(BaseModel):
    """A size that the cut is written at."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    value: Annotated[float, Field(gt=0, le=MAX_SIDE_PX, allow_inf_nan=False)]
    unit: Literal["px", "mm", "times"] = "px"
    side: Literal["width", "height", "longer"] = "longer"

    def to_size(self) -> Size:
        """Return it as the core takes it."""
        return Size(self.value, self.unit, self.side)


class ExportStep(Step):
    """What is written."""

    trim: bool = Field(False, description="Crop to the figure")
    pieces: bool = Field(
        False,
        description="Write every drawing of a page on its own, cropped to it, in reading order",
    )
    margin_px: _Margin = 12
    margins_px: tuple[_Margin, _Margin, _Margin, _Margin] | None = Field(
        None,
        description="In place of margin_px where it is not the same on each side: top, right, bottom, left",
    )
    box: Literal["square"] | tuple[_Side, _Side] | None = Field(
        None, description="Width and height of a box in whose middle the figure is put"
    )
    sizes: Annotated[tuple[SizeEntry, ...], AtMost(MOST_SIZES)] = Field(
        (), description="Sizes that are written, each in each format; as it is where there are none"
    )
    formats: Annotated[tuple[FormatName, ...], AtMost(MOST_FORMATS)] = Field(("png",), min_length=1)
    dots_per_inch: Annotated[float, Field(ge=1, le=10_000, allow_inf_nan=False)] | Auto = Field(
        "auto", description="Auto: the original's"
    )
    lossless: bool = Field(True, description="Of WebP")
    quality: Annotated[int, Field(ge=1, le=100)] = Field(
        90, description="Of WebP that is not lossless, of AVIF and of JPEG"
    )
    backdrop: Colour = Field("#FFFFFF", description="What a flattened picture is laid on")
    clear_colour: Literal["carried", "removed"] = Field(
        "carried", description="What stands under places that are wholly clear"
    )
    in_linear: bool = Field(
        False, description="Average light, and not coded colours, when resizing"
    )
    credit: Annotated[str, Field(max_length=200)] = Field(
        "", description="Whose it is, written into the files; nothing of the original's own data is"
    )
    pattern: Auto | Annotated[str, Field(min_length=1, max_length=120)] = Field(
        "auto",
        description="Names of files, of {name}, {piece}, {width}, {height}, {size} and {format}",
    )

    outlines: OutlinesEntry = Field(OutlinesEntry(), description="Of SVG, DXF and PDF outlines")
    cutline: CutLineEntry = Field(CutLineEntry(), description="Of cutting lines")

    @field_validator("pattern")
    @classmethod
    def _check_pattern(cls, pattern: str) -> str:
        unknown = [p for p in _PLACE.findall(pattern) if p not in PLACES]
        if unknown or set(_PLACE.sub("", pattern)) & set("{}/\\"):
            raise ValueError(f"should hold nothing in braces but {', '.join(PLACES)}, and no slash")
        return pattern

    @field_validator("credit")
    @classmethod
    def _check_credit(cls, credit: str) -> str:
        if not credit.isprintable():
            raise ValueError("should be one line of text")
        return credit.strip()

    def to_frame(self) -> Frame:
        """Return what part is written, as the core takes it."""
        return Frame(self.trim or self.pieces, self.margins_px or (self.margin_px,) * 4, self.box)

    def to_wish(self, dots_per_inch: float | None) -> Wish:
        """Return how files are written; `dots_per_inch` are the original's."""
        dpi = dots_per_inch if self.dots_per_inch == "auto" else float(self.dots_per_inch)
        return Wish(
            dpi, self.lossless, self.quality, from_hex(self.backdrop), self.credit,
            self.outlines.to_plan(), self.cutline.to_plan(),
        )  # fmt: skip

    @property
    def holds_outlines(self) -> bool:
        """Whether lines and curves of the figure itself are written."""
        return bool(OUTLINES.intersection(self.formats).difference(CUT_LINES))

    @property
    def holds_line(self) -> bool:
        """Whether a line to cut along is written."""
        return bool(CUT_LINES.intersection(self.formats))

    @property
    def is_one_png(self) -> bool:
        """Whether one PNG is written, of its own size, name and colours."""
        asked = (self.formats, self.sizes, self.box, self.clear_colour, self.pattern, self.pieces)
        return asked == (("png",), (), None, "carried", "auto", False)

    def as_one_png(self) -> "ExportStep":
        """Return what writes one PNG of its own size, framed as before."""
        plain = {"formats": ("png",), "sizes": (), "clear_colour": "carried", "pattern": "auto"}
        return self.model_copy(update={**plain, "pieces": False})

    @property
    def makes_one_file(self) -> bool:
        """Whether what is written is one file."""
        return not self.pieces and len(self.formats) * max(1, len(self.sizes)) == 1

    def name_file(
        self, stem: str, kind: FormatName, height: int, width: int, piece: str = ""
    ) -> str:
        """Return the name of a file, with its ending; never a path. `piece` is its number, as it is written."""
        pattern = self.pattern
        if pattern == "auto":
            pattern = (
                "{name}"
                + ("-{piece}" if self.pieces else "")
                + ("-{width}" if len(self.sizes) > 1 else "")
            )
            alike = [other for other in self.formats if ENDINGS[other] == ENDINGS[kind]]
            pattern += "-{format}" if len(alike) > 1 else ""
        values = {"piece": piece, "width": width, "height": height, "size": f"{width}x{height}", "format": kind}  # fmt: skip

        def fill(name: str) -> str:
            return _PLACE.sub(lambda found: str({**values, "name": name}[found.group(1)]), pattern)

        # a long name gives way to what tells one size from another
        room = MOST_BYTES - len(f"{fill('')}.{ENDINGS[kind]}".encode())
        return to_file_name(fill(shorten(stem, room)), ENDINGS[kind])


def read_sizes(text: str) -> list[SizeEntry]:
    """Read sizes as a person types them: `1024`, `512 wide`, `80mm`, `50%`, several with commas between.

    Raises
    ------
    BadParameterError
        One of them is none.
    """
    found = []
    for part in filter(None, (part.strip().lower() for part in text.split(","))):
        match = re.fullmatch(r"(\d+(?:\.\d+)?)\s*(px|mm|%|x|times)?\s*(wide|high)?", part)
        if match is None or not 0 < float(match[1]) <= MAX_SIDE_PX:
            raise BadParameterError(
                f"Expected sizes like 1024, 512 wide, 80mm or 50%, got “{part[:40]}”.",
                hint="Put commas between several.",
                field="sizes",
            )
        value, unit = float(match[1]), match[2] or "px"
        side = {"wide": "width", "high": "height", None: "longer"}[match[3]]
        if unit in ("%", "x", "times"):
            value, unit = (value / 100 if unit == "%" else value), "times"
        found.append(SizeEntry.model_validate({"value": value, "unit": unit, "side": side}))
    return found


def write_sizes(sizes: tuple[SizeEntry, ...]) -> str:
    """Return sizes as a person types them."""
    said = []
    for size in sizes:
        if size.unit == "times":
            said.append(f"{100 * size.value:g}%")
            continue
        side = {"width": " wide", "height": " high", "longer": ""}[size.side]
        said.append(f"{size.value:g}{'mm' if size.unit == 'mm' else ''}{side}")
    return ", ".join(said)
