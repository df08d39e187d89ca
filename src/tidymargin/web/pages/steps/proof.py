"""Step 6, proof: what the cut is judged on."""

from flask import Blueprint, request

from tidymargin.services import settings
from tidymargin.web.answers import Answer, answer, read_seen
from tidymargin.web.context import the_workshop

blueprint = Blueprint("proof", __name__, url_prefix="/sheets/<int:sheet_id>")


@blueprint.post("/proof")
def set_backdrop(sheet_id: int) -> Answer:
    """Set the backdrop of any colour."""
    backdrop = request.form.get("backdrop", "")
    return answer(settings.set_backdrop(the_workshop(), sheet_id, read_seen(), backdrop))
