"""Step 5, colour: a screen's light, the inks, depth and light, other colours, and what lies under the figure."""

from flask import request

from tidymargin.services.edits import finishing, settings
from tidymargin.web.answers import Answer, answer, given, read_number, read_place, the_edit
from tidymargin.web.context import sheet_blueprint, the_sheet

blueprint = sheet_blueprint("colour")

_SIGNED = ("brightness", "contrast")


@blueprint.post("/spill")
def set_spill() -> Answer:
    """Set how much of a screen's light is taken off, in percent."""
    amount = read_number("spill", float) / 100
    return answer(settings.set_values(the_edit(), "spill", spill=amount))


@blueprint.post("/spill/places")
def place_spill() -> Answer:
    """Take another amount off around a place."""
    row, col = read_place()
    radius_px = read_number("radius_px", float)
    amount = read_number("amount", float) / 100
    return answer(finishing.place_spill(the_edit(), row, col, radius_px, amount))


@blueprint.post("/spill/guards")
def guard_spill() -> Answer:
    """Take no light off a colour."""
    colour = str(given().get("spill_guard", ""))
    return answer(finishing.guard_spill(the_edit(), colour))


@blueprint.post("/spill/<any(places, guards):what>/<int:number>/remove")
def forget_spill(what: str, number: int) -> Answer:
    """Let a place or a guard go."""
    return answer(finishing.forget_spill(the_edit(), what, number))  # type: ignore[arg-type]


@blueprint.post("/inks/<any(drop, keep):verdict>")
def decide_ink(verdict: str) -> Answer:
    """Drop one of several inks, or bring it back."""
    decide = settings.drop_ink if verdict == "drop" else settings.bring_back_ink
    return answer(decide(the_edit(), request.form.get("ink", "")))


@blueprint.post("/tone")
def set_tone() -> Answer:
    """Set ink depth, brightness, contrast and saturation, in percent."""
    values = {
        name: read_number(name, float) / 100
        for name in ("depth", *_SIGNED, "saturation")
        if name in given()
    }
    return answer(settings.set_values(the_edit(), "tone", **values))


@blueprint.post("/recolour")
def recolour() -> Answer:
    """Give all of the figure one colour, or a gradient of two."""
    form = given()
    towards = str(form.get("towards", "")) if form.get("goes") == "gradient" else None
    degrees = read_number("degrees", float) if towards is not None else 0.0
    colour = str(form.get("colour", ""))
    return answer(finishing.recolour(the_edit(), colour, towards, degrees))


@blueprint.post("/recolour/none")
def keep_colours() -> Answer:
    """Give the figure its own colours again."""
    return answer(finishing.recolour(the_edit(), None))


@blueprint.post("/recolour/pieces")
def recolour_piece() -> Answer:
    """Give the piece at a place a colour of its own."""
    row, col = read_place()
    colour = str(given().get("colour", ""))
    return answer(finishing.recolour_piece(the_edit(), row, col, colour))


@blueprint.post("/recolour/pieces/<int:number>/remove")
def forget_piece(number: int) -> Answer:
    """Give a piece its colour back."""
    return answer(finishing.forget_piece(the_edit(), number))


@blueprint.post("/backing")
def set_backing() -> Answer:
    """Lay a layer under the figure."""
    form = given()
    grown = read_number("grown", float)
    if form.get("unit") == "mm":
        grown *= finishing.px_per_mm(the_sheet())
    backing = {
        "colour": form.get("backing", ""),
        "grown_px": grown,
        "fills_holes": form.get("holes") == "filled",
    }
    return answer(finishing.set_backing(the_edit(), backing))


@blueprint.post("/backing/none")
def drop_backing() -> Answer:
    """Take the layer under the figure away."""
    return answer(finishing.set_backing(the_edit(), None))


@blueprint.post("/shadow")
def set_shadow() -> Answer:
    """Set how much of a shadow is kept, in percent."""
    amount = read_number("shadow", float) / 100
    return answer(settings.set_values(the_edit(), "shadow", shadow=amount))
