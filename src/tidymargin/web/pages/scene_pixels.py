"""Pixels of scenes: windows for the stage and the proof strip, small pictures, and the exported file."""

import json

from flask import Response, jsonify, request

from tidymargin.core.base.errors import BadParameterError
from tidymargin.core.scenes.lifting import Film
from tidymargin.core.scenes.lining_up import Axis, list_stops
from tidymargin.formats.arrangement import ArrangedBase
from tidymargin.formats.encode import encode_quick
from tidymargin.services.scenes.exporting import export_scene
from tidymargin.services.scenes.opening import (
    Looked,
    lift_scene_cuts,
    load_scene,
    look_at,
    look_at_saved,
    render_scene_view,
    sources_at_hand,
)
from tidymargin.services.views.windows import View
from tidymargin.web.context import scene_blueprint, the_scene, the_workshop
from tidymargin.web.numbers import read_argument
from tidymargin.web.pages.pixels import read_view, send_file, send_raw
from tidymargin.web.scene_answers import read_keys_of
from tidymargin.web.words import gettext

blueprint = scene_blueprint("scene_pixels")

_SMALL_PX = 320


def _look() -> Looked:
    """Return the scene as it is asked for: on another base, or as it is."""
    looked = look_at_saved(the_workshop(), the_scene())
    arrangement = looked.arrangement
    on = request.args.get("on")
    if on is not None:
        try:
            base = ArrangedBase(colour=on) if on else ArrangedBase()
        except ValueError as error:
            raise BadParameterError(gettext("Expected a colour like #1C325E."), field="on") from error  # fmt: skip
        return look_at(the_workshop(), arrangement.changed(base=base))
    return looked


@blueprint.get("/view")
def show_view() -> Response:
    """Send a window of the scene as raw straight RGBA."""
    asker = request.args.get("asker", "")[:40]
    return send_raw(render_scene_view(the_workshop(), _look(), read_view(), asker))


@blueprint.get("/parts")
def show_parts() -> Response:
    """Send a window as parts, of which those of some cuts can be moved: raw straight RGBA one after the other, said in a header from the bottom up.

    Of each part its film, and after it the one within which it shows, if there is one.
    """
    looked = look_at_saved(the_workshop(), the_scene())
    keys = set(read_keys_of(request.args.get("keys", "")))
    parts = lift_scene_cuts(the_workshop(), looked, read_view(), keys)
    films = [film for part in parts for film in (part.film, part.within) if film is not None]
    response = Response(
        (film.rgba.tobytes() for film in films), mimetype="application/octet-stream"
    )
    response.headers["X-Parts"] = json.dumps([[_say_film(part.film), _say_film(part.within)] for part in parts])  # fmt: skip
    return response


def _say_film(film: Film | None) -> dict[str, int | bool] | None:
    if film is None:
        return None
    height, width = film.rgba.shape[:2]
    return {"left": film.left, "top": film.top, "width": width, "height": height, "moves": film.moves}  # fmt: skip


@blueprint.get("/at")
def find_at() -> Response:
    """Say which cut a click at a place takes: the frontmost that shows there, or with `beyond` the next below that."""
    looked = look_at_saved(the_workshop(), the_scene())
    scene = load_scene(the_workshop(), looked)
    number = scene.find_at(read_argument("x"), read_argument("y"), max(1.0, read_argument("cell", 1)))  # fmt: skip
    cut = None if number is None else looked.arrangement.cuts[number]
    return jsonify(key=None if cut is None else cut.key, name="" if cut is None else cut.name)


@blueprint.get("/stops")
def tell_stops() -> Response:
    """Tell where cuts that are moved meet edges and middles of the scene and of others, or stand at equal distances."""
    looked = look_at_saved(the_workshop(), the_scene())
    arrangement = looked.arrangement
    pieces = sources_at_hand(the_workshop(), looked)
    keys = set(read_keys_of(request.args.get("keys", "")))
    if pieces is None or not keys:
        return jsonify(across=[], down=[])
    boxes = {cut.key: pieces[cut.key].source.surround(pieces[cut.key].place) for cut in arrangement.cuts if not cut.hidden}  # fmt: skip
    held = [boxes[key] for key in keys if key in boxes]
    if not held:
        return jsonify(across=[], down=[])
    around = (min(b[0] for b in held), min(b[1] for b in held), max(b[2] for b in held), max(b[3] for b in held))  # fmt: skip
    others = [(cut.name, boxes[cut.key]) for cut in arrangement.cuts if cut.key in boxes and cut.key not in keys]  # fmt: skip
    size = (float(arrangement.width), float(arrangement.height))
    axes: tuple[tuple[Axis, int], ...] = (("across", 0), ("down", 1))
    words = {"edge": gettext("the edge of %(of)s"), "middle": gettext("the middle of %(of)s"), "gap": gettext("equal distances beside %(of)s")}  # fmt: skip
    said = {
        axis: [
            {"by": stop.at - around[side], "line": stop.line, "words": words[stop.kind] % {"of": f"“{stop.of}”" if stop.of else gettext("the scene")}}
            for stop in list_stops(around, others, size, axis)
        ]
        for axis, side in axes
    }  # fmt: skip
    return jsonify(said)


@blueprint.get("/thumbnail.png")
def show_thumbnail() -> Response:
    """Send a small picture of the scene."""
    looked = look_at_saved(the_workshop(), the_scene())
    height, width = looked.arrangement.height, looked.arrangement.width
    cell = max(1.0, max(height, width) / _SMALL_PX)
    view = View(0, 0, cell, max(1, round(width / cell)), max(1, round(height / cell)))
    small = encode_quick(render_scene_view(the_workshop(), looked, view))
    response = Response(small, mimetype="image/png")
    response.headers["Cache-Control"] = "private, max-age=86400"
    return response


@blueprint.get("/export")
def export() -> Response:
    """Send the scene as its export sentence says, or with `png` as one PNG."""
    saved = the_scene()
    looked = look_at_saved(the_workshop(), saved)
    made = export_scene(the_workshop(), saved, looked, kind="png" if "png" in request.args else "")
    return send_file(made.name, made.media, made.data)
