"""The sentence of export: what goes into the file."""

import json
from typing import Any

from markupsafe import Markup

from tidymargin.core.base.area import Area
from tidymargin.formats.export_step import ExportStep, SizeEntry, write_sizes
from tidymargin.formats.format_names import FORMATS, OUTLINES, FormatName
from tidymargin.formats.recipe import Recipe
from tidymargin.services.picture.reasons import Reason
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.store.values import MadeExport, Sheet
from tidymargin.web.words import (
    STATES,
    Change,
    StepView,
    fill,
    gettext,
    gettext_noop,
    phrase,
)

NAMES: dict[FormatName, str] = {
    "png": gettext_noop("PNG"),
    "png_palette": gettext_noop("PNG of 256 colours"),
    "png_hard": gettext_noop("PNG without soft edges"),
    "webp": gettext_noop("WebP"),
    "avif": gettext_noop("AVIF"),
    "tiff": gettext_noop("TIFF"),
    "pdf": gettext_noop("PDF"),
    "ora": gettext_noop("OpenRaster"),
    "jpeg": gettext_noop("JPEG"),
    "matte": gettext_noop("the matte alone"),
    "svg": gettext_noop("SVG outlines"),
    "pdf_outlines": gettext_noop("PDF outlines"),
    "dxf": gettext_noop("DXF outlines"),
    "cutline_svg": gettext_noop("a cutting line as SVG"),
    "cutline_dxf": gettext_noop("a cutting line as DXF"),
    "print_and_cut": gettext_noop("a PDF to print and cut"),
}
ON_TRANSPARENCY: dict[FormatName, str] = {
    "png": gettext_noop("Keeps it all: 32 bits a pixel, soft edges and every colour as they are."),
    "png_palette": gettext_noop("Keeps soft edges, with fewer colours and mattes: a small file."),
    "png_hard": gettext_noop(
        "Each pixel is clear or solid, so edges become jagged; for what can show nothing else."
    ),
    "webp": gettext_noop("Keeps it all, in a smaller file than PNG; for web pages."),
    "avif": gettext_noop("Keeps soft edges; colours lose a little, in the smallest file."),
    "tiff": gettext_noop("Keeps it all, with straight alpha; for print and layout."),
    "pdf": gettext_noop("Keeps soft edges as a soft mask, at its true size on paper."),
    "ora": gettext_noop("Layers: the cut, its matte and the original, to go on with elsewhere."),
    "jpeg": gettext_noop("Transparency goes: the cut is laid on the backdrop chosen below."),
    "matte": gettext_noop("Grey: white where the cut is solid, black where it is clear."),
    "svg": gettext_noop(
        "Lines and curves along the middle of the edge, sharp at any size; no soft edges."
    ),
    "pdf_outlines": gettext_noop(
        "The same lines and curves on a page, at their true size on paper."
    ),
    "dxf": gettext_noop("The same lines and arcs in mm, for drawing and cutting machines."),
    "cutline_svg": gettext_noop("The line around the subject that a machine cuts along, in mm."),
    "cutline_dxf": gettext_noop("The line around the subject that a machine cuts along, in mm."),
    "print_and_cut": gettext_noop(
        "The picture on one layer and the cutting line on another, at their true size on paper."
    ),
}


_LISTED = 5  # exports


def list_formats(export: ExportStep) -> list[tuple[FormatName, str, str, bool]]:
    """Return each format with its words, what it does to transparency, and whether it is written."""
    return [(kind, gettext(NAMES[kind]), gettext(ON_TRANSPARENCY[kind]), kind in export.formats) for kind in FORMATS]  # fmt: skip


def name_formats(export: ExportStep) -> str:
    """Return the names of the formats that are written."""
    return ", ".join(gettext(NAMES[kind]) for kind in export.formats)


def say_export(recipe: Recipe, area: Area) -> StepView:
    """Say what goes into the file."""
    export = recipe.export
    formats = phrase("export", gettext_noop("Formats"), name_formats(export))
    if export.trim and export.margins_px is not None:
        value = gettext("trimmed with margins of %(margins)s px", margins=", ".join(map(str, export.margins_px)))  # fmt: skip
    elif export.pieces:
        value = gettext("every drawing on its own")
    elif export.trim:
        value = gettext("trimmed with a margin of %(margin)s px", margin=export.margin_px)
    else:
        value = gettext("the whole picture")
    extent = phrase("export", gettext_noop("Extent"), value)
    if export.trim or export.pieces or export.box or export.sizes:
        said = fill(gettext("Export %(formats)s, %(extent)s"), formats=formats, extent=extent)
    else:
        said = fill(
            gettext("Export %(formats)s, %(extent)s of %(width)s × %(height)s px"),
            formats=formats,
            extent=extent,
            width=str(area.width),
            height=str(area.height),
        )
    if export.box == "square":
        said += Markup(", ") + gettext("in a square")
    elif export.box is not None:
        said += Markup(", ") + gettext("in a box of %(width)s to %(height)s", width=export.box[0], height=export.box[1])  # fmt: skip
    if export.sizes:
        sizes = phrase("export", gettext_noop("Sizes"), write_sizes(export.sizes))
        said += Markup(", ") + fill(gettext("at %(sizes)s"), sizes=sizes)
        if any(_enlarges(size, area) for size in export.sizes):
            said += Markup(", ") + gettext("larger than the sheet")
    is_yours = export != ExportStep()
    return StepView("export", "yours" if is_yours else "", STATES["yours"] if is_yours else "", said + Markup("."))  # fmt: skip


