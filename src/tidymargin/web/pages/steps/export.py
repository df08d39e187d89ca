"""Step 7, export: what part of the sheet is written, at which sizes and in which formats."""

from typing import Any

from flask import Blueprint, render_template, request

from tidymargin.core.base.errors import BadParameterError
from tidymargin.formats.export_step import read_sizes
from tidymargin.services.edits import settings
from tidymargin.web.answers import Answer, answer, given, read_number, read_seen
from tidymargin.web.context import the_workshop
from tidymargin.web.sentences.export import list_made

blueprint = Blueprint("export", __name__, url_prefix="/sheets/<int:sheet_id>")

_SIDES = ("top", "right", "bottom", "left")


@blueprint.post("/export")
def set_trim(sheet_id: int) -> Answer:
    """Set what part of the sheet is exported."""
    trim = request.form.get("extent") == "trim"
    margin_px = int(read_number("margin_px", int))
    pieces = request.form.get("extent") == "pieces"
    return answer(
        settings.set_trim(the_workshop(), sheet_id, read_seen(), trim, margin_px, pieces=pieces)
    )


@blueprint.post("/export/formats")
def set_formats(sheet_id: int) -> Answer:
    """Set formats and sizes."""
    formats = request.form.getlist("format")
    if not formats:
        raise BadParameterError("Expected at least one format, got none.", field="formats")
    sizes = [size.model_dump() for size in read_sizes(str(given().get("sizes", "")))]
    return answer(settings.set_export(the_workshop(), sheet_id, read_seen(), formats=formats, sizes=sizes))  # fmt: skip


@blueprint.post("/export/frame")
def set_frame(sheet_id: int) -> Answer:
    """Set margins by side, and the box that the figure is put into the middle of."""
    values: dict[str, Any] = {"margins_px": None, "box": None}
    if any(str(given().get(side, "")).strip() for side in _SIDES):
        values["margins_px"] = [int(read_number(side, int)) for side in _SIDES]
    if given().get("box") == "square":
        values["box"] = "square"
    elif given().get("box") == "sides":
        values["box"] = [int(read_number("box_width", int)), int(read_number("box_height", int))]
    return answer(settings.set_export(the_workshop(), sheet_id, read_seen(), **values))


@blueprint.post("/export/file")
def set_file(sheet_id: int) -> Answer:
    """Set how files are written and named."""
    said = given()
    dpi = str(said.get("dots_per_inch", "")).strip()
    values: dict[str, Any] = {
        "dots_per_inch": read_number("dots_per_inch", float) if dpi else "auto",
        "lossless": said.get("lossless") == "1",
        "quality": int(read_number("quality", int)),
        "backdrop": str(said.get("backdrop", "#FFFFFF")).upper(),
        "clear_colour": said.get("clear_colour", "carried"),
        "in_linear": said.get("in_linear") == "1",
        "credit": str(said.get("credit", "")).strip(),
        "pattern": str(said.get("pattern", "")).strip() or "auto",
    }
    return answer(settings.set_export(the_workshop(), sheet_id, read_seen(), **values))


@blueprint.get("/exports-made")
def show_made(sheet_id: int) -> str:
    """Show what was exported of the sheet, and what the files held."""
    sheet = the_workshop().sheets.load(sheet_id)
    return render_template("bench/steps/_exports_made.html", sheet=sheet, made=list_made(the_workshop(), sheet))  # fmt: skip


@blueprint.post("/export/keep")
def keep_settings(sheet_id: int) -> Answer:
    """Keep the sheet's settings of export under a name."""
    sheet = the_workshop().sheets.load(sheet_id)
    settings.keep_export(the_workshop(), sheet, str(given().get("name", "")))
    return answer(sheet)


@blueprint.post("/export/use/<int:kept_id>")
def use_settings(sheet_id: int, kept_id: int) -> Answer:
    """Export as was kept under a name."""
    return answer(settings.use_export(the_workshop(), sheet_id, read_seen(), kept_id))


@blueprint.post("/export/forget/<int:kept_id>")
def forget_settings(sheet_id: int, kept_id: int) -> Answer:
    """Keep settings under that name no more."""
    the_workshop().exports.forget_kept(kept_id)
    return answer(the_workshop().sheets.load(sheet_id))
