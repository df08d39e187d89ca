"""The sentence of what was decided by hand, the list of marks, and what may be changed of them."""

from dataclasses import dataclass
from itertools import groupby
from typing import Any

from markupsafe import Markup

from tidymargin.formats.marks import AreaEntry, MarkEntry, OutlineEntry, RoughEntry, StrokeEntry
from tidymargin.formats.recipe import Recipe
from tidymargin.services.picture.reasons import Reason
from tidymargin.web.words import (
    STATES,
    Change,
    StepView,
    fill,
    gettext,
    gettext_noop,
    ngettext,
    phrase,
)

MOST_GROUPS = 20
"""Spells of work that are listed at once; the newest stand first."""


@dataclass(frozen=True, slots=True)
class MarkRow:
    """One mark of the list, with its number, counted from 1."""

    number: int
    mark: MarkEntry

    @property
    def words(self) -> str:
        """Where it begins, in words."""
        x, y = self.mark.place
        return gettext("at %(x)s, %(y)s", x=f"{x:.0f}", y=f"{y:.0f}")


@dataclass(frozen=True, slots=True)
class MarkGroup:
    """Marks of one spell of work, the newest first, and what they are in words."""

    rows: tuple[MarkRow, ...]
    words: str
    detail: str
    verdict: str

    @property
    def newest(self) -> MarkRow:
        """The one that was made last."""
        return self.rows[0]

    @property
    def numbers(self) -> str:
        """The numbers of its marks, as forms carry them."""
        return " ".join(str(row.number) for row in self.rows)

    @property
    def is_on(self) -> bool:
        """Whether any of them is on."""
        return any(row.mark.is_on for row in self.rows)


def _count(kind: str, count: int) -> str:
    """Return how many marks of a kind there are, in words; one of them has no number."""
    if kind == "stroke":
        return ngettext("a stroke", "%(num)s strokes", count)
    if kind == "rub":
        return ngettext(
            "a stroke on the background only", "%(num)s strokes on the background only", count
        )
    if kind == "area":
        return ngettext("an area", "%(num)s areas", count)
    if kind == "outline":
        return ngettext("an outline", "%(num)s outlines", count)
    return ngettext("a find by scribbles", "%(num)s finds by scribbles", count)


def _kind_of(mark: MarkEntry) -> str:
    if isinstance(mark, StrokeEntry):
        return "rub" if mark.like else "stroke"
    return {AreaEntry: "area", OutlineEntry: "outline", RoughEntry: "rough"}[type(mark)]


def _verdict_of(mark: MarkEntry) -> str:
    if isinstance(mark, OutlineEntry | RoughEntry):
        return "keep" if mark.does in ("keep_inside", "cut_out") else "clear"
    return str(getattr(mark, "verdict", ""))


_SAID = {
    "stroke": (gettext_noop("Strokes"), ("stroke", "rub")),
    "area": (gettext_noop("Areas"), ("area",)),
    "outline": (gettext_noop("Outlines"), ("outline",)),
    "rough": (gettext_noop("Finds by scribbles"), ("rough",)),
}


def say_by_hand(recipe: Recipe) -> StepView:
    """Say how many marks of each kind there are; strokes are strokes here, along the ground or not."""
    kinds = [_kind_of(mark) for mark in recipe.by_hand.marks if mark.is_on]
    counts = {said: sum(kinds.count(kind) for kind in alike) for said, (_, alike) in _SAID.items()}
    phrases = [
        phrase("by_hand", gettext(_SAID[kind][0]), _count(kind, count)) for kind, count in counts.items() if count
    ]  # fmt: skip
    if not phrases:
        phrases = [phrase("by_hand", gettext_noop("By hand"), gettext("nothing"))]
    said = Markup(", ").join(phrases[:-1])
    if said:
        said = fill(gettext("%(some)s and %(last)s."), some=said, last=phrases[-1])
    else:
        said = fill("%(last)s.", last=phrases[-1])
    words = fill(gettext("By hand: %(marks)s"), marks=said)
    state = "yours" if recipe.by_hand.marks else ""
    return StepView("by_hand", state, STATES[state] if state else "", words)


_DOES = {
    "keep": gettext_noop("keeps"),
    "clear": gettext_noop("clears"),
    "solve": gettext_noop("works the edge out"),
    "cut_out": gettext_noop("is cut out"),
    "keep_inside": gettext_noop("keeps its inside"),
    "clear_inside": gettext_noop("clears its inside"),
    "clear_outside": gettext_noop("clears its outside"),
}


def _say_detail(mark: MarkEntry) -> str:
    """Return what a mark does, and how wide it is."""
    if isinstance(mark, OutlineEntry) and not mark.is_closed:
        return gettext("not closed yet, so it decides nothing")
    does = gettext(_DOES[getattr(mark, "does", "") or _verdict_of(mark)])
    if isinstance(mark, StrokeEntry):
        return gettext("%(does)s, %(px)s px", does=does, px=f"{mark.across_px:g}")
    return does


