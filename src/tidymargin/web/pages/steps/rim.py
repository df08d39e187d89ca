"""Step 4, rim: how far it is drawn in, smoothed and softened."""

from flask import Blueprint

from tidymargin.services.edits import finishing
from tidymargin.web.answers import Answer, answer, given, read_number, read_seen
from tidymargin.web.context import the_workshop

blueprint = Blueprint("rim", __name__, url_prefix="/sheets/<int:sheet_id>")

_IN_PERCENT = ("black", "white", "fringe")
_FIELDS = ("choke_px", "smooth_px", "feather_px", "black", "white", "gamma", "fringe", "fringe_px")


@blueprint.post("/rim")
def set_rim(sheet_id: int) -> Answer:
    """Set what the form says; what it does not name stays as it is."""
    values: dict[str, float | bool] = {}
    for name in _FIELDS:
        if name in given():
            values[name] = read_number(name, float) / (100 if name in _IN_PERCENT else 1)
    if "spares_lines" in given():
        values["spares_lines"] = given()["spares_lines"] == "yes"
    return answer(finishing.set_rim(the_workshop(), sheet_id, read_seen(), **values))


@blueprint.post("/rim/<any(everyday, jags, reset):what>")
def set_at_once(sheet_id: int, what: str) -> Answer:
    """Set the everyday pair, take jags off, or leave rims as they are solved."""
    workshop, seen = the_workshop(), read_seen()
    match what:
        case "everyday":
            sheet = finishing.set_rim(workshop, sheet_id, seen, **finishing.EVERYDAY)
        case "jags":
            sheet = finishing.set_rim(workshop, sheet_id, seen, smooth_px=finishing.JAGS_PX)
        case _:
            sheet = finishing.reset_rim(workshop, sheet_id, seen)
    return answer(sheet)
