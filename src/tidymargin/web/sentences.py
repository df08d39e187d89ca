"""What is said of a sheet, in whole sentences with named slots, so that they can be translated."""

from dataclasses import dataclass

from markupsafe import Markup, escape

from tidymargin.core.area import Area
from tidymargin.core.checker import CheckerGround
from tidymargin.core.difference import STEP
from tidymargin.core.facts import SheetFacts
from tidymargin.core.flats import FlatsGround
from tidymargin.core.ground import Ground
from tidymargin.core.narrows import Narrow
from tidymargin.core.place import Meaning, Place
from tidymargin.core.pockets import Pocket, Pockets
from tidymargin.core.specks import Specks
from tidymargin.core.strays import StrayGroup
from tidymargin.core.surface import SurfaceGround
from tidymargin.formats.recipe import ProofStep, ReachStep, Recipe
from tidymargin.services.keeping import Brought, DiskUse
from tidymargin.services.reasons import format_percent
from tidymargin.services.workshop import Measured
from tidymargin.web.words import (
    KINDS,
    NATURES,
    PREPARATIONS,
    STARTS,
    STATES,
    StepView,
    fill,
    format_share,
    gettext,
    gettext_noop,
    name_colour,
    ngettext,
    phrase,
)

_FEW = 0.5
_MANY_ALIKE = 4  # pockets, from which one row and one decision stand for all of them
_SHADED = 0.08


def _name_ground(ground: Ground) -> str:
    if isinstance(ground, CheckerGround):
        return gettext("printed-in squares of %(p)s px", p=f"{ground.period_px:.1f}")
    if isinstance(ground, FlatsGround):
        return gettext("flat %(colours)s", colours=", ".join(map(name_colour, ground.hexes)))
    if ground.kind == "flat":
        return gettext("flat %(colour)s", colour=name_colour(ground.hex))
    return gettext("%(kind)s %(colour)s", kind=gettext(KINDS[ground.kind]), colour=ground.hex)


def _say_ground(recipe: Recipe, facts: SheetFacts) -> StepView:
    ground = facts.ground
    said = recipe.ground
    if ground.border_share == 0 and said.colour == said.kind == "auto":
        none = phrase("ground", gettext("Ground"), gettext("no ground"))
        words = fill(
            gettext("The border came in transparent, so there is %(ground)s to clear."), ground=none
        )
        return StepView("ground", "look again", STATES["look again"], words)
    swatch = "" if ground.kind == "checker" else ground.hex
    named = phrase("ground", gettext("Ground"), _name_ground(ground), swatch=swatch)
    figure = phrase("ground", gettext("Figure"), gettext(NATURES[facts.nature]))
    slots = {"figure": figure, "ground": named}
    doubtful = facts.is_busy or ground.border_share < _FEW or facts.further is not None
    doubtful |= said.figure == "auto" and facts.is_nature_doubtful
    if facts.is_busy:
        words = fill(
            gettext(
                "%(figure)s figure on something busy, %(ground)s at most: nothing goes by itself."
            ),
            **slots,
        )
    elif ground.border_share < _FEW:
        words = fill(
            gettext("%(figure)s figure on %(ground)s, seen along only %(share)s of the border."),
            share=format_percent(round(100 * ground.border_share)),
            **slots,
        )
    elif isinstance(ground, SurfaceGround) and ground.describe_shade()[0] >= _SHADED:
        darker = format_percent(round(100 * ground.describe_shade()[0]))
        words = fill(
            gettext("%(figure)s on %(ground)s, %(darker)s darker in the shade."),
            darker=darker,
            **slots,
        )
    elif facts.rim.grain > 0.5:
        grain = f"{facts.rim.grain:.1f}"
        words = fill(
            gettext("%(figure)s on %(ground)s, lossy grain %(grain)s."), grain=grain, **slots
        )
    else:
        words = fill(gettext("%(figure)s figure on %(ground)s, without noise."), **slots)
    if facts.further is not None:
        other = phrase(
            "ground", gettext("Another colour of it"), facts.further.hex, swatch=facts.further.hex
        )
        also = fill(gettext("%(colour)s is along the border too."), colour=other)
        words = Markup(" ").join((words, also))
    chosen = (
        bool(said.also) or said.colour != "auto" or said.kind != "auto" or said.figure != "auto"
    )
    state = "yours" if chosen else "look again" if doubtful else "measured"
    return StepView("ground", state, STATES[state], words)


