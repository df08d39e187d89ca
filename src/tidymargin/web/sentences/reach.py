"""The sentence of reach, and what stands in it: pockets, gaps, dust, and what a click would do."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from markupsafe import Markup

from tidymargin.core.base.area import Area
from tidymargin.core.ground.difference import STEP
from tidymargin.core.place import Meaning, Place
from tidymargin.core.questions.asking import Question, Spot
from tidymargin.core.reach.narrows import Narrow
from tidymargin.core.reach.pockets import Pocket, Pockets
from tidymargin.core.suggest.dust import Specks
from tidymargin.core.suggest.strays import StrayGroup
from tidymargin.formats.recipe import Recipe
from tidymargin.formats.steps import PocketEntry, ReachStep, RegionEntry
from tidymargin.services.picture.reasons import Reason
from tidymargin.services.picture.words import LOOKS_WORDS
from tidymargin.web.words import (
    STARTS,
    STATES,
    Change,
    StepView,
    fill,
    format_share,
    gettext,
    gettext_noop,
    ngettext,
    phrase,
)


def say_narrow(narrow: Narrow, area_px: int) -> str:
    """Say how wide a gap is and how much lies behind it."""
    return gettext(
        "%(width)s px wide, %(share)s behind it",
        width=f"{narrow.width_px:.0f}",
        share=format_share(narrow.area_px / area_px),
    )


def say_reach(
    recipe: Recipe,
    tolerance: float,
    is_busy: bool,
    pockets: Pockets | None,
    narrows: tuple[Narrow, ...],
    asked: int,
) -> StepView:
    """Say where clearing starts, up to which tolerance it goes, and what else was decided of it."""
    reach = recipe.reach
    number = phrase("reach", gettext_noop("Tolerance"), f"{tolerance:.1f}", number=True)
    begins = "picks" if is_busy and reach.start == "outside" else reach.start
    start = phrase("reach", gettext_noop("Start"), gettext(STARTS[begins]))
    extras = []
    if reach.picks:
        extras.append(
            (gettext("Picks"), ngettext("%(num)d pick", "%(num)d picks", len(reach.picks)))
        )
    opened = sum(p.verdict == "clear" for p in pockets.listed) if pockets else 0
    if pockets and pockets.listed:
        words = gettext("%(n)s of %(all)s enclosed areas", n=opened, all=len(pockets.listed))
        extras.append((gettext("Enclosed areas"), words))
    if reach.pocket_rules:
        last = reach.pocket_rules[-1]
        words = (
            gettext("enclosed areas under %(n)s px removed", n=last.under_px)
            if last.verdict == "clear"
            else gettext("enclosed areas under %(n)s px kept", n=last.under_px)
        )
        if len(reach.pocket_rules) > 1:
            words = gettext("%(n)s rules for enclosed areas", n=len(reach.pocket_rules))
        extras.append((gettext("Rules for enclosed areas"), words))
    if narrows:
        words = ngettext("%(num)d gap to look at", "%(num)d gaps to look at", len(narrows))
        extras.append((gettext("Gaps"), words))
    if asked:
        words = ngettext("%(num)d question", "%(num)d questions", asked)
        extras.append((gettext("Questions"), words))
    if reach.guards:
        extras.append(
            (
                gettext("Protected colours"),
                ngettext(
                    "%(num)d protected colour", "%(num)d protected colours", len(reach.guards)
                ),
            )
        )
    if reach.fences:
        extras.append(
            (gettext("Fences"), ngettext("%(num)d fence", "%(num)d fences", len(reach.fences)))
        )
    named = Markup(", ").join(phrase("reach", name, words) for name, words in extras)
    if extras:
        said = fill(
            gettext("Clear from %(start)s up to %(tolerance)s, with %(extras)s."),
            start=start,
            tolerance=number,
            extras=named,
        )
    else:
        said = fill(
            gettext("Clear from %(start)s up to %(tolerance)s."), start=start, tolerance=number
        )
    chosen = reach != ReachStep()
    undecided = asked > 0 or bool(narrows)
    state = "yours" if chosen else "look again" if undecided else "measured"
    return StepView("reach", state, STATES[state], said)


@dataclass(frozen=True, slots=True)
class PocketView:
    """A pocket as a row of the list: its number among all, and where it stands among those that are drawn."""

    number: int
    at: int
    pocket: Pocket
    share: str
    reason: str


_REASONS = {
    "ink": gettext_noop("paper in a loop of ink"),
    "screen": gettext_noop("screen inside"),
    "pattern": gettext_noop("the pattern goes on inside"),
    "even": gettext_noop("even inside: likely the subject"),
    "one_colour": gettext_noop("the subject is of one colour, so this is background"),
    "open": gettext_noop("likely background, as in lines and letters"),
    "closed": gettext_noop("likely the subject: enclosed by a drawing"),
    "undecided": gettext_noop("enclosed"),
    "shut": gettext_noop("shut off by you"),
    "rule": gettext_noop("by your rule for its size"),
    "yours": gettext_noop("yours"),
    "split": gettext_noop("yours, split from one"),
    "merged": gettext_noop("yours, two in one now: the later counts"),
}


def list_pockets(pockets: Pockets, area_px: int, most: int) -> list[PocketView]:
    """Return the pockets to show, by size: so many that nobody has decided, which are asked about, and as many others."""
    numbered = list(enumerate(pockets.listed))
    undecided = [(n, pocket) for n, pocket in numbered if not pocket.is_decided][:most]
    decided = [(n, pocket) for n, pocket in numbered if pocket.is_decided][:most]
    return [
        PocketView(
            n, at, pocket, format_share(pocket.area_px / area_px), gettext(_REASONS[pocket.reason])
        )
        for at, (n, pocket) in enumerate(undecided + decided)
    ]


@dataclass(frozen=True, slots=True)
class QuestionView:
    """A question as it is shown: its places, the largest first, what is asked, of how much, and what becomes of it now."""

    spots: tuple[Spot, ...]
    words: str
    share: str
    now: str


_MOST_ASKED = 40  # that a page has; answered ones make room


def list_questions(questions: tuple[Question, ...], area: Area) -> list[QuestionView]:
    """Return what is asked as it is shown, ranked."""
    return [
        QuestionView(
            question.spots,
            gettext(LOOKS_WORDS[question.looks]),
            format_share(question.area_px / (area.width * area.height)),
            question.now,
        )
        for question in questions[:_MOST_ASKED]
    ]


_EDGES = {
    "left": gettext_noop("left"),
    "right": gettext_noop("right"),
    "top": gettext_noop("top"),
    "bottom": gettext_noop("bottom"),
}


def say_group(group: StrayGroup) -> str:
    """Say what a group of solid things is told by."""
    return gettext(
        "%(n)s alike, along the %(edge)s edge",
        n=len(group.places),
        edge=gettext(_EDGES[group.edge]),
    )


def say_specks(specks: Specks) -> str:
    """Say what dust is told by."""
    sizes = (
        gettext("%(n)s px", n=specks.most_px)
        if specks.least_px == specks.most_px
        else gettext("%(least)s to %(most)s px", least=specks.least_px, most=specks.most_px)
    )
    return gettext(
        "%(n)s specks of %(sizes)s; all else has %(next)s or more",
        n=specks.count,
        sizes=sizes,
        next=specks.next_px,
    )


def say_place(place: Place, tolerance: float) -> dict[str, object]:
    """Say what a click at a place would do, in a verb and its figures, and what tuning there would."""
    at = place.reached_at
    tune: dict[str, object] = {"upTo": None, "shortOf": None}
    if at is not None and at > tolerance:
        tune["upTo"] = gettext("Up to here, %(t)s", t=f"{at:.1f}")
    elif at is not None and at > 0:
        tune["shortOf"] = gettext("Short of here, %(t)s", t=f"{max(0.0, at - STEP):.1f}")
    return {**_say_meaning(place), **tune}


def _say_meaning(place: Place) -> dict[str, object]:
    takes = format_share(place.share)
    match place.meaning:
        case Meaning.CLEARED:
            return {"verb": gettext("Already clear"), "detail": "", "acts": False}
        case Meaning.FIGURE:
            verb = gettext("Subject")
            detail = gettext("no tolerance up to 50 takes this place")
            return {"verb": verb, "detail": detail, "acts": False}
        case Meaning.KEPT_BY_HAND | Meaning.CLEARED_BY_HAND:
            is_kept = place.meaning == Meaning.KEPT_BY_HAND
            verb = gettext("Kept by hand") if is_kept else gettext("Cleared by hand")
            return {
                "verb": verb,
                "detail": gettext("something done by hand decides here"),
                "acts": False,
            }
        case Meaning.POCKET:
            detail = gettext("enclosed by the subject, takes %(share)s", share=takes)
            return {"verb": gettext("Clear this enclosed area"), "detail": detail, "acts": True}
        case Meaning.OPENED_POCKET:
            detail = gettext("cleared now, brings back %(share)s", share=takes)
            return {"verb": gettext("Keep this enclosed area"), "detail": detail, "acts": True}
        case Meaning.CLEAR_FROM_HERE:
            detail = gettext(
                "goes at %(tolerance)s, takes %(share)s", tolerance=f"{place.goes_at}", share=takes
            )
            return {"verb": gettext("Clear from here"), "detail": detail, "acts": True}


def _numbers(**values: float) -> dict[str, str]:
    return {name: f"{value:.1f}" for name, value in values.items()}


def _say_tolerance(before: Recipe, after: Recipe, resolved: dict[str, Any]) -> Reason:
    measured = resolved.get("measured", resolved.get("tolerance", 0.0))
    was, now = (
        measured if recipe.reach.tolerance == "auto" else float(recipe.reach.tolerance)
        for recipe in (before, after)
    )
    if after.reach.tolerance == "auto":
        return Reason("Tolerance %(was)s back to the measured %(now)s", _numbers(was=was, now=now))
    return Reason("Tolerance %(was)s to %(now)s", _numbers(was=was, now=now))


def _say_small(before: Recipe, after: Recipe, _: dict[str, Any]) -> Reason:
    crumbs = after.reach.crumbs_px
    slots = {
        "crumbs": "5" if crumbs == "auto" else str(crumbs),
        "pinholes": str(after.reach.pinholes_px),
    }
    return Reason("Specks under %(crumbs)s px, pinholes under %(pinholes)s px", slots)


def _say_last(text: str, things: str) -> Callable[..., Reason]:
    """Return what says the place of the last of several things, such as picks."""

    def say(before: Recipe, after: Recipe, _: dict[str, Any]) -> Reason:
        last = getattr(after.reach, things)[-1]
        return Reason(text, {"x": f"{last.x:.0f}", "y": f"{last.y:.0f}"})

    return say


def _say_guard(before: Recipe, after: Recipe, _: dict[str, Any]) -> Reason:
    changed = [g for g in after.reach.guards if g not in before.reach.guards][-1]
    slots = {"code": changed.colour, "within": f"{changed.tolerance:.1f}"}
    return Reason("Protected colour %(code)s within %(within)s", slots)


def _say_answers(before: Recipe, after: Recipe, _: dict[str, Any]) -> Reason:
    regions = after.reach.regions[len(before.reach.regions) :]
    pockets = after.reach.pockets[len(before.reach.pockets) :]
    new: list[RegionEntry | PocketEntry] = [*regions, *pockets]
    first = new[0]
    slots = {"n": str(len(new)), "x": f"{first.x:.0f}", "y": f"{first.y:.0f}"}
    if first.verdict == "clear":
        return Reason("%(n)s areas removed, the first at %(x)s, %(y)s", slots)
    return Reason("%(n)s areas kept, the first at %(x)s, %(y)s", slots)


def _say_rule(before: Recipe, after: Recipe, _: dict[str, Any]) -> Reason:
    rule = after.reach.pocket_rules[-1]
    if rule.verdict == "clear":
        return Reason("Enclosed areas under %(n)s px removed", {"n": str(rule.under_px)})
    return Reason("Enclosed areas under %(n)s px kept", {"n": str(rule.under_px)})


def _say_drops(before: Recipe, after: Recipe, _: dict[str, Any]) -> Reason:
    count = len(after.reach.drops) - len(before.reach.drops)
    return Reason("%(n)s stray objects removed", {"n": str(count)})


CHANGES = {
    "tolerance": Change(gettext_noop("tolerance"), _say_tolerance),
    "start": Change(gettext_noop("start"), "Where clearing starts"),
    "crumbs": Change(gettext_noop("small pieces"), _say_small),
    "pick": Change(gettext_noop("pick"), _say_last("Pick at %(x)s, %(y)s", "picks")),
    "figure_pick": Change(
        gettext_noop("place marked as subject"),
        _say_last("Marked as subject at %(x)s, %(y)s", "picks"),
    ),
    "unpick": Change(gettext_noop("pick removed"), "Pick removed"),
    "pocket_cleared": Change(
        gettext_noop("enclosed area cleared"),
        _say_last("Enclosed area at %(x)s, %(y)s cleared", "pockets"),
    ),
    "pocket_kept": Change(
        gettext_noop("enclosed area kept"),
        _say_last("Enclosed area at %(x)s, %(y)s kept", "pockets"),
    ),
    "pockets_cleared": Change(
        gettext_noop("all enclosed areas cleared"), "All enclosed areas cleared"
    ),
    "pockets_kept": Change(gettext_noop("all enclosed areas kept"), "All enclosed areas kept"),
    "alike_cleared": Change(
        gettext_noop("enclosed areas that are alike cleared"),
        "Enclosed areas that are alike cleared",
    ),
    "alike_kept": Change(
        gettext_noop("enclosed areas that are alike kept"), "Enclosed areas that are alike kept"
    ),
    "answered_clear": Change(gettext_noop("area removed"), _say_answers),
    "answered_keep": Change(gettext_noop("area kept"), _say_answers),
    "rest_kept": Change(gettext_noop("the rest kept as it is"), "All other areas kept as they are"),
    "pocket_rule": Change(gettext_noop("rule for enclosed areas"), _say_rule),
    "unpocket_rule": Change(
        gettext_noop("rule for enclosed areas removed"), "Rule for enclosed areas removed"
    ),
    "unregion": Change(gettext_noop("answer taken back"), "Answer taken back"),
    "guard": Change(gettext_noop("protected colour"), _say_guard),
    "unguard": Change(gettext_noop("protected colour removed"), "Protected colour removed"),
    "drop": Change(gettext_noop("drop"), _say_drops),
    "undrop": Change(gettext_noop("stray objects brought back"), "Removed objects brought back"),
    "fence": Change(gettext_noop("fence"), "Fence drawn"),
    "unfence": Change(gettext_noop("fence removed"), "Fence removed"),
}
"""What may be changed here, in words."""
