"""Every change of a sheet's recipe: one row of its history each."""

from collections.abc import Callable
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from tidymargin.core.area import Area
from tidymargin.core.cut import SheetFacts
from tidymargin.core.difference import STEP
from tidymargin.core.errors import BadParameterError
from tidymargin.core.ground import to_hex
from tidymargin.core.narrows import Narrow, find_narrows
from tidymargin.core.picture import Region, whole
from tidymargin.core.place import Place, describe_place
from tidymargin.core.pockets import Pocket, PocketChoice, Pockets
from tidymargin.core.strays import StrayGroup, find_strays
from tidymargin.formats.recipe import Recipe, change_recipe
from tidymargin.services.executor import Priority
from tidymargin.services.opening import (
    area_of,
    cut_name,
    is_of_older_engine,
    load_cutter,
    load_measured,
    read_recipe_of,
    require_present_engine,
    start_measuring,
    to_state,
)
from tidymargin.services.workshop import Workshop
from tidymargin.store.sheets import Sheet

T = TypeVar("T")


def resolve(workshop: Workshop, sheet: Sheet, recipe: Recipe) -> dict[str, Any]:
    """Return the values that `auto` stands for in a recipe."""
    facts = load_measured(workshop, sheet, recipe).facts
    chosen = recipe.reach.tolerance
    return {
        "ground": facts.ground.kind,
        "colour": facts.ground.hex,
        "figure": facts.nature,
        "tolerance": facts.calm.tolerance if chosen == "auto" else chosen,
        "measured": facts.calm.tolerance,
    }


def _commit(workshop: Workshop, sheet: Sheet, seen: int, recipe: Recipe, change: str) -> Sheet:
    if recipe == read_recipe_of(sheet):
        return sheet
    require_present_engine(sheet)
    return _save(workshop, sheet, seen, recipe, change)


def use_new_cut(workshop: Workshop, sheet_id: int, seen: int) -> Sheet:
    """Take a sheet that an older engine cut as the present one cuts it; the old state stays in the history."""
    sheet = workshop.sheets.load(sheet_id)
    if not is_of_older_engine(sheet):
        return sheet
    return _save(workshop, sheet, seen, read_recipe_of(sheet), "engine")


def _save(workshop: Workshop, sheet: Sheet, seen: int, recipe: Recipe, change: str) -> Sheet:
    resolved = resolve(workshop, sheet, recipe)
    saved = workshop.sheets.commit(sheet.id, seen, to_state(recipe, change, resolved))
    start_measuring(workshop, saved)
    return saved


def _change(
    workshop: Workshop, sheet_id: int, seen: int, change: str, step: str, **values: Any
) -> Sheet:
    """Replace values of one step; one row of history, or none when nothing changes."""
    sheet = workshop.sheets.load(sheet_id)
    recipe = change_recipe(read_recipe_of(sheet), step, **values)
    return _commit(workshop, sheet, seen, recipe, change)


def set_tolerance(workshop: Workshop, sheet_id: int, seen: int, tolerance: str | float) -> Sheet:
    """Set the sheet's tolerance, a number from 0 to 50 or ``auto``."""
    return _change(workshop, sheet_id, seen, "tolerance", "reach", tolerance=tolerance)


def set_area(
    workshop: Workshop, sheet_id: int, seen: int, corners: str | list[tuple[float, float]]
) -> Sheet:
    """Set the work area by four corners (x, y) at the picture's pixel edges, or ``auto`` for all of it.

    Raises
    ------
    BadParameterError
        They make no area; `field` is ``"area"``.
    """
    sheet = workshop.sheets.load(sheet_id)
    recipe = change_recipe(read_recipe_of(sheet), "ground", area=corners)
    if recipe.to_area(sheet.height, sheet.width).is_whole:
        recipe = change_recipe(recipe, "ground", area="auto")
    return _commit(workshop, sheet, seen, recipe, "area")


def turn_area(workshop: Workshop, sheet_id: int, seen: int, quarters: int) -> Sheet:
    """Turn the work area clockwise by quarters."""
    sheet = workshop.sheets.load(sheet_id)
    return set_area(workshop, sheet_id, seen, list(area_of(sheet).turned(quarters).corners))


