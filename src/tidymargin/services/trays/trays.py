"""Trays: sheets that share a recipe's rules and numbers, and which of them to look at first."""

from dataclasses import dataclass
from typing import Any

from tidymargin.core.base.errors import BadParameterError, DomainError, StaleHeadError
from tidymargin.formats.recipe import Recipe, change_recipe, read_recipe
from tidymargin.formats.sharing import list_exceptions, share, take_shared
from tidymargin.services.edits.changing import Edit, commit_recipe
from tidymargin.services.picture.keyjob import Report, read_report, report_on
from tidymargin.services.views.cutting import load_cutter
from tidymargin.services.workshop.executor import Priority
from tidymargin.services.workshop.identity import cut_name
from tidymargin.services.workshop.states import is_of_older_engine
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.store.values import Sheet, Tray

MOST_NAME = 80


def _clean_name(name: str) -> str:
    cleaned = " ".join("".join(c if c.isprintable() else " " for c in name).split())[:MOST_NAME]
    if not cleaned:
        raise BadParameterError("The name of the tray is empty.", field="name")
    return cleaned


def make_tray(workshop: Workshop, name: str, sheet_ids: list[int] | None = None) -> Tray:
    """Make a tray of a name, with sheets in it; they share the defaults until something is said."""
    tray = workshop.trays.add(_clean_name(name), Recipe().to_json())
    workshop.trays.put_in(tray.id, sheet_ids or [])
    return tray


def rename_tray(workshop: Workshop, tray_id: int, name: str) -> None:
    """Give a tray another name."""
    workshop.trays.rename(tray_id, _clean_name(name))


def share_of(workshop: Workshop, tray_id: int, seen: int, sheet_id: int) -> Tray:
    """Let all sheets of a tray share what one of them has; its places stay its own."""
    shared = take_shared(workshop.sheets.load(sheet_id).recipe)
    return _commit(workshop, tray_id, seen, shared, "shared")


def share_values(
    workshop: Workshop, tray_id: int, seen: int, change: str, values: dict[str, dict[str, Any]]
) -> Tray:
    """Let all sheets of a tray share values, by step and name; `change` is what that is called.

    Raises
    ------
    BadRecipeError
        One of them is of the wrong kind or out of range.
    """
    shared = read_recipe(workshop.trays.load(tray_id).recipe)
    for step, new in values.items():
        shared = change_recipe(shared, step, **new)
    return _commit(workshop, tray_id, seen, shared, change)


def _commit(workshop: Workshop, tray_id: int, seen: int, shared: Recipe, change: str) -> Tray:
    tray = workshop.trays.load(tray_id)
    text = shared.to_json()
    return tray if text == tray.recipe else workshop.trays.commit(tray_id, seen, text, change)


def recipe_in(workshop: Workshop, tray: Tray, sheet: Sheet) -> Recipe:
    """Return a sheet's recipe as it is once the sheet has what its tray shares now."""
    own = sheet.recipe
    if sheet.tray_state == tray.head:
        return own
    was = workshop.trays.load_recipe(sheet.tray_state)
    before = Recipe() if was is None else read_recipe(was)
    return share(before, read_recipe(tray.recipe), own)


def follow_tray(workshop: Workshop, tray: Tray, sheet: Sheet) -> bool:
    """Bring a sheet to what its tray shares now, as a row of its own history; False where it cannot be yet.

    That is so while the sheet is being changed, or while it still is as an older engine cut it.
    """
    if is_of_older_engine(sheet):
        return False
    after = recipe_in(workshop, tray, sheet)
    try:
        commit_recipe(Edit(workshop, sheet, sheet.head), after, "tray")
    except StaleHeadError:
        return False
    workshop.trays.note_followed(sheet.id, tray.head)
    return True


def renew_all(workshop: Workshop, tray_id: int) -> None:
    """Have every sheet of a tray that an older engine cut be cut by the present one, behind what anybody does."""
    sheets = workshop.trays.list_sheets(tray_id)
    workshop.renewing.update(sheet.id for sheet in sheets if is_of_older_engine(sheet))


def _report_name(sheet: Sheet) -> str:
    return f"report:{cut_name(sheet)}:{sheet.names['proof']}"


