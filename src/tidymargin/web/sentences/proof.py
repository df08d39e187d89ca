"""The sentence of proof: what the cut is looked at on."""

from typing import Any

from tidymargin.formats.recipe import Recipe
from tidymargin.formats.steps import ProofStep
from tidymargin.services.reasons import Reason
from tidymargin.web.words import (
    STATES,
    Change,
    StepView,
    fill,
    gettext,
    gettext_noop,
    phrase,
)


def say_proof(recipe: Recipe) -> StepView:
    """Say what the cut is looked at on."""
    code = recipe.proof.backdrop.upper()
    colour = phrase("proof", gettext("Backdrop"), code, swatch=code)
    said = fill(gettext("Proof on white, black, mid grey and %(colour)s."), colour=colour)
    default = recipe.proof == ProofStep()
    return (
        StepView("proof", "", "", said)
        if default
        else StepView("proof", "yours", STATES["yours"], said)
    )


def _say_backdrop(before: Recipe, after: Recipe, _: dict[str, Any]) -> Reason:
    return Reason("Backdrop %(code)s", {"code": after.proof.backdrop.upper()})


CHANGES = {
    "backdrop": Change(gettext_noop("backdrop"), _say_backdrop),
}
"""What may be changed here, in words."""
