"""What things are kept under: everything that they depend on, and nothing else.

Names are made of the hashes that the steps of a recipe are stored under, `names` below: those of a `Recipe`, or of a
sheet or state as the store has it, which need not even be readable. A step that says nothing adds nothing.
"""

from collections.abc import Mapping

from tidymargin import ENGINE_VERSION
from tidymargin.core.base.area import Area
from tidymargin.formats.finishing import RimStep
from tidymargin.formats.recipe import Recipe
from tidymargin.formats.step import name_of_step
from tidymargin.formats.steps import ByHandStep
from tidymargin.store.values import Sheet

StepNames = Mapping[str, str]

_NOTHING = {name_of_step("{}"), name_of_step('{"areas":[]}'), ByHandStep().name, RimStep().name}


def area_name(sheet: Sheet, area: Area) -> str:
    """Return the name of what a work area holds."""
    return f"{sheet.original}:{area.corners}"


def facts_name(sheet: Sheet, names: StepNames, version: int = ENGINE_VERSION) -> str:
    """Return the name of a sheet's facts."""
    return f"facts:{sheet.original}:{version}:{names['ground']}"


def measuring_name(sheet: Sheet) -> str:
    """Return the name of the job that measures a sheet's present state."""
    return facts_name(sheet, sheet.names)


def levels_name(sheet: Sheet, recipe: Recipe) -> str:
    """Return the name of a sheet's levels, for which the tolerance is nothing."""
    return f"{facts_name(sheet, recipe.names)}:{recipe.reach.walls}"


def cutter_name(sheet: Sheet, names: StepNames) -> str:
    """Return the name of what reach makes of a sheet, for which rims and colours are nothing."""
    return f"{facts_name(sheet, names)}:{names['reach']}"


def tile_name(sheet: Sheet, names: StepNames, version: int = ENGINE_VERSION) -> str:
    """Return the name of what a tile depends on beside what is cleared and marked in and around it."""
    return ":".join([facts_name(sheet, names, version), *_said(names, "rim"), names["colour"]])


def cut_name(sheet: Sheet, names: StepNames, version: int = ENGINE_VERSION) -> str:
    """Return the name of a sheet's cut."""
    return ":".join([tile_name(sheet, names, version), *_said(names, "by_hand"), names["reach"]])


def _said(names: StepNames, step: str) -> list[str]:
    return [] if names[step] in _NOTHING else [names[step]]


def found_name(sheet: Sheet, recipe: Recipe, what: str) -> str:
    """Return the name of what is found in what is cleared of a sheet, which only some of its marks change."""
    likes = (mark for mark in recipe.by_hand.marks if mark.is_on and getattr(mark, "like", None))
    marks = ",".join(mark.name for mark in likes)
    return f"{what}:{cutter_name(sheet, recipe.names)}:{marks}"


def proof_name(sheet: Sheet, names: StepNames, version: int) -> str:
    """Return the name that a picture of a cut is kept under."""
    return f"proof:{cut_name(sheet, names, version)}"


def export_name(sheet: Sheet, recipe: Recipe) -> str:
    """Return the name of the job that writes what a recipe's export asks for of a sheet."""
    return f"export:{cut_name(sheet, recipe.names)}:{recipe.names['export']}"
