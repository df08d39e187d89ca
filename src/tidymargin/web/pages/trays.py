"""The trays: all sheets as a contact sheet, and bringing pictures in."""

import io
import mmap
from contextlib import closing

from flask import Blueprint, Response, jsonify, redirect, render_template, request, url_for
from markupsafe import Markup
from werkzeug.datastructures import FileStorage
from werkzeug.wrappers import Response as AnyResponse

from tidymargin.core.base.errors import BadImageError, DomainError
from tidymargin.formats.asked import DRAWING_PX, PAGE_DPI, Asked
from tidymargin.formats.limits import MAX_FILE_BYTES
from tidymargin.formats.names import to_shown_name
from tidymargin.outcomes import outcome_of
from tidymargin.services.folder import keeping
from tidymargin.services.folder.unpacking import Brought, bring_in
from tidymargin.services.picture.unpacking import stays
from tidymargin.services.trays.exports import list_without_tray
from tidymargin.services.trays.trays import Card, overview_of
from tidymargin.store.values import Sheet, Tray
from tidymargin.web.answers import read_number
from tidymargin.web.context import IN_MEMORY_BYTES, send_nothing, the_workshop, what_is_watched
from tidymargin.web.language import translate
from tidymargin.web.numbers import read_argument
from tidymargin.web.sentences.keys import list_keys
from tidymargin.web.sentences.tray import say_tray
from tidymargin.web.sentences.trays import (
    list_watched,
    say_aside,
    say_bin,
    say_brought,
    say_disk,
    say_trays,
    say_watched,
)
from tidymargin.web.words import gettext, gettext_noop

blueprint = Blueprint("trays", __name__)

BACKDROPS = (
    gettext_noop("white"),
    gettext_noop("black"),
    gettext_noop("grey"),
    gettext_noop("amber"),
)
_BRING_BACK_S = 20.0
_READ_BYTES = 400_000  # what is larger lies in a file already
_IN_STRIP = 6  # sheets of a tray that are shown on the page of all
_CARDS = 96  # shown at first, and more at each asking


def chosen_backdrop() -> str:
    """Return the backdrop that contact sheets stand on."""
    asked = request.args.get("on", "white")
    return asked if asked in BACKDROPS else "white"


def _asked_cards() -> int:
    return int(min(max(_CARDS, read_argument("shown", _CARDS)), 1_000_000))


def _facts_for_templates(moved: Sheet | None = None) -> dict[str, object]:
    workshop = the_workshop()
    shown = _asked_cards()
    total = workshop.trays.count_sheets(None)
    binned = workshop.sheets.list_binned()
    disk = keeping.measure_disk(workshop)
    aside = len(workshop.originals.list_aside())
    return {
        "sheets": workshop.trays.list_sheets(None, shown),
        "scenes": workshop.scenes.list_all(),
        "binned_scenes": workshop.scenes.list_all(in_bin=True),
        "trays": [_show_tray(tray) for tray in workshop.trays.list_all()],
        "total": total,
        "shown": shown,
        "more": min(_CARDS, total - shown),
        "binned": binned,
        "moved": moved,
        "on": chosen_backdrop(),
        "sentence": say_trays(total),
        "said_bin": say_bin(len(binned) + len(workshop.scenes.list_all(in_bin=True)), disk),
        "said_disk": say_disk(disk),
        "loose": list_without_tray(workshop),
        "aside": aside,
        "said_aside": say_aside(aside),
        "watched": what_is_watched(),
        **_say_watched(),
    }


def _show_tray(tray: Tray) -> tuple[Tray, Markup, tuple[Card, ...]]:
    """Return a tray with what is said of it, and the first of its sheets."""
    overview = overview_of(the_workshop(), tray)
    return tray, say_tray(overview), overview.cards[:_IN_STRIP]


def _say_watched() -> dict[str, object]:
    watched = what_is_watched()
    if watched is None:
        return {}
    return {"said_watched": say_watched(watched), "not_taken": list_watched(watched)}


@blueprint.get("/watched")
def tell_watched() -> AnyResponse:
    """Say what came of the watched folder; where more came than a page knows of, with all that changed by it.

    The page is not loaded anew: a picture may be on its way in from there.
    """
    watched = what_is_watched()
    if watched is None:
        return send_nothing()
    if watched.came != int(read_argument("came", 0)):
        return Response(render_template("trays/_came.html", **_facts_for_templates()))
    return Response(render_template("trays/_watched.html", watched=watched, **_say_watched()))  # fmt: skip