def _say_area(area: Area, page: Area | None, ground: StepView) -> StepView:
    """Add to the ground's sentence what is not the whole picture, or what might better not be."""
    if page is not None:
        named = phrase("area", gettext("Work area"), gettext("a page"))
        words = fill(gettext("It shows %(page)s with something around it."), page=named)
        state = "look again"
    elif not area.is_whole:
        value = gettext("%(width)s × %(height)s px", width=area.width, height=area.height)
        named = phrase("area", gettext("Work area"), value)
        words = fill(gettext("Work area of %(area)s."), area=named)
        state = "yours"
    else:
        return ground
    return StepView(ground.key, state, STATES[state], Markup(" ").join((ground.sentence, words)))


def _say_departures(recipe: Recipe, ground: StepView) -> StepView:
    """Add to the ground's sentence which inks are dropped and what is done for the key only."""
    added = []
    if recipe.colour.dropped_inks:
        named = phrase("ground", gettext("Dropped inks"), ", ".join(recipe.colour.dropped_inks))
        added.append(fill(gettext("Without the ink %(inks)s."), inks=named))
    if recipe.ground.preparations:
        done = ", ".join(gettext(PREPARATIONS[p]) for p in recipe.ground.preparations)
        named = phrase("ground", gettext("For the key only"), done)
        added.append(fill(gettext("Keyed with %(done)s."), done=named))
    if not added:
        return ground
    sentence = Markup(" ").join((ground.sentence, *added))
    return StepView(ground.key, "yours", STATES["yours"], sentence)


def say_narrow(narrow: Narrow, area_px: int) -> str:
    """Say how wide a gap is and how much lies behind it."""
    return gettext(
        "%(width)s px wide, %(share)s behind it",
        width=f"{narrow.width_px:.0f}",
        share=format_share(narrow.area_px / area_px),
    )


