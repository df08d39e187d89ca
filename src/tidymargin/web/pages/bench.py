"""The bench: one sheet, its ledger, and every change of its recipe."""

from collections.abc import Callable

from flask import Blueprint, Response, make_response, redirect, render_template, request, url_for
from werkzeug.wrappers import Response as AnyResponse

from tidymargin.core.errors import BadParameterError
from tidymargin.services import deciding
from tidymargin.services.opening import is_measured, load_measured, read_recipe_of
from tidymargin.store.sheets import Sheet
from tidymargin.web.app import the_workshop
from tidymargin.web.sentences import (
    CHANGES,
    CURVE_HEIGHT,
    CURVE_TOP,
    CURVE_WIDTH,
    draw_curve,
    gettext,
    say_calm,
    say_recipe,
)

blueprint = Blueprint("bench", __name__, url_prefix="/sheets/<int:sheet_id>")

_STEPS = ("ground", "reach", "proof", "export")


def _opened_step() -> str:
    asked = request.values.get("open", "")
    return asked if asked in _STEPS else ""


def _facts_for_templates(sheet: Sheet) -> dict[str, object]:
    workshop = the_workshop()
    recipe = read_recipe_of(sheet)
    measured = load_measured(workshop, sheet) if is_measured(workshop, sheet) else None
    facts = measured.facts if measured else None
    values: dict[str, object] = {
        "sheet": sheet,
        "recipe": recipe,
        "open": _opened_step(),
        "steps": say_recipe(sheet, recipe, facts),
        "measured": facts is not None,
        "undo": CHANGES.get(sheet.undo, sheet.undo) if sheet.undo else "",
        "redo": CHANGES.get(sheet.redo, sheet.redo) if sheet.redo else "",
        "curve_size": (CURVE_WIDTH, CURVE_HEIGHT, CURVE_TOP),
        "tone": "pale",
        "spot": (sheet.height // 2, sheet.width // 2),
    }
    if measured and facts:
        chosen = recipe.reach.tolerance
        tolerance = facts.calm.tolerance if chosen == "auto" else float(chosen)
        values |= {
            "tolerance": tolerance,
            "why": say_calm(facts),
            "curve": draw_curve(facts, tolerance),
            "ground": facts.ground,
            "spot": measured.spot,
            "tone": measured.blotter,
        }
    return values


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
        return kind(given)
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
    return _answer(deciding.set_tolerance(the_workshop(), sheet_id, _read_seen(), tolerance))


@blueprint.post("/tolerance/measured")
def reset_tolerance(sheet_id: int) -> Response | AnyResponse:
    """Go back to the measured tolerance."""
    return _answer(deciding.set_tolerance(the_workshop(), sheet_id, _read_seen(), "auto"))


@blueprint.post("/ground")
def set_ground_colour(sheet_id: int) -> Response | AnyResponse:
    """Set the ground's colour."""
    colour = request.form.get("colour", "")
    return _answer(deciding.set_ground_colour(the_workshop(), sheet_id, _read_seen(), colour))


@blueprint.post("/ground/measured")
def reset_ground_colour(sheet_id: int) -> Response | AnyResponse:
    """Go back to the measured ground."""
    return _answer(deciding.set_ground_colour(the_workshop(), sheet_id, _read_seen(), "auto"))


@blueprint.post("/picks")
def add_pick(sheet_id: int) -> Response | AnyResponse:
    """Do what a click at a place means."""
    row, col = int(_read_number("row", int)), int(_read_number("col", int))
    return _answer(deciding.pick_place(the_workshop(), sheet_id, _read_seen(), row, col))


@blueprint.post("/picks/<int:number>/remove")
def remove_pick(sheet_id: int, number: int) -> Response | AnyResponse:
    """Take a pick away."""
    return _answer(deciding.remove_pick(the_workshop(), sheet_id, _read_seen(), number))


@blueprint.post("/proof")
def set_backdrop(sheet_id: int) -> Response | AnyResponse:
    """Set the backdrop of any colour."""
    backdrop = request.form.get("backdrop", "")
    return _answer(deciding.set_backdrop(the_workshop(), sheet_id, _read_seen(), backdrop))


@blueprint.post("/export")
def set_trim(sheet_id: int) -> Response | AnyResponse:
    """Set what part of the sheet is exported."""
    trim = request.form.get("extent") == "trim"
    margin_px = int(_read_number("margin_px", int))
    return _answer(deciding.set_trim(the_workshop(), sheet_id, _read_seen(), trim, margin_px))


@blueprint.post("/undo")
def undo(sheet_id: int) -> Response | AnyResponse:
    """Take the last change back."""
    return _answer(deciding.undo_change(the_workshop(), sheet_id, _read_seen()))


@blueprint.post("/redo")
def redo(sheet_id: int) -> Response | AnyResponse:
    """Bring back what was undone last."""
    return _answer(deciding.redo_change(the_workshop(), sheet_id, _read_seen()))
