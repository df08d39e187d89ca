"""Step 7, export: what part of the sheet is written, at which sizes and in which formats."""

from typing import Any

from flask import render_template, request

from tidymargin.core.base.errors import BadParameterError
from tidymargin.formats.export_step import read_sizes
from tidymargin.services.edits import settings
from tidymargin.web.answers import Answer, answer, given, read_number, the_edit
from tidymargin.web.context import sheet_blueprint, the_sheet, the_workshop
from tidymargin.web.sentences.export import list_made

blueprint = sheet_blueprint("export")

_SIDES = ("top", "right", "bottom", "left")


@blueprint.post("/export")
def set_trim() -> Answer:
    """Set what part of the sheet is exported."""
    trim = request.form.get("extent") == "trim"
    margin_px = int(read_number("margin_px", int))
    pieces = request.form.get("extent") == "pieces"
    return answer(
        settings.set_values(the_edit(), "trim", trim=trim, margin_px=margin_px, pieces=pieces)
    )


@blueprint.post("/export/formats")
def set_formats() -> Answer:
    """Set formats and sizes."""
    formats = request.form.getlist("format")
    if not formats:
        raise BadParameterError("Expected at least one format, got none.", field="formats")
    sizes = [size.model_dump() for size in read_sizes(str(given().get("sizes", "")))]
    return answer(settings.set_values(the_edit(), "export", formats=formats, sizes=sizes))  # fmt: skip


@blueprint.post("/export/frame")
def set_frame() -> Answer:
    """Set margins by side, and the box that the figure is put into the middle of."""
    values: dict[str, Any] = {"margins_px": None, "box": None}
    if any(str(given().get(side, "")).strip() for side in _SIDES):
        values["margins_px"] = [int(read_number(side, int)) for side in _SIDES]
    if given().get("box") == "square":
        values["box"] = "square"
    elif given().get("box") == "sides":
        values["box"] = [int(read_number("box_width", int)), int(read_number("box_height", int))]
    return answer(settings.set_values(the_edit(), "export", **values))


@blueprint.post("/export/file")
def set_file() -> Answer:
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
    return answer(settings.set_values(the_edit(), "export", **values))


@blueprint.get("/exports-made")
def show_made() -> str:
    """Show what was exported of the sheet, and what the files held."""
    sheet = the_sheet()
    return render_template("bench/steps/_exports_made.html", sheet=sheet, made=list_made(the_workshop(), sheet))  # fmt: skip


@blueprint.post("/export/keep")
def keep_settings() -> Answer:
    """Keep the sheet's settings of export under a name."""
    sheet = the_sheet()
    settings.keep_export(the_workshop(), sheet, str(given().get("name", "")))
    return answer(sheet)


@blueprint.post("/export/use/<int:kept_id>")
def use_settings(kept_id: int) -> Answer:
    """Export as was kept under a name."""
    return answer(settings.use_export(the_edit(), kept_id))


@blueprint.post("/export/forget/<int:kept_id>")
def forget_settings(kept_id: int) -> Answer:
    """Keep settings under that name no more."""
    the_workshop().exports.forget_kept(kept_id)
    return answer(the_sheet())
