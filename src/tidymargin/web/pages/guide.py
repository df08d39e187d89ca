"""The guide by jobs, which opens its own pictures, and the hints of a first visit."""

from flask import Blueprint, redirect, render_template, request, url_for
from werkzeug.wrappers import Response as AnyResponse

from tidymargin.core.base.errors import NotFoundError
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.trays.trays import make_tray
from tidymargin.web.context import the_workshop
from tidymargin.web.language import keep_in_browser
from tidymargin.web.sentences.guide import JOBS, find_job, say_step
from tidymargin.web.words import gettext

blueprint = Blueprint("guide", __name__)

HINTS = "hints"
_MOST_LOOSE = 2


@blueprint.get("/guide")
def show_guide() -> str:
    """Show every job with its steps."""
    return render_template("guide.html", jobs=JOBS, say_step=say_step)


@blueprint.post("/guide/<key>/open")
def open_pictures(key: str) -> AnyResponse:
    """Bring in the pictures of a job, and go to where its first step is done."""
    from tidymargin.demo.guiding import draw_for_guide  # drawn only where somebody wants one

    job = find_job(key)
    if job is None:
        raise NotFoundError("There is no such job in the guide.", hint="Go back to the guide.")
    workshop = the_workshop()
    sheets = [add_sheet(workshop, *draw_for_guide(name)) for name in job.pictures]
    if len(sheets) == 1:
        return redirect(url_for("bench.show", sheet_id=sheets[0].id), 303)
    if len(sheets) <= _MOST_LOOSE:
        return redirect(url_for("trays.show_trays"), 303)
    tray = make_tray(workshop, gettext(job.title), [sheet.id for sheet in sheets])
    return redirect(url_for("tray.show", tray_id=tray.id), 303)


@blueprint.post("/hints")
def dismiss_hints() -> AnyResponse:
    """Keep in the browser that the hints are not wanted any more."""
    return keep_in_browser(HINTS, "seen")


def wants_hints() -> bool:
    """Whether a bench says its hints."""
    return request.cookies.get(HINTS) != "seen"
