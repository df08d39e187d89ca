"""The bench: one sheet, its ledger, and every change of its recipe."""

from collections.abc import Callable

from flask import (
    Blueprint,
    Response,
    jsonify,
    make_response,
    redirect,
    render_template,
    request,
    url_for,
)
from werkzeug.wrappers import Response as AnyResponse

from tidymargin.core.base.errors import BadParameterError, StoppedError
from tidymargin.services import changing, deciding, finding, history, settings
from tidymargin.services.exporting import export_name
from tidymargin.services.opening import (
    measuring_name,
    resume_measuring,
    stop_measuring,
)
from tidymargin.store.sheets import Sheet
from tidymargin.web.app import the_workshop
from tidymargin.web.ledger import gather_ledger
from tidymargin.web.numbers import require_small
from tidymargin.web.words import gettext

blueprint = Blueprint("bench", __name__, url_prefix="/sheets/<int:sheet_id>")

_STEPS = ("area", "ground", "reach", "colour", "proof", "export", "history")


def _opened_step() -> str:
    asked = request.values.get("open", "")
    return asked if asked in _STEPS else ""


def _facts_for_templates(sheet: Sheet) -> dict[str, object]:
    return gather_ledger(the_workshop(), sheet, _opened_step())


@blueprint.get("/")
def show(sheet_id: int) -> str:
    """Show a sheet."""
    sheet = the_workshop().sheets.load(sheet_id)
    return render_template("bench/index.html", **_facts_for_templates(sheet))


@blueprint.get("/ledger")
def show_ledger(sheet_id: int) -> str:
    """Show the ledger and what goes with it alone, as after a change."""
    sheet = the_workshop().sheets.load(sheet_id)
    return render_template("bench/_changed.html", **_facts_for_templates(sheet))


@blueprint.get("/gaps")
def show_gaps(sheet_id: int) -> str | tuple[str, int]:
    """Show the gaps as soon as they are found, and the sentence that names them."""
    sheet = the_workshop().sheets.load(sheet_id)
    try:
        finding.load_narrows(the_workshop(), sheet)
    except StoppedError:  # the sheet has gone on, and its ledger asks anew
        return "", 204
    return render_template("bench/_gaps_found.html", **_facts_for_templates(sheet))


def _answer(sheet: Sheet) -> Response | AnyResponse:
    """Show a changed sheet: its ledger to htmx, its page to a plain form."""
    if "HX-Request" not in request.headers:
        return redirect(url_for("bench.show", sheet_id=sheet.id, open=_opened_step() or None), 303)
    response = make_response(render_template("bench/_changed.html", **_facts_for_templates(sheet)))
    response.headers["HX-Trigger-After-Settle"] = "sheet:changed"
    return response


def _read_number(name: str, kind: Callable[[str], float]) -> float:
    given = request.form.get(name, "").strip().replace(",", ".")
    try:
        return require_small(kind(given), name)
    except ValueError as error:
        raise BadParameterError(
            gettext("Expected a number, got “%(given)s”.", given=given[:40]), field=name
        ) from error


def _read_seen() -> int:
    return int(_read_number("seen", int))


@blueprint.post("/tolerance")
def set_tolerance(sheet_id: int) -> Response | AnyResponse:
    """Set the sheet's tolerance."""
    tolerance = _read_number("tolerance", float)
    return _answer(settings.set_tolerance(the_workshop(), sheet_id, _read_seen(), tolerance))


@blueprint.post("/tolerance/measured")
def reset_tolerance(sheet_id: int) -> Response | AnyResponse:
    """Go back to the measured tolerance."""
    return _answer(settings.set_tolerance(the_workshop(), sheet_id, _read_seen(), "auto"))


@blueprint.post("/area")
def set_area(sheet_id: int) -> Response | AnyResponse:
    """Set the work area by its four corners, each given as x,y."""
    given = [request.form.get(f"corner_{at}", "") for at in range(4)]
    try:
        pairs = [[float(part) for part in corner.split(",")] for corner in given]
        corners = [(x, y) for x, y in pairs]
    except ValueError as error:
        raise BadParameterError(
            gettext("Expected each corner as x,y in pixels, such as 120,45."), field="area"
        ) from error
    return _answer(settings.set_area(the_workshop(), sheet_id, _read_seen(), corners))


