"""Step 3, by hand: areas that are kept or cleared whatever the key says."""

from flask import Blueprint

from tidymargin.core.base.errors import BadParameterError
from tidymargin.services import deciding
from tidymargin.web.answers import Answer, answer, given, read_seen
from tidymargin.web.context import the_workshop
from tidymargin.web.numbers import require_small
from tidymargin.web.words import gettext

blueprint = Blueprint("by_hand", __name__, url_prefix="/sheets/<int:sheet_id>")


def _to_place(said: object) -> float:
    return float(require_small(float(str(said)), "rings"))


@blueprint.post("/areas/<any(keep, clear):verdict>")
def mark_area(sheet_id: int, verdict: str) -> Answer:
    """Keep or clear what rings surround, each a list of pairs x, y."""
    try:
        rings = [[(_to_place(x), _to_place(y)) for x, y in ring] for ring in given()["rings"]]
    except (KeyError, TypeError, ValueError) as error:
        raise BadParameterError(
            gettext("Expected rings, each a list of places [x, y]."), field="rings"
        ) from error
    return answer(deciding.mark_area(the_workshop(), sheet_id, read_seen(), verdict, rings))


@blueprint.post("/areas/<int:number>/switch")
def switch_area(sheet_id: int, number: int) -> Answer:
    """Switch an area off, or on again."""
    return answer(deciding.switch_area(the_workshop(), sheet_id, read_seen(), number))


@blueprint.post("/areas/<int:number>/remove")
def remove_area(sheet_id: int, number: int) -> Answer:
    """Take an area away."""
    return answer(deciding.remove_area(the_workshop(), sheet_id, read_seen(), number))
