"""The sentence of proof: what the cut is looked at on."""

from tidymargin.formats.recipe import ProofStep, Recipe
from tidymargin.web.words import (
    STATES,
    StepView,
    fill,
    gettext,
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
