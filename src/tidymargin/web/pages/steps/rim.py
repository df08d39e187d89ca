"""Step 4, rim: how far it is drawn in, smoothed and softened."""

from tidymargin.services.edits import finishing, settings
from tidymargin.web.answers import Answer, answer, given, read_number, the_edit
from tidymargin.web.context import sheet_blueprint

blueprint = sheet_blueprint("rim")

_IN_PERCENT = ("black", "white", "fringe")
_FIELDS = ("choke_px", "smooth_px", "feather_px", "black", "white", "gamma", "fringe", "fringe_px")


@blueprint.post("/rim")
def set_rim() -> Answer:
    """Set what the form says; what it does not name stays as it is."""
    values: dict[str, float | bool] = {}
    for name in _FIELDS:
        if name in given():
            values[name] = read_number(name, float) / (100 if name in _IN_PERCENT else 1)
    if "spares_lines" in given():
        values["spares_lines"] = given()["spares_lines"] == "yes"
    return answer(settings.set_values(the_edit(), "rim", **values))


@blueprint.post("/rim/<any(everyday, jags, reset):what>")
def set_at_once(what: str) -> Answer:
    """Set the everyday pair, take jags off, or leave rims as they are solved."""
    edit = the_edit()
    match what:
        case "everyday":
            sheet = settings.set_values(edit, "rim", **finishing.EVERYDAY)
        case "jags":
            sheet = settings.set_values(edit, "rim", smooth_px=finishing.JAGS_PX)
        case _:
            sheet = finishing.reset_rim(edit)
    return answer(sheet)
