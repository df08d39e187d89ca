"""Pixels for the stage, the proof strip and the contact sheets, and the exported file."""

from typing import Literal
from urllib.parse import quote

import numpy as np
from flask import Response, abort, jsonify, request
from numpy.typing import NDArray

from tidymargin.core.base.errors import BadParameterError, StoppedError
from tidymargin.core.base.picture import Region
from tidymargin.formats.format_names import FormatName
from tidymargin.services.edits.history import see_as
from tidymargin.services.views import drafts, proofs, viewing
from tidymargin.services.views.asked import make_choice
from tidymargin.services.views.cutting import load_tolerance
from tidymargin.services.views.exporting import (
    export_again,
    export_sheet,
    make_sample,
    note_export,
)
from tidymargin.services.views.finding import (
    load_narrows,
    load_pockets,
    load_unwanted,
    look_at_place,
)
from tidymargin.services.views.measuring import load_measured
from tidymargin.services.views.windows import View
from tidymargin.store.values import Sheet
from tidymargin.web.context import send_nothing, sheet_blueprint, the_sheet, the_workshop
from tidymargin.web.numbers import read_argument, read_json
from tidymargin.web.sentences.reach import say_place

_MOST_TRIED_PX, _MOST_VALUES = 600, 4000

blueprint = sheet_blueprint("pixels")


def read_view() -> View:
    """Return the window that is asked for."""
    return View(read_argument("left"), read_argument("top"), read_argument("cell"), int(read_argument("width")), int(read_argument("height")))  # fmt: skip


def send_raw(pixels: NDArray[np.uint8]) -> Response:
    """Send pixels as they are, with their size."""
    response = Response(pixels.tobytes(), mimetype="application/octet-stream")
    response.headers["X-Size"] = f"{pixels.shape[1]}x{pixels.shape[0]}"
    return response


def _load_asked() -> Sheet:
    """Return a sheet, at the state that is asked for as `as`, or at its present one."""
    return see_as(the_workshop(), the_sheet(), request.args.get("as", ""))


@blueprint.get("/view")
def show_view() -> Response:
    """Send the cut in a window as raw straight RGBA."""
    sheet = _load_asked()
    tried = read_argument("tried") if "tried" in request.args else None
    settles = request.args.get("settles") == "1"
    view = read_view()
    asker = request.args.get("asker", "")[:40]
    try:
        seen = viewing.render_view(the_workshop(), sheet, view, tried, settles=settles, asker=asker)
    except StoppedError:  # whoever asked has asked for something newer since
        return send_nothing()
    return send_raw(seen)


@blueprint.get("/draft")
def show_draft() -> Response:
    """Send a draft of the cut in a window as raw RGBA, for as long as the sheet is being measured."""
    sheet = the_sheet()
    return send_raw(viewing.render_draft(the_workshop(), sheet, read_view()))


@blueprint.get("/tried")
def show_tried() -> Response:
    """Send a small window of the cut with other values of a step, as raw RGBA; `plain` leaves out what the step says."""
    sheet = the_sheet()
    step = request.args.get("step", "")
    if step not in ("rim", "colour"):
        raise BadParameterError("Expected “rim” or “colour” as step.", field="step")
    values = read_json(request.args.get("values", "{}")[:_MOST_VALUES], "values")
    if not isinstance(values, dict):
        raise BadParameterError("Expected values as a JSON object.", field="values")
    view = read_view()
    if view.cell != 1 or max(view.width, view.height) > _MOST_TRIED_PX:
        raise BadParameterError(f"Expected a window of at most {_MOST_TRIED_PX} px, pixel for pixel.", field="width")  # fmt: skip
    is_plain = request.args.get("plain") == "1"
    workshop = the_workshop()
    return send_raw(drafts.render_tried(workshop, sheet, view, step, values, is_plain=is_plain))  # type: ignore[arg-type]


@blueprint.get("/sketch")
def show_sketch() -> Response:
    """Send the cut in a window before its rims are solved, as raw RGBA."""
    sheet = _load_asked()
    return send_raw(viewing.render_sketch(the_workshop(), sheet, read_view()))


@blueprint.get("/original")
def show_original() -> Response:
    """Send the original in a window as raw RGBA."""
    sheet = the_sheet()
    return send_raw(viewing.render_original(the_workshop(), sheet, read_view()))


@blueprint.get("/uncropped")
def show_uncropped() -> Response:
    """Send the whole picture in a window, whatever the work area, as raw RGBA."""
    sheet = the_sheet()
    return send_raw(viewing.render_uncropped(the_workshop(), sheet, read_view()))


@blueprint.get("/place")
def show_place() -> Response:
    """Say what a click at a place would do."""
    sheet = the_sheet()
    row, col = int(read_argument("row")), int(read_argument("col"))
    tolerance = load_tolerance(the_workshop(), sheet)
    return jsonify(say_place(look_at_place(the_workshop(), sheet, row, col), tolerance))


@blueprint.get("/takes")
def show_takes() -> Response:
    """Send what a click at a place would clear, in a window, as one byte a pixel."""
    sheet = the_sheet()
    view = read_view()
    takes = look_at_place(
        the_workshop(), sheet, int(read_argument("row")), int(read_argument("col"))
    ).takes
    area = sheet.area
    mask = np.zeros((area.height, area.width), np.bool_) if takes is None else takes
    return send_raw(viewing.render_mask(mask, view))


