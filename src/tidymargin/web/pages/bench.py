"""The bench: one sheet with its ledger, its history, and the long work that goes on for it."""

from flask import Response, jsonify, render_template, request

from tidymargin.core.base.errors import BadParameterError, StoppedError, UnreadableStepError
from tidymargin.services.edits import changing, history
from tidymargin.services.trays import carrying
from tidymargin.services.views import finding
from tidymargin.services.views.asked import load_questions, load_resting
from tidymargin.services.views.measuring import resume_measuring, stop_measuring
from tidymargin.services.workshop.identity import export_name, facts_name
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.store.values import Sheet
from tidymargin.web.answers import Answer, answer, gather_page, show_found, the_edit
from tidymargin.web.context import send_nothing, sheet_blueprint, the_sheet, the_workshop
from tidymargin.web.ledger import gather_unreadable

blueprint = sheet_blueprint("bench")


@blueprint.get("/")
def show() -> str:
    """Show a sheet."""
    sheet = the_sheet()
    try:
        return render_template("bench/index.html", **gather_page(sheet))
    except UnreadableStepError as error:  # the state is shown all the same, as far as it can be
        values = gather_unreadable(the_workshop(), sheet, error)
        return render_template("bench/unreadable.html", **values)


@blueprint.get("/ledger")
def show_ledger() -> str:
    """Show the ledger and what goes with it alone, as after a change."""
    sheet = the_sheet()
    return render_template("bench/_changed.html", **gather_page(sheet))


@blueprint.get("/gaps")
def show_gaps() -> str | Response:
    """Show the gaps as soon as they are found, and the sentence that names them."""
    return show_found(finding.load_narrows, "bench/_gaps_found.html")


@blueprint.get("/questions")
def show_questions() -> str | Response:
    """Show what could be either way as soon as that is found, and what counts it elsewhere."""

    def look(workshop: Workshop, sheet: Sheet) -> None:
        load_questions(workshop, sheet)
        load_resting(workshop, sheet)

    return show_found(look, "bench/_questions_found.html")


@blueprint.get("/alike")
def show_alike() -> str | Response:
    """Show what the last answer could be carried to, as far as that is known, and what it was carried to."""
    sheet = the_sheet()
    try:
        offer = carrying.find_offer(the_workshop(), sheet)
    except StoppedError:  # the sheet has gone on, and its ledger asks anew
        return send_nothing()
    carried = carrying.list_carried(the_workshop(), sheet)
    return render_template("bench/_alike.html", sheet=sheet, offer=offer, carried=carried)


@blueprint.post("/alike")
def carry_answer() -> Answer:
    """Answer what is alike and chosen on the other sheets of the tray as the last change did."""
    edit = the_edit()
    sheet = edit.workshop.sheets.load_seen(edit.sheet.id, edit.seen)
    carrying.carry_answer(edit.workshop, sheet, set(request.form.getlist("place")))
    return answer(sheet)


@blueprint.post("/alike/back")
def take_answer_back() -> Answer:
    """Take an answer back wherever it was carried to."""
    edit = the_edit()
    sheet = edit.workshop.sheets.load_seen(edit.sheet.id, edit.seen)
    carrying.take_back(edit.workshop, sheet)
    return answer(edit.workshop.sheets.load(sheet.id))


@blueprint.post("/undo")
def undo() -> Answer:
    """Take the last change back."""
    return answer(history.undo_change(the_edit()))


@blueprint.post("/redo")
def redo() -> Answer:
    """Bring back what was undone last."""
    return answer(history.redo_change(the_edit()))


@blueprint.post("/history/<int:state>")
def visit(state: int) -> Answer:
    """Go to any state of the history."""
    return answer(history.visit_state(the_edit(), state))


def _name_export(sheet: Sheet) -> str:
    return export_name(sheet)


_WORK = {"measuring": facts_name, "export": _name_export}


def _read_work() -> str:
    """Return the kind of job that a request asks about."""
    asked = request.values.get("work", "")
    if asked not in _WORK:
        raise BadParameterError("Expected “measuring” or “export” as work.", field="work")
    return asked


@blueprint.post("/new-cut")
def use_new_cut() -> Answer:
    """Take an older engine's sheet as the present one cuts it."""
    return answer(changing.use_new_cut(the_edit()))


@blueprint.get("/progress")
def tell_progress() -> Response:
    """Tell how far long work has come, 0 to 1; null when it is not going on."""
    workshop = the_workshop()
    name = _WORK[_read_work()](the_sheet())
    return jsonify(share=workshop.executor.progress(name))


@blueprint.post("/stop")
def stop_work() -> Answer:
    """Stop long work; what is saved stays as it is."""
    workshop = the_workshop()
    sheet = the_sheet()
    if _read_work() == "measuring":
        stop_measuring(workshop, sheet)
    else:
        workshop.executor.stop(_name_export(sheet))
    return answer(sheet)


@blueprint.post("/measure")
def resume() -> Answer:
    """Measure a sheet after all."""
    sheet = the_sheet()
    resume_measuring(the_workshop(), sheet)
    return answer(sheet)


@blueprint.get("/head")
def tell_head() -> Response:
    """Tell the number of the present state, so that a tab can see that it is behind."""
    return jsonify(head=the_sheet().head)