def report_at_hand(workshop: Workshop, sheet: Sheet) -> Report | None:
    """Return what came of looking a sheet's cut over; None where nobody has."""
    name = _report_name(sheet)
    found: Report | None = workshop.small.get(name)
    if found is None:
        kept = workshop.disk.get(name)
        if kept is not None:
            found = read_report(kept.decode())
            workshop.small.put(name, found, len(kept))
    return found


def look_over(workshop: Workshop, sheet: Sheet) -> Report:
    """Look a sheet's cut over, behind what anybody looks at.

    Raises
    ------
    DomainError
        It cannot be cut, and why.
    """
    found = report_at_hand(workshop, sheet)
    if found is not None:
        return found
    name = _report_name(sheet)

    def compute() -> Report:
        workshop.executor.tick(0)  # what is looked at goes first
        return report_on(load_cutter(workshop, sheet), sheet.recipe, sheet.area)

    report = workshop.executor.submit(name, Priority.KEEPING, compute).result()
    workshop.keep(workshop.disk, sheet.original, name, report.to_json().encode())
    workshop.small.put(name, report, 1000)
    return report


@dataclass(frozen=True, slots=True)
class Card:
    """One sheet of a tray: what came of looking it over, or why that failed, and what it has otherwise than the tray."""

    sheet: Sheet
    report: Report | None
    failed: str
    exceptions: tuple[tuple[str, str], ...]

    @property
    def is_older(self) -> bool:
        """Whether an older engine cut it: it stays as it is, and is not looked over, until somebody says otherwise."""
        return is_of_older_engine(self.sheet)

    @property
    def doubt(self) -> float:
        """How doubtful it is, 0 to 1; a failure is more than that, and what nobody looked over yet less."""
        if self.failed:
            return 2.0
        return -1.0 if self.report is None else self.report.doubt

    @property
    def is_doubtful(self) -> bool:
        """Whether a person should look at it."""
        return bool(self.failed) or (self.report is not None and self.report.to_look_at)


@dataclass(frozen=True, slots=True)
class Overview:
    """A tray as it is: its sheets, the doubtful first, how many have not got what it shares yet, and are being cut anew."""

    tray: Tray
    cards: tuple[Card, ...]
    behind: int
    renewing: int = 0

    @property
    def older(self) -> int:
        """How many an older engine cut."""
        return sum(card.is_older for card in self.cards)

    @property
    def doubtful(self) -> int:
        """How many a person should look at."""
        return sum(card.is_doubtful for card in self.cards)

    @property
    def unknown(self) -> int:
        """How many nobody has looked over yet."""
        return sum(card.doubt < 0 and not card.is_older for card in self.cards)

    @property
    def clean(self) -> int:
        """How many are fine as they are."""
        older = sum(card.is_older and not card.is_doubtful for card in self.cards)
        return len(self.cards) - self.doubtful - self.unknown - older


def overview_of(workshop: Workshop, tray: Tray) -> Overview:
    """Look at all sheets of a tray as far as they are known; nothing is computed."""
    shared = read_recipe(tray.recipe)
    cards = []
    behind = 0
    for sheet in workshop.trays.list_sheets(tray.id):
        failed, report = "", None
        exceptions: tuple[tuple[str, str], ...] = ()
        try:
            report = None if is_of_older_engine(sheet) else report_at_hand(workshop, sheet)
            exceptions = tuple(list_exceptions(shared, sheet.recipe))
        except DomainError as error:
            failed = error.message
        failure = workshop.failed.get(failure_name(sheet))
        is_behind = sheet.tray_state != tray.head
        behind += is_behind and not is_of_older_engine(sheet)
        if failure is not None:
            failed = failure.message
        cards.append(Card(sheet, report, failed, () if is_behind else exceptions))
    cards.sort(key=lambda card: (-card.doubt, -card.sheet.id))
    renewing = sum(card.is_older and card.sheet.id in workshop.renewing for card in cards)
    return Overview(tray, tuple(cards), behind, renewing)


def failure_name(sheet: Sheet) -> str:
    """Return under which name it is known that a state of a sheet could not be looked over."""
    return f"look:{sheet.id}:{sheet.head}"
