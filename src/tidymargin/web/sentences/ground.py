"""The sentence of the ground: what lies behind, what the figure is, and where work is done."""

from typing import Any

from markupsafe import Markup

from tidymargin.core.base.area import Area
from tidymargin.core.facts import SheetFacts
from tidymargin.core.ground.checker import CheckerGround
from tidymargin.core.ground.flats import FlatsGround
from tidymargin.core.ground.kinds import Ground
from tidymargin.core.ground.surface import SurfaceGround
from tidymargin.formats.recipe import Recipe
from tidymargin.services.picture.reasons import Reason, format_percent
from tidymargin.web.words import (
    BOTH_NATURES,
    KINDS,
    PREPARATIONS,
    STATES,
    SUBJECTS,
    Change,
    StepView,
    fill,
    gettext,
    gettext_noop,
    name_colour,
    phrase,
)

_FEW = 0.5
_SHADED = 0.08


def _name_ground(ground: Ground) -> str:
    if isinstance(ground, CheckerGround):
        return gettext("printed-in squares of %(p)s px", p=f"{ground.period_px:.1f}")
    if isinstance(ground, FlatsGround):
        return gettext("flat %(colours)s", colours=", ".join(map(name_colour, ground.hexes)))
    if ground.kind == "flat":
        return gettext("flat %(colour)s", colour=name_colour(ground.hex))
    return gettext("%(kind)s %(colour)s", kind=gettext(KINDS[ground.kind]), colour=ground.hex)


def say_ground(recipe: Recipe, facts: SheetFacts) -> StepView:
    """Say what the figure is and what lies behind it, and whether that is sure."""
    ground = facts.ground
    said = recipe.ground
    if ground.border_share == 0 and said.colour == said.kind == "auto":
        none = phrase("ground", gettext_noop("Background"), gettext("no background"))
        words = fill(
            gettext("The border came in transparent, so there is %(ground)s to clear."), ground=none
        )
        return StepView("ground", "look again", STATES["look again"], words)
    swatch = "" if ground.kind == "checker" else ground.hex
    named = phrase("ground", gettext_noop("Background"), _name_ground(ground), swatch=swatch)
    nature = BOTH_NATURES if facts.ink_parts else SUBJECTS[facts.nature]
    figure = phrase("ground", gettext_noop("Subject"), gettext(nature))
    slots = {"figure": figure, "ground": named}
    doubtful = facts.is_busy or ground.border_share < _FEW or facts.further is not None
    doubtful |= said.figure == "auto" and facts.is_nature_doubtful
    doubtful |= facts.ink_parts is not None
    if facts.is_busy:
        words = fill(
            gettext(
                "%(figure)s subject on a busy background; at most %(ground)s could be removed, so nothing is removed by itself."
            ),
            **slots,
        )
    elif ground.border_share < _FEW:
        words = fill(
            gettext("%(figure)s subject on %(ground)s, seen along only %(share)s of the border."),
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
            gettext("%(figure)s on %(ground)s, compression noise %(grain)s."), grain=grain, **slots
        )
    else:
        words = fill(gettext("%(figure)s subject on %(ground)s, without noise."), **slots)
    if facts.further is not None:
        other = phrase(
            "ground",
            gettext_noop("Another colour of it"),
            facts.further.hex,
            swatch=facts.further.hex,
        )
        also = fill(gettext("%(colour)s is along the border too."), colour=other)
        words = Markup(" ").join((words, also))
    chosen = (
        bool(said.also) or said.colour != "auto" or said.kind != "auto" or said.figure != "auto"
    )
    state = "yours" if chosen else "look again" if doubtful else "measured"
    return StepView("ground", state, STATES[state], words)


def say_area(area: Area, page: Area | None, ground: StepView) -> StepView:
    """Add to the ground's sentence what is not the whole picture, or what might better not be."""
    if page is not None:
        named = phrase("area", gettext_noop("Work area"), gettext("a page"))
        words = fill(gettext("It shows %(page)s with something around it."), page=named)
        state = "look again"
    elif not area.is_whole:
        value = gettext("%(width)s × %(height)s px", width=area.width, height=area.height)
        named = phrase("area", gettext_noop("Work area"), value)
        words = fill(gettext("Work area of %(area)s."), area=named)
        state = "yours"
    else:
        return ground
    return StepView(ground.key, state, STATES[state], Markup(" ").join((ground.sentence, words)))


def say_departures(recipe: Recipe, ground: StepView) -> StepView:
    """Add to the ground's sentence which inks are dropped and what is done for the key only."""
    added = []
    if recipe.colour.dropped_inks:
        named = phrase(
            "ground", gettext_noop("Dropped inks"), ", ".join(recipe.colour.dropped_inks)
        )
        added.append(fill(gettext("Without the ink %(inks)s."), inks=named))
    if recipe.ground.preparations:
        done = ", ".join(gettext(PREPARATIONS[p]) for p in recipe.ground.preparations)
        named = phrase("ground", gettext_noop("Only for finding the background"), done)
        added.append(fill(gettext("Found with %(done)s."), done=named))
    if not added:
        return ground
    sentence = Markup(" ").join((ground.sentence, *added))
    return StepView(ground.key, "yours", STATES["yours"], sentence)


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
        return Reason("Background detected again: %(kind)s", {"kind": words}, ("kind",))
    return Reason("Background: %(kind)s", {"kind": words}, ("kind",))


def _say_ground_colour(before: Recipe, after: Recipe, _: dict[str, Any]) -> Reason:
    if len(after.ground.also) > len(before.ground.also):
        return Reason("Background colour %(code)s added", {"code": after.ground.also[-1].upper()})
    if len(after.ground.also) < len(before.ground.also):
        gone = next(code for code in before.ground.also if code not in after.ground.also)
        return Reason("Background colour %(code)s removed", {"code": gone.upper()})
    if after.ground.colour == "auto":
        return Reason("Background colour measured again")
    return Reason("Background colour %(code)s", {"code": after.ground.colour.upper()})


def _say_figure(before: Recipe, after: Recipe, resolved: dict[str, Any]) -> Reason:
    nature = str(resolved.get("figure", after.ground.figure))
    return Reason("The subject is %(nature)s", {"nature": nature}, ("nature",))


CHANGES = {
    "area": Change(gettext_noop("work area"), _say_area),
    "ground": Change(gettext_noop("background"), _say_ground),
    "ground_colour": Change(gettext_noop("colour of the background"), _say_ground_colour),
    "figure": Change(gettext_noop("subject"), _say_figure),
    "preparation": Change(gettext_noop("preparation"), "What is done to find the background"),
}
"""What may be changed here, in words."""
