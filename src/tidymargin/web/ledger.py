"""What a sheet's ledger shows, gathered for its templates."""

from tidymargin.core.base.errors import DomainError
from tidymargin.core.reach.narrows import Narrow
from tidymargin.core.reach.pockets import Pockets
from tidymargin.formats.export_step import write_sizes
from tidymargin.formats.finishing import RimStep
from tidymargin.services.edits import history
from tidymargin.services.picture.reasons import explain_tolerance, find_reasons
from tidymargin.services.views import finding
from tidymargin.services.views.asked import load_resting, questions_at_hand
from tidymargin.services.views.drafts import count_breaks
from tidymargin.services.views.exporting import to_download_name
from tidymargin.services.views.faults import faults_at_hand
from tidymargin.services.views.measuring import (
    is_measured,
    load_measured,
    measuring_failure,
    measuring_progress,
)
from tidymargin.services.views.proofs import find_meant_grounds, load_proof
from tidymargin.services.workshop.states import is_of_older_engine
from tidymargin.services.workshop.workshop import Measured, Workshop
from tidymargin.store.values import Sheet
from tidymargin.web.drawn_curve import CURVE_HEIGHT, CURVE_TOP, CURVE_WIDTH, draw_curve
from tidymargin.web.sentences.by_hand import list_groups
from tidymargin.web.sentences.changes import describe_change, name_change
from tidymargin.web.sentences.export import list_formats, list_made, name_formats
from tidymargin.web.sentences.faults import list_faults, list_limits, say_looked_for
from tidymargin.web.sentences.proof import list_backdrops
from tidymargin.web.sentences.reach import (
    list_pockets,
    list_questions,
    say_group,
    say_narrow,
    say_specks,
)
from tidymargin.web.sentences.recipe import say_recipe
from tidymargin.web.things import gather_things
from tidymargin.web.words import KINDS, NATURES, PREPARATIONS, STARTS, say_reason

_MOST_ROWS = 24
_MOST_STATES = 300


def _gather_history(workshop: Workshop, sheet: Sheet) -> dict[str, object]:
    rows = history.list_history(workshop, sheet)
    return {
        "history": [
            (row, say_reason(describe_change(row.state, row.before))) for row in rows[:_MOST_STATES]
        ],
        "versions": workshop.sheets.list_versions(sheet.id),
        "earlier": max(0, len(rows) - _MOST_STATES),
    }


def gather_unreadable(workshop: Workshop, sheet: Sheet, error: DomainError) -> dict[str, object]:
    """Return what the page is given of a sheet whose present state another version saved."""
    return {
        "sheet": sheet,
        "error": error,
        "open": "history",
        "undo": name_change(sheet.undo),
        "redo": name_change(sheet.redo),
        "has_older": load_proof(workshop, sheet) is not None,
        **_gather_history(workshop, sheet),
    }


def _gather_cut(
    workshop: Workshop,
    sheet: Sheet,
    opened: str,
    measured: Measured,
    pockets: Pockets,
    narrows: tuple[Narrow, ...] | None,
) -> dict[str, object]:
    """Return what is known of a sheet once it is measured, and what its open sentence shows of that."""
    recipe, area, facts = sheet.recipe, sheet.area, measured.facts
    unwanted = finding.load_unwanted(workshop, sheet)
    chosen = recipe.reach.tolerance
    tolerance = facts.calm.tolerance if chosen == "auto" else float(chosen)
    rows = list_pockets(pockets, area.width * area.height, _MOST_ROWS)
    return {
        "tolerance": tolerance,
        "why": say_reason(explain_tolerance(facts)),
        "curve": draw_curve(facts, tolerance),
        "ground": facts.ground,
        "spot": measured.spot,
        "tone": measured.blotter,
        "facts": facts,
        "reasons": [say_reason(reason) for reason in find_reasons(facts)],
        "pockets": pockets,
        "small": finding.count_small(workshop, sheet),
        "strays": [(g, say_group(g)) for g in unwanted.groups],
        "specks": unwanted.specks,
        "speck_words": say_specks(unwanted.specks) if unwanted.specks else "",
        "pocket_rows": rows,
        "things": gather_things(area, recipe, rows, opened),
        "page": measured.page,
        "narrows": narrows
        and [(each, say_narrow(each, area.width * area.height)) for each in narrows],
        "kinds": KINDS,
        "meant": find_meant_grounds(workshop, sheet) if opened == "ground" else (),
        "natures": NATURES,
        "preparations": PREPARATIONS,
        "starts": STARTS,
        "marks_listed": list_groups(recipe) if opened == "by_hand" else ((), ""),
    }


def gather_ledger(workshop: Workshop, sheet: Sheet, opened: str) -> dict[str, object]:
    """Return what the ledger's templates are given; `opened` is the step that is open, or nothing."""
    recipe = sheet.recipe
    measured = load_measured(workshop, sheet) if is_measured(workshop, sheet) else None
    area = sheet.area
    pockets = finding.load_pockets(workshop, sheet) if measured else None
    narrows = finding.narrows_at_hand(workshop, sheet) if measured else ()
    breaks = count_breaks(workshop, sheet) if measured else 0
    there = faults_at_hand(workshop, sheet) if measured else None
    faults = None if there is None else list_faults(sheet, there)
    asked = questions_at_hand(workshop, sheet) if measured else None
    to_ask = len(asked) if asked is not None else len(pockets.alike) if pockets else 0
    share = None if measured else measuring_progress(workshop, sheet)
    values: dict[str, object] = {
        "sheet": sheet,
        "recipe": recipe,
        "open": opened,
        "steps": say_recipe(
            area,
            recipe,
            measured,
            pockets,
            narrows or (),
            to_ask,
            breaks,
            None if faults is None else len(faults),
            is_going_on=share is not None,
        ),
        "share": share,
        "failure": None if measured else measuring_failure(workshop, sheet),
        "export_name": to_download_name(sheet.name, recipe),
        "to_decide": to_ask + sum(view.fault.kind != "pocket" for view in faults or ()),
        "questions": None if asked is None else list_questions(asked, area),
        "to_ask": to_ask,
        "resting": load_resting(workshop, sheet) if opened == "reach" and asked is not None else (),
        "measured": measured is not None,
        "narrows": (),
        "breaks": breaks,
        "faults": faults,
        "looked_for": say_looked_for(),
        "limits": list_limits(recipe.proof.limits.model_dump()),
        "backdrops": list_backdrops(recipe),
        "formats": list_formats(recipe.export),
        "sizes": write_sizes(recipe.export.sizes),
        "made": list_made(workshop, sheet) if opened == "export" else (),
        "kept_exports": workshop.exports.list_kept() if opened == "export" else (),
        "export_words": name_formats(recipe.export) if recipe.export.makes_one_file else "ZIP",
        "rim_is_set": recipe.rim != RimStep(),
        "undo": name_change(sheet.undo),
        "redo": name_change(sheet.redo),
        "curve_size": (CURVE_WIDTH, CURVE_HEIGHT, CURVE_TOP),
        "tone": "pale",
        "area": area,
        "things": gather_things(area, recipe, [], ""),
        "spot": (area.height // 2, area.width // 2),
    }
    values |= _gather_history(workshop, sheet) if opened == "history" else {}
    values["older"] = sheet.engine_version if is_of_older_engine(sheet) else 0
    values["has_older"] = values["older"] and load_proof(workshop, sheet) is not None
    if measured and pockets:
        values |= _gather_cut(workshop, sheet, opened, measured, pockets, narrows)
    return values
