"""Step 7, export: what part of the sheet is written, at which sizes and in which formats."""

from dataclasses import asdict
from typing import Any

from flask import Response, jsonify, render_template, request
from markupsafe import escape

from tidymargin.core.base.errors import BadParameterError
from tidymargin.formats.export_step import read_sizes
from tidymargin.services.edits import settings
from tidymargin.services.views.outlining import (
    draw_cutline,
    draw_outlines,
    draw_place,
    list_drawn,
    load_arranged,
    load_cutline,
    load_outlines,
)
from tidymargin.web.answers import Answer, answer, given, read_number, the_edit
from tidymargin.web.context import sheet_blueprint, the_sheet, the_workshop
from tidymargin.web.language import translate
from tidymargin.web.numbers import read_argument
from tidymargin.web.sentences.export import list_made
from tidymargin.web.sentences.outlines import (
    WAYS,
    list_outlines,
    list_parts,
    say_cutline,
    say_traced,
)

blueprint = sheet_blueprint("export")

_SHOWN_TOLERANCE_PX = 0.25  # as the template has it, where it is auto
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
        raise BadParameterError("No format is chosen: tick at least one.", field="formats")
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


@blueprint.post("/export/outlines")
def set_outlines() -> Answer:
    """Set how outlines are traced."""
    said = given()
    now = the_sheet().recipe.export.outlines
    tolerance_px: float | str = read_number("tolerance_px", float)
    # the ruler stands there as long as nobody has moved it
    is_untouched = now.tolerance_px == "auto" and tolerance_px == _SHOWN_TOLERANCE_PX
    if said.get("closeness") == "auto" or is_untouched:
        tolerance_px = "auto"
    colours = str(said.get("colours", "1")).strip().lower() or "1"
    values = {
        **now.model_dump(),
        "colours": "auto" if colours == "auto" else int(read_number("colours", int)),
        "tolerance_px": tolerance_px,
        "cutoff": read_number("cutoff", float) if str(said.get("cutoff", "")).strip() else None,
        "smallest_px": read_number("smallest_px", float),
        "as_strokes": said.get("as_strokes") == "1",
    }  # fmt: skip
    return answer(settings.set_values(the_edit(), "outlines", outlines=values))


@blueprint.post("/export/outline")
def set_outline() -> Answer:
    """Set what becomes of one outline: a place in it, and the way."""
    x, y = read_number("x", float), read_number("y", float)
    now = the_sheet().recipe.export.outlines
    others = [entry.model_dump() for entry in now.pieces if (entry.x, entry.y) != (x, y)]
    way = str(given().get("way", ""))
    pieces = others if way == "traced" else [*others, {"x": x, "y": y, "way": way}]
    return answer(settings.set_values(the_edit(), "outlines", outlines={**now.model_dump(), "pieces": pieces}))  # fmt: skip


@blueprint.post("/export/loop")
def set_loop() -> Answer:
    """Trace only what is within a loop, or all again where none is given."""
    places = given().get("places") or []
    values = {**the_sheet().recipe.export.outlines.model_dump(), "loop": places}
    return answer(settings.set_values(the_edit(), "outlines", outlines=values))


@blueprint.post("/export/colour")
def set_colour() -> Answer:
    """Set what a traced colour is called, or for which other one it is taken."""
    now = the_sheet().recipe.export.outlines
    colour, into = str(given().get("colour", "")), str(given().get("into", ""))
    name = str(given().get("name", "")).strip()
    values = now.model_dump()
    if into:
        values["merged"] = [*(pair for pair in now.merged if pair[0] != colour), (colour, into)]
    else:
        values["names"] = [
            *(pair for pair in now.names if pair[0] != colour),
            *([(colour, name)] if name else []),
        ]
    return answer(settings.set_values(the_edit(), "outlines", outlines=values))


@blueprint.post("/export/colours/apart")
def part_colours() -> Answer:
    """Take no colour for another any more."""
    values = {**the_sheet().recipe.export.outlines.model_dump(), "merged": []}
    return answer(settings.set_values(the_edit(), "outlines", outlines=values))


