"""A sheet's present state: its recipe, its work area, and the engine that cut it."""

from tidymargin import ENGINE_VERSION
from tidymargin.core.base.area import Area
from tidymargin.core.base.errors import OlderEngineError
from tidymargin.formats.recipe import Recipe, from_steps
from tidymargin.store.values import NewState, Sheet


def to_state(recipe: Recipe, change: str, resolved: dict[str, object]) -> NewState:
    """Return a recipe as a state of the history."""
    return NewState(
        recipe.names,
        {name: step.to_json() for name, step in recipe.steps.items()},
        {name: text for step in recipe.steps.values() for name, text in step.parts.items()},
        change,
        resolved,
        ENGINE_VERSION,
    )


def read_recipe_of(sheet: Sheet) -> Recipe:
    """Return the recipe of a sheet's present state."""
    return from_steps(sheet.bodies, sheet.parts)


def area_of(sheet: Sheet, recipe: Recipe | None = None) -> Area:
    """Return the work area of a sheet; every place and size of its cut is in this area's pixels."""
    return (recipe or read_recipe_of(sheet)).to_area(sheet.height, sheet.width)


def is_of_older_engine(sheet: Sheet) -> bool:
    """Whether the present state was cut by an engine that may have cut it otherwise."""
    return sheet.engine_version != ENGINE_VERSION


def require_present_engine(sheet: Sheet) -> None:
    """Refuse to cut a sheet anew without being asked.

    Raises
    ------
    OlderEngineError
        Its present state was cut by an older engine.
    """
    if is_of_older_engine(sheet):
        raise OlderEngineError(
            "This sheet was cut by an older engine, and the present one may cut it otherwise.",
            hint="Open it, compare both cuts, and choose “Use the new cut”.",
        )