def _say_reach(
    recipe: Recipe,
    tolerance: float,
    is_busy: bool,
    pockets: Pockets | None,
    narrows: tuple[Narrow, ...],
) -> StepView:
    reach = recipe.reach
    number = phrase("reach", gettext("Tolerance"), f"{tolerance:.1f}", number=True)
    begins = "picks" if is_busy and reach.start == "outside" else reach.start
    start = phrase("reach", gettext("Start"), gettext(STARTS[begins]))
    extras = []
    if reach.picks:
        extras.append(
            (gettext("Picks"), ngettext("%(num)d pick", "%(num)d picks", len(reach.picks)))
        )
    opened = sum(p.verdict == "clear" for p in pockets.listed) if pockets else 0
    if pockets and pockets.listed:
        words = gettext("%(n)s of %(all)s pockets", n=opened, all=len(pockets.listed))
        extras.append((gettext("Pockets"), words))
    if narrows:
        words = ngettext("%(num)d gap to look at", "%(num)d gaps to look at", len(narrows))
        extras.append((gettext("Gaps"), words))
    if reach.guards:
        extras.append(
            (gettext("Guards"), ngettext("%(num)d guard", "%(num)d guards", len(reach.guards)))
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
    undecided = (pockets is not None and pockets.to_decide > 0) or bool(narrows)
    state = "yours" if chosen else "look again" if undecided else "measured"
    return StepView("reach", state, STATES[state], said)


@dataclass(frozen=True, slots=True)
class PocketView:
    """A pocket as a row of the list, or the largest of some that are alike, with how many there are."""

    number: int
    pocket: Pocket
    share: str
    reason: str
    alike: int = 1


_REASONS = {
    "ink": gettext_noop("paper in a loop of ink"),
    "screen": gettext_noop("screen inside"),
    "pattern": gettext_noop("the pattern goes on inside"),
    "even": gettext_noop("even inside: figure"),
    "open": gettext_noop("likely ground, as of lines and letters"),
    "closed": gettext_noop("likely figure: closed in by a drawing"),
    "undecided": gettext_noop("closed in"),
    "shut": gettext_noop("shut off by you"),
    "yours": gettext_noop("yours"),
    "split": gettext_noop("yours, split from one"),
    "merged": gettext_noop("yours, two in one now: the later counts"),
}


def list_pockets(pockets: Pockets, area_px: int, most: int) -> list[PocketView]:
    """Return the pockets to show, undecided ones first and alike ones of them together, then by size."""
    number_of = {(p.row, p.col): number for number, p in enumerate(pockets.listed)}

    def view(pocket: Pocket, reason: str, alike: int = 1) -> PocketView:
        share = format_share(pocket.area_px / area_px)
        return PocketView(number_of[pocket.row, pocket.col], pocket, share, reason, alike)

    views = []
    for group in pockets.alike:
        if len(group) >= _MANY_ALIKE:
            words = gettext("%(n)s alike, closed in", n=len(group))
            views.append(view(group[0], words, len(group)))
        else:
            views += [view(pocket, gettext(_REASONS[pocket.reason])) for pocket in group]
    decided = [p for p in pockets.listed if p.is_decided]
    views += [view(pocket, gettext(_REASONS[pocket.reason])) for pocket in decided]
    return views[:most]


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


def _say_colour(recipe: Recipe, facts: SheetFacts) -> StepView | None:
    """Say what becomes of a screen's light; nothing where there is none to decide on."""
    amount = recipe.colour.spill
    if facts.rim.spill is None and amount == "auto":
        return None
    share = 1.0 if amount == "auto" else float(amount)
    value = format_percent(round(100 * share))
    spill = phrase("colour", gettext("Spill"), value, number=True)
    most = 0.0 if facts.rim.spill is None else float(facts.rim.spill.cast.max())
    words = fill(
        gettext("The screen’s light, %(most)s at the rim, is taken off by %(spill)s."),
        most=format_percent(round(100 * most)),
        spill=spill,
    )
    state = "measured" if amount == "auto" else "yours"
    return StepView("colour", state, STATES[state], words)


def _say_proof(recipe: Recipe) -> StepView:
    code = recipe.proof.backdrop.upper()
    colour = phrase("proof", gettext("Backdrop"), code, swatch=code)
    said = fill(gettext("Proof on white, black, mid grey and %(colour)s."), colour=colour)
    default = recipe.proof == ProofStep()
    return (
        StepView("proof", "", "", said)
        if default
        else StepView("proof", "yours", STATES["yours"], said)
    )


def _say_export(recipe: Recipe, area: Area) -> StepView:
    if recipe.export.trim:
        value = gettext("trimmed with a margin of %(margin)s px", margin=recipe.export.margin_px)
        said = fill(
            gettext("Export PNG, %(extent)s."), extent=phrase("export", gettext("Extent"), value)
        )
        return StepView("export", "yours", STATES["yours"], said)
    extent = phrase("export", gettext("Extent"), gettext("the whole sheet"))
    said = fill(
        gettext("Export PNG, %(extent)s of %(width)s × %(height)s px."),
        extent=extent,
        width=str(area.width),
        height=str(area.height),
    )
    return StepView("export", "", "", said)


def say_recipe(
    area: Area,
    recipe: Recipe,
    measured: Measured | None,
    pockets: Pockets | None,
    narrows: tuple[Narrow, ...] = (),
    *,
    is_going_on: bool = True,
) -> list[StepView]:
    """Return the ledger's sentences; without facts, that they are being measured or that this does not go on."""
    if measured is None:
        state = "working" if is_going_on else "cannot"
        first = (
            gettext("Measuring the ground…")
            if is_going_on
            else gettext("The ground is not measured.")
        )
        then = (
            gettext("Finding what each tolerance clears…")
            if is_going_on
            else gettext("So it is not known what each tolerance clears.")
        )
        return [
            StepView("ground", state, STATES[state], Markup(escape(first))),
            StepView("reach", state, STATES[state], Markup(escape(then))),
            _say_proof(recipe),
            _say_export(recipe, area),
        ]  # fmt: skip
    facts = measured.facts
    chosen = recipe.reach.tolerance
    tolerance = facts.calm.tolerance if chosen == "auto" else float(chosen)
    colour = _say_colour(recipe, facts)
    return [
        _say_departures(recipe, _say_area(area, measured.page, _say_ground(recipe, facts))),
        _say_reach(recipe, tolerance, facts.is_busy, pockets, narrows),
        *([colour] if colour else []),
        _say_proof(recipe),
        _say_export(recipe, area),
    ]


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
            verb = gettext("Figure")
            detail = gettext("no tolerance up to 50 takes this place")
            return {"verb": verb, "detail": detail, "acts": False}
        case Meaning.POCKET:
            detail = gettext("closed in by the figure, takes %(share)s", share=takes)
            return {"verb": gettext("Clear this pocket"), "detail": detail, "acts": True}
        case Meaning.OPENED_POCKET:
            detail = gettext("cleared now, brings back %(share)s", share=takes)
            return {"verb": gettext("Keep this pocket"), "detail": detail, "acts": True}
        case Meaning.CLEAR_FROM_HERE:
            detail = gettext(
                "goes at %(tolerance)s, takes %(share)s", tolerance=f"{place.goes_at}", share=takes
            )
            return {"verb": gettext("Clear from here"), "detail": detail, "acts": True}


def say_trays(sheets: int) -> Markup:
    """Say what is in the tray."""
    if not sheets:
        return Markup(escape(gettext("No sheet yet.")))
    return Markup(escape(ngettext("%(num)d sheet.", "%(num)d sheets.", sheets)))


def _to_size(count: int) -> str:
    """Return bytes in the unit that fits."""
    if count < 1e6:
        return f"{count / 1e3:.0f}\u00a0KB"
    return f"{count / 1e6:,.1f}\u00a0MB" if count < 1e9 else f"{count / 1e9:,.2f}\u00a0GB"


def say_bin(sheets: int, disk: DiskUse) -> str:
    """Say what is in the bin and what emptying it would free."""
    size = _to_size(disk.binned)
    words = ngettext("%(num)d sheet in the bin", "%(num)d sheets in the bin", sheets)
    return gettext("%(words)s, %(size)s", words=words, size=size)


def say_disk(disk: DiskUse) -> str:
    """Say what the data folder takes on the disk."""
    return gettext(
        "On the disk: %(all)s, of which originals %(originals)s, history %(history)s and a cache of "
        "%(cache)s that may be deleted at any time.",
        all=_to_size(disk.total),
        originals=_to_size(disk.originals),
        history=_to_size(disk.history),
        cache=_to_size(disk.cache),
    )


def say_aside(count: int) -> str:
    """Say how many pictures no sheet names; nothing where there are none."""
    if not count:
        return ""
    return ngettext(
        "%(num)d picture is here that no sheet names. It is set aside, and nothing of it is lost.",
        "%(num)d pictures are here that no sheet names. They are set aside, and nothing of them is lost.",
        count,
    )


def say_brought(brought: Brought) -> str:
    """Say what came of bringing pictures back."""
    said = []
    if brought.sheets:
        said.append(ngettext("%(num)d sheet is back with its history.", "%(num)d sheets are back with their histories.", brought.sheets))  # fmt: skip
    if brought.anew:
        said.append(ngettext("%(num)d picture is back as a sheet that begins anew.", "%(num)d pictures are back as sheets that begin anew.", brought.anew))  # fmt: skip
    if brought.unreadable:
        said.append(ngettext("%(num)d file is no picture and stays set aside.", "%(num)d files are no pictures and stay set aside.", brought.unreadable))  # fmt: skip
    if brought.left:
        said.append(ngettext("%(num)d waits: bring it back as well.", "%(num)d wait: bring them back as well.", brought.left))  # fmt: skip
    return " ".join(said)