@blueprint.get("/")
def show_trays() -> str:
    """Show every sheet."""
    return render_template(
        "trays/index.html",
        **_facts_for_templates(),
        backdrops=BACKDROPS,
        most_bytes=MAX_FILE_BYTES,
    )


@blueprint.get("/keys")
def show_keys() -> str:
    """Show every key: as a page, and to the page's script as what its dialog shows."""
    template = "_keys_shown.html" if "HX-Request" in request.headers else "keys.html"
    return render_template(template, keys=list_keys())


@blueprint.get("/getting-ready")
def show_compiling() -> str:
    """Show how far getting ready for the first time has come; nothing once it is done."""
    return render_template("_compiling.html")


@blueprint.get("/sheets")
def show_sheets() -> str:
    """Show the contact sheet alone, after pictures came in."""
    return render_template("trays/_changed.html", **_facts_for_templates())


def _answer(moved: Sheet | None = None, said: str = "") -> str | AnyResponse:
    """Show a changed tray: what changed to htmx, the whole page to a plain form."""
    if "HX-Request" in request.headers:
        return render_template("trays/_changed.html", **_facts_for_templates(moved), said=said)
    return redirect(url_for("trays.show_trays", on=chosen_backdrop(), shown=_asked_cards()), 303)


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
    size = int(read_argument("bytes", 0))
    keeping.check_room(the_workshop(), size, size if size > IN_MEMORY_BYTES else 0)
    return send_nothing()


@blueprint.post("/sheets")
def add() -> Response | AnyResponse:
    """Bring pictures in: one a request from the page's script, any number from a plain form."""
    files = [file for file in request.files.getlist("picture") if file.filename]
    if not files:
        raise BadImageError(
            gettext("No picture came with this request."), hint=gettext("Choose one and add it again.")
        )  # fmt: skip
    tray = int(read_argument("tray", 0)) or None
    if tray is not None:
        the_workshop().trays.load(tray)
    asked = Asked(
        read_number("page_dpi", float, PAGE_DPI), int(read_number("drawing_px", int, DRAWING_PX))
    )
    added: list[Sheet] = []
    refused: list[tuple[str, DomainError]] = []
    home = tray
    for file in files:
        try:
            with closing(file):
                brought = _bring_one(file, asked, tray)
        except DomainError as error:
            refused.append((to_shown_name(file.filename or ""), error))
            continue
        added += brought.sheets
        refused += brought.refused
        home = brought.tray or home
    if refused and not added and len(files) == 1:
        raise refused[0][1]
    wants_json = request.accept_mimetypes.best == "application/json"
    if refused and not wants_json:  # each of the others is there, and each of these is named
        page = render_template("trays/refused.html", added=added, refused=refused)
        return Response(page, outcome_of(refused[0][1])[0])
    place = url_for("bench.show", sheet_id=added[0].id)
    if len(added) > 1 or tray is not None:
        place = url_for("tray.show", tray_id=home) if home else url_for("trays.show_trays")
    if wants_json:
        said = "; ".join(f"{name}: {translate(error.message)}" for name, error in refused)
        response = jsonify(name=added[0].name, place=place, count=len(added), refused=said)
        response.status_code = 201
        return response
    return redirect(place, 303)


def _bring_one(file: FileStorage, asked: Asked, tray: int | None) -> Brought:
    """Bring in one file; a large one stays on the disk where it was laid aside, and is only looked at."""
    name = file.filename or ""
    has_left = request.environ.get("waitress.client_disconnected", stays)
    size = file.stream.seek(0, io.SEEK_END)
    file.stream.seek(0)
    if size <= _READ_BYTES:
        return bring_in(the_workshop(), file.stream.read(), name, asked, tray, has_left=has_left)
    with mmap.mmap(file.stream.fileno(), 0, access=mmap.ACCESS_READ) as data:
        return bring_in(the_workshop(), data, name, asked, tray, has_left=has_left)


@blueprint.post("/set-aside/bring-back")
def bring_back() -> str | AnyResponse:
    """Make sheets again of originals that no sheet names, as many as there is time for."""
    brought = keeping.bring_back(the_workshop(), _BRING_BACK_S)
    return _answer(said=say_brought(brought))
