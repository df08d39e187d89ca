"""What a person decides at places of a sheet: each decision is one row of its history."""

from typing import Any

from pydantic import BaseModel

from tidymargin.core.base.area import Area
from tidymargin.core.base.errors import BadParameterError
from tidymargin.core.base.picture import Region
from tidymargin.core.ground.difference import STEP
from tidymargin.core.ground.kinds import to_hex
from tidymargin.core.questions.asking import Verdict
from tidymargin.core.reach.pockets import Pocket, PocketChoice
from tidymargin.formats.steps import MOST_FENCE_PLACES
from tidymargin.services.edits.changing import (
    Edit,
    change_step,
    commit_recipe,
    require_number,
)
from tidymargin.services.picture.asking import add_answer
from tidymargin.services.views.asked import load_questions, require_question
from tidymargin.services.views.finding import (
    load_narrows,
    load_pockets,
    load_unwanted,
    look_at_place,
)
from tidymargin.services.views.measuring import load_measured
from tidymargin.store.values import Sheet


def fence_narrow(edit: Edit, number: int) -> Sheet:
    """Fence a narrow gap; they are numbered from 1."""
    narrows = load_narrows(edit.workshop, edit.sheet)
    require_number(number, list(narrows), "gap")
    places = [(col, row) for row, col in narrows[number - 1].fence]
    return add_fence(edit, places)


def _entries(entries: tuple[BaseModel, ...]) -> list[dict[str, Any]]:
    return [entry.model_dump() for entry in entries]


def _to_spot(area: Area, row: int, col: int) -> dict[str, float]:
    """Return a place of the work area as a recipe keeps it: in the whole picture, whole where it can be."""
    far_x, far_y = area.to_picture(col, row)
    x = round(min(max(0.0, far_x), area.picture_width - 1.0), 2)
    y = round(min(max(0.0, far_y), area.picture_height - 1.0), 2)
    if abs(x - far_x) > 1 or abs(y - far_y) > 1:  # within a pixel it is resampling's own margin
        raise BadParameterError(
            "This place is outside the picture, where there is nothing.", field="picks"
        )
    return {
        "x": int(x) if x == int(x) else x,
        "y": int(y) if y == int(y) else y,
    }


def _to_pair(area: Area, row: int, col: int) -> tuple[float, float]:
    spot = _to_spot(area, row, col)
    return spot["x"], spot["y"]


def pick_place(edit: Edit, row: int, col: int) -> Sheet:
    """Do what a click at a place means; changes nothing where it means nothing."""
    sheet = edit.sheet
    decision = look_at_place(edit.workshop, sheet, row, col).decision
    if decision is None:
        return sheet
    if isinstance(decision, PocketChoice):
        return decide_pocket(edit, row, col, decision.verdict)
    own = "auto" if decision.tolerance is None else decision.tolerance
    picks = _entries(sheet.recipe.reach.picks)
    spot = _to_spot(sheet.area, row, col)
    picks.append({**spot, "marks": "ground", "tolerance": own})
    return change_step(edit, "pick", "reach", picks=picks)


def keep_place(edit: Edit, row: int, col: int) -> Sheet:
    """Mark a place as figure: what it gets to sooner than clearing does is kept."""
    sheet = edit.sheet
    picks = _entries(sheet.recipe.reach.picks)
    picks.append({**_to_spot(sheet.area, row, col), "marks": "figure"})
    return change_step(edit, "figure_pick", "reach", picks=picks)


def tune_at(edit: Edit, row: int, col: int, *, takes: bool) -> Sheet:
    """Set the tolerance up to a place, so that it goes, or just short of it, so that it stays.

    Raises
    ------
    BadParameterError
        No tolerance in range gets there, or clearing starts at the place itself.
    """
    sheet = edit.sheet
    at = look_at_place(edit.workshop, sheet, row, col).reached_at
    if at is None:
        raise BadParameterError(
            "No tolerance up to 50 gets to this place.", hint="Pick it instead.", field="tolerance"
        )
    if not takes and at == 0:
        raise BadParameterError(
            "This place is background at every tolerance.",
            hint="Mark it as subject instead.",
            field="tolerance",
        )
    tolerance = at if takes else round(at - STEP, 1)
    return change_step(edit, "tolerance", "reach", tolerance=tolerance)


def decide_pocket(edit: Edit, row: int, col: int, verdict: str) -> Sheet:
    """Clear or keep the pocket at a place; a choice made in the same pocket before is replaced."""
    sheet = edit.sheet
    listed = load_pockets(edit.workshop, sheet).listed
    area = sheet.area
    here = [p for p in listed if p.box.holds(row, col)]
    pocket = next((p for p in listed if (p.row, p.col) == (row, col)), None)
    if pocket is None and len(here) == 1:
        pocket = here[0]
    box = pocket and pocket.box
    before = []
    for entry in _entries(sheet.recipe.reach.pockets):
        at_col, at_row = (round(v) for v in area.to_area(entry["x"], entry["y"]))
        if (at_row, at_col) != (row, col) and not (
            box and _is_alone_in(box, listed, at_row, at_col)
        ):
            before.append(entry)
    also = [_to_pair(area, *place) for place in pocket.places] if pocket else []
    chosen = [*before, {**_to_spot(area, row, col), "verdict": verdict, "also": also}]
    change = "pocket_cleared" if verdict == "clear" else "pocket_kept"
    return change_step(edit, change, "reach", pockets=chosen)


