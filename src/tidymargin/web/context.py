"""What a request is answered with: the data folder that this application serves."""

from flask import Blueprint, Response, current_app, g, request

from tidymargin.services.folder.watching import Watched
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.store.values import SavedScene, Sheet

MOST_FORM_BYTES = 2 * 1024 * 1024
"""What a change may say, beside the files that come with it."""

IN_MEMORY_BYTES = 64 * 1024 * 1024
"""A larger request is laid aside in a file while it is sent."""


def the_workshop() -> Workshop:
    """Return the data folder that this application serves."""
    found: Workshop = current_app.extensions["workshop"]
    return found


def sheet_blueprint(name: str, below: str = "") -> Blueprint:
    """Return a blueprint for addresses of a sheet; its views ask `the_sheet` or `the_edit` which one that is.

    An address that says under `head` which state it shows is answered with nothing once the sheet has gone on.
    """
    made = Blueprint(name, __name__, url_prefix=f"/sheets/<int:sheet_id>{below}")

    @made.url_value_preprocessor
    def note_sheet(_: str | None, values: dict[str, int] | None) -> None:
        g.sheet_id = (values or {}).pop("sheet_id")

    @made.before_request
    def pass_over() -> Response | None:
        head = request.args.get("head")
        return send_nothing() if head is not None and head != str(the_sheet().head) else None

    return made


def scene_blueprint(name: str) -> Blueprint:
    """Return a blueprint for addresses of a scene; its views ask `the_scene` which one that is."""
    made = Blueprint(name, __name__, url_prefix="/scenes/<int:scene_id>")

    @made.url_value_preprocessor
    def note_scene(_: str | None, values: dict[str, int] | None) -> None:
        g.scene_id = (values or {}).pop("scene_id")

    return made


def the_scene() -> SavedScene:
    """Return the scene that a request is about, at its head as the request found it; it is loaded once."""
    if "scene" not in g:
        g.scene = the_workshop().scenes.load(g.scene_id)
    found: SavedScene = g.scene
    return found


def send_nothing() -> Response:
    """Answer a page that asks for nothing that there is now, which is no fault and no complaint of its browser's."""
    return Response(status=204)


def the_sheet() -> Sheet:
    """Return the sheet that a request is about, at its head as the request found it; it is loaded once."""
    if "sheet" not in g:
        g.sheet = the_workshop().sheets.load(g.sheet_id)
    found: Sheet = g.sheet
    return found


def what_is_watched() -> Watched | None:
    """Return what came of the folder that is watched; None where none is."""
    found: Watched | None = current_app.extensions["watched"]
    return found