def tilt_area(workshop: Workshop, sheet_id: int, seen: int, degrees: float) -> Sheet:
    """Tilt what the work area holds clockwise by up to 45 degrees."""
    if not -45 <= degrees <= 45:
        raise BadParameterError(
            f"Expected -45 to 45 degrees, got {degrees:g}.",
            hint="Turn by quarters first.",
            field="degrees",
        )
    sheet = workshop.sheets.load(sheet_id)
    return set_area(workshop, sheet_id, seen, list(area_of(sheet).tilted(degrees).corners))


def square_up(workshop: Workshop, sheet_id: int, seen: int) -> Sheet:
    """Make the page that was found the work area."""
    page = load_measured(workshop, workshop.sheets.load(sheet_id)).page
    if page is None:
        raise BadParameterError(
            "No page with something else around it was found.",
            hint="Place the four corners by hand.",
            field="area",
        )
    return set_area(workshop, sheet_id, seen, list(page.corners))


def set_ground(workshop: Workshop, sheet_id: int, seen: int, kind: str) -> Sheet:
    """Set the ground's kind, or ``auto``; a colour that was said of another kind is let go."""
    return _change(workshop, sheet_id, seen, "ground", "ground", kind=kind, colour="auto", also=())


def set_ground_colour(workshop: Workshop, sheet_id: int, seen: int, colour: str) -> Sheet:
    """Set the ground's colour, #RRGGBB or ``auto``."""
    return _change(workshop, sheet_id, seen, "ground_colour", "ground", colour=colour)


def add_ground_colour(workshop: Workshop, sheet_id: int, seen: int, colour: str) -> Sheet:
    """Add a further flat colour to the ground, #RRGGBB."""
    said = read_recipe_of(workshop.sheets.load(sheet_id)).ground
    also = [*said.also, colour]
    return _change(workshop, sheet_id, seen, "ground_colour", "ground", kind="flat", also=also)


def remove_ground_colour(workshop: Workshop, sheet_id: int, seen: int, number: int) -> Sheet:
    """Take a further colour of the ground away; they are numbered from 1."""
    also = list(read_recipe_of(workshop.sheets.load(sheet_id)).ground.also)
    _require_number(number, also, "colour")
    del also[number - 1]
    return _change(workshop, sheet_id, seen, "ground_colour", "ground", also=also)


def set_figure(workshop: Workshop, sheet_id: int, seen: int, nature: str) -> Sheet:
    """Set the figure's nature: ``opaque``, ``ink`` or ``auto``."""
    return _change(workshop, sheet_id, seen, "figure", "ground", figure=nature)


def switch_preparation(workshop: Workshop, sheet_id: int, seen: int, preparation: str) -> Sheet:
    """Begin or end doing something for the key only; see `core.prepare`."""
    now = read_recipe_of(workshop.sheets.load(sheet_id)).ground.preparations
    chosen = [p for p in now if p != preparation]
    if len(chosen) == len(now):
        chosen = [*chosen, preparation]  # type: ignore[list-item]
    return _change(workshop, sheet_id, seen, "preparation", "ground", preparations=chosen)


def set_start(workshop: Workshop, sheet_id: int, seen: int, start: str) -> Sheet:
    """Set where clearing starts: ``outside``, ``picks`` or ``everywhere``."""
    return _change(workshop, sheet_id, seen, "start", "reach", start=start)


def set_small_pieces(
    workshop: Workshop, sheet_id: int, seen: int, crumbs_px: str | int, pinholes_px: int
) -> Sheet:
    """Set below which size crumbs are dropped (or ``auto``) and pinholes filled."""
    return _change(
        workshop, sheet_id, seen, "crumbs", "reach", crumbs_px=crumbs_px, pinholes_px=pinholes_px
    )


def set_spill(workshop: Workshop, sheet_id: int, seen: int, amount: str | float) -> Sheet:
    """Set how much of a screen's light is taken off, 0 to 2 times what was measured, or ``auto``."""
    return _change(workshop, sheet_id, seen, "spill", "colour", spill=amount)


def drop_ink(workshop: Workshop, sheet_id: int, seen: int, colour: str) -> Sheet:
    """Drop one of the inks, #RRGGBB; the others stay."""
    sheet = workshop.sheets.load(sheet_id)
    dropped = [*read_recipe_of(sheet).colour.dropped_inks, colour]
    return _change(workshop, sheet_id, seen, "ink_dropped", "colour", dropped_inks=dropped)


