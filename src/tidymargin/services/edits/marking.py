"""Marks made by hand: each gesture is one row of a sheet's history."""

import math
from collections.abc import Callable, Sequence
from typing import Any, TypeVar

import numpy as np
from pydantic import ValidationError

from tidymargin.core.base.area import Area
from tidymargin.core.base.errors import BadParameterError
from tidymargin.formats.marks import (
    MOST_MARKS,
    MOST_PLACES_OF_ALL,
    MarkEntry,
    OutlineEntry,
    RoughEntry,
    count_places,
    read_new_mark,
)
from tidymargin.formats.recipe import to_words
from tidymargin.formats.steps import ByHandStep
from tidymargin.services.edits.changing import Edit, change_step, require_number
from tidymargin.services.views.measuring import load_measured
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.store.values import Sheet

Place = Sequence[float]
Values = dict[str, Any]
T = TypeVar("T", bound=MarkEntry)

_FARTHEST = 1_000_000
_NUMBERS = "Expected places as pairs of numbers [x, y]."


def list_marks(sheet: Sheet) -> tuple[MarkEntry, ...]:
    """Return a sheet's marks in the order in which they were made."""
    return sheet.recipe.by_hand.marks


def to_picture(area: Area, places: Sequence[Place]) -> list[tuple[float, ...]]:
    """Return places x, y of the work area in the whole picture, to a thousandth; what else is said of each stays.

    Raises
    ------
    BadParameterError
        One is no pair of numbers.
    """
    try:
        came = [tuple(float(value) for value in place) for place in places]
        flat = np.array([place[:2] for place in came], np.float64).reshape(-1, 2)
    except (TypeError, ValueError) as error:
        raise BadParameterError(_NUMBERS, field="marks") from error
    if len(flat) != len(came) or not all(math.isfinite(value) for place in came for value in place):
        raise BadParameterError(_NUMBERS, field="marks")
    found = np.round(area.to_picture_all(flat), 3)
    if not (np.abs(found) <= _FARTHEST).all():
        raise BadParameterError(
            f"Expected places within {_FARTHEST:,} px of the picture.", field="marks"
        )
    return [(float(x), float(y), *place[2:]) for (x, y), place in zip(found, came, strict=True)]


def read_mark_said(said: Values) -> MarkEntry:
    """Read a mark that is made now, or refuse it by the field that is wrong."""
    try:
        return read_new_mark(said)
    except ValidationError as error:
        raise to_words(error, ("marks",)) from error


def _start_spell(sheet: Sheet, marks: tuple[MarkEntry, ...], said: Values) -> int:
    """Return the spell of work that a new mark is made in: that of the last one, where it goes on with the same."""
    if not marks:
        return 1
    last = marks[-1]
    goes_on = sheet.undo in _GOING_ON and all(
        getattr(last, name, None) == said.get(name) for name in ("kind", "verdict", "does")
    )
    return last.spell if goes_on else last.spell + 1


_GOING_ON = {f"{kind}_{verdict}" for kind in ("area", "stroke", "rub") for verdict in ("kept", "cleared", "solved")}  # fmt: skip
_DONE = {"keep": "kept", "clear": "cleared", "solve": "solved"}


def _save(edit: Edit, marks: Sequence[MarkEntry], change: str) -> Sheet:
    if len(marks) > MOST_MARKS:
        raise BadParameterError(
            f"A picture has at most {MOST_MARKS} marks; remove some that are not needed.",
            field="marks",
        )
    if sum(map(count_places, marks)) > MOST_PLACES_OF_ALL:
        raise BadParameterError(
            f"A picture’s marks have at most {MOST_PLACES_OF_ALL:,} places together; remove some that are not needed.",
            field="marks",
        )
    ByHandStep(marks=tuple(marks)).to_plan(edit.sheet.area)  # refused before it is saved
    return change_step(edit, change, "by_hand", marks=tuple(marks))


def add_area(edit: Edit, verdict: str, rings: Sequence[Sequence[Place]]) -> Sheet:
    """Keep, clear or solve what rings through places x, y of the work area surround."""
    if not rings or any(len(ring) < 3 for ring in rings):
        raise BadParameterError("Expected rings of at least three places each.", field="marks")
    sheet = edit.sheet
    area = sheet.area
    said = {
        "kind": "area",
        "verdict": verdict,
        "rings": [to_picture(area, ring) for ring in rings],
    }
    return add_mark(edit, said, f"area_{_DONE.get(verdict, 'kept')}")


def add_stroke(edit: Edit, places: Sequence[Place], values: Values) -> Sheet:
    """Add a stroke through places x, y and perhaps pressure; `values` are its other fields."""
    sheet = edit.sheet
    said = {**values, "kind": "stroke", "places": to_picture(sheet.area, places)}
    kind = "stroke" if said.get("like") is None else "rub"
    if kind == "rub":
        _require_ground(edit.workshop, sheet, said["like"])
    return add_mark(edit, said, f"{kind}_{_DONE.get(str(said.get('verdict')), 'kept')}")  # fmt: skip


def _require_ground(workshop: Workshop, sheet: Sheet, like: Any) -> None:
    """Refuse to go by a ground where none is modelled."""
    goes_by = like.get("colour", "ground") if isinstance(like, dict) else ""
    if goes_by == "ground" and load_measured(workshop, sheet).facts.is_busy:
        raise BadParameterError(
            "Nothing is known of what lies behind: this picture is too busy.",
            hint="Let the stroke go by its first touch, or by what is under its middle.",
            field="marks",
        )


