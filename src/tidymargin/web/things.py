"""What is drawn over the stage, as plain values for its scripts: places in the work area, as far as they are to be seen."""

from typing import Any

from tidymargin.core.base.area import Area
from tidymargin.formats.recipe import Recipe
from tidymargin.web.sentences.reach import PocketView


def gather_things(
    area: Area, recipe: Recipe, pockets: list[PocketView], opened: str
) -> dict[str, Any]:
    """Return the work area's corners while that is being set, and what reach knows of places while it is open.

    Parameters
    ----------
    area : Area
        The work area.
    recipe : Recipe
        Of the present state.
    pockets : list of PocketView
        Those that are listed.
    opened : str
        The sentence that is open.
    """
    things: dict[str, Any] = {
        "area": None,
        "picks": [],
        "guards": [],
        "fences": [],
        "pockets": [],
        "marks": [],
    }
    if opened == "area":
        things["area"] = [list(corner) for corner in area.corners]
    if opened == "by_hand":
        things["marks"] = [
            {
                "verdict": entry.verdict,
                "is_on": entry.is_on,
                "rings": entry.to_mark(area).rings,
            }
            for entry in recipe.by_hand.areas
        ]
    if opened != "reach":
        return things
    reach = recipe.reach
    things["picks"] = [area.to_area(pick.x, pick.y) for pick in reach.picks]
    things["guards"] = [
        area.to_area(guard.x, guard.y)
        for guard in reach.guards
        if guard.x is not None and guard.y is not None
    ]
    things["fences"] = [[area.to_area(x, y) for x, y in fence] for fence in reach.fences]
    things["pockets"] = [
        {
            "row": pocket.row,
            "col": pocket.col,
            "box": [pocket.box.left, pocket.box.top, pocket.box.right, pocket.box.bottom],
            "outline": pocket.outline,
            "verdict": pocket.verdict if pocket.is_decided else "",
        }
        for pocket in (view.pocket for view in pockets)
    ]
    return things
