"""Step 7, export: what part of the sheet is written."""

from flask import Blueprint, request

from tidymargin.services import settings
from tidymargin.web.answers import Answer, answer, read_number, read_seen
from tidymargin.web.context import the_workshop

blueprint = Blueprint("export", __name__, url_prefix="/sheets/<int:sheet_id>")


@blueprint.post("/export")
def set_trim(sheet_id: int) -> Answer:
    """Set what part of the sheet is exported."""
    trim = request.form.get("extent") == "trim"
    margin_px = int(read_number("margin_px", int))
    return answer(settings.set_trim(the_workshop(), sheet_id, read_seen(), trim, margin_px))