def add_mark(edit: Edit, said: Values, change: str) -> Sheet:
    """Add a mark, in the spell of work that goes on."""
    marks = list_marks(edit.sheet)
    entry = read_mark_said({**said, "spell": _start_spell(edit.sheet, marks, said)})
    return _save(edit, (*marks, entry), change)


def set_outline(edit: Edit, number: int, did: str, values: Values) -> Sheet:
    """Set the points of an outline, each with its place and bend in the work area; number 0 begins a new one."""
    sheet = edit.sheet
    area, marks = sheet.area, list_marks(sheet)
    points = values.get("points")
    if not isinstance(points, list) or not all(isinstance(point, dict) for point in points):
        raise BadParameterError("Expected points, each with x and y.", field="marks")
    said = {**values, "kind": "outline", "points": [_place_point(area, point) for point in points]}
    if number == 0:
        return add_mark(edit, said, "outline_begun")
    before = mark_of_kind(marks, number, OutlineEntry, "outline")
    said = {**before.model_dump(), **said}
    if did not in OUTLINE_CHANGES:
        raise BadParameterError("Expected what was done to the outline.", field="marks")
    return change_mark(edit, number, read_mark_said(said), f"outline_{did}")


OUTLINE_CHANGES = ("added", "moved", "bent", "turned", "removed", "closed", "opened", "decided")
"""What may be done to an outline: points added, moved, removed; parts bent; corners made smooth; and what it does."""


def _place_point(area: Area, point: Values) -> Values:
    x, y = to_picture(area, [(point.get("x"), point.get("y"))])[0]  # type: ignore[list-item]
    bend = point.get("bend")
    bent = None if bend is None else to_picture(area, [bend])[0]
    return {**point, "x": x, "y": y, "bend": bent}


def mark_of_kind(marks: tuple[MarkEntry, ...], number: int, kind: type[T], word: str) -> T:
    """Return a mark by its number, counted from 1, or refuse one that is there but of another kind."""
    require_number(number, list(marks), word)
    entry = marks[number - 1]
    if not isinstance(entry, kind):
        raise BadParameterError(f"Mark {number} is no {word}.", field="marks")
    return entry


def change_mark(edit: Edit, number: int, entry: MarkEntry, change: str) -> Sheet:
    """Put a changed mark in the place of the one that has its number, counted from 1."""
    marks = list_marks(edit.sheet)
    return _save(edit, [*marks[: number - 1], entry, *marks[number:]], change)


def decide_surrounding(edit: Edit, number: int, does: str, rim_px: float | None) -> Sheet:
    """Say what an outline or rough-in does with its inside or outside, and how wide its rim is solved."""
    sheet = edit.sheet
    marks = list_marks(sheet)
    require_number(number, list(marks), "mark")
    entry = marks[number - 1]
    if not isinstance(entry, OutlineEntry | RoughEntry):
        raise BadParameterError(
            f"Mark {number} is no outline, and was not found by scribbles.", field="marks"
        )
    said = {**entry.model_dump(), "does": does}
    if rim_px is not None:
        said["rim_px"] = rim_px
    return change_mark(edit, number, read_mark_said(said), "outline_decided")


def _change_some(
    edit: Edit, numbers: Sequence[int], change: str,
    make: Callable[[MarkEntry], MarkEntry | None],
) -> Sheet:  # fmt: skip
    """Change the marks of some numbers, counted from 1; None takes one away."""
    sheet = edit.sheet
    marks = list_marks(sheet)
    for number in numbers:
        require_number(number, list(marks), "mark")
    chosen = set(numbers)
    made = [make(mark) if n in chosen else mark for n, mark in enumerate(marks, 1)]
    return _save(edit, [mark for mark in made if mark is not None], change)


def switch_marks(edit: Edit, numbers: Sequence[int], *, is_on: bool) -> Sheet:
    """Switch marks on or off; they are numbered from 1."""
    change = "marks_on" if is_on else "marks_off"
    return _change_some(
        edit, numbers, change, lambda mark: mark.listed(is_on=is_on, spell=mark.spell)
    )  # fmt: skip


def remove_marks(edit: Edit, numbers: Sequence[int]) -> Sheet:
    """Take marks away; undo brings them back."""
    return _change_some(edit, numbers, "unmark", lambda _: None)


def move_mark(edit: Edit, number: int, by: tuple[float, float]) -> Sheet:
    """Move a mark by so many pixels of the work area; they are numbered from 1."""
    sheet = edit.sheet
    area, marks = sheet.area, list_marks(sheet)
    require_number(number, list(marks), "mark")
    here = area.to_area_all(np.array([marks[number - 1].place]))[0]
    (from_x, from_y), (to_x, to_y) = (place[:2] for place in to_picture(area, [here, here + by]))
    try:
        moved = marks[number - 1].moved(to_x - from_x, to_y - from_y)
    except ValidationError as error:
        raise to_words(error, ("marks",)) from error
    return change_mark(edit, number, moved, "mark_moved")


_CHANGEABLE = ("verdict", "across_px", "hardness", "strength", "like")


def set_mark(edit: Edit, number: int, values: Values) -> Sheet:
    """Change what a stroke or an area does, and how wide or soft a stroke is; they are numbered from 1."""
    sheet = edit.sheet
    marks = list_marks(sheet)
    require_number(number, list(marks), "mark")
    entry = marks[number - 1]
    fields = type(entry).model_fields
    wanted = {name: values[name] for name in _CHANGEABLE if name in values and name in fields}
    if not wanted:
        raise BadParameterError(f"Nothing of that can be set of mark {number}.", field="marks")
    changed = read_mark_said({**entry.model_dump(), **wanted})
    return change_mark(edit, number, changed, "mark_set")
