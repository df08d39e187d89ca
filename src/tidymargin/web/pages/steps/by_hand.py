"""Step 3, by hand: marks on places that a person decided on, whatever the key says."""

from collections.abc import Sequence
from typing import Any

from flask import Response, jsonify, render_template, request

from tidymargin.core.base.errors import BadParameterError
from tidymargin.core.base.picture import Region
from tidymargin.services.edits import marking, roughing
from tidymargin.services.views import viewing
from tidymargin.web.answers import Answer, answer, given, read_number, the_edit
from tidymargin.web.context import sheet_blueprint, the_sheet, the_workshop
from tidymargin.web.numbers import require_small
from tidymargin.web.sentences.by_hand import MarkRow
from tidymargin.web.things import draw_mark, draw_parts, find_mark_box
from tidymargin.web.words import gettext

blueprint = sheet_blueprint("by_hand", "/marks")

_MOST_SHAPES = 500


def _read_places(name: str) -> list[Sequence[float]]:
    """Return a list of places of the change, each a list of numbers."""
    said = given().get(name)
    if not isinstance(said, list) or not all(isinstance(place, list) for place in said):
        raise BadParameterError(
            gettext("Expected “%(name)s” as a list of places [x, y].", name=name), field="marks"
        )
    return [[_to_number(value) for value in place] for place in said]


def _to_number(value: object) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float):
        raise BadParameterError(gettext("Expected places as pairs of numbers."), field="marks")
    return float(require_small(value, "marks"))


def _read_lists(name: str) -> list[list[Sequence[float]]]:
    said = given().get(name, [])
    if not isinstance(said, list):
        raise BadParameterError(
            gettext("Expected “%(name)s” as lists of places.", name=name), field="marks"
        )
    found: list[list[Sequence[float]]] = []
    for each in said:
        if not isinstance(each, list) or not all(isinstance(place, list) for place in each):
            raise BadParameterError(
                gettext("Expected “%(name)s” as lists of places.", name=name), field="marks"
            )
        found.append([[_to_number(value) for value in place] for place in each])
    return found


def _pick_values(*names: str) -> dict[str, Any]:
    """Return those fields of the change that it has."""
    return {name: given()[name] for name in names if given().get(name) is not None}


@blueprint.post("/area/<any(keep, clear, solve):verdict>")
def add_area(verdict: str) -> Answer:
    """Keep, clear or solve what rings surround, each a list of pairs x, y."""
    rings = _read_lists("rings")
    return answer(marking.add_area(the_edit(), verdict, rings))


@blueprint.post("/stroke")
def add_stroke() -> Answer:
    """Add a stroke."""
    values = _pick_values("verdict", "across_px", "hardness", "strength", "like")
    places = _read_places("places")
    return answer(marking.add_stroke(the_edit(), places, values))


@blueprint.post("/outline")
def set_outline() -> Answer:
    """Begin an outline, or set the points of one."""
    values = _pick_values("points", "is_closed", "does")
    number, did = int(read_number("number", int)), str(given().get("did", ""))
    return answer(marking.set_outline(the_edit(), number, did, values))


@blueprint.post("/outline/parts")
def show_parts() -> Response:
    """Send how an outline would be drawn, which is still under the hand."""
    the_sheet()
    return jsonify(parts=draw_parts(given()))


@blueprint.post("/rough")
def rough_in() -> Answer:
    """Find a figure by scribbles, or go on with one."""
    lines = {name: _read_lists(name) for name in ("keep", "clear")}
    around = _read_places("around") if given().get("around") else None
    across_px = read_number("across_px", float)
    number = int(read_number("number", int))
    return answer(
        roughing.rough_in(
            the_edit(), number, lines, around, across_px
        )
    )  # fmt: skip


@blueprint.post("/<int:number>/does/<any(cut_out, keep_inside, clear_inside, clear_outside):does>")
def decide_surrounding(number: int, does: str) -> Answer:
    """Say what an outline or a rough-in does."""
    rim_px = read_number("rim_px", float) if given().get("rim_px") else None
    return answer(marking.decide_surrounding(the_edit(), number, does, rim_px))


@blueprint.post("/<int:number>/move")
def move_mark(number: int) -> Answer:
    """Move a mark by `x` and `y`."""
    by = read_number("x", float), read_number("y", float)
    return answer(marking.move_mark(the_edit(), number, by))


@blueprint.post("/<int:number>/set")
def set_mark(number: int) -> Answer:
    """Change what a mark does, and how wide or soft it is."""
    said = given()
    values = {
        name: said[name]
        for name in ("verdict", "across_px", "hardness", "strength", "like")
        if name in said
    }
    return answer(marking.set_mark(the_edit(), number, values))


def _read_chosen() -> list[int]:
    """Return the numbers of the marks that a form is about, as “3 4 5”."""
    said = str(given().get("numbers", ""))
    try:
        return [int(require_small(int(word), "numbers")) for word in said.split()[:5000]]
    except ValueError as error:
        raise BadParameterError(gettext("Expected numbers of marks."), field="numbers") from error


@blueprint.post("/switch/<any(on, off):way>")
def switch_marks(way: str) -> Answer:
    """Switch marks on or off."""
    return answer(marking.switch_marks(the_edit(), _read_chosen(), is_on=way == "on"))


@blueprint.post("/remove")
def remove_marks() -> Answer:
    """Take marks away."""
    return answer(marking.remove_marks(the_edit(), _read_chosen()))


@blueprint.get("/each")
def list_each() -> str:
    """Show marks one by one, by their numbers."""
    sheet = the_sheet()
    said = request.args.get("numbers", "")
    wanted = set(said.split())
    marks = enumerate(marking.list_marks(sheet), 1)
    rows = [MarkRow(number, mark) for number, mark in marks if str(number) in wanted][::-1]
    numbers = " ".join(str(row.number) for row in rows)
    return render_template("bench/steps/_each_mark.html", sheet=sheet, rows=rows, numbers=numbers)


@blueprint.get("/shapes")
def show_shapes() -> Response:
    """Send how marks are drawn, by their names; what does not lie in the work area is in its pixels all the same."""
    sheet = the_sheet()
    area, wanted = sheet.area, set(request.args.get("names", "").split(",")[:_MOST_SHAPES])
    marks = (mark for mark in marking.list_marks(sheet) if mark.name[:16] in wanted)
    return jsonify({mark.name[:16]: draw_mark(mark, area) for mark in marks})


@blueprint.get("/<name>.png")
def show_place(name: str) -> Response:
    """Send a small picture of where a mark is."""
    sheet = the_sheet()
    area = sheet.area
    found = [mark for mark in marking.list_marks(sheet) if mark.name.startswith(name)]
    box = find_mark_box(found[0], area) if found and len(name) == 16 else Region(0, 0, 1, 1)
    response = Response(viewing.make_crop(the_workshop(), sheet, box), mimetype="image/png")
    response.headers["Cache-Control"] = "private, max-age=86400"
    return response
