"""Step 6, proof: what the cut is judged on, and the faults that are found in it."""

from flask import Response, abort, request

from tidymargin.formats.proofing import LimitsEntry
from tidymargin.services.edits import mending, settings
from tidymargin.services.views.faults import load_faults
from tidymargin.services.views.viewing import make_crop
from tidymargin.web.answers import Answer, answer, given, read_number, show_found, the_edit
from tidymargin.web.context import sheet_blueprint, the_sheet, the_workshop

blueprint = sheet_blueprint("proof")


@blueprint.post("/proof")
def set_backdrop() -> Answer:
    """Set the backdrop of any colour."""
    backdrop = request.form.get("backdrop", "")
    return answer(settings.set_values(the_edit(), "backdrop", backdrop=backdrop))


@blueprint.post("/proof/strip")
def set_strip() -> Answer:
    """Choose which backdrops stand in the strip."""
    chosen = request.form.getlist("strip")
    return answer(settings.set_values(the_edit(), "strip", strip=chosen))


@blueprint.post("/proof/print")
def set_print() -> Answer:
    """Say how wide the figure is to be printed; an empty field says nothing of it."""
    said = str(given().get("print_mm", "")).strip()
    print_mm = read_number("print_mm", float) if said else None
    return answer(settings.set_values(the_edit(), "print_size", print_mm=print_mm))


@blueprint.post("/proof/limits")
def set_limits() -> Answer:
    """Set from which measure faults count; an empty field is the usual one."""
    values: dict[str, float | None] = {}
    for name in LimitsEntry.model_fields:
        if name in given():
            values[name] = read_number(name, float) if str(given()[name]).strip() else None
    return answer(mending.set_limits(the_edit(), **values))


@blueprint.get("/faults")
def show_faults() -> str | Response:
    """Show the faults as soon as they are found, and what counts them elsewhere."""
    return show_found(load_faults, "bench/_faults_found.html")


@blueprint.get("/faults/<int:number>.png")
def show_fault(number: int) -> Response:
    """Send a small picture of a fault's place."""
    sheet = the_sheet()
    faults = load_faults(the_workshop(), sheet)
    if not 0 <= number < len(faults):
        abort(404)
    return Response(make_crop(the_workshop(), sheet, faults[number].box), mimetype="image/png")


@blueprint.post("/faults/<int:number>/<any(mend, accept):what>")
def decide_fault(number: int, what: str) -> Answer:
    """Mend a fault by the one change known for it, or let it be."""
    decide = mending.mend_fault if what == "mend" else mending.accept_fault
    return answer(decide(the_edit(), number))


@blueprint.post("/faults/again")
def list_again() -> Answer:
    """List accepted faults again."""
    return answer(mending.forget_accepted(the_edit()))
