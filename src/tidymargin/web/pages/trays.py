"""The trays: all sheets as a contact sheet, and bringing pictures in."""

from flask import Blueprint, Response, jsonify, redirect, render_template, request, url_for
from werkzeug.wrappers import Response as AnyResponse

from tidymargin.core.errors import BadImageError
from tidymargin.formats.decode import MAX_FILE_BYTES
from tidymargin.services import keeping
from tidymargin.services.opening import add_sheet
from tidymargin.store.sheets import Sheet
from tidymargin.web.app import IN_MEMORY_BYTES, the_workshop
from tidymargin.web.sentences import say_bin, say_disk, say_trays
from tidymargin.web.words import gettext

blueprint = Blueprint("trays", __name__)

BACKDROPS = ("white", "black", "grey", "amber")
_CARDS = 96  # shown at first, and more at each asking


def _chosen_backdrop() -> str:
    asked = request.args.get("on", "white")
    return asked if asked in BACKDROPS else "white"


def _asked_cards() -> int:
    return min(max(_CARDS, request.args.get("shown", _CARDS, int)), 1_000_000)


def _facts_for_templates(moved: Sheet | None = None) -> dict[str, object]:
    workshop = the_workshop()
    shown = _asked_cards()
    total = workshop.sheets.count_all()
    binned = workshop.sheets.list_binned()
    disk = keeping.measure_disk(workshop)
    return {
        "sheets": workshop.sheets.list_all(shown),
        "total": total,
        "shown": shown,
        "more": min(_CARDS, total - shown),
        "binned": binned,
        "moved": moved,
        "on": _chosen_backdrop(),
        "sentence": say_trays(total),
        "said_bin": say_bin(len(binned), disk),
        "said_disk": say_disk(disk),
    }


@blueprint.get("/")
def show_trays() -> str:
    """Show every sheet."""
    return render_template(
        "trays/index.html",
        **_facts_for_templates(),
        backdrops=BACKDROPS,
        most_bytes=MAX_FILE_BYTES,
    )


@blueprint.get("/sheets")
def show_sheets() -> str:
    """Show the contact sheet alone, after pictures came in."""
    return render_template("trays/_changed.html", **_facts_for_templates())


def _answer(moved: Sheet | None = None) -> str | AnyResponse:
    """Show a changed tray: what changed to htmx, the whole page to a plain form."""
    if "HX-Request" in request.headers:
        return render_template("trays/_changed.html", **_facts_for_templates(moved))
    return redirect(url_for("trays.show_trays", on=_chosen_backdrop(), shown=_asked_cards()), 303)


@blueprint.post("/sheets/<int:sheet_id>/name")
def rename(sheet_id: int) -> str | AnyResponse:
    """Give a sheet another name."""
    keeping.rename_sheet(the_workshop(), sheet_id, request.form.get("name", ""))
    return _answer()


@blueprint.post("/sheets/<int:sheet_id>/bin")
def bin_sheet(sheet_id: int) -> str | AnyResponse:
    """Put a sheet into the bin."""
    return _answer(keeping.bin_sheet(the_workshop(), sheet_id))


@blueprint.post("/sheets/<int:sheet_id>/take-out")
def take_out(sheet_id: int) -> str | AnyResponse:
    """Take a sheet out of the bin."""
    keeping.take_out(the_workshop(), sheet_id)
    return _answer()


@blueprint.post("/bin/empty")
def empty_bin() -> str | AnyResponse:
    """Delete for good what is in the bin."""
    keeping.empty_bin(the_workshop())
    return _answer()


@blueprint.get("/room")
def ask_room() -> Response:
    """Say whether there is room for a picture of so many bytes, before any of it is sent."""
    size = request.args.get("bytes", 0, int)
    keeping.check_room(the_workshop(), size, size if size > IN_MEMORY_BYTES else 0)
    return Response(status=204)


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
