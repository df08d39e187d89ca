"""What every page of a scene does: read what a change says, and answer with the changed ledger."""

from flask import jsonify, make_response, redirect, render_template, request, url_for

from tidymargin.core.base.errors import BadParameterError, UnreadableStepError
from tidymargin.services.scenes.editing import SceneEdit
from tidymargin.store.values import SavedScene
from tidymargin.web.answers import Answer, given, read_number, read_seen
from tidymargin.web.context import the_scene, the_workshop
from tidymargin.web.scene_ledger import gather_scene, is_scene_step
from tidymargin.web.words import gettext


def opened_sentence() -> str:
    """Return the sentence that is open in a scene's ledger, or nothing."""
    asked = str(given().get("open", "") if request.is_json else request.values.get("open", ""))
    return asked if is_scene_step(asked) else ""


def the_scene_edit() -> SceneEdit:
    """Return what a request is about to change: the scene of its address."""
    return SceneEdit(the_workshop(), the_scene(), read_seen())


def answer_scene(saved: SavedScene, opened: str | None = None) -> Answer:
    """Show a changed scene: its ledger to htmx and to the stage's scripts, its page to a plain form."""
    opened = opened_sentence() if opened is None else opened
    if request.is_json:
        ledger = render_template("scenes/_changed.html", **gather_scene(the_workshop(), saved, opened))  # fmt: skip
        return jsonify(head=saved.head, ledger=ledger)
    if "HX-Request" not in request.headers:
        return redirect(url_for("scenes.show", scene_id=saved.id, open=opened or None), 303)
    try:
        return make_response(render_template("scenes/_changed.html", **gather_scene(the_workshop(), saved, opened)))  # fmt: skip
    except UnreadableStepError:
        response = make_response("")
        response.headers["HX-Redirect"] = url_for("scenes.show", scene_id=saved.id)
        return response


def read_keys() -> list[int]:
    """Return the cuts that a change is about."""
    return read_keys_of(str(given().get("keys", "")))


def read_keys_of(said: str) -> list[int]:
    """Return the keys of cuts, as they are said with commas."""
    keys = [part for part in said.split(",") if part]
    if not all(part.isascii() and part.isdigit() and len(part) < 10 for part in keys):
        raise BadParameterError(gettext("Expected the numbers of cuts."), field="keys")
    return [int(part) for part in keys]


def read_key() -> int:
    """Return the cut that a change is about."""
    return int(read_number("key", int))


def is_on(name: str) -> bool:
    """Whether a field of a change is switched on."""
    return str(given().get(name, "")) == "1"