def _is_alone_in(box: Region, listed: tuple[Pocket, ...], row: int, col: int) -> bool:
    """Whether a place lies in one box only, so that it must be of that pocket."""
    return [p.box for p in listed if p.box.holds(row, col)] == [box]


def add_pocket_rule(edit: Edit, under_px: int, verdict: Verdict) -> Sheet:
    """Decide all pockets under a size alike, those of later tolerances too; one of that size before is replaced."""
    rules = [r for r in _entries(edit.sheet.recipe.reach.pocket_rules) if r["under_px"] != under_px]
    rules.append({"under_px": under_px, "verdict": verdict})
    return change_step(edit, "pocket_rule", "reach", pocket_rules=rules)


def decide_pockets(edit: Edit, verdict: str) -> Sheet:
    """Clear or keep all listed pockets alike."""
    sheet = edit.sheet
    area = sheet.area
    chosen = [_to_choice(area, p, verdict) for p in load_pockets(edit.workshop, sheet).listed]
    change = "pockets_cleared" if verdict == "clear" else "pockets_kept"
    return change_step(edit, change, "reach", pockets=chosen)


def _to_choice(area: Area, pocket: Pocket, verdict: str) -> dict[str, object]:
    also = [_to_pair(area, *place) for place in pocket.places]
    return {**_to_spot(area, pocket.row, pocket.col), "verdict": verdict, "also": also}


def answer_question(
    edit: Edit, row: int, col: int, verdict: Verdict, *, alone: bool = False
) -> Sheet:
    """Answer what is asked about a place, and all that is like it unless it is `alone`, with one row of history."""
    sheet = edit.sheet
    question, spot = require_question(load_questions(edit.workshop, sheet), row, col)
    recipe = add_answer(sheet.recipe, sheet.area, (spot,) if alone else question.spots, verdict)
    return commit_recipe(edit, recipe, "answered_clear" if verdict == "clear" else "answered_keep")


def keep_rest(edit: Edit) -> Sheet:
    """Answer all that is asked by what becomes of it now, with one row of history."""
    sheet = edit.sheet
    recipe = sheet.recipe
    for question in load_questions(edit.workshop, sheet):
        verdict: Verdict = "clear" if question.now == "goes" else "keep"
        recipe = add_answer(recipe, sheet.area, question.spots, verdict)
    return commit_recipe(edit, recipe, "rest_kept")


def drop_group(edit: Edit, number: int) -> Sheet:
    """Drop a group of solid things together; groups are numbered from 1."""
    sheet = edit.sheet
    groups = load_unwanted(edit.workshop, sheet).groups
    require_number(number, list(groups), "group")
    drops = list(sheet.recipe.reach.drops)
    drops += [_to_pair(sheet.area, row, col) for row, col in groups[number - 1].places]
    return change_step(edit, "drop", "reach", drops=drops)


def bring_back_drops(edit: Edit) -> Sheet:
    """Bring back everything that was dropped."""
    return change_step(edit, "undrop", "reach", drops=[])


def guard_place(edit: Edit, row: int, col: int) -> Sheet:
    """Guard the colour at a place: it is never cleared, wherever it is."""
    sheet = edit.sheet
    rgb = load_measured(edit.workshop, sheet).picture.rgb
    if not (0 <= row < rgb.shape[0] and 0 <= col < rgb.shape[1]):
        raise BadParameterError("This place is outside the picture.", field="guards")
    near = rgb[max(0, row - 1) : row + 2, max(0, col - 1) : col + 2].reshape(-1, 3)
    guards = _entries(sheet.recipe.reach.guards)
    guards.append({"colour": to_hex(near.mean(axis=0)), **_to_spot(sheet.area, row, col)})
    return change_step(edit, "guard", "reach", guards=guards)


def set_guard(edit: Edit, number: int, tolerance: float) -> Sheet:
    """Set how far a guard reaches; guards are numbered from 1."""
    guards = _entries(edit.sheet.recipe.reach.guards)
    require_number(number, guards, "guard")
    guards[number - 1]["tolerance"] = tolerance
    return change_step(edit, "guard", "reach", guards=guards)


def add_fence(edit: Edit, places: list[tuple[int, int]]) -> Sheet:
    """Add a fence through places of (x, y) in the work area."""
    if len(places) > MOST_FENCE_PLACES:
        raise BadParameterError(
            f"Expected a fence of at most {MOST_FENCE_PLACES} places, got {len(places)}.",
            hint="Draw it in several parts.",
            field="fences",
        )
    sheet = edit.sheet
    area = sheet.area
    if len(places) < 2 or not all(area.holds(x, y) for x, y in places):
        raise BadParameterError(
            "Expected a fence of at least two places inside the picture.", field="fences"
        )
    line = tuple(_to_pair(area, y, x) for x, y in places)
    fences = [*sheet.recipe.reach.fences, line]
    return change_step(edit, "fence", "reach", fences=fences)


def remove_thing(edit: Edit, kind: str, number: int) -> Sheet:
    """Take a pick, an answer, a rule, a guard or a fence away; each kind is numbered from 1."""
    reach = edit.sheet.recipe.reach
    things = list(getattr(reach, f"{kind}s"))
    require_number(number, things, kind)
    del things[number - 1]
    return change_step(edit, f"un{kind}", "reach", **{f"{kind}s": things})
