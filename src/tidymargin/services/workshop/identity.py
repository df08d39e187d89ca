"""What things are kept under: everything that they depend on, and nothing else.

Names are made of the hashes that the steps of a recipe are stored under, which need not even be readable. A step
that says nothing adds nothing.
"""

from tidymargin import ENGINE_VERSION
from tidymargin.formats.finishing import RimStep
from tidymargin.formats.step import name_of_step
from tidymargin.formats.steps import ByHandStep
from tidymargin.store.values import Sheet

_NOTHING = {name_of_step("{}"), name_of_step('{"areas":[]}'), ByHandStep().name, RimStep().name}


def area_name(sheet: Sheet) -> str:
    """Return the name of what a sheet's work area holds."""
    return f"{sheet.original}:{sheet.area.corners}"


def facts_name(sheet: Sheet, version: int = ENGINE_VERSION) -> str:
    """Return the name of a sheet's facts, and of the job that measures them."""
    return f"facts:{sheet.original}:{version}:{sheet.names['ground']}"


def levels_name(sheet: Sheet) -> str:
    """Return the name of a sheet's levels, for which the tolerance is nothing."""
    return f"{facts_name(sheet)}:{sheet.recipe.reach.walls}"


def cutter_name(sheet: Sheet) -> str:
    """Return the name of what reach makes of a sheet, for which rims and colours are nothing."""
    return f"{facts_name(sheet)}:{sheet.names['reach']}"


def tile_name(sheet: Sheet, version: int = ENGINE_VERSION) -> str:
    """Return the name of what a tile depends on beside what is cleared and marked in and around it."""
    return ":".join([facts_name(sheet, version), *_said(sheet, "rim"), sheet.names["colour"]])


def cut_name(sheet: Sheet, version: int = ENGINE_VERSION) -> str:
    """Return the name of a sheet's cut."""
    return ":".join([tile_name(sheet, version), *_said(sheet, "by_hand"), sheet.names["reach"]])


def _said(sheet: Sheet, step: str) -> list[str]:
    return [] if sheet.names[step] in _NOTHING else [sheet.names[step]]


def found_name(sheet: Sheet, what: str) -> str:
    """Return the name of what is found in what is cleared of a sheet, which only some of its marks change."""
    marks = sheet.recipe.by_hand.marks
    likes = ",".join(mark.name for mark in marks if mark.is_on and getattr(mark, "like", None))
    return f"{what}:{cutter_name(sheet)}:{likes}"


def proof_name(sheet: Sheet) -> str:
    """Return the name that a picture of the cut is kept under that this state's engine made."""
    return f"proof:{cut_name(sheet, sheet.engine_version)}"


def outlines_name(sheet: Sheet, what: str) -> str:
    """Return the name of a cut's outlines, or of its cutting line, as its export says."""
    export = sheet.recipe.export
    said = (export.outlines, export.cutline, export.dots_per_inch)
    return f"{what}:{cut_name(sheet)}:{name_of_step(repr(said))}"


def export_name(sheet: Sheet) -> str:
    """Return the name of the job that writes what a sheet's export asks for."""
    return f"export:{cut_name(sheet)}:{sheet.names['export']}"