@blueprint.post("/area/whole")
def reset_area(sheet_id: int) -> Response | AnyResponse:
    """Work on the whole picture."""
    return _answer(settings.set_area(the_workshop(), sheet_id, _read_seen(), "auto"))


@blueprint.post("/area/turn/<any(left, right):way>")
def turn_area(sheet_id: int, way: str) -> Response | AnyResponse:
    """Turn the work area by a quarter."""
    quarters = 1 if way == "right" else 3
    return _answer(settings.turn_area(the_workshop(), sheet_id, _read_seen(), quarters))


@blueprint.post("/area/tilt")
def tilt_area(sheet_id: int) -> Response | AnyResponse:
    """Tilt what the work area holds."""
    degrees = _read_number("degrees", float)
    return _answer(settings.tilt_area(the_workshop(), sheet_id, _read_seen(), degrees))


@blueprint.post("/area/page")
def square_up(sheet_id: int) -> Response | AnyResponse:
    """Make the page that was found the work area."""
    return _answer(settings.square_up(the_workshop(), sheet_id, _read_seen()))


@blueprint.post("/ground")
def set_ground(sheet_id: int) -> Response | AnyResponse:
    """Set the ground's kind."""
    kind = request.form.get("kind", "")
    return _answer(settings.set_ground(the_workshop(), sheet_id, _read_seen(), kind))


@blueprint.post("/ground/colour")
def set_ground_colour(sheet_id: int) -> Response | AnyResponse:
    """Set the ground's colour."""
    colour = request.form.get("colour", "")
    return _answer(settings.set_ground_colour(the_workshop(), sheet_id, _read_seen(), colour))


@blueprint.post("/ground/also")
def add_ground_colour(sheet_id: int) -> Response | AnyResponse:
    """Add a further flat colour to the ground."""
    colour = request.form.get("colour", "")
    return _answer(settings.add_ground_colour(the_workshop(), sheet_id, _read_seen(), colour))


@blueprint.post("/ground/also/<int:number>/remove")
def remove_ground_colour(sheet_id: int, number: int) -> Response | AnyResponse:
    """Take a further colour of the ground away."""
    return _answer(settings.remove_ground_colour(the_workshop(), sheet_id, _read_seen(), number))


@blueprint.post("/figure")
def set_figure(sheet_id: int) -> Response | AnyResponse:
    """Set the figure's nature."""
    nature = request.form.get("figure", "")
    return _answer(settings.set_figure(the_workshop(), sheet_id, _read_seen(), nature))


@blueprint.post("/preparations")
def switch_preparation(sheet_id: int) -> Response | AnyResponse:
    """Begin or end doing something for the key only."""
    chosen = request.form.get("preparation", "")
    return _answer(settings.switch_preparation(the_workshop(), sheet_id, _read_seen(), chosen))


@blueprint.post("/start")
def set_start(sheet_id: int) -> Response | AnyResponse:
    """Set where clearing starts."""
    start = request.form.get("start", "")
    return _answer(settings.set_start(the_workshop(), sheet_id, _read_seen(), start))


@blueprint.post("/small-pieces")
def set_small_pieces(sheet_id: int) -> Response | AnyResponse:
    """Set below which size crumbs are dropped and pinholes filled."""
    crumbs_px = int(_read_number("crumbs_px", int))
    pinholes_px = int(_read_number("pinholes_px", int))
    return _answer(
        settings.set_small_pieces(the_workshop(), sheet_id, _read_seen(), crumbs_px, pinholes_px)
    )


def _read_place() -> tuple[int, int]:
    return int(_read_number("row", int)), int(_read_number("col", int))


@blueprint.post("/picks")
def add_pick(sheet_id: int) -> Response | AnyResponse:
    """Do what a click at a place means."""
    return _answer(deciding.pick_place(the_workshop(), sheet_id, _read_seen(), *_read_place()))