def bring_back_ink(workshop: Workshop, sheet_id: int, seen: int, colour: str) -> Sheet:
    """Bring back an ink that was dropped."""
    sheet = workshop.sheets.load(sheet_id)
    dropped = [ink for ink in read_recipe_of(sheet).colour.dropped_inks if ink != colour]
    return _change(workshop, sheet_id, seen, "ink_kept", "colour", dropped_inks=dropped)


def load_narrows(workshop: Workshop, sheet: Sheet) -> tuple[Narrow, ...]:
    """Return gaps through which clearing runs where figure and ground are alike."""

    def find(facts: SheetFacts, cleared: NDArray[np.bool_]) -> tuple[Narrow, ...]:
        if facts.nature == "ink" or facts.ground.kind not in ("flat", "paper"):
            return ()  # there what lies behind a gap is ground as well
        return find_narrows(cleared)

    return _look_for(workshop, sheet, "narrows", find)


def fence_narrow(workshop: Workshop, sheet_id: int, seen: int, number: int) -> Sheet:
    """Fence a narrow gap; they are numbered from 1."""
    narrows = load_narrows(workshop, workshop.sheets.load(sheet_id))
    _require_number(number, list(narrows), "gap")
    places = [(col, row) for row, col in narrows[number - 1].fence]
    return add_fence(workshop, sheet_id, seen, places)


def set_backdrop(workshop: Workshop, sheet_id: int, seen: int, colour: str) -> Sheet:
    """Set the proof's backdrop of any colour, #RRGGBB."""
    return _change(workshop, sheet_id, seen, "backdrop", "proof", backdrop=colour)


def set_trim(workshop: Workshop, sheet_id: int, seen: int, trim: bool, margin_px: int) -> Sheet:
    """Set whether exports are cropped to the figure, and the margin around it."""
    return _change(workshop, sheet_id, seen, "trim", "export", trim=trim, margin_px=margin_px)


def load_pockets(workshop: Workshop, sheet: Sheet) -> Pockets:
    """Return a sheet's pockets at its present state."""
    recipe = read_recipe_of(sheet)
    name = f"pockets:{cut_name(sheet, recipe)}"
    return workshop.executor.run(
        name, Priority.VIEW, lambda: load_cutter(workshop, sheet, recipe).pockets
    )


def look_at_place(workshop: Workshop, sheet: Sheet, row: int, col: int) -> Place:
    """Say what a click at a place would do."""
    recipe = read_recipe_of(sheet)
    name = f"place:{cut_name(sheet, recipe)}:{row}:{col}"
    found: Place | None = workshop.small.get(name)
    if found is None:
        found = workshop.executor.run(
            name,
            Priority.VIEW,
            lambda: describe_place(load_cutter(workshop, sheet, recipe), row, col),
        )
        size = 64 if found.takes is None else found.takes.nbytes
        workshop.small.put(name, found, size)
    return found


def _entries(entries: tuple[BaseModel, ...]) -> list[dict[str, Any]]:
    return [entry.model_dump() for entry in entries]


def _to_spot(area: Area, row: int, col: int) -> dict[str, float]:
    """Return a place of the work area as a recipe keeps it: in the whole picture, whole where it can be."""
    far_x, far_y = area.to_picture(col, row)
    x = round(min(max(0.0, far_x), area.picture_width - 1.0), 2)
    y = round(min(max(0.0, far_y), area.picture_height - 1.0), 2)
    if abs(x - far_x) > 1 or abs(y - far_y) > 1:  # within a pixel it is resampling's own margin
        raise BadParameterError(
            "Expected a place inside the picture; there is nothing beyond it.", field="picks"
        )
    return {
        "x": int(x) if x == int(x) else x,
        "y": int(y) if y == int(y) else y,
    }


def _to_pair(area: Area, row: int, col: int) -> tuple[float, float]:
    spot = _to_spot(area, row, col)
    return spot["x"], spot["y"]


