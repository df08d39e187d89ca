"""What every page of a sheet does: read what a form says, and answer with the changed ledger."""

from collections.abc import Callable, Mapping
from typing import Any

from flask import Response, g, jsonify, make_response, redirect, render_template, request, url_for
from werkzeug.wrappers import Response as AnyResponse

from tidymargin.core.base.errors import (
    BadParameterError,
    StoppedError,
    TooLargeError,
    UnreadableStepError,
)
from tidymargin.services.edits.changing import Edit
from tidymargin.services.views.finding import find_dirty
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.store.values import Sheet
from tidymargin.web.context import MOST_FORM_BYTES, send_nothing, the_sheet, the_workshop
from tidymargin.web.ledger import gather_ledger
from tidymargin.web.numbers import read_json, require_small
from tidymargin.web.words import gettext

OPENED_STEPS = ("area", "ground", "reach", "by_hand", "rim", "colour", "proof", "export")
"""The sentences of the ledger that can be opened; the history can as well, but nothing is said in it."""

Answer = Response | AnyResponse


def opened_step() -> str:
    """Return the sentence that is open in the ledger, or nothing."""
    asked = given().get("open", "") if request.is_json else request.values.get("open", "")
    return str(asked) if asked in (*OPENED_STEPS, "history") else ""


def gather_page(sheet: Sheet) -> dict[str, object]:
    """Return what the templates of a sheet are given."""
    return gather_ledger(the_workshop(), sheet, opened_step())


def show_found(look: Callable[[Workshop, Sheet], object], template: str) -> str | Response:
    """Show what is looked for behind a sheet's page as soon as it is found, by a template that is given the page."""
    sheet = the_sheet()
    try:
        look(the_workshop(), sheet)
    except StoppedError:  # the sheet has gone on, and its ledger asks anew
        return send_nothing()
    return render_template(template, **gather_page(sheet))


def given() -> Mapping[str, Any]:
    """Return what a change says: the fields of a form, or JSON as the stage's scripts send it."""
    if not request.is_json:
        return request.form
    if (request.content_length or MOST_FORM_BYTES + 1) > MOST_FORM_BYTES:
        raise TooLargeError(gettext("Expected a change of at most 2 MB."))
    if "change" not in g:  # it is read once, however many ask
        g.change = read_json(request.get_data(as_text=True))
    said = g.change
    if not isinstance(said, dict):
        raise BadParameterError(gettext("Expected a change as a JSON object."))
    return said


def answer(sheet: Sheet) -> Answer:
    """Show a changed sheet: its ledger to htmx, its page to a plain form, and to the stage what of it changed."""
    if request.is_json:
        dirty = find_dirty(the_workshop(), sheet, read_seen())
        ledger = render_template("bench/_changed.html", **gather_page(sheet))
        places = None if dirty is None else [box.edges for box in dirty]
        return jsonify(head=sheet.head, dirty=places, ledger=ledger)
    if "HX-Request" not in request.headers:
        return redirect(url_for("bench.show", sheet_id=sheet.id, open=opened_step() or None), 303)
    try:
        response = make_response(render_template("bench/_changed.html", **gather_page(sheet)))
    except UnreadableStepError:  # there is a page of its own for that
        response = make_response("")
        response.headers["HX-Redirect"] = url_for("bench.show", sheet_id=sheet.id)
        return response
    return response


def read_number(name: str, kind: Callable[[str], float], default: float | None = None) -> float:
    """Return a number of the form, with a point or a comma, or refuse it by its field; nothing is the default."""
    said = str(given().get(name, "")).strip().replace(",", ".")
    if not said and default is not None:
        return default
    try:
        return require_small(kind(said), name)
    except ValueError as error:
        raise BadParameterError(
            gettext("Expected a number, got “%(given)s”.", given=said[:40]), field=name
        ) from error


def read_seen() -> int:
    """Return the state that the page showed which sends this change."""
    return int(read_number("seen", int))


def the_edit() -> Edit:
    """Return what a request is about to change: the sheet of its address."""
    return Edit(the_workshop(), the_sheet(), read_seen())


def read_place() -> tuple[int, int]:
    """Return the row and column that the form names."""
    return int(read_number("row", int)), int(read_number("col", int))