@blueprint.post("/export/cutline")
def set_cutline() -> Answer:
    """Set how a cutting line is made."""
    said = given()
    values = {
        **the_sheet().recipe.export.cutline.model_dump(),
        "offset_mm": read_number("offset_mm", float),
        "corners": "sharp" if said.get("corners") == "sharp" else "round",
        "bridges_mm": read_number("bridges_mm", float) if str(said.get("bridges_mm", "")).strip() else None,
        "smallest_mm": read_number("smallest_mm", float),
        "cuts_holes": said.get("cuts_holes") == "1",
        "blade_mm": read_number("blade_mm", float),
        "sheet": _read_sheet(),
        "with_marks": said.get("with_marks") == "1",
    }  # fmt: skip
    return answer(settings.set_values(the_edit(), "cutline", cutline=values))


def _read_sheet() -> dict[str, float] | None:
    """Return the sheet that pieces are laid out on; None where neither of its sides is given."""
    said = given()
    if not any(str(said.get(name, "")).strip() for name in ("sheet_width_mm", "sheet_height_mm")):
        return None
    return {
        "width_mm": read_number("sheet_width_mm", float),
        "height_mm": read_number("sheet_height_mm", float),
        "gap_mm": read_number("gap_mm", float),
        "copies": read_number("copies", int),
    }


@blueprint.post("/export/part")
def set_part() -> Answer:
    """Leave a piece of the cutting line out, or take it in again."""
    place = (read_number("x", float), read_number("y", float))
    now = the_sheet().recipe.export.cutline
    dropped = [at for at in now.dropped if at != place]
    if given().get("stays") != "1":
        dropped.append(place)
    return answer(settings.set_values(the_edit(), "cutline", cutline={**now.model_dump(), "dropped": dropped}))  # fmt: skip


@blueprint.get("/outlines")
def show_outlines() -> str:
    """Show what is traced of the sheet, or why nothing is."""
    sheet = the_sheet()
    try:
        outlines = load_outlines(the_workshop(), sheet)
    except BadParameterError as error:
        return f'<p class="said" role="alert">{escape(translate(error.message))} {escape(translate(error.hint))}</p>'
    return render_template("bench/steps/_outlines.html", sheet=sheet, recipe=sheet.recipe, outlines=outlines, said=say_traced(outlines), rows=list_outlines(sheet, outlines), ways=WAYS)  # fmt: skip


@blueprint.get("/outlines.json")
def send_lines() -> Response:
    """Send the outlines as they are drawn over the picture."""
    return jsonify(asdict(list_drawn(the_workshop(), the_sheet())))


@blueprint.get("/cutting-line")
def show_cutline() -> str:
    """Show what a machine would cut, or why it would not."""
    sheet = the_sheet()
    try:
        line = load_cutline(the_workshop(), sheet)
        arranged = load_arranged(the_workshop(), sheet)
    except BadParameterError as error:
        return f'<p class="said" role="alert">{escape(translate(error.message))} {escape(translate(error.hint))}</p>'
    return render_template("bench/steps/_cutline.html", sheet=sheet, recipe=sheet.recipe, line=line, said=say_cutline(line, arranged), rows=list_parts(line))  # fmt: skip


@blueprint.get("/outlines/<any(outlines, points, line):what>.png")
def send_outlines(what: str) -> Response:
    """Send a picture of the outlines, with their points or without, or of what is cut."""
    sheet, workshop = the_sheet(), the_workshop()
    if what == "line":
        return Response(draw_cutline(workshop, sheet), mimetype="image/png")
    return Response(draw_outlines(workshop, sheet, with_points=what == "points"), mimetype="image/png")  # fmt: skip


@blueprint.get("/outlines/place.png")
def send_place() -> Response:
    """Send one place of the outlines, enlarged."""
    x, y = read_argument("x"), read_argument("y")
    return Response(draw_place(the_workshop(), the_sheet(), x, y), mimetype="image/png")


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
