"""Faults in words: what each is, what mends it, and what its limit means."""

from dataclasses import dataclass

from tidymargin.core.faults.kinds import KINDS, Fault, Limits
from tidymargin.services.edits.mending import REMEDIES
from tidymargin.services.picture.words import FAULT_WORDS, KIND_WORDS
from tidymargin.services.views.faults import list_open
from tidymargin.store.values import Sheet
from tidymargin.web.words import gettext, gettext_noop

_REMEDY_WORDS = {
    "drop": gettext_noop("remove the specks"), "clear": gettext_noop("clear it"), "clean": gettext_noop("remove the fringe"),
    "fill": gettext_noop("make it solid"), "spare": gettext_noop("bring it back"), "smooth": gettext_noop("smooth the edge"),
}  # fmt: skip
LIMIT_WORDS = {
    "crumb": gettext_noop("specks up to, px"), "fringe": gettext_noop("background in the edge’s colour, 0 to 1"),
    "see_through": gettext_noop("how clear a patch is, 0 to 1"), "eaten": gettext_noop("difference of what was lost"),
    "leftover": gettext_noop("matte of a leftover, 0 to 1"), "jagged": gettext_noop("length of jagged edges, px"),
    "cut_off": gettext_noop("length at the edge, px"), "changed": gettext_noop("difference of a changed colour"),
    "resolution": gettext_noop("dots to the inch"),
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class FaultView:
    """A fault as a row: its number among all, itself, words, and what mends it, if anything does."""

    number: int
    fault: Fault
    words: str
    remedy: str
    is_severe: bool


def list_faults(sheet: Sheet, faults: tuple[Fault, ...]) -> list[FaultView]:
    """Return the rows of what nobody has accepted, the most severe first."""
    views = []
    for fault in list_open(sheet, faults):
        words = gettext(FAULT_WORDS[fault.kind], size=f"{fault.size:.0f}")
        remedy = REMEDIES.get(fault.kind, "")
        views.append(
            FaultView(
                faults.index(fault), fault, words, gettext(_REMEDY_WORDS[remedy]) if remedy else "", fault.is_severe
            )
        )  # fmt: skip
    return views


def say_looked_for() -> str:
    """Name all that was looked for."""
    return ", ".join(gettext(KIND_WORDS[kind]) for kind in KINDS)


def list_limits(sheet_limits: dict[str, float | None]) -> list[tuple[str, str, float | None, float]]:  # fmt: skip
    """Return each limit's name, words, what was set, and the usual value."""
    usual = Limits()
    return [
        (name, gettext(words), sheet_limits[name], getattr(usual, name))
        for name, words in LIMIT_WORDS.items()
    ]
