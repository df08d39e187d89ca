"""Step 2, reach: tolerance, picks, guards, fences, pockets, and what is dropped."""

from typing import Literal

from flask import request

from tidymargin.core.base.errors import BadParameterError
from tidymargin.services.edits import deciding, settings
from tidymargin.web.answers import Answer, answer, given, read_number, read_place, the_edit
from tidymargin.web.context import sheet_blueprint
from tidymargin.web.numbers import require_small
from tidymargin.web.words import gettext

blueprint = sheet_blueprint("reach")


@blueprint.post("/tolerance")
def set_tolerance() -> Answer:
    """Set the sheet's tolerance."""
    tolerance = read_number("tolerance", float)
    return answer(settings.set_values(the_edit(), "tolerance", tolerance=tolerance))


@blueprint.post("/tolerance/measured")
def reset_tolerance() -> Answer:
    """Go back to the measured tolerance."""
    return answer(settings.set_values(the_edit(), "tolerance", tolerance="auto"))


@blueprint.post("/start")
def set_start() -> Answer:
    """Set where clearing starts."""
    start = request.form.get("start", "")
    return answer(settings.set_values(the_edit(), "start", start=start))


@blueprint.post("/small-pieces")
def set_small_pieces() -> Answer:
    """Set below which size crumbs are dropped and pinholes filled."""
    crumbs_px = int(read_number("crumbs_px", int))
    pinholes_px = int(read_number("pinholes_px", int))
    return answer(
        settings.set_values(the_edit(), "crumbs", crumbs_px=crumbs_px, pinholes_px=pinholes_px)
    )


@blueprint.post("/picks")
def add_pick() -> Answer:
    """Do what a click at a place means."""
    return answer(deciding.pick_place(the_edit(), *read_place()))


@blueprint.post("/keep")
def keep_place() -> Answer:
    """Mark a place as figure."""
    return answer(deciding.keep_place(the_edit(), *read_place()))


@blueprint.post("/up-to")
def tune_up_to() -> Answer:
    """Set the tolerance up to a place."""
    changed = deciding.tune_at(the_edit(), *read_place(), takes=True)
    return answer(changed)


@blueprint.post("/short-of")
def tune_short_of() -> Answer:
    """Set the tolerance just short of a place."""
    changed = deciding.tune_at(the_edit(), *read_place(), takes=False)
    return answer(changed)


@blueprint.post("/guards")
def add_guard() -> Answer:
    """Guard the colour at a place."""
    return answer(deciding.guard_place(the_edit(), *read_place()))


@blueprint.post("/guards/<int:number>")
def set_guard(number: int) -> Answer:
    """Set how far a guard reaches."""
    tolerance = read_number("tolerance", float)
    return answer(deciding.set_guard(the_edit(), number, tolerance))


def _to_index(said: str | int) -> int:
    return int(require_small(int(said), "fences"))


@blueprint.post("/fences")
def add_fence() -> Answer:
    """Add a fence through places, given as x,y separated by spaces or as a list of pairs."""
    said = given().get("places", "")
    pairs = [part.split(",") for part in said.split()] if isinstance(said, str) else said
    try:
        places = [(_to_index(x), _to_index(y)) for x, y in pairs]
    except (TypeError, ValueError) as error:
        raise BadParameterError(
            gettext("Expected places as x,y separated by spaces."), field="fences"
        ) from error
    return answer(deciding.add_fence(the_edit(), places))


@blueprint.post("/<any(pick, region, pocket_rule, guard, fence):kind>s/<int:number>/remove")
def remove_thing(kind: str, number: int) -> Answer:
    """Take a pick, an answer, a rule, a guard or a fence away."""
    return answer(deciding.remove_thing(the_edit(), kind, number))


@blueprint.post("/pockets/<any(clear, keep):verdict>")
def decide_pocket(verdict: str) -> Answer:
    """Clear or keep the pocket at a place."""
    row, col = read_place()
    return answer(deciding.decide_pocket(the_edit(), row, col, verdict))


@blueprint.post("/pocket-rules/<any(clear, keep):verdict>")
def add_pocket_rule(verdict: Literal["clear", "keep"]) -> Answer:
    """Decide all pockets under a size alike."""
    under_px = int(read_number("under_px", int))
    return answer(deciding.add_pocket_rule(the_edit(), under_px, verdict))


@blueprint.post("/pockets/all/<any(clear, keep):verdict>")
def decide_pockets(verdict: str) -> Answer:
    """Clear or keep all pockets alike."""
    return answer(deciding.decide_pockets(the_edit(), verdict))


@blueprint.post("/questions/<any(clear, keep):verdict>")
def answer_question(verdict: Literal["clear", "keep"]) -> Answer:
    """Answer what is asked about a place, and all that is like it unless it is said alone."""
    row, col = read_place()
    alone = bool(given().get("alone"))
    return answer(deciding.answer_question(the_edit(), row, col, verdict, alone=alone))


@blueprint.post("/questions/rest")
def keep_rest() -> Answer:
    """Answer all that is asked by what becomes of it now."""
    return answer(deciding.keep_rest(the_edit()))


@blueprint.post("/strays/<int:number>/drop")
def drop_group(number: int) -> Answer:
    """Drop a group of solid things together."""
    return answer(deciding.drop_group(the_edit(), number))


@blueprint.post("/strays/back")
def bring_back_drops() -> Answer:
    """Bring back everything that was dropped."""
    return answer(deciding.bring_back_drops(the_edit()))


@blueprint.post("/narrows/<int:number>/fence")
def fence_narrow(number: int) -> Answer:
    """Fence a narrow gap."""
    return answer(deciding.fence_narrow(the_edit(), number))
