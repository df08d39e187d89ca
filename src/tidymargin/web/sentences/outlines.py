"""What is traced of a sheet, and what a machine would cut, in sentences and rows."""

from dataclasses import dataclass

from tidymargin.core.outlines.arranging import Arranged
from tidymargin.core.outlines.cutline import CutLine, Part
from tidymargin.core.outlines.figures import Outlines
from tidymargin.store.values import Sheet
from tidymargin.web.words import gettext, gettext_noop, ngettext

_LISTED = 8

WAYS = {
    "traced": gettext_noop("trace it"),
    "simpler": gettext_noop("simpler"),
    "as_it_is": gettext_noop("keep its contour"),
    "left_out": gettext_noop("leave it out"),
}
"""What becomes of one outline."""

PARTS = {
    "piece": gettext_noop("piece, %(mm)s mm across"),
    "hole": gettext_noop("hole, %(mm)s mm across"),
    "bridge": gettext_noop("bridge, %(mm)s mm wide"),
    "dropped_piece": gettext_noop("piece left out, %(mm)s mm across"),
    "dropped_hole": gettext_noop("hole not cut, %(mm)s mm across"),
    "narrow": gettext_noop("too narrow for the blade, %(mm)s mm"),
    "thin": gettext_noop("thinner than the blade can leave, %(mm)s mm"),
}
"""What a cutting line is made of."""


@dataclass(frozen=True, slots=True)
class OutlineRow:
    """An outline to decide on: a place in it, where it is off most, how far, and its way."""

    x: float
    y: float
    worst_x: float
    worst_y: float
    words: str
    way: str


@dataclass(frozen=True, slots=True)
class PartRow:
    """A part of a cutting line, in words; `stays` is None where nothing can be decided of it."""

    x: float
    y: float
    words: str
    stays: bool | None


def say_traced(outlines: Outlines) -> str:
    """Say what was traced, how near it is, and what was left out."""
    mean, worst = outlines.measure_off()
    count, colours = outlines.count_pieces(), len(outlines.layers)
    said = [ngettext("%(num)s line or curve", "%(num)s lines and curves", count)]
    said[0] += " " + ngettext("in %(num)s colour", "in %(num)s colours", colours)
    if outlines.paths:
        said.append(gettext("%(mean)s px from the rim on the mean, %(worst)s px at most", mean=f"{mean:.2f}", worst=f"{worst:.2f}"))  # fmt: skip
    said += _say_regular(outlines)
    if outlines.dropped:
        said.append(ngettext("%(num)s small area is left out", "%(num)s small areas are left out", outlines.dropped))  # fmt: skip
    return "; ".join(said) + "."


def _say_regular(outlines: Outlines) -> list[str]:
    """Say what of the lines was found to be regular, and made exact."""
    regular = outlines.regular
    said = []
    if regular.aligned:
        said.append(ngettext("%(num)s side runs exactly level, upright or along another", "%(num)s sides run exactly level, upright or along another", regular.aligned))  # fmt: skip
    if regular.widths:
        said.append(ngettext("%(num)s width is made equal", "%(num)s widths are made equal", regular.widths))  # fmt: skip
    if regular.is_mirrored:
        said.append(gettext("both halves are mirror images"))
    return said


def list_outlines(sheet: Sheet, outlines: Outlines) -> list[OutlineRow]:
    """Return the outlines that are off most, and those that somebody decided on."""
    decided = [
        OutlineRow(entry.x, entry.y, entry.x, entry.y, gettext("at %(x)s, %(y)s", x=round(entry.x), y=round(entry.y)), entry.way)
        for entry in sheet.recipe.export.outlines.pieces
    ]  # fmt: skip
    far = sorted(outlines.paths, key=lambda path: -path.worst_px)[:_LISTED]
    found = []
    for path in far:
        if path.worst_px <= outlines.tolerance_px and path is not far[0]:
            continue
        x, y = path.find_place()
        words = gettext("%(count)s pieces, off by %(px)s px at most", count=len(path.pieces), px=f"{path.worst_px:.2f}")  # fmt: skip
        found.append(OutlineRow(x, y, *path.worst_at, words, "traced"))
    return decided + found


def say_cutline(line: CutLine, arranged: Arranged | None = None) -> str:
    """Say what would be cut, and how many are on a sheet."""
    said = [ngettext("%(num)s piece comes off", "%(num)s pieces come off", line.count("piece"))]
    holes, bridges = line.count("hole"), line.count("bridge")
    if holes:
        said.append(ngettext("%(num)s hole is cut", "%(num)s holes are cut", holes))
    if bridges:
        said.append(ngettext("%(num)s bridge joins them", "%(num)s bridges join them", bridges))
    tight = line.count("narrow") + line.count("thin")
    if tight:
        said.append(ngettext("the blade cannot follow at %(num)s place", "the blade cannot follow at %(num)s places", tight))  # fmt: skip
    if arranged is not None:
        mm = arranged.line.mm_per_px
        size = {"width": f"{arranged.line.width * mm:g}", "height": f"{arranged.line.height * mm:g}"}  # fmt: skip
        count = ngettext("%(num)s piece lies", "%(num)s pieces lie", len(arranged.placements))
        said.append(
            gettext("%(count)s on a sheet of %(width)s × %(height)s mm", count=count, **size)
        )
    return "; ".join(said) + gettext(", at %(dpi)s dots per inch.", dpi=f"{line.dots_per_inch:g}")


def list_parts(line: CutLine) -> list[PartRow]:
    """Return what can be decided on and what is to be known, the smallest first."""

    def to_row(part: Part) -> PartRow:
        words = gettext(PARTS[part.kind], mm=f"{part.wide_mm:.1f}")
        stays = {"piece": True, "dropped_piece": False}.get(part.kind)
        return PartRow(round(part.x, 1), round(part.y, 1), words, stays)

    shown = [part for part in line.parts if part.kind != "hole"]
    return [to_row(part) for part in sorted(shown, key=lambda part: part.wide_mm)[: 2 * _LISTED]]
