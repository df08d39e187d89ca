"""Versions: states kept under a name, and other ways to look at a sheet beside its present state."""

from dataclasses import replace

from tidymargin.core.base.errors import BadParameterError, NotFoundError
from tidymargin.formats.recipe import Recipe
from tidymargin.formats.steps import ByHandStep, GroundStep
from tidymargin.services.states import read_recipe_of, to_state
from tidymargin.services.workshop import Workshop
from tidymargin.store.values import Sheet, Version

MOST_NAME = 80
_MOST_VERSIONS = 200


def keep_version(workshop: Workshop, sheet_id: int, seen: int, name: str) -> Sheet:
    """Keep a sheet's present state, which is the one that was seen, under a name; its history is as it was.

    Raises
    ------
    StaleHeadError
        The present state is another than the one that was seen.
    BadParameterError
        The name is empty or too long, or there are too many versions.
    """
    name = " ".join(name.split())
    if not 1 <= len(name) <= MOST_NAME:
        raise BadParameterError(
            f"Expected a name of 1 to {MOST_NAME} letters for this version.", field="version"
        )
    if len(workshop.sheets.list_versions(sheet_id)) >= _MOST_VERSIONS:
        raise BadParameterError(
            f"A sheet has at most {_MOST_VERSIONS} versions; take the name off one.",
            field="version",
        )
    return workshop.sheets.keep_version(sheet_id, seen, name)


def list_versions(workshop: Workshop, sheet: Sheet) -> list[Version]:
    """Return the versions of a sheet, the newest first."""
    return workshop.sheets.list_versions(sheet.id)


def forget_version(workshop: Workshop, sheet_id: int, version_id: int) -> Sheet:
    """Take a version's name away; the state stays in the history."""
    return workshop.sheets.forget_version(sheet_id, version_id)


def see_as(workshop: Workshop, sheet: Sheet, way: str) -> Sheet:
    """Return a sheet as it would be in another state, to be looked at only.

    Parameters
    ----------
    workshop, sheet :
        The sheet at its present state.
    way : str
        ``now``; ``key``, without what was done by hand; ``automatic``, with nothing decided but the work area;
        or the number of a state.

    Raises
    ------
    NotFoundError
        There is no such way.
    """
    if way in ("", "now"):
        return sheet
    recipe = read_recipe_of(sheet)
    if way == "key":
        return _with_recipe(sheet, recipe.model_copy(update={"by_hand": ByHandStep()}))
    if way == "automatic":
        return _with_recipe(sheet, Recipe(ground=GroundStep(area=recipe.ground.area)))
    if not (way.isascii() and way.isdigit() and len(way) < 12):
        raise NotFoundError("There is no such state to compare.")
    return workshop.sheets.load_at(sheet, int(way))


def _with_recipe(sheet: Sheet, recipe: Recipe) -> Sheet:
    state = to_state(recipe, "", {})
    return replace(sheet, names=state.names, bodies=state.bodies, parts=state.parts)