@blueprint.get("/thumbnail.png")
def show_thumbnail() -> Response:
    """Send a small picture of the cut, as it is or at an earlier state."""
    sheet = the_sheet()
    state = int(read_argument("state", 0))
    if state:
        sheet = the_workshop().sheets.load_at(sheet, state)
    response = Response(proofs.make_thumbnail(the_workshop(), sheet), mimetype="image/png")
    # not for ever: one that was spoilt on its way is mended by loading the page again
    response.headers["Cache-Control"] = "private, max-age=86400"
    return response


@blueprint.get("/older.png")
def show_older() -> Response:
    """Send what was kept of the cut that an older engine made."""
    kept = proofs.load_proof(the_workshop(), the_sheet())
    if kept is None:
        abort(404)
    return Response(kept, mimetype="image/png")


@blueprint.get("/newer.png")
def show_newer() -> Response:
    """Send the cut of the present engine, as large as what was kept of the older one's."""
    sheet = the_sheet()
    return Response(proofs.make_comparison(the_workshop(), sheet), mimetype="image/png")


@blueprint.get("/alternatives/<any(opaque, ink, flat, paper, screen, checker):name>.png")
def show_alternative(name: str) -> Response:
    """Send a small cut as it would be with a figure of that nature, or on a ground of that kind."""
    sheet = the_sheet()
    return Response(proofs.make_alternative(the_workshop(), sheet, name), mimetype="image/png")


def _send_crop(sheet: Sheet, boxes: list[Region], number: int) -> Response:
    """Send a small picture of one of several places, counted from 0."""
    if not 0 <= number < len(boxes):
        abort(404)
    return Response(viewing.make_crop(the_workshop(), sheet, boxes[number]), mimetype="image/png")


@blueprint.get("/jumps/<int:number>.png")
def show_jump(number: int) -> Response:
    """Send a small picture of what a jump takes."""
    sheet = the_sheet()
    jumps = load_measured(the_workshop(), sheet).facts.jumps
    return _send_crop(sheet, [jump.box for jump in jumps], number)


@blueprint.get("/pockets/<int:number>.png")
def show_pocket(number: int) -> Response:
    """Send a small picture of a pocket."""
    sheet = the_sheet()
    listed = load_pockets(the_workshop(), sheet).listed
    return _send_crop(sheet, [pocket.box for pocket in listed], number)


@blueprint.get("/questions/<int:row>/<int:col>/<any(clear, keep):verdict>.png")
def show_choice(row: int, col: int, verdict: Literal["clear", "keep"]) -> Response:
    """Send a small cut of a place that is asked about, as an answer would leave it."""
    small = make_choice(the_workshop(), the_sheet(), row, col, verdict)
    return Response(small, mimetype="image/png")


@blueprint.get("/strays/<int:number>.png")
def show_stray(number: int) -> Response:
    """Send a small picture of one of a group of solid things."""
    sheet = the_sheet()
    groups = load_unwanted(the_workshop(), sheet).groups
    return _send_crop(sheet, [group.box for group in groups], number - 1)


@blueprint.get("/specks.png")
def show_speck() -> Response:
    """Send a small picture of the largest speck of dust."""
    sheet = the_sheet()
    specks = load_unwanted(the_workshop(), sheet).specks
    return _send_crop(sheet, [specks.box] if specks else [], 0)


@blueprint.get("/narrows/<int:number>.png")
def show_narrow(number: int) -> Response:
    """Send a small picture of a narrow gap."""
    sheet = the_sheet()
    narrows = load_narrows(the_workshop(), sheet)
    boxes = [Region(n.row - 1, n.col - 1, n.row + 2, n.col + 2) for n in narrows]
    return _send_crop(sheet, boxes, number - 1)


def send_file(name: str, media: str, data: bytes) -> Response:
    """Send a file to be saved under a name."""
    response = Response(data, mimetype=media)
    plain = name.encode("ascii", "replace").decode().replace("?", "_").replace('"', "_")
    response.headers["Content-Disposition"] = (
        f"attachment; filename=\"{plain}\"; filename*=UTF-8''{quote(name, safe='')}"
    )
    return response


@blueprint.get("/export")
def export() -> Response:
    """Send what the export sentence says, as one file or a ZIP of several, and note that; or with `png` one PNG alone."""
    sheet = the_sheet()
    as_png = "png" in request.args
    found = export_sheet(the_workshop(), sheet, as_png=as_png)
    if not as_png:
        note_export(the_workshop(), sheet, found)
    return send_file(found.name, found.media, found.data)


@blueprint.get("/exports/<int:export_id>")
def export_once_more(export_id: int) -> Response:
    """Send again what an earlier export gave."""
    found = export_again(the_workshop(), the_sheet(), export_id)
    return send_file(found.name, found.media, found.data)


@blueprint.get("/export/sample/<any(png_hard, png_palette):kind>.png")
def show_sample(kind: FormatName) -> Response:
    """Send the worst rim as it is cut, and beside it as a format gives it back."""
    sheet = the_sheet()
    return Response(make_sample(the_workshop(), sheet, kind), mimetype="image/png")
