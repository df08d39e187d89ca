"""Going through a sheet's history, and saying each of its changes in words."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from tidymargin.formats.recipe import Recipe, from_steps
from tidymargin.services.opening import start_measuring
from tidymargin.services.reasons import Reason
from tidymargin.services.workshop import Workshop
from tidymargin.store.sheets import Sheet, State


@dataclass(frozen=True, slots=True)
class HistoryRow:
    """One state of a history as it is listed.

    Parameters
    ----------
    state : int
        Its number in the store.
    said : Reason
        The change that made it, in words.
    lane : int
        0 for the way that was taken first, higher for each further branch.
    is_here, is_on_way : bool
        Whether it is the present state; whether undo and redo alone get to it.
    saved_at : datetime
        When it was made.
    """

    state: int
    said: Reason
    lane: int
    is_here: bool
    is_on_way: bool
    saved_at: datetime


def _say_tolerance(before: Recipe, after: Recipe, resolved: dict[str, Any]) -> Reason:
    measured = resolved.get("measured", resolved.get("tolerance", 0.0))
    was, now = (
        measured if recipe.reach.tolerance == "auto" else float(recipe.reach.tolerance)
        for recipe in (before, after)
    )
    if after.reach.tolerance == "auto":
        return Reason("Tolerance %(was)s back to the measured %(now)s", _numbers(was=was, now=now))
    return Reason("Tolerance %(was)s to %(now)s", _numbers(was=was, now=now))


def _numbers(**values: float) -> dict[str, str]:
    return {name: f"{value:.1f}" for name, value in values.items()}


def _say_area(before: Recipe, after: Recipe, _: dict[str, Any]) -> Reason:
    if after.ground.area == "auto":
        return Reason("The whole picture is the work area")
    corner = after.ground.area[0]
    place = {"x": f"{corner[0]:.0f}", "y": f"{corner[1]:.0f}"}
    return Reason("Work area from %(x)s, %(y)s", place)


def _say_ground(before: Recipe, after: Recipe, resolved: dict[str, Any]) -> Reason:
    kind = str(resolved.get("ground", after.ground.kind))
    words = {"checker": "printed-in pattern"}.get(kind, kind)
    if after.ground.kind == "auto":
        return Reason("Ground detected again: %(kind)s", {"kind": words}, ("kind",))
    return Reason("Ground: %(kind)s", {"kind": words}, ("kind",))


def _say_ground_colour(before: Recipe, after: Recipe, _: dict[str, Any]) -> Reason:
    if len(after.ground.also) > len(before.ground.also):
        return Reason("Ground colour %(code)s added", {"code": after.ground.also[-1].upper()})
    if len(after.ground.also) < len(before.ground.also):
        gone = next(code for code in before.ground.also if code not in after.ground.also)
        return Reason("Ground colour %(code)s removed", {"code": gone.upper()})
    if after.ground.colour == "auto":
        return Reason("Ground colour measured again")
    return Reason("Ground colour %(code)s", {"code": after.ground.colour.upper()})


def _say_figure(before: Recipe, after: Recipe, resolved: dict[str, Any]) -> Reason:
    nature = str(resolved.get("figure", after.ground.figure))
    return Reason("The figure is %(nature)s", {"nature": nature}, ("nature",))


def _say_small(before: Recipe, after: Recipe, _: dict[str, Any]) -> Reason:
    crumbs = after.reach.crumbs_px
    slots = {
        "crumbs": "5" if crumbs == "auto" else str(crumbs),
        "pinholes": str(after.reach.pinholes_px),
    }
    return Reason("Crumbs under %(crumbs)s px, pinholes under %(pinholes)s px", slots)


def _say_last(text: str, step: str, things: str) -> Callable[..., Reason]:
    """Return what says the place of the last of several things, such as picks."""

    def say(before: Recipe, after: Recipe, _: dict[str, Any]) -> Reason:
        last = getattr(getattr(after, step), things)[-1]
        return Reason(text, {"x": f"{last.x:.0f}", "y": f"{last.y:.0f}"})

    return say


def _say_spill(before: Recipe, after: Recipe, _: dict[str, Any]) -> Reason:
    was, now = (
        1.0 if recipe.colour.spill == "auto" else float(recipe.colour.spill)
        for recipe in (before, after)
    )
    slots = {"was": f"{100 * was:.0f}\u00a0%", "now": f"{100 * now:.0f}\u00a0%"}
    return Reason("Spill %(was)s to %(now)s", slots)


def _say_trim(before: Recipe, after: Recipe, _: dict[str, Any]) -> Reason:
    if not after.export.trim:
        return Reason("The whole sheet is exported")
    return Reason("Trimmed, with a margin of %(px)s px", {"px": str(after.export.margin_px)})


def _say_guard(before: Recipe, after: Recipe, _: dict[str, Any]) -> Reason:
    changed = [g for g in after.reach.guards if g not in before.reach.guards][-1]
    slots = {"code": changed.colour, "within": f"{changed.tolerance:.1f}"}
    return Reason("Guard %(code)s within %(within)s", slots)


def _say_inks(text: str) -> Callable[..., Reason]:
    def say(before: Recipe, after: Recipe, _: dict[str, Any]) -> Reason:
        changed = set(before.colour.dropped_inks) ^ set(after.colour.dropped_inks)
        return Reason(text, {"code": ", ".join(sorted(changed))})

    return say


def _say_drops(before: Recipe, after: Recipe, _: dict[str, Any]) -> Reason:
    count = len(after.reach.drops) - len(before.reach.drops)
    return Reason("%(n)s solid things dropped", {"n": str(count)})


_SAY: dict[str, Callable[[Recipe, Recipe, dict[str, Any]], Reason]] = {
    "tolerance": _say_tolerance,
    "area": _say_area,
    "ground": _say_ground,
    "ground_colour": _say_ground_colour,
    "figure": _say_figure,
    "crumbs": _say_small,
    "pick": _say_last("Pick at %(x)s, %(y)s", "reach", "picks"),
    "figure_pick": _say_last("Figure pick at %(x)s, %(y)s", "reach", "picks"),
    "pocket_cleared": _say_last("Pocket at %(x)s, %(y)s cleared", "reach", "pockets"),
    "pocket_kept": _say_last("Pocket at %(x)s, %(y)s kept", "reach", "pockets"),
    "guard": _say_guard,
    "drop": _say_drops,
    "spill": _say_spill,
    "ink_dropped": _say_inks("Ink %(code)s dropped"),
    "ink_kept": _say_inks("Ink %(code)s brought back"),
    "trim": _say_trim,
    "backdrop": lambda _before, after, _: Reason(
        "Backdrop %(code)s", {"code": after.proof.backdrop.upper()}
    ),
}
_PLAIN = {
    "begin": "Opened",
    "preparation": "What is done for the key only",
    "start": "Where clearing starts",
    "unpick": "Pick removed",
    "pockets_cleared": "All pockets cleared",
    "pockets_kept": "All pockets kept",
    "alike_cleared": "Pockets that are alike cleared",
    "alike_kept": "Pockets that are alike kept",
    "unguard": "Guard removed",
    "undrop": "Dropped things brought back",
    "fence": "Fence drawn",
    "unfence": "Fence removed",
    "engine": "Cut by the present engine",
}


def describe_change(state: State, parent: State | None) -> Reason:
    """Return the change that made a state in words with its values."""
    say = _SAY.get(state.change)
    if say is None or parent is None:
        return Reason(_PLAIN.get(state.change, state.change))
    return say(from_steps(parent.bodies), from_steps(state.bodies), state.resolved)


def _find_way(sheet: Sheet, states: dict[int, State], redo: dict[int, int | None]) -> set[int]:
    """Return the states that undo and redo alone get to from the present one."""
    way = set()
    at: int | None = sheet.head
    while at is not None:
        way.add(at)
        at = states[at].parent
    at = redo.get(sheet.head)
    while at is not None:
        way.add(at)
        at = redo.get(at)
    return way


def list_history(workshop: Workshop, sheet: Sheet) -> list[HistoryRow]:
    """Return all states of a sheet, the newest first."""
    listed = workshop.sheets.list_states(sheet.id)
    states = {state.id: state for state in listed}
    way = _find_way(sheet, states, {state.id: state.redo for state in listed})
    lanes: dict[int, int] = {}
    taken: set[int] = set()  # states that have a child in their own lane
    lane_count = 0
    for state in listed:
        if state.parent is not None and state.parent not in taken:
            taken.add(state.parent)
            lanes[state.id] = lanes[state.parent]
        else:
            lanes[state.id] = lane_count
            lane_count += 1
    return [
        HistoryRow(
            state.id,
            describe_change(state, states.get(state.parent or 0)),
            lanes[state.id],
            state.id == sheet.head,
            state.id in way,
            state.saved_at,
        )
        for state in reversed(listed)
    ]


def undo_change(workshop: Workshop, sheet_id: int, seen: int) -> Sheet:
    """Take the last change back."""
    sheet = workshop.sheets.undo(sheet_id, seen)
    start_measuring(workshop, sheet)
    return sheet


def redo_change(workshop: Workshop, sheet_id: int, seen: int) -> Sheet:
    """Bring the change back that was undone last."""
    sheet = workshop.sheets.redo(sheet_id, seen)
    start_measuring(workshop, sheet)
    return sheet


def visit_state(workshop: Workshop, sheet_id: int, seen: int, state: int) -> Sheet:
    """Go to any state of a sheet's history."""
    sheet = workshop.sheets.visit(sheet_id, seen, state)
    start_measuring(workshop, sheet)
    return sheet