@blueprint.post("/keep")
def keep_place(sheet_id: int) -> Response | AnyResponse:
    """Mark a place as figure."""
    return _answer(deciding.keep_place(the_workshop(), sheet_id, _read_seen(), *_read_place()))


@blueprint.post("/up-to")
def tune_up_to(sheet_id: int) -> Response | AnyResponse:
    """Set the tolerance up to a place."""
    changed = deciding.tune_at(the_workshop(), sheet_id, _read_seen(), *_read_place(), takes=True)
    return _answer(changed)


@blueprint.post("/short-of")
def tune_short_of(sheet_id: int) -> Response | AnyResponse:
    """Set the tolerance just short of a place."""
    changed = deciding.tune_at(the_workshop(), sheet_id, _read_seen(), *_read_place(), takes=False)
    return _answer(changed)


@blueprint.post("/guards")
def add_guard(sheet_id: int) -> Response | AnyResponse:
    """Guard the colour at a place."""
    return _answer(deciding.guard_place(the_workshop(), sheet_id, _read_seen(), *_read_place()))


@blueprint.post("/guards/<int:number>")
def set_guard(sheet_id: int, number: int) -> Response | AnyResponse:
    """Set how far a guard reaches."""
    tolerance = _read_number("tolerance", float)
    return _answer(deciding.set_guard(the_workshop(), sheet_id, _read_seen(), number, tolerance))


def _to_index(text: str) -> int:
    return int(require_small(int(text), "fences"))


@blueprint.post("/fences")
def add_fence(sheet_id: int) -> Response | AnyResponse:
    """Add a fence through places, given as x,y separated by spaces."""
    try:
        pairs = [part.split(",") for part in request.form.get("places", "").split()]
        places = [(_to_index(x), _to_index(y)) for x, y in pairs]
    except ValueError as error:
        raise BadParameterError(
            gettext("Expected places as x,y separated by spaces."), field="fences"
        ) from error
    return _answer(deciding.add_fence(the_workshop(), sheet_id, _read_seen(), places))


@blueprint.post("/<any(pick, guard, fence):kind>s/<int:number>/remove")
def remove_thing(sheet_id: int, kind: str, number: int) -> Response | AnyResponse:
    """Take a pick, guard or fence away."""
    return _answer(deciding.remove_thing(the_workshop(), sheet_id, _read_seen(), kind, number))


@blueprint.post("/pockets/<any(clear, keep):verdict>")
def decide_pocket(sheet_id: int, verdict: str) -> Response | AnyResponse:
    """Clear or keep the pocket at a place."""
    row, col = _read_place()
    return _answer(
        deciding.decide_pocket(the_workshop(), sheet_id, _read_seen(), row, col, verdict)
    )


@blueprint.post("/pockets/all/<any(clear, keep):verdict>")
def decide_pockets(sheet_id: int, verdict: str) -> Response | AnyResponse:
    """Clear or keep all pockets alike."""
    return _answer(deciding.decide_pockets(the_workshop(), sheet_id, _read_seen(), verdict))


@blueprint.post("/pockets/alike/<any(clear, keep):verdict>")
def decide_alike(sheet_id: int, verdict: str) -> Response | AnyResponse:
    """Clear or keep the pocket at a place and those that are like it."""
    row, col = _read_place()
    return _answer(deciding.decide_alike(the_workshop(), sheet_id, _read_seen(), row, col, verdict))


@blueprint.post("/strays/<int:number>/drop")
def drop_group(sheet_id: int, number: int) -> Response | AnyResponse:
    """Drop a group of solid things together."""
    return _answer(deciding.drop_group(the_workshop(), sheet_id, _read_seen(), number))


@blueprint.post("/strays/back")
def bring_back_drops(sheet_id: int) -> Response | AnyResponse:
    """Bring back everything that was dropped."""
    return _answer(deciding.bring_back_drops(the_workshop(), sheet_id, _read_seen()))


