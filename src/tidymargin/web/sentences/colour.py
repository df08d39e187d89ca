"""The sentence of colour: the light that is taken off, other colours, and what lies under the figure."""

from collections.abc import Callable
from typing import Any

from markupsafe import Markup

from tidymargin.core.facts import SheetFacts
from tidymargin.formats.finishing import ColourStep
from tidymargin.formats.recipe import Recipe
from tidymargin.services.picture.reasons import Reason, format_percent
from tidymargin.web.words import (
    STATES,
    Change,
    StepView,
    fill,
    gettext,
    gettext_noop,
    name_colour,
    ngettext,
    phrase,
)


def _percent(share: float) -> str:
    return format_percent(round(100 * share))


def list_departures(colour: ColourStep) -> list[Markup]:
    """Return, as phrases, what is done to a figure's colours beside taking a screen's light off."""
    said: list[Markup] = []

    def add(name: str, value: str, swatch: str = "") -> None:
        said.append(phrase("colour", name, value, swatch=swatch))

    other = colour.recolour
    if other is not None and other.towards is not None:
        add(gettext("Recolour"), gettext("all in a gradient"), other.colour or "")
    elif other is not None and other.colour is not None:
        add(gettext("Recolour"), gettext("all %(colour)s", colour=name_colour(other.colour)), other.colour)  # fmt: skip
    if other is not None and other.pieces:
        add(gettext("Pieces"), ngettext("%(num)s piece recoloured", "%(num)s pieces recoloured", len(other.pieces)))  # fmt: skip
    if colour.depth:
        add(gettext("Ink depth"), gettext("deeper by %(share)s", share=_percent(colour.depth)))
    if (colour.brightness, colour.contrast, colour.saturation) != (0, 0, 1):
        add(gettext("Light"), gettext("light and contrast set"))
    if colour.backing is not None:
        code = colour.backing.colour
        add(gettext("Backing"), gettext("backed with %(colour)s", colour=name_colour(code)), code)
    if colour.shadow:
        add(gettext("Shadow"), gettext("shadow kept by %(share)s", share=_percent(colour.shadow)))
    return said


def say_colour(recipe: Recipe, facts: SheetFacts) -> StepView:
    """Say what becomes of the figure's colours."""
    colour = recipe.colour
    amount = colour.spill
    said = list_departures(colour)
    parts = []
    if facts.rim.spill is not None or amount != "auto":
        value = format_percent(round(100 * (1.0 if amount == "auto" else float(amount))))
        spill = phrase("colour", gettext_noop("Spill"), value, number=True)
        most = 0.0 if facts.rim.spill is None else float(facts.rim.spill.cast.max())
        text = gettext("The screen’s light, %(most)s at the edge, is taken off by %(spill)s.")
        parts.append(fill(text, most=format_percent(round(100 * most)), spill=spill))
    if said:
        more = len(said) - 3
        shown = said[:3]
        if more > 0:
            shown.append(phrase("colour", gettext_noop("More"), gettext("%(n)s more", n=more)))
        parts.append(fill(gettext("Colours: %(said)s."), said=Markup(", ").join(shown)))
    elif not parts:
        own = phrase("colour", gettext_noop("Colours"), gettext("as they are"))
        parts.append(fill(gettext("Colours %(own)s."), own=own))
    is_yours = colour != ColourStep()
    state = "yours" if is_yours else "measured" if facts.rim.spill is not None else ""
    return StepView("colour", state, STATES[state] if state else "", Markup(" ").join(parts))


def _say_spill(before: Recipe, after: Recipe, _: dict[str, Any]) -> Reason:
    was, now = (
        1.0 if recipe.colour.spill == "auto" else float(recipe.colour.spill)
        for recipe in (before, after)
    )
    slots = {"was": f"{100 * was:.0f}\u00a0%", "now": f"{100 * now:.0f}\u00a0%"}
    return Reason("Spill %(was)s to %(now)s", slots)


def _say_inks(text: str) -> Callable[..., Reason]:
    def say(before: Recipe, after: Recipe, _: dict[str, Any]) -> Reason:
        changed = set(before.colour.dropped_inks) ^ set(after.colour.dropped_inks)
        return Reason(text, {"code": ", ".join(sorted(changed))})

    return say


_TONES = {
    "depth": gettext_noop("Ink depth %(was)s to %(now)s %%"),
    "brightness": gettext_noop("Brightness %(was)s to %(now)s %%"),
    "contrast": gettext_noop("Contrast %(was)s to %(now)s %%"),
    "saturation": gettext_noop("Saturation %(was)s to %(now)s %%"),
}


def _say_tone(before: Recipe, after: Recipe, _: dict[str, Any]) -> Reason:
    for name, text in _TONES.items():
        was, now = getattr(before.colour, name), getattr(after.colour, name)
        if was != now:
            return Reason(text, {"was": f"{100 * was:.0f}", "now": f"{100 * now:.0f}"})
    return Reason("Light and contrast")


def _say_recolour(before: Recipe, after: Recipe, _: dict[str, Any]) -> Reason:
    other = after.colour.recolour
    if other is None or other.colour is None:
        return Reason("Own colours again")
    if other.towards is not None:
        return Reason("Recoloured from %(from)s to %(to)s", {"from": other.colour, "to": other.towards})  # fmt: skip
    return Reason("Recoloured to %(code)s", {"code": other.colour})


def _say_backing(before: Recipe, after: Recipe, _: dict[str, Any]) -> Reason:
    backing = after.colour.backing
    if backing is None:
        return Reason("Backing taken away")
    slots = {"code": backing.colour, "px": f"{backing.grown_px:g}"}
    return Reason("Backing %(code)s, %(px)s px wider", slots)


def _say_shadow(before: Recipe, after: Recipe, _: dict[str, Any]) -> Reason:
    return Reason("Shadow kept by %(now)s %%", {"now": f"{100 * after.colour.shadow:.0f}"})


CHANGES = {
    "spill": Change(gettext_noop("spill"), _say_spill),
    "spill_place": Change(gettext_noop("spill at a place"), "Spill set at a place"),
    "spill_guard": Change(
        gettext_noop("colour that spill leaves alone"), "A colour that spill leaves alone"
    ),
    "unspill_places": Change(gettext_noop("place of spill removed"), "Place of spill removed"),
    "unspill_guards": Change(
        gettext_noop("colour that spill left alone removed"), "Spill guard removed"
    ),
    "ink_dropped": Change(gettext_noop("ink dropped"), _say_inks("Ink %(code)s dropped")),
    "ink_kept": Change(gettext_noop("ink brought back"), _say_inks("Ink %(code)s brought back")),
    "tone": Change(gettext_noop("light and contrast"), _say_tone),
    "recolour": Change(gettext_noop("recolouring"), _say_recolour),
    "recolour_gone": Change(gettext_noop("own colours"), _say_recolour),
    "recolour_piece": Change(gettext_noop("piece recoloured"), "A piece recoloured"),
    "backing": Change(gettext_noop("backing"), _say_backing),
    "backing_gone": Change(gettext_noop("backing taken away"), _say_backing),
    "shadow": Change(gettext_noop("shadow"), _say_shadow),
}
"""What may be changed here, in words."""