def pick_place(workshop: Workshop, sheet_id: int, seen: int, row: int, col: int) -> Sheet:
    """Do what a click at a place means; changes nothing where it means nothing."""
    sheet = workshop.sheets.load(sheet_id)
    decision = look_at_place(workshop, sheet, row, col).decision
    if decision is None:
        return sheet
    if isinstance(decision, PocketChoice):
        return decide_pocket(workshop, sheet_id, seen, row, col, decision.verdict)
    own = "auto" if decision.tolerance is None else decision.tolerance
    picks = _entries(read_recipe_of(sheet).reach.picks)
    spot = _to_spot(area_of(sheet), row, col)
    picks.append({**spot, "marks": "ground", "tolerance": own})
    return _change(workshop, sheet_id, seen, "pick", "reach", picks=picks)


def keep_place(workshop: Workshop, sheet_id: int, seen: int, row: int, col: int) -> Sheet:
    """Mark a place as figure: what it gets to sooner than clearing does is kept."""
    sheet = workshop.sheets.load(sheet_id)
    picks = _entries(read_recipe_of(sheet).reach.picks)
    picks.append({**_to_spot(area_of(sheet), row, col), "marks": "figure"})
    return _change(workshop, sheet_id, seen, "figure_pick", "reach", picks=picks)


def tune_at(
    workshop: Workshop, sheet_id: int, seen: int, row: int, col: int, *, takes: bool
) -> Sheet:
    """Set the tolerance up to a place, so that it goes, or just short of it, so that it stays.

    Raises
    ------
    BadParameterError
        No tolerance in range gets there, or clearing starts at the place itself.
    """
    sheet = workshop.sheets.load(sheet_id)
    at = look_at_place(workshop, sheet, row, col).reached_at
    if at is None:
        raise BadParameterError(
            "No tolerance up to 50 gets to this place.", hint="Pick it instead.", field="tolerance"
        )
    if not takes and at == 0:
        raise BadParameterError(
            "This place is ground at every tolerance.",
            hint="Mark it as figure instead.",
            field="tolerance",
        )
    tolerance = at if takes else round(at - STEP, 1)
    return _change(workshop, sheet_id, seen, "tolerance", "reach", tolerance=tolerance)


def decide_pocket(
    workshop: Workshop, sheet_id: int, seen: int, row: int, col: int, verdict: str
) -> Sheet:
    """Clear or keep the pocket at a place; a choice made in the same pocket before is replaced."""
    sheet = workshop.sheets.load(sheet_id)
    listed = load_pockets(workshop, sheet).listed
    area = area_of(sheet)
    here = [p for p in listed if p.box.holds(row, col)]
    pocket = next((p for p in listed if (p.row, p.col) == (row, col)), None)
    if pocket is None and len(here) == 1:
        pocket = here[0]
    box = pocket and pocket.box
    before = []
    for entry in _entries(read_recipe_of(sheet).reach.pockets):
        at_col, at_row = (round(v) for v in area.to_area(entry["x"], entry["y"]))
        if (at_row, at_col) != (row, col) and not (
            box and _is_alone_in(box, listed, at_row, at_col)
        ):
            before.append(entry)
    also = [_to_pair(area, *place) for place in pocket.places] if pocket else []
    chosen = [*before, {**_to_spot(area, row, col), "verdict": verdict, "also": also}]
    change = "pocket_cleared" if verdict == "clear" else "pocket_kept"
    return _change(workshop, sheet_id, seen, change, "reach", pockets=chosen)


def _is_alone_in(box: Region, listed: tuple[Pocket, ...], row: int, col: int) -> bool:
    """Whether a place lies in one box only, so that it must be of that pocket."""
    return [p.box for p in listed if p.box.holds(row, col)] == [box]


def decide_pockets(workshop: Workshop, sheet_id: int, seen: int, verdict: str) -> Sheet:
    """Clear or keep all listed pockets alike."""
    sheet = workshop.sheets.load(sheet_id)
    listed = load_pockets(workshop, sheet).listed
    area = area_of(sheet)
    chosen = [
        {
            **_to_spot(area, p.row, p.col),
            "verdict": verdict,
            "also": [_to_pair(area, *place) for place in p.places],
        }
        for p in listed
    ]
    change = "pockets_cleared" if verdict == "clear" else "pockets_kept"
    return _change(workshop, sheet_id, seen, change, "reach", pockets=chosen)


def load_strays(workshop: Workshop, sheet: Sheet) -> tuple[StrayGroup, ...]:
    """Return groups of solid things that may not be wanted; those dropped already are not among them."""
    return _look_for(workshop, sheet, "strays", lambda _, cleared: find_strays(cleared))


