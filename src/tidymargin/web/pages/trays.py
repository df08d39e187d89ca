"""The trays: all sheets as a contact sheet, and bringing pictures in."""

from flask import Blueprint, Response, jsonify, redirect, render_template, request, url_for
from werkzeug.wrappers import Response as AnyResponse

from tidymargin.core.errors import BadImageError
from tidymargin.formats.decode import MAX_FILE_BYTES
from tidymargin.services.opening import add_sheet
from tidymargin.web.app import the_workshop
from tidymargin.web.sentences import say_trays
from tidymargin.web.words import gettext

blueprint = Blueprint("trays", __name__)

BACKDROPS = ("white", "black", "grey", "amber")


def _chosen_backdrop() -> str:
    asked = request.args.get("on", "white")
    return asked if asked in BACKDROPS else "white"


@blueprint.get("/")
def show_trays() -> str:
    """Show every sheet."""
    sheets = the_workshop().sheets.list_all()
    return render_template(
        "trays/index.html",
        sheets=sheets,
        on=_chosen_backdrop(),
        backdrops=BACKDROPS,
        sentence=say_trays(len(sheets)),
        most_bytes=MAX_FILE_BYTES,
    )


@blueprint.get("/sheets")
def show_sheets() -> str:
    """Show the contact sheet alone, after pictures came in."""
    sheets = the_workshop().sheets.list_all()
    return render_template(
        "trays/_changed.html", sheets=sheets, on=_chosen_backdrop(), sentence=say_trays(len(sheets))
    )


@blueprint.post("/sheets")
def add() -> Response | AnyResponse:
    """Bring pictures in: one a request from the page's script, any number from a plain form."""
    files = [file for file in request.files.getlist("picture") if file.filename]
    if not files:
        raise BadImageError(
            gettext("No picture came with this request."), hint=gettext("Choose one and add it again.")
        )  # fmt: skip
    added = [add_sheet(the_workshop(), file.stream.read(), file.filename or "") for file in files]
    place = url_for("bench.show", sheet_id=added[0].id)
    if request.accept_mimetypes.best == "application/json":
        response = jsonify(name=added[0].name, place=place)
        response.status_code = 201
        return response
    return redirect(place if len(added) == 1 else url_for("trays.show_trays"), 303)