@blueprint.post("/spill")
def set_spill(sheet_id: int) -> Response | AnyResponse:
    """Set how much of a screen's light is taken off, in percent."""
    amount = _read_number("spill", float) / 100
    return _answer(settings.set_spill(the_workshop(), sheet_id, _read_seen(), amount))


@blueprint.post("/inks/<any(drop, keep):verdict>")
def decide_ink(sheet_id: int, verdict: str) -> Response | AnyResponse:
    """Drop one of several inks, or bring it back."""
    decide = settings.drop_ink if verdict == "drop" else settings.bring_back_ink
    return _answer(decide(the_workshop(), sheet_id, _read_seen(), request.form.get("ink", "")))


@blueprint.post("/narrows/<int:number>/fence")
def fence_narrow(sheet_id: int, number: int) -> Response | AnyResponse:
    """Fence a narrow gap."""
    return _answer(deciding.fence_narrow(the_workshop(), sheet_id, _read_seen(), number))


@blueprint.post("/proof")
def set_backdrop(sheet_id: int) -> Response | AnyResponse:
    """Set the backdrop of any colour."""
    backdrop = request.form.get("backdrop", "")
    return _answer(settings.set_backdrop(the_workshop(), sheet_id, _read_seen(), backdrop))


@blueprint.post("/export")
def set_trim(sheet_id: int) -> Response | AnyResponse:
    """Set what part of the sheet is exported."""
    trim = request.form.get("extent") == "trim"
    margin_px = int(_read_number("margin_px", int))
    return _answer(settings.set_trim(the_workshop(), sheet_id, _read_seen(), trim, margin_px))


@blueprint.post("/undo")
def undo(sheet_id: int) -> Response | AnyResponse:
    """Take the last change back."""
    return _answer(history.undo_change(the_workshop(), sheet_id, _read_seen()))


@blueprint.post("/redo")
def redo(sheet_id: int) -> Response | AnyResponse:
    """Bring back what was undone last."""
    return _answer(history.redo_change(the_workshop(), sheet_id, _read_seen()))


@blueprint.post("/history/<int:state>")
def visit(sheet_id: int, state: int) -> Response | AnyResponse:
    """Go to any state of the history."""
    return _answer(history.visit_state(the_workshop(), sheet_id, _read_seen(), state))


_WORK = {"measuring": measuring_name, "export": export_name}


def _read_work() -> str:
    """Return the name of the job that a request asks about."""
    asked = request.values.get("work", "")
    if asked not in _WORK:
        raise BadParameterError("Expected “measuring” or “export” as work.", field="work")
    return asked


@blueprint.post("/new-cut")
def use_new_cut(sheet_id: int) -> Response | AnyResponse:
    """Take an older engine's sheet as the present one cuts it."""
    return _answer(changing.use_new_cut(the_workshop(), sheet_id, _read_seen()))


@blueprint.get("/progress")
def tell_progress(sheet_id: int) -> Response:
    """Tell how far long work has come, 0 to 1; null when it is not going on."""
    workshop = the_workshop()
    name = _WORK[_read_work()](workshop.sheets.load(sheet_id))
    return jsonify(share=workshop.executor.progress(name))


@blueprint.post("/stop")
def stop_work(sheet_id: int) -> Response | AnyResponse:
    """Stop long work; what is saved stays as it is."""
    workshop = the_workshop()
    sheet = workshop.sheets.load(sheet_id)
    if _read_work() == "measuring":
        stop_measuring(workshop, sheet)
    else:
        workshop.executor.stop(export_name(sheet))
    return _answer(sheet)


@blueprint.post("/measure")
def resume(sheet_id: int) -> Response | AnyResponse:
    """Measure a sheet after all."""
    sheet = the_workshop().sheets.load(sheet_id)
    resume_measuring(the_workshop(), sheet)
    return _answer(sheet)


@blueprint.get("/head")
def tell_head(sheet_id: int) -> Response:
    """Tell the number of the present state, so that a tab can see that it is behind."""
    return jsonify(head=the_workshop().sheets.load(sheet_id).head)
