"""Scenes: cuts arranged on a base, with their ledger, their history and their long work."""

from typing import Any

from flask import Response, jsonify, render_template, request

from tidymargin.core.base.errors import BadParameterError, StoppedError, UnreadableStepError
from tidymargin.formats.arrangement import ArrangedBase, Series
from tidymargin.services.scenes import editing
from tidymargin.services.scenes.exporting import scene_export_name
from tidymargin.services.scenes.opening import load_rim_lines, look_at_saved, open_name
from tidymargin.web.answers import Answer, given, read_number, read_seen
from tidymargin.web.context import scene_blueprint, send_nothing, the_scene, the_workshop
from tidymargin.web.scene_answers import (
    answer_scene,
    is_on,
    opened_sentence,
    read_key,
    the_scene_edit,
)
from tidymargin.web.scene_ledger import gather_scene
from tidymargin.web.sentences.scenes import list_rims
from tidymargin.web.words import gettext

blueprint = scene_blueprint("scenes")


@blueprint.get("/")
def show() -> Answer:
    """Show a scene."""
    saved = the_scene()
    try:
        page = render_template("scenes/index.html", **gather_scene(the_workshop(), saved, opened_sentence()))  # fmt: skip
    except UnreadableStepError as error:
        return Response(render_template("error.html", error=error), 422)
    return Response(page)


@blueprint.get("/ledger")
def show_ledger() -> str:
    """Show the ledger and what goes with it alone, as after a change."""
    return render_template("scenes/_changed.html", **gather_scene(the_workshop(), the_scene(), opened_sentence()))  # fmt: skip


@blueprint.get("/head")
def tell_head() -> Response:
    """Tell the number of the present state, and the name of what it shows: its sheets change as well."""
    saved = the_scene()
    return jsonify(head=saved.head, look=look_at_saved(the_workshop(), saved).name)


@blueprint.post("/name")
def rename() -> Answer:
    """Give a scene another name."""
    return answer_scene(editing.rename_scene(the_workshop(), the_scene().id, str(given().get("name", ""))))  # fmt: skip


@blueprint.post("/renew")
def renew() -> Answer:
    """Use the new cut of every picture that an older engine cut."""
    saved = the_scene()
    editing.renew_cuts(the_workshop(), saved)
    return answer_scene(saved)


@blueprint.post("/base")
def set_base() -> Answer:
    """Set what the cuts lie on."""
    kind = str(given().get("kind", ""))
    values: dict[str, Any] = {}
    if kind == "colour":
        values = {"colour": given().get("colour", "#FFFFFF")}
    elif kind == "gradient":
        values = {"gradient": {"start": given().get("start", "#FFFFFF"), "end": given().get("end", "#1D3557"), "turn": read_number("turn", float, 0)}}  # fmt: skip
    elif kind == "picture":
        values = {"sheet": int(read_number("sheet", int))}
    elif kind != "nothing":
        raise BadParameterError(gettext("Expected nothing, a colour, a gradient or a picture as base."), field="kind")  # fmt: skip
    try:
        base = ArrangedBase.model_validate(values)
    except ValueError as error:
        raise BadParameterError(gettext("Expected colours like #1C325E."), field="kind") from error
    return answer_scene(editing.set_base(the_scene_edit(), base, takes_size=is_on("takes_size")))


@blueprint.post("/size")
def set_size() -> Answer:
    """Set the scene's size, in px or mm, and how large a pixel is on paper."""
    edit = the_scene_edit()
    arrangement = edit.arrangement
    dpi = read_number("dots_per_inch", float, arrangement.dots_per_inch)
    unit = "mm" if given().get("unit") == "mm" else "px"
    px = arrangement.changed(dots_per_inch=dpi).mm_per_px if unit == "mm" else 1.0
    width, height = (max(1, round(read_number(name, float) / px)) for name in ("width", "height"))
    return answer_scene(editing.set_size(edit, width, height, dpi, unit))


@blueprint.post("/format")
def set_format() -> Answer:
    """Set what file is written."""
    edit = the_scene_edit()
    return answer_scene(editing.commit(edit, edit.arrangement.changed(format=str(given().get("format", ""))), "format"))  # fmt: skip


@blueprint.post("/series")
def set_series() -> Answer:
    """Set what fills the scene in turn, or nothing."""
    edit = the_scene_edit()
    series = None
    if str(given().get("tray", "")):
        tray, key = int(read_number("tray", int)), read_key()
        edit.workshop.trays.load(tray)
        edit.arrangement.find(key)
        series = Series(tray=tray, key=key)
    return answer_scene(editing.commit(edit, edit.arrangement.changed(series=series), "series"))


@blueprint.post("/undo")
def undo() -> Answer:
    """Take the last change back."""
    return answer_scene(the_workshop().scenes.undo(the_scene().id, read_seen()))


@blueprint.post("/redo")
def redo() -> Answer:
    """Bring back what was undone last."""
    return answer_scene(the_workshop().scenes.redo(the_scene().id, read_seen()))


@blueprint.post("/history/<int:state>")
def visit(state: int) -> Answer:
    """Go to any state of the history."""
    return answer_scene(the_workshop().scenes.visit(the_scene().id, read_seen(), state))


@blueprint.post("/versions")
def keep_version() -> Answer:
    """Keep the present state under a name."""
    return answer_scene(editing.keep_version(the_scene_edit(), str(given().get("version", ""))))


@blueprint.post("/versions/<int:version_id>/forget")
def forget_version(version_id: int) -> Answer:
    """Take a version's name away."""
    return answer_scene(the_workshop().scenes.forget_version(the_scene().id, version_id))


@blueprint.get("/rims")
def show_rims() -> str | Response:
    """Show the lines along rims that this base makes seen, as soon as they are found."""
    saved = the_scene()
    try:
        found = load_rim_lines(the_workshop(), look_at_saved(the_workshop(), saved))
    except StoppedError:
        return send_nothing()
    return render_template("scenes/_rims.html", rims=list_rims(found), is_looked_for=True)


def _job_name() -> str:
    """Return the name of the long work that a request asks about: writing the scene, or putting it together."""
    looked = look_at_saved(the_workshop(), the_scene())
    is_export = request.values.get("work") == "export"
    return scene_export_name(the_scene(), looked) if is_export else open_name(looked)


@blueprint.get("/progress")
def tell_progress() -> Response:
    """Tell how far long work has come, 0 to 1; null when it is not going on."""
    return jsonify(share=the_workshop().executor.progress(_job_name()))


@blueprint.post("/stop")
def stop_work() -> Response:
    """Stop long work; what is saved stays as it is."""
    the_workshop().executor.stop(_job_name())
    return send_nothing()
