"""What is said, in whole sentences with named slots, so that they can be translated."""

from dataclasses import dataclass
from math import sqrt

from flask import render_template
from flask_babel import gettext as _gettext
from flask_babel import ngettext as _ngettext
from markupsafe import Markup, escape

from tidymargin.core.cut import SheetFacts
from tidymargin.core.place import Meaning, Place
from tidymargin.core.reach import HIGHEST_TOLERANCE
from tidymargin.formats.recipe import ProofStep, Recipe
from tidymargin.store.sheets import Sheet

_FEW = 0.5
CURVE_WIDTH, CURVE_HEIGHT, CURVE_TOP = 280, 96, 18


def gettext(text: str, **slots: object) -> str:
    """Return a text in the reader's language, its slots filled."""
    return str(_gettext(text, **slots))


def ngettext(one: str, many: str, count: int) -> str:
    """Return the form of a text that goes with a count, which is its slot `num`."""
    return str(_ngettext(one, many, count))


def gettext_noop(text: str) -> str:
    """Mark a text for the catalogue where it is only looked up later."""
    return text


CHANGES = {
    "begin": gettext_noop("opening"),
    "tolerance": gettext_noop("tolerance"),
    "ground_colour": gettext_noop("ground colour"),
    "backdrop": gettext_noop("backdrop"),
    "trim": gettext_noop("trim"),
    "pick": gettext_noop("pick"),
    "unpick": gettext_noop("pick removed"),
}
"""What made a state, in words: “Undo tolerance”."""

_STATES = {
    "measured": "◇",
    "yours": "◆",
    "working": "…",
    "look again": "?",
}


@dataclass(frozen=True, slots=True)
class StepView:
    """A step as it stands in the ledger; `state` is empty where nothing was measured or decided."""

    key: str
    state: str
    shape: str
    sentence: Markup


def fill(template: str, **slots: str | Markup) -> Markup:
    """Fill the slots of a translated sentence; what is not markup is escaped."""
    return Markup(escape(template)) % slots


def phrase(step: str, name: str, value: str, *, swatch: str = "", number: bool = False) -> Markup:
    """Return a changeable phrase: a button that opens its step."""
    return Markup(
        render_template(
            "bench/_phrase.html", step=step, name=name, value=value, swatch=swatch, number=number
        )
    )


def name_colour(code: str) -> str:
    """Return a plain word for white and black, and the code for all else."""
    return {"#FFFFFF": gettext("white"), "#000000": gettext("black")}.get(
        code.upper(), code.upper()
    )


def format_share(share: float) -> str:
    """Return a share of the sheet in percent, with no more digits than help."""
    percent = 100 * share
    if percent == 0:
        return "0 %"
    if percent < 0.01:
        return "< 0.01 %"
    return f"{percent:.2f} %" if percent < 1 else f"{percent:.1f} %"


def _say_ground(recipe: Recipe, facts: SheetFacts) -> StepView:
    ground = facts.ground
    chosen = recipe.ground.colour != "auto"
    if ground.border_share == 0 and not chosen:
        none = phrase("ground", gettext("Ground"), gettext("no ground"))
        said = fill(
            gettext("The border came in transparent, so there is %(ground)s to clear."), ground=none
        )
        return StepView("ground", "look again", _STATES["look again"], said)
    value = gettext("flat %(colour)s", colour=name_colour(ground.hex))
    flat = phrase("ground", gettext("Ground"), value, swatch=ground.hex)
    if ground.border_share < _FEW:
        share = f"{100 * ground.border_share:.0f} %"
        said = fill(
            gettext("Opaque figure on %(ground)s, seen along only %(share)s of the border."),
            ground=flat,
            share=share,
        )
        state = "yours" if chosen else "look again"
    elif facts.rim.grain > 0.5:
        grain = f"{facts.rim.grain:.1f}"
        said = fill(
            gettext("Opaque figure on %(ground)s, lossy grain %(grain)s."), ground=flat, grain=grain
        )
        state = "yours" if chosen else "measured"
    else:
        said = fill(gettext("Opaque figure on %(ground)s, without noise."), ground=flat)
        state = "yours" if chosen else "measured"
    return StepView("ground", state, _STATES[state], said)


def _say_reach(recipe: Recipe, tolerance: float) -> StepView:
    number = phrase("reach", gettext("Tolerance"), f"{tolerance:.1f}", number=True)
    count = len(recipe.reach.picks)
    if count:
        words = ngettext("%(num)d pick", "%(num)d picks", count)
        picks = phrase("reach", gettext("Picks"), words)
        said = fill(
            gettext("Clear from outside up to %(tolerance)s, and from %(picks)s."),
            tolerance=number,
            picks=picks,
        )
    else:
        said = fill(gettext("Clear from outside up to %(tolerance)s."), tolerance=number)
    state = "measured" if recipe.reach.tolerance == "auto" and not count else "yours"
    return StepView("reach", state, _STATES[state], said)


def _say_proof(recipe: Recipe) -> StepView:
    code = recipe.proof.backdrop.upper()
    colour = phrase("proof", gettext("Backdrop"), code, swatch=code)
    said = fill(gettext("Proof on white, black, mid grey and %(colour)s."), colour=colour)
    default = recipe.proof == ProofStep()
    return (
        StepView("proof", "", "", said)
        if default
        else StepView("proof", "yours", _STATES["yours"], said)
    )


