"""An answer given on one sheet of a tray, offered to what is alike on its others: never done unasked, and taken back at once."""

from collections.abc import Collection
from contextlib import suppress
from dataclasses import dataclass

from tidymargin.core.base.errors import BadParameterError, DomainError, StaleHeadError
from tidymargin.core.questions.asking import Spot, Verdict
from tidymargin.formats.steps import PocketEntry, RegionEntry
from tidymargin.services.edits.changing import Edit, commit_recipe
from tidymargin.services.edits.history import undo_change
from tidymargin.services.picture.asking import add_answer
from tidymargin.services.views.asked import load_questions, look_behind, spots_at_hand
from tidymargin.services.workshop.identity import found_name
from tidymargin.services.workshop.states import is_of_older_engine
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.store.values import Sheet

ANSWERED: dict[str, Verdict] = {"answered_clear": "clear", "answered_keep": "keep"}
"""Changes that can be carried to other sheets, and what they said."""

_AT_ONCE = (
    2  # sheets that are looked through at a time: as many as there are cores on a small machine
)
_FROM = "carried_from"
_BYTES = 2000  # of a place that is remembered


@dataclass(frozen=True, slots=True)
class There:
    """What is alike on another sheet."""

    sheet: Sheet
    spots: tuple[Spot, ...]

    def names(self) -> tuple[str, ...]:
        """Return what each place is called by whoever chooses among them."""
        return tuple(f"{self.sheet.id}:{spot.row}:{spot.col}" for spot in self.spots)


@dataclass(frozen=True, slots=True)
class Offer:
    """What an answer could be carried to.

    Parameters
    ----------
    verdict : str
        What was answered.
    there : tuple of There
        The sheets that have something alike which nobody has answered.
    looked, of : int
        How many of the other sheets were looked through, and how many there are.
    """

    verdict: Verdict
    there: tuple[There, ...]
    looked: int
    of: int

    @property
    def count(self) -> int:
        """How many places there are."""
        return sum(len(each.spots) for each in self.there)


def find_offer(workshop: Workshop, sheet: Sheet) -> Offer | None:
    """Return what a sheet's last answer could be carried to, as far as is known; the rest is looked for behind that.

    That is all that is alike and that nobody answered, whether it is asked about there or not.

    None where its last change is no answer, or it lies in no tray.

    Raises
    ------
    StoppedError
        The sheet has gone on to another state.
    """
    verdict = ANSWERED.get(sheet.undo or "")
    if verdict is None or sheet.tray is None or sheet.before is None:
        return None
    models = _find_models(workshop, sheet)
    others = [s for s in workshop.trays.list_sheets(sheet.tray) if s.id != sheet.id]
    alike = {s.id: _look_on(workshop, sheet, models, s) for s in others}
    unknown = [s for s in others if alike[s.id] is None]
    for other in unknown[:_AT_ONCE]:
        look_behind(workshop, other)
    found = ((s, alike[s.id] or ()) for s in others)
    there = tuple(There(s, spots) for s, spots in found if spots)
    return Offer(verdict, there, len(others) - len(unknown), len(others))


def _find_models(workshop: Workshop, sheet: Sheet) -> tuple[Spot, ...]:
    """Return the places that a sheet's last change answered, as they were asked about."""
    before = workshop.sheets.load_at(sheet, sheet.before or 0)
    was, now = before.recipe.reach, sheet.recipe.reach
    new: list[RegionEntry | PocketEntry] = [*now.regions[len(was.regions) :], *now.pockets[len(was.pockets) :]]  # fmt: skip
    places = [sheet.area.to_area(entry.x, entry.y) for entry in new]
    answered = {(round(row), round(col)) for col, row in places}
    questions = load_questions(workshop, before)
    return tuple(s for q in questions for s in q.spots if (s.row, s.col) in answered)


def _look_on(
    workshop: Workshop, sheet: Sheet, models: tuple[Spot, ...], other: Sheet
) -> tuple[Spot, ...] | None:
    """Return what is like an answer on another sheet, None where that is not known yet.

    It is kept by itself: of a large tray all that could be answered is more than is kept, and would be looked for without end.
    """
    if is_of_older_engine(other):
        return ()
    name = found_name(other, f"alike:{sheet.id}:{sheet.head}")
    alike: tuple[Spot, ...] | None = workshop.small.get(name)
    spots = spots_at_hand(workshop, other)
    if alike is None and spots is not None:
        alike = tuple(spot for spot in spots if any(model.is_like(spot) for model in models))
        workshop.small.put(name, alike, _BYTES * (1 + len(alike)))
    return alike


def carry_answer(workshop: Workshop, sheet: Sheet, chosen: Collection[str]) -> int:
    """Answer what is alike and chosen on the other sheets of a tray as a sheet's last change did; return on how many sheets.

    One row of the history of each. A sheet that is being changed meanwhile is passed over.

    Raises
    ------
    BadParameterError
        There is nothing to carry.
    """
    offer = find_offer(workshop, sheet)
    if offer is None or not offer.there:
        raise BadParameterError(
            "Nothing that is like it is open on the other pictures.", field="questions"
        )
    done = 0
    for each in offer.there:
        named = zip(each.names(), each.spots, strict=True)
        spots = tuple(spot for name, spot in named if name in chosen)
        if not spots:
            continue
        recipe = add_answer(each.sheet.recipe, each.sheet.area, spots, offer.verdict)
        change = "answered_clear" if offer.verdict == "clear" else "answered_keep"
        with suppress(StaleHeadError):
            edit = Edit(workshop, each.sheet, each.sheet.head)
            commit_recipe(edit, recipe, change, {_FROM: [sheet.id, sheet.head]})
            done += 1
    return done


def list_carried(workshop: Workshop, sheet: Sheet) -> tuple[Sheet, ...]:
    """Return the sheets whose last change was carried there from a sheet."""
    if sheet.tray is None:
        return ()
    others = workshop.trays.list_sheets(sheet.tray)
    return tuple(s for s in others if (s.resolved.get(_FROM) or [0])[0] == sheet.id)


def take_back(workshop: Workshop, sheet: Sheet) -> int:
    """Take an answer back where it was carried to and still is the last change, and on its own sheet; return on how many others."""
    carried = list_carried(workshop, sheet)
    done = 0
    for other in carried:
        with suppress(DomainError):  # it goes on meanwhile, and keeps what it has
            undo_change(Edit(workshop, other, other.head))
            done += 1
    if any(other.resolved[_FROM][1] == sheet.head for other in carried):
        undo_change(Edit(workshop, sheet, sheet.head))
    return done
