"""The sentence of proof: what the cut is looked at on, and how many faults were found."""

from typing import Any

from markupsafe import Markup

from tidymargin.formats.proofing import ProofStep
from tidymargin.formats.recipe import Recipe
from tidymargin.services.picture.reasons import Reason
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


def list_backdrops(recipe: Recipe) -> list[tuple[str, str, bool | None]]:
    """Return each backdrop of the stage, its words, and whether it stands in the strip, None where it cannot or always does."""
    in_strip = recipe.proof.strip
    could = [
        ("#FFFFFF", gettext("white")), ("#000000", gettext("black")), ("#808080", gettext("mid grey")),
        ("#404040", gettext("dark grey")), ("#C8C8C8", gettext("pale grey")), ("picture", gettext("your picture")),
    ]  # fmt: skip
    return [
        ("blotter", gettext("blotter"), None),
        *((kind, words, kind in in_strip) for kind, words in could),
        (recipe.proof.backdrop, gettext("your colour"), None),
        ("alpha", gettext("matte alone"), None),
        ("rim", gettext("edge alone"), None),
    ]


def say_proof(recipe: Recipe, faults: int | None = None) -> StepView:
    """Say what the cut is looked at on; `faults` are those that nobody has accepted, None where that is not known."""
    code = recipe.proof.backdrop.upper()
    colour = phrase("proof", gettext_noop("Backdrop"), code, swatch=code)
    known = {kind: words for kind, words, _ in list_backdrops(recipe)}
    names = [known.get(kind) or name_colour(kind) for kind in recipe.proof.strip]
    if names:
        said = fill(gettext("Proof on %(names)s and %(colour)s."), names=", ".join(names), colour=colour)  # fmt: skip
    else:
        said = fill(gettext("Proof on %(colour)s."), colour=colour)
    if faults is not None:
        words = ngettext("%(num)s problem", "%(num)s problems", faults) if faults else gettext("none found")  # fmt: skip
        count = phrase("proof", gettext_noop("Problems"), words)
        said += Markup(" ") + fill(gettext("Problems: %(count)s."), count=count)
    if faults:
        return StepView("proof", "look again", STATES["look again"], said)
    is_yours = recipe.proof != ProofStep()
    state = "yours" if is_yours else ""
    return StepView("proof", state, STATES[state] if state else "", said)


def _say_backdrop(before: Recipe, after: Recipe, _: dict[str, Any]) -> Reason:
    return Reason("Backdrop %(code)s", {"code": after.proof.backdrop.upper()})


def _say_accepted(before: Recipe, after: Recipe, _: dict[str, Any]) -> Reason:
    entry = after.proof.accepted[-1]
    return Reason("A problem at %(x)s, %(y)s ignored", {"x": f"{entry.x:.0f}", "y": f"{entry.y:.0f}"})  # fmt: skip


CHANGES = {
    "backdrop": Change(gettext_noop("backdrop"), _say_backdrop),
    "strip": Change(gettext_noop("proof strip"), "Backdrops of the strip chosen"),
    "limits": Change(gettext_noop("limits of problems"), "Limits of problems set"),
    "print_size": Change(gettext_noop("print size"), "Print size stated"),
    "fault_accepted": Change(gettext_noop("problem ignored"), _say_accepted),
    "faults_again": Change(
        gettext_noop("ignored problems listed again"), "Ignored problems listed again"
    ),
}
"""What may be changed here, in words."""