def _say_export(recipe: Recipe, sheet: Sheet) -> StepView:
    if recipe.export.trim:
        value = gettext("trimmed with a margin of %(margin)s px", margin=recipe.export.margin_px)
        said = fill(
            gettext("Export PNG, %(extent)s."), extent=phrase("export", gettext("Extent"), value)
        )
        return StepView("export", "yours", _STATES["yours"], said)
    extent = phrase("export", gettext("Extent"), gettext("the whole sheet"))
    said = fill(
        gettext("Export PNG, %(extent)s of %(width)s × %(height)s px."),
        extent=extent,
        width=str(sheet.width),
        height=str(sheet.height),
    )
    return StepView("export", "", "", said)


def say_recipe(sheet: Sheet, recipe: Recipe, facts: SheetFacts | None) -> list[StepView]:
    """Return the ledger's sentences; without facts, that they are being measured."""
    if facts is None:
        working = _STATES["working"]
        return [
            StepView("ground", "working", working, Markup(escape(gettext("Measuring the ground…")))),
            StepView("reach", "working", working, Markup(escape(gettext("Finding what each tolerance clears…")))),
            _say_proof(recipe),
            _say_export(recipe, sheet),
        ]  # fmt: skip
    chosen = recipe.reach.tolerance
    tolerance = facts.calm.tolerance if chosen == "auto" else float(chosen)
    return [
        _say_ground(recipe, facts),
        _say_reach(recipe, tolerance),
        _say_proof(recipe),
        _say_export(recipe, sheet),
    ]


def say_calm(facts: SheetFacts) -> str:
    """Say why the starting tolerance is what it is."""
    calm = facts.calm
    if calm.next_jump is None:
        return gettext(
            "Measured %(start)s: all noise is gone by %(noise)s, and nothing else goes at once up to 50.",
            start=f"{calm.tolerance:.1f}",
            noise=f"{calm.noise_end:.1f}",
        )
    return gettext(
        "Measured %(start)s: all noise is gone by %(noise)s, and the next to go goes at %(jump)s.",
        start=f"{calm.tolerance:.1f}",
        noise=f"{calm.noise_end:.1f}",
        jump=f"{calm.next_jump:.1f}",
    )


def say_place(place: Place) -> dict[str, str | bool]:
    """Say what a click at a place would do, in a verb and its figures."""
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
        case Meaning.CLEAR_FROM_HERE:
            detail = gettext(
                "goes at %(tolerance)s, takes %(share)s", tolerance=f"{place.goes_at}", share=takes
            )
            return {"verb": gettext("Clear from here"), "detail": detail, "acts": True}


@dataclass(frozen=True, slots=True)
class JumpView:
    """A jump as a tick of the curve and, for the next ones, as a row."""

    number: int
    tolerance: float
    x: float
    share: str
    short_of: float


@dataclass(frozen=True, slots=True)
class CurveView:
    """The curve of area against tolerance, in the coordinates of its drawing."""

    steps: str
    area: str
    jumps: tuple[JumpView, ...]
    following: tuple[JumpView, ...]
    grip_x: float
    stops: str


def to_curve_x(tolerance: float) -> float:
    """Return where a tolerance stands: square-rooted, since small tolerances matter more."""
    return round(CURVE_WIDTH * sqrt(max(0.0, tolerance) / HIGHEST_TOLERANCE), 1)


def draw_curve(facts: SheetFacts, tolerance: float) -> CurveView:
    """Lay the curve out as a stepped line with its jumps."""
    bottom = CURVE_HEIGHT
    points: list[str] = []
    last_y = float(bottom)
    least, most = float(facts.curve[0]), float(facts.curve[-1])
    for step in range(251):
        y = round(bottom - (bottom - CURVE_TOP) * (0.15 + 0.85 * (float(facts.curve[step]) - least) / max(1e-9, most - least)), 1)  # fmt: skip
        if y != last_y:
            x = to_curve_x(step * 0.2)
            points.append(f"{x},{last_y} {x},{y}")
            last_y = y
    points.append(f"{CURVE_WIDTH},{last_y}")
    line = " ".join(points)
    total = facts.outside.size
    jumps = tuple(
        JumpView(
            number,
            jump.tolerance,
            to_curve_x(jump.tolerance),
            format_share(jump.area_px / total),
            round(max(0.0, jump.tolerance - 0.2), 1),
        )
        for number, jump in enumerate(facts.jumps)
        if jump.tolerance <= HIGHEST_TOLERANCE
    )
    following = tuple(jump for jump in jumps if jump.tolerance > tolerance)[:2]
    return CurveView(
        line,
        f"0,{bottom} {line} {CURVE_WIDTH},{bottom}",
        jumps,
        following,
        to_curve_x(tolerance),
        " ".join(f"{jump.tolerance}" for jump in jumps),
    )


def say_trays(sheets: int) -> Markup:
    """Say what is in the tray."""
    if not sheets:
        return Markup(escape(gettext("No sheet yet.")))
    return Markup(escape(ngettext("%(num)d sheet.", "%(num)d sheets.", sheets)))
