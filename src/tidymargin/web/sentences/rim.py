"""The sentence of the rim: what is done to it once it is solved."""

from typing import Any

from markupsafe import Markup

from tidymargin.formats.finishing import RimStep
from tidymargin.formats.recipe import Recipe
from tidymargin.services.picture.reasons import Reason, format_percent
from tidymargin.web.words import STATES, Change, StepView, fill, gettext, gettext_noop, phrase


def _px(value: float) -> str:
    return f"{value:.1f}".removesuffix(".0") + " px"


def say_rim(recipe: Recipe, breaks: int = 0) -> StepView:
    """Say what is done to rims; defaults are not said but as a whole."""
    rim = recipe.rim
    said: list[Markup] = []

    def add(name: str, value: str) -> None:
        said.append(phrase("rim", name, value))

    if rim.choke_px:
        words = gettext("in by %(px)s") if rim.choke_px > 0 else gettext("out by %(px)s")
        add(gettext("Shrink the edge"), words % {"px": _px(abs(rim.choke_px))})
    if rim.smooth_px:
        add(gettext("Smooth"), gettext("smoothed over %(px)s", px=_px(rim.smooth_px)))
    if rim.feather_px:
        add(gettext("Soften the edge"), gettext("soft over %(px)s", px=_px(rim.feather_px)))
    if rim.fringe:
        add(gettext("Fringe"), gettext("fringe cleaned by %(share)s", share=format_percent(round(100 * rim.fringe))))  # fmt: skip
    if (rim.black, rim.white, rim.gamma) != (0, 1, 1):
        add(gettext("Matte"), gettext("matte stretched"))
    if not said:
        solved = phrase("rim", gettext_noop("Edge"), gettext("solved"))
        soft = phrase("rim", gettext_noop("Soften the edge"), gettext("not softened"))
        words = fill(gettext("Edge %(solved)s, %(soft)s."), solved=solved, soft=soft)
        return StepView("rim", "measured", STATES["measured"], words)
    sentence = fill(gettext("Edge %(said)s."), said=Markup(", ").join(said))
    if breaks:
        spared = gettext("%(n)s thin lines are spared.", n=breaks)
        lost = gettext("%(n)s thin lines break.", n=breaks)
        sentence += Markup(" ") + (spared if rim.spares_lines else lost)
    state = "look again" if breaks and not rim.spares_lines else "yours"
    return StepView("rim", state, STATES[state], sentence)


_NAMES = {
    "choke_px": gettext_noop("Shrink the edge %(was)s to %(now)s px"),
    "smooth_px": gettext_noop("Smooth %(was)s to %(now)s px"),
    "feather_px": gettext_noop("Soften the edge %(was)s to %(now)s px"),
    "black": gettext_noop("Black point %(was)s to %(now)s %%"),
    "white": gettext_noop("White point %(was)s to %(now)s %%"),
    "gamma": gettext_noop("Gamma %(was)s to %(now)s"),
    "fringe": gettext_noop("Fringe %(was)s to %(now)s %%"),
    "fringe_px": gettext_noop("Fringe %(was)s to %(now)s px deep"),
}


def _say_rim(before: Recipe, after: Recipe, _: dict[str, Any]) -> Reason:
    changed = [n for n in RimStep.model_fields if getattr(before.rim, n) != getattr(after.rim, n)]
    if set(changed) == {"fringe", "fringe_px"}:
        return Reason("Fringe removed %(px)s px deep", {"px": f"{after.rim.fringe_px:g}"})
    if len(changed) != 1:
        return Reason("Edge shrunk by %(by)s px, softened over %(over)s px", {"by": f"{after.rim.choke_px:g}", "over": f"{after.rim.feather_px:g}"})  # fmt: skip
    name = changed[0]
    if name == "spares_lines":
        return Reason("Thin lines spared" if after.rim.spares_lines else "Thin lines not spared")
    scale = 100 if name in ("black", "white", "fringe") else 1
    was, now = (f"{scale * getattr(recipe.rim, name):g}" for recipe in (before, after))
    return Reason(_NAMES[name], {"was": was, "now": now})


CHANGES = {
    "rim": Change(gettext_noop("edge"), _say_rim),
    "rim_reset": Change(gettext_noop("edge left as it was found"), "Edge left as it was found"),
}
"""What may be changed here, in words."""