def list_groups(recipe: Recipe) -> tuple[list[MarkGroup], str]:
    """Return the newest spells of work, the last one first, and the numbers of the marks made before those."""
    marks = recipe.by_hand.marks
    listed = (MarkRow(number, marks[number - 1]) for number in range(len(marks), 0, -1))
    spells = groupby(listed, key=lambda row: (row.mark.spell or -row.number, _kind_of(row.mark)))
    found: list[MarkGroup] = []
    for _, spell in spells:
        if len(found) == MOST_GROUPS:
            last = found[-1].rows[-1].number
            return found, " ".join(str(number) for number in range(last - 1, 0, -1))
        rows = tuple(spell)
        mark = rows[0].mark
        words = _count(_kind_of(mark), len(rows))
        found.append(MarkGroup(rows, words[0].upper() + words[1:], _say_detail(mark), _verdict_of(mark)))  # fmt: skip
    return found, ""


def _say_last(text: str) -> Any:
    def say(before: Recipe, after: Recipe, _: dict[str, Any]) -> Reason:
        x, y = after.by_hand.marks[-1].place
        return Reason(text, {"x": f"{x:.0f}", "y": f"{y:.0f}"})

    return say


def _say_count(text: str) -> Any:
    def say(before: Recipe, after: Recipe, _: dict[str, Any]) -> Reason:
        was, now = before.by_hand.marks, after.by_hand.marks
        changed = len(was) - len(now) or sum(a.is_on != b.is_on for a, b in zip(was, now, strict=True))  # fmt: skip
        return Reason(text, {"n": str(changed)})

    return say


CHANGES = {
    "area_cleared": Change(
        gettext_noop("area cleared"), _say_last("Area at %(x)s, %(y)s cleared by hand")
    ),
    "area_kept": Change(
        gettext_noop("area kept"), _say_last("Area at %(x)s, %(y)s kept by hand")
    ),
    "area_solved": Change(
        gettext_noop("area solved"), _say_last("Edge in an area at %(x)s, %(y)s worked out")
    ),
    "stroke_cleared": Change(
        gettext_noop("stroke"), _say_last("Stroke from %(x)s, %(y)s clears")
    ),
    "stroke_kept": Change(
        gettext_noop("stroke"), _say_last("Stroke from %(x)s, %(y)s keeps")
    ),
    "stroke_solved": Change(
        gettext_noop("stroke"), _say_last("Rim under a stroke from %(x)s, %(y)s solved")
    ),
    "rub_cleared": Change(
        gettext_noop("stroke on the background only"), _say_last("Stroke along the ground from %(x)s, %(y)s")
    ),
    "rub_kept": Change(
        gettext_noop("stroke on the subject only"), _say_last("Figure brought back under a stroke from %(x)s, %(y)s")
    ),
    "outline_begun": Change(
        gettext_noop("outline begun"), _say_last("Outline begun at %(x)s, %(y)s")
    ),
    "outline_added": Change(gettext_noop("point"), "Point of an outline set"),
    "outline_moved": Change(gettext_noop("point moved"), "Point of an outline moved"),
    "outline_bent": Change(gettext_noop("part bent"), "Part of an outline bent"),
    "outline_turned": Change(gettext_noop("corner or smooth"), "Point of an outline made smooth, or a corner"),
    "outline_removed": Change(gettext_noop("point removed"), "Point of an outline removed"),
    "outline_closed": Change(gettext_noop("outline closed"), "Outline closed"),
    "outline_opened": Change(gettext_noop("outline opened"), "Outline opened again"),
    "outline_decided": Change(gettext_noop("what an outline does"), "What an outline does"),
    "rough_begun": Change(gettext_noop("find by scribbles"), "Figure roughed in"),
    "rough_went_on": Change(gettext_noop("scribble"), "Rough-in gone on with"),
    "mark_moved": Change(gettext_noop("mark moved"), "Mark moved"),
    "mark_set": Change(gettext_noop("mark changed"), "What a mark does, or its width"),
    "marks_off": Change(gettext_noop("marks switched off"), _say_count("%(n)s marks switched off")),
    "marks_on": Change(gettext_noop("marks switched on"), _say_count("%(n)s marks switched on again")),
    "unmark": Change(gettext_noop("marks removed"), _say_count("%(n)s marks removed")),
    # as they were called before there was more than areas
    "area_off": Change(gettext_noop("area switched off"), "Area switched off"),
    "area_on": Change(gettext_noop("area switched on"), "Area switched on again"),
    "unarea": Change(gettext_noop("area removed"), "Area removed"),
}  # fmt: skip
"""What may be changed here, in words."""