def _enlarges(size: SizeEntry, area: Area) -> bool:
    """Whether a size is above all that the sheet has, whatever is trimmed off it."""
    if size.unit == "times":
        return size.value > 1
    own = {"width": area.width, "height": area.height, "longer": max(area.width, area.height)}
    return size.unit == "px" and size.value > own[size.side]


def list_made(workshop: Workshop, sheet: Sheet) -> list[tuple[MadeExport, list[str]]]:
    """Return what was exported of a sheet lately, with what each file held when it was read back."""
    made = workshop.exports.list_of(sheet.id, _LISTED)
    return [(each, [_say_file(row, sheet) for row in json.loads(each.files)]) for each in made]


def _say_file(row: dict[str, Any], sheet: Sheet) -> str:
    size = row["bytes"]
    parts = [
        row["name"],
        gettext("%(width)s × %(height)s px", width=row["width"], height=row["height"]),
    ]
    if row["dots_per_inch"]:
        parts.append(gettext("%(dpi)s dpi", dpi=f"{row['dots_per_inch']:.0f}"))
    parts.append(f"{size / 1e6:,.1f}\u00a0MB" if size >= 1e6 else f"{size / 1e3:,.0f}\u00a0KB")
    if row["least_alpha"] == 255:
        parts.append(gettext("solid all over"))
    else:
        parts.append(gettext("alpha %(least)s to %(most)s", least=row["least_alpha"], most=row["most_alpha"]))  # fmt: skip
    off = row["largest_difference"]
    if row.get("kind") in OUTLINES:
        return ", ".join([*parts, gettext("lines and curves")])
    parts.append(gettext("nothing lost") if not off else gettext("differs by %(levels)s of 255 at most", levels=off))  # fmt: skip
    if max(row["width"], row["height"]) > max(sheet.width, sheet.height):
        parts.append(gettext("larger than the original, and no sharper"))
    return ", ".join(parts)


def _say_trim(before: Recipe, after: Recipe, _: dict[str, Any]) -> Reason:
    if after.export.pieces:
        return Reason("Every drawing of the page is exported on its own")
    if not after.export.trim:
        return Reason("The whole picture is exported")
    return Reason("Trimmed, with a margin of %(px)s px", {"px": str(after.export.margin_px)})


def _say_outlines(before: Recipe, after: Recipe, _: dict[str, Any]) -> Reason:
    now, then = after.export.outlines, before.export.outlines
    if now.pieces != then.pieces:
        return Reason("One outline decided on")
    if now.merged != then.merged or now.names != then.names:
        return Reason("Colours of outlines changed")
    if now.as_strokes:
        return Reason("Traced along the middle of lines")
    if now.cutoff is not None:
        return Reason("Traced by tone, up to a lightness of %(cutoff)s", {"cutoff": f"{now.cutoff:g}"})  # fmt: skip
    if now.colours == "auto":
        return Reason("Traced in as many colours as there are")
    return Reason("Traced in %(count)s colours", {"count": str(now.colours)})


def _say_cutline(before: Recipe, after: Recipe, _: dict[str, Any]) -> Reason:
    if after.export.cutline.dropped != before.export.cutline.dropped:
        return Reason("Pieces of the cutting line decided on")
    return Reason("Cutting line %(mm)s mm outside", {"mm": f"{after.export.cutline.offset_mm:g}"})


def _say_changed(before: Recipe, after: Recipe, _: dict[str, Any]) -> Reason:
    now, then = after.export, before.export
    if now.formats != then.formats:
        return Reason("Exported as %(formats)s", {"formats": ", ".join(NAMES[kind] for kind in now.formats)})  # fmt: skip
    if now.sizes != then.sizes:
        return Reason("Exported at %(sizes)s", {"sizes": write_sizes(now.sizes) or "its own size"})
    return Reason("How files are written changed")


CHANGES = {
    "trim": Change(gettext_noop("trim"), _say_trim),
    "export": Change(gettext_noop("export"), _say_changed),
    "outlines": Change(gettext_noop("outlines"), _say_outlines),
    "cutline": Change(gettext_noop("cutting line"), _say_cutline),
}
"""What may be changed here, in words."""
