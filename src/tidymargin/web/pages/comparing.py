"""Versions of a sheet, and two of its states side by side."""

from flask import render_template, request

from tidymargin.services.edits import history
from tidymargin.services.views.measuring import load_measured
from tidymargin.store.values import Sheet
from tidymargin.web.answers import Answer, answer, given, the_edit
from tidymargin.web.context import sheet_blueprint, the_sheet, the_workshop
from tidymargin.web.words import gettext

blueprint = sheet_blueprint("comparing")


@blueprint.post("/versions")
def keep_version() -> Answer:
    """Keep the present state under a name."""
    name = str(given().get("version", ""))
    return answer(history.keep_version(the_edit(), name))


@blueprint.post("/versions/<int:version_id>/forget")
def forget_version(version_id: int) -> Answer:
    """Take a version's name away."""
    return answer(the_workshop().sheets.forget_version(the_sheet().id, version_id))


def _list_ways(sheet: Sheet) -> list[tuple[str, str]]:
    """Return what a sheet can be looked at as, each with its words."""
    ways = [
        ("now", gettext("as it is now")),
        ("key", gettext("without what was done by hand")),
        ("automatic", gettext("automatic, nothing decided")),
        ("original", gettext("the original")),
    ]
    named = the_workshop().sheets.list_versions(sheet.id)
    return ways + [(str(version.state), version.name) for version in named]


@blueprint.get("/compare")
def compare() -> str:
    """Show two states side by side."""
    sheet = the_sheet()
    ways = _list_ways(sheet)
    panes = []
    for side, default in (("left", "key"), ("right", "now")):
        way = request.args.get(side, default)
        seen = sheet if way == "original" else history.see_as(the_workshop(), sheet, way)
        measured = load_measured(the_workshop(), seen)
        words = dict(ways).get(way, gettext("state %(n)s", n=way))
        panes.append({"side": side, "way": way, "words": words, "area": seen.area, "tone": measured.blotter})  # fmt: skip
    return render_template("bench/compare.html", sheet=sheet, ways=ways, panes=panes)
