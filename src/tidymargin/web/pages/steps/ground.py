"""Step 1, the ground: its kind and colours, the work area, the figure's nature."""

from flask import Blueprint, request

from tidymargin.core.base.errors import BadParameterError
from tidymargin.services.edits import settings
from tidymargin.web.answers import Answer, answer, read_number, read_seen
from tidymargin.web.context import the_workshop
from tidymargin.web.words import gettext

blueprint = Blueprint("ground", __name__, url_prefix="/sheets/<int:sheet_id>")


@blueprint.post("/area")
def set_area(sheet_id: int) -> Answer:
    """Set the work area by its four corners, each given as x,y."""
    given = [request.form.get(f"corner_{at}", "") for at in range(4)]
    try:
        pairs = [[float(part) for part in corner.split(",")] for corner in given]
        corners = [(x, y) for x, y in pairs]
    except ValueError as error:
        raise BadParameterError(
            gettext("Expected each corner as x,y in pixels, such as 120,45."), field="area"
        ) from error
    return answer(settings.set_area(the_workshop(), sheet_id, read_seen(), corners))


@blueprint.post("/area/whole")
def reset_area(sheet_id: int) -> Answer:
    """Work on the whole picture."""
    return answer(settings.set_area(the_workshop(), sheet_id, read_seen(), "auto"))


@blueprint.post("/area/turn/<any(left, right):way>")
def turn_area(sheet_id: int, way: str) -> Answer:
    """Turn the work area by a quarter."""
    quarters = 1 if way == "right" else 3
    return answer(settings.turn_area(the_workshop(), sheet_id, read_seen(), quarters))


@blueprint.post("/area/tilt")
def tilt_area(sheet_id: int) -> Answer:
    """Tilt what the work area holds."""
    degrees = read_number("degrees", float)
    return answer(settings.tilt_area(the_workshop(), sheet_id, read_seen(), degrees))


@blueprint.post("/area/page")
def square_up(sheet_id: int) -> Answer:
    """Make the page that was found the work area."""
    return answer(settings.square_up(the_workshop(), sheet_id, read_seen()))


@blueprint.post("/ground")
def set_ground(sheet_id: int) -> Answer:
    """Set the ground's kind."""
    kind = request.form.get("kind", "")
    return answer(settings.set_ground(the_workshop(), sheet_id, read_seen(), kind))


@blueprint.post("/ground/colour")
def set_ground_colour(sheet_id: int) -> Answer:
    """Set the ground's colour."""
    colour = request.form.get("colour", "")
    return answer(settings.set_ground_colour(the_workshop(), sheet_id, read_seen(), colour))


@blueprint.post("/ground/also")
def add_ground_colour(sheet_id: int) -> Answer:
    """Add a further flat colour to the ground."""
    colour = request.form.get("colour", "")
    return answer(settings.add_ground_colour(the_workshop(), sheet_id, read_seen(), colour))


@blueprint.post("/ground/also/<int:number>/remove")
def remove_ground_colour(sheet_id: int, number: int) -> Answer:
    """Take a further colour of the ground away."""
    return answer(settings.remove_ground_colour(the_workshop(), sheet_id, read_seen(), number))


@blueprint.post("/figure")
def set_figure(sheet_id: int) -> Answer:
    """Set the figure's nature."""
    nature = request.form.get("figure", "")
    return answer(settings.set_figure(the_workshop(), sheet_id, read_seen(), nature))


@blueprint.post("/preparations")
def switch_preparation(sheet_id: int) -> Answer:
    """Begin or end doing something for the key only."""
    chosen = request.form.get("preparation", "")
    return answer(settings.switch_preparation(the_workshop(), sheet_id, read_seen(), chosen))
