"""A sheet's states, and the engine that cut them."""

from tidymargin import ENGINE_VERSION
from tidymargin.core.base.errors import OlderEngineError
from tidymargin.formats.recipe import Recipe
from tidymargin.store.values import NewState, Sheet


def to_state(recipe: Recipe, change: str, resolved: dict[str, object]) -> NewState:
    """Return a recipe as a state of the history."""
    return NewState(recipe.names, recipe.bodies, recipe.parts, change, resolved, ENGINE_VERSION)


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
            "This picture was cut by an older version, and this one may cut it differently.",
            hint="Open it, compare both cuts, and choose “Use the new cut”.",
        )
