"""Step 5, colour: a screen's light and the inks."""

from flask import Blueprint, request

from tidymargin.services import settings
from tidymargin.web.answers import Answer, answer, read_number, read_seen
from tidymargin.web.context import the_workshop

blueprint = Blueprint("colour", __name__, url_prefix="/sheets/<int:sheet_id>")


@blueprint.post("/spill")
def set_spill(sheet_id: int) -> Answer:
    """Set how much of a screen's light is taken off, in percent."""
    amount = read_number("spill", float) / 100
    return answer(settings.set_spill(the_workshop(), sheet_id, read_seen(), amount))


@blueprint.post("/inks/<any(drop, keep):verdict>")
def decide_ink(sheet_id: int, verdict: str) -> Answer:
    """Drop one of several inks, or bring it back."""
    decide = settings.drop_ink if verdict == "drop" else settings.bring_back_ink
    return answer(decide(the_workshop(), sheet_id, read_seen(), request.form.get("ink", "")))
