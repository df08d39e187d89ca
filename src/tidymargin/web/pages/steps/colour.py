"""Step 5, colour: a screen's light, the inks, depth and light, other colours, and what lies under the figure."""

from flask import Blueprint, request

from tidymargin.services.edits import finishing, settings
from tidymargin.web.answers import Answer, answer, given, read_number, read_place, read_seen
from tidymargin.web.context import the_workshop

blueprint = Blueprint("colour", __name__, url_prefix="/sheets/<int:sheet_id>")

_SIGNED = ("brightness", "contrast")


@blueprint.post("/spill")
def set_spill(sheet_id: int) -> Answer:
    """Set how much of a screen's light is taken off, in percent."""
    amount = read_number("spill", float) / 100
    return answer(settings.set_spill(the_workshop(), sheet_id, read_seen(), amount))


@blueprint.post("/spill/places")
def place_spill(sheet_id: int) -> Answer:
    """Take another amount off around a place."""
    row, col = read_place()
    radius_px = read_number("radius_px", float)
    amount = read_number("amount", float) / 100
    return answer(
        finishing.place_spill(the_workshop(), sheet_id, read_seen(), row, col, radius_px, amount)
    )


@blueprint.post("/spill/guards")
def guard_spill(sheet_id: int) -> Answer:
    """Take no light off a colour."""
    colour = str(given().get("spill_guard", ""))
    return answer(finishing.guard_spill(the_workshop(), sheet_id, read_seen(), colour))


@blueprint.post("/spill/<any(places, guards):what>/<int:number>/remove")
def forget_spill(sheet_id: int, what: str, number: int) -> Answer:
    """Let a place or a guard go."""
    return answer(finishing.forget_spill(the_workshop(), sheet_id, read_seen(), what, number))  # type: ignore[arg-type]


@blueprint.post("/inks/<any(drop, keep):verdict>")
def decide_ink(sheet_id: int, verdict: str) -> Answer:
    """Drop one of several inks, or bring it back."""
    decide = settings.drop_ink if verdict == "drop" else settings.bring_back_ink
    return answer(decide(the_workshop(), sheet_id, read_seen(), request.form.get("ink", "")))


@blueprint.post("/tone")
def set_tone(sheet_id: int) -> Answer:
    """Set ink depth, brightness, contrast and saturation, in percent."""
    values = {
        name: read_number(name, float) / 100
        for name in ("depth", *_SIGNED, "saturation")
        if name in given()
    }
    return answer(finishing.set_tone(the_workshop(), sheet_id, read_seen(), **values))


@blueprint.post("/recolour")
def recolour(sheet_id: int) -> Answer:
    """Give all of the figure one colour, or a gradient of two."""
    form = given()
    towards = str(form.get("towards", "")) if form.get("goes") == "gradient" else None
    degrees = read_number("degrees", float) if towards is not None else 0.0
    colour = str(form.get("colour", ""))
    return answer(
        finishing.recolour(the_workshop(), sheet_id, read_seen(), colour, towards, degrees)
    )


@blueprint.post("/recolour/none")
def keep_colours(sheet_id: int) -> Answer:
    """Give the figure its own colours again."""
    return answer(finishing.recolour(the_workshop(), sheet_id, read_seen(), None))


@blueprint.post("/recolour/pieces")
def recolour_piece(sheet_id: int) -> Answer:
    """Give the piece at a place a colour of its own."""
    row, col = read_place()
    colour = str(given().get("colour", ""))
    return answer(finishing.recolour_piece(the_workshop(), sheet_id, read_seen(), row, col, colour))


@blueprint.post("/recolour/pieces/<int:number>/remove")
def forget_piece(sheet_id: int, number: int) -> Answer:
    """Give a piece its colour back."""
    return answer(finishing.forget_piece(the_workshop(), sheet_id, read_seen(), number))


@blueprint.post("/backing")
def set_backing(sheet_id: int) -> Answer:
    """Lay a layer under the figure."""
    form = given()
    grown = read_number("grown", float)
    if form.get("unit") == "mm":
        grown *= finishing.px_per_mm(the_workshop(), sheet_id)
    backing = {
        "colour": form.get("backing", ""),
        "grown_px": grown,
        "fills_holes": form.get("holes") == "filled",
    }
    return answer(finishing.set_backing(the_workshop(), sheet_id, read_seen(), backing))


@blueprint.post("/backing/none")
def drop_backing(sheet_id: int) -> Answer:
    """Take the layer under the figure away."""
    return answer(finishing.set_backing(the_workshop(), sheet_id, read_seen(), None))


@blueprint.post("/shadow")
def set_shadow(sheet_id: int) -> Answer:
    """Set how much of a shadow is kept, in percent."""
    amount = read_number("shadow", float) / 100
    return answer(finishing.set_shadow(the_workshop(), sheet_id, read_seen(), amount))
