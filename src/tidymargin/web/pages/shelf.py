"""Scenes as they lie on the page of trays: begun, put into the bin, and taken out of it."""

import io

from flask import Blueprint, redirect, request, url_for

from tidymargin.formats.arrangement import ArrangedBase, Arrangement
from tidymargin.services.folder import keeping
from tidymargin.services.scenes import editing
from tidymargin.services.scenes.bringing import bring_layers
from tidymargin.store.values import SavedScene
from tidymargin.web.answers import Answer, read_number
from tidymargin.web.context import the_workshop

blueprint = Blueprint("shelf", __name__)

NEW = Arrangement(width=1748, height=1240, dots_per_inch=300.0, unit="mm", base=ArrangedBase(colour="#FFFFFF"))  # fmt: skip
"""A card of A6, as a scene is when it is begun."""


@blueprint.post("/scenes")
def begin() -> Answer:
    """Begin a scene: an empty card, all sheets of a tray on a row, or the layers of a file."""
    workshop = the_workshop()
    name = request.form.get("name", "")
    file = request.files.get("layers")
    if file is not None and file.filename:
        keeping.check_room(workshop, file.stream.seek(0, io.SEEK_END))
        file.stream.seek(0)
        return _go_to(bring_layers(workshop, file.stream.read(), file.filename), "")
    if request.form.get("tray"):
        tray = workshop.trays.load(int(read_number("tray", int)))
        saved = editing.lay_row(workshop, name or tray.name, workshop.trays.list_sheets(tray.id)[::-1])  # fmt: skip
        return _go_to(saved, "")
    return _go_to(editing.add_scene(workshop, name, NEW), "base")


def _go_to(saved: SavedScene, opened: str) -> Answer:
    return redirect(url_for("scenes.show", scene_id=saved.id, open=opened or None), 303)


@blueprint.post("/scenes/<int:scene_id>/bin")
def bin_scene(scene_id: int) -> Answer:
    """Put a scene into the bin."""
    the_workshop().scenes.bin(scene_id)
    return redirect(url_for("trays.show_trays"), 303)


@blueprint.post("/scenes/<int:scene_id>/take-out")
def take_out(scene_id: int) -> Answer:
    """Take a scene out of the bin."""
    the_workshop().scenes.take_out(scene_id)
    return redirect(url_for("trays.show_trays"), 303)
