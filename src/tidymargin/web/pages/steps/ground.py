"""Step 1, the ground: its kind and colours, the work area, the figure's nature."""

from flask import request

from tidymargin.core.base.errors import BadParameterError
from tidymargin.services.edits import settings
from tidymargin.web.answers import Answer, answer, read_number, the_edit
from tidymargin.web.context import sheet_blueprint
from tidymargin.web.words import gettext

blueprint = sheet_blueprint("ground")


@blueprint.post("/area")
def set_area() -> Answer:
    """Set the work area by its four corners, each given as x,y."""
    given = [request.form.get(f"corner_{at}", "") for at in range(4)]
    try:
        pairs = [[float(part) for part in corner.split(",")] for corner in given]
        corners = [(x, y) for x, y in pairs]
    except ValueError as error:
        raise BadParameterError(
            gettext("Expected each corner as x,y in pixels, such as 120,45."), field="area"
        ) from error
    return answer(settings.set_area(the_edit(), corners))


@blueprint.post("/area/whole")
def reset_area() -> Answer:
    """Work on the whole picture."""
    return answer(settings.set_area(the_edit(), "auto"))


@blueprint.post("/area/turn/<any(left, right):way>")
def turn_area(way: str) -> Answer:
    """Turn the work area by a quarter."""
    quarters = 1 if way == "right" else 3
    return answer(settings.turn_area(the_edit(), quarters))


@blueprint.post("/area/tilt")
def tilt_area() -> Answer:
    """Tilt what the work area holds."""
    degrees = read_number("degrees", float)
    return answer(settings.tilt_area(the_edit(), degrees))


@blueprint.post("/area/page")
def square_up() -> Answer:
    """Make the page that was found the work area."""
    return answer(settings.square_up(the_edit()))


@blueprint.post("/ground")
def set_ground() -> Answer:
    """Set the ground's kind."""
    kind = request.form.get("kind", "")
    return answer(settings.set_ground(the_edit(), kind))


@blueprint.post("/ground/colour")
def set_ground_colour() -> Answer:
    """Set the ground's colour."""
    colour = request.form.get("colour", "")
    return answer(settings.set_values(the_edit(), "ground_colour", colour=colour))


@blueprint.post("/ground/also")
def add_ground_colour() -> Answer:
    """Add a further flat colour to the ground."""
    colour = request.form.get("colour", "")
    return answer(settings.add_ground_colour(the_edit(), colour))


@blueprint.post("/ground/also/<int:number>/remove")
def remove_ground_colour(number: int) -> Answer:
    """Take a further colour of the ground away."""
    return answer(settings.remove_ground_colour(the_edit(), number))


@blueprint.post("/figure")
def set_figure() -> Answer:
    """Set the figure's nature."""
    nature = request.form.get("figure", "")
    return answer(settings.set_values(the_edit(), "figure", figure=nature))


@blueprint.post("/preparations")
def switch_preparation() -> Answer:
    """Begin or end doing something for the key only."""
    chosen = request.form.get("preparation", "")
    return answer(settings.switch_preparation(the_edit(), chosen))