def _look_for(
    workshop: Workshop,
    sheet: Sheet,
    what: str,
    find: Callable[[SheetFacts, NDArray[np.bool_]], tuple[T, ...]],
) -> tuple[T, ...]:
    """Return what is found in a sheet's cut, looked for once at each state."""
    recipe = read_recipe_of(sheet)
    name = f"{what}:{cut_name(sheet, recipe)}"
    found: tuple[T, ...] | None = workshop.small.get(name)
    if found is None:

        def compute() -> tuple[T, ...]:
            cutter = load_cutter(workshop, sheet, recipe)
            everywhere = whole(cutter.picture.height, cutter.picture.width)
            return find(cutter.facts, cutter.cleared(everywhere))

        found = workshop.executor.run(name, Priority.VIEW, compute)
        workshop.small.put(name, found, 200 + 1000 * len(found))
    return found


def drop_group(workshop: Workshop, sheet_id: int, seen: int, number: int) -> Sheet:
    """Drop a group of solid things together; groups are numbered from 1."""
    sheet = workshop.sheets.load(sheet_id)
    groups = load_strays(workshop, sheet)
    _require_number(number, list(groups), "group")
    drops = list(read_recipe_of(sheet).reach.drops)
    drops += [_to_pair(area_of(sheet), row, col) for row, col in groups[number - 1].places]
    return _change(workshop, sheet_id, seen, "drop", "reach", drops=drops)


def bring_back_drops(workshop: Workshop, sheet_id: int, seen: int) -> Sheet:
    """Bring back everything that was dropped."""
    return _change(workshop, sheet_id, seen, "undrop", "reach", drops=[])


def guard_place(workshop: Workshop, sheet_id: int, seen: int, row: int, col: int) -> Sheet:
    """Guard the colour at a place: it is never cleared, wherever it is."""
    sheet = workshop.sheets.load(sheet_id)
    rgb = load_measured(workshop, sheet).picture.rgb
    if not (0 <= row < rgb.shape[0] and 0 <= col < rgb.shape[1]):
        raise BadParameterError("Expected a place inside the picture.", field="guards")
    near = rgb[max(0, row - 1) : row + 2, max(0, col - 1) : col + 2].reshape(-1, 3)
    guards = _entries(read_recipe_of(sheet).reach.guards)
    guards.append({"colour": to_hex(near.mean(axis=0)), **_to_spot(area_of(sheet), row, col)})
    return _change(workshop, sheet_id, seen, "guard", "reach", guards=guards)


def set_guard(workshop: Workshop, sheet_id: int, seen: int, number: int, tolerance: float) -> Sheet:
    """Set how far a guard reaches; guards are numbered from 1."""
    guards = _entries(read_recipe_of(workshop.sheets.load(sheet_id)).reach.guards)
    _require_number(number, guards, "guard")
    guards[number - 1]["tolerance"] = tolerance
    return _change(workshop, sheet_id, seen, "guard", "reach", guards=guards)


def add_fence(workshop: Workshop, sheet_id: int, seen: int, places: list[tuple[int, int]]) -> Sheet:
    """Add a fence through places of (x, y) in the work area."""
    sheet = workshop.sheets.load(sheet_id)
    area = area_of(sheet)
    if len(places) < 2 or not all(area.holds(x, y) for x, y in places):
        raise BadParameterError(
            "Expected a fence of at least two places inside the picture.", field="fences"
        )
    line = tuple(_to_pair(area, y, x) for x, y in places)
    fences = [*read_recipe_of(sheet).reach.fences, line]
    return _change(workshop, sheet_id, seen, "fence", "reach", fences=fences)


def remove_thing(workshop: Workshop, sheet_id: int, seen: int, kind: str, number: int) -> Sheet:
    """Take a pick, guard or fence away; each kind is numbered from 1."""
    reach = read_recipe_of(workshop.sheets.load(sheet_id)).reach
    things = list(getattr(reach, f"{kind}s"))
    _require_number(number, things, kind)
    del things[number - 1]
    return _change(workshop, sheet_id, seen, f"un{kind}", "reach", **{f"{kind}s": things})


def _require_number(number: int, things: list[Any], kind: str) -> None:
    if not 1 <= number <= len(things):
        raise BadParameterError(f"Expected a {kind} from 1 to {len(things)}, got {number}.")
