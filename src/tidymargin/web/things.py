"""What is drawn over the stage, as plain values for its scripts: places in the work area, as far as they are to be seen."""

from collections.abc import Mapping
from typing import Any

import numpy as np

from tidymargin.core.base.area import Area
from tidymargin.core.base.errors import BadParameterError
from tidymargin.core.base.picture import Region
from tidymargin.core.marks.lines import Node, draw_outline
from tidymargin.core.marks.plan import Points
from tidymargin.formats.marks import AreaEntry, MarkEntry, OutlineEntry, RoughEntry, StrokeEntry
from tidymargin.formats.recipe import Recipe
from tidymargin.web.sentences.reach import PocketView
from tidymargin.web.words import gettext


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
            _list_mark(number, mark) for number, mark in enumerate(recipe.by_hand.marks, 1)
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
            "box": pocket.box.edges,
            "outline": pocket.outline,
            "verdict": pocket.verdict if pocket.is_decided else "",
        }
        for pocket in (view.pocket for view in pockets)
    ]
    return things


NAME_LENGTH = 16
"""So many letters of a mark's name tell it from all others of a sheet."""

_MOST_POINTS = 5000
_FARTHEST = 1e7
_MOST_DRAWN = 20_000  # places of one outline on the stage


def _list_mark(number: int, mark: MarkEntry) -> dict[str, Any]:
    """Return what the stage knows of a mark without how it is drawn, which it asks for once."""
    return {
        "number": number,
        "name": mark.name[:NAME_LENGTH],
        "kind": getattr(mark, "kind", ""),
        "is_on": mark.is_on,
        "is_open": isinstance(mark, OutlineEntry) and not mark.is_closed,
        "goes": _goes(mark),
    }


def _goes(mark: MarkEntry) -> str:
    """Return whether what a mark's line surrounds goes or stays, or what is beyond it."""
    if isinstance(mark, OutlineEntry | RoughEntry):
        return {"clear_inside": "clear", "keep_inside": "keep"}.get(mark.does, "outside")  # fmt: skip
    return str(getattr(mark, "verdict", ""))


def _pairs(places: Points) -> list[list[float]]:
    return np.round(places[:, :2], 2).tolist()  # type: ignore[no-any-return]


def draw_mark(mark: MarkEntry, area: Area) -> dict[str, Any]:
    """Return how a mark is drawn, in pixels of the work area from its upper left corner.

    `rings` are closed lines, `lines` open ones, `points` those of an outline with where each part was pulled to,
    `taken` the place that a colour was taken at.
    """
    drawn: dict[str, Any] = {"rings": [], "lines": [], "points": [], "taken": None}
    if isinstance(mark, AreaEntry):
        drawn["rings"] = [_pairs(area.to_area_all(np.array(ring))) for ring in mark.rings]
    elif isinstance(mark, StrokeEntry):
        places = np.array([place[:2] for place in mark.places])
        drawn["lines"] = [_pairs(area.to_area_all(places))]
        drawn["across"] = mark.across_px
        if mark.like and mark.like.colour == "first":
            drawn["taken"] = drawn["lines"][0][0]
    elif isinstance(mark, OutlineEntry):
        parts = draw_outline(mark.nodes, is_closed=mark.is_closed, most=_MOST_DRAWN)
        drawn["lines"] = [_pairs(area.to_area_all(part)) for part in parts]
        drawn["points"] = [_draw_point(point.to_node(), area) for point in mark.points]
    elif isinstance(mark, RoughEntry):
        drawn["rings"] = [_pairs(area.to_area_all(np.array(ring))) for ring in mark.rings]
        scribbles = {"keep": mark.keep, "clear": mark.clear}
        drawn["scribbles"] = {
            name: [_pairs(area.to_area_all(np.array([p[:2] for p in line]))) for line in lines]
            for name, lines in scribbles.items()
        }
    return drawn


def _draw_point(node: Node, area: Area) -> dict[str, Any]:
    ((x, y),) = _pairs(area.to_area_all(np.array([(node.x, node.y)])))
    bend = None if node.bend is None else _pairs(area.to_area_all(np.array([node.bend])))[0]
    return {"x": x, "y": y, "is_smooth": node.is_smooth, "bend": bend}


def draw_parts(said: Mapping[str, Any]) -> list[list[list[float]]]:
    """Return the parts of an outline that is under the hand, its points as `draw_mark` gives them."""
    points = said.get("points")
    try:
        if not isinstance(points, list) or len(points) > _MOST_POINTS:
            raise ValueError
        nodes = tuple(
            Node(
                _to_place(point["x"]), _to_place(point["y"]), bool(point.get("is_smooth")),
                None if point.get("bend") is None else (_to_place(point["bend"][0]), _to_place(point["bend"][1])),
            )
            for point in points
        )  # fmt: skip
    except (KeyError, TypeError, ValueError, IndexError) as error:
        raise BadParameterError(
            gettext("Expected points, each with x and y."), field="marks"
        ) from error
    return [
        _pairs(part)
        for part in draw_outline(nodes, is_closed=bool(said.get("is_closed")), most=_MOST_DRAWN)
    ]


def _to_place(value: object) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float) or not abs(value) < _FARTHEST:
        raise ValueError(value)
    return float(value)


def find_mark_box(mark: MarkEntry, area: Area) -> Region:
    """Return the pixels of the work area around a mark."""
    drawn = draw_mark(mark, area)
    lines = [*drawn["rings"], *drawn["lines"], [[p["x"], p["y"]] for p in drawn["points"]]]
    places = np.array([place for line in lines for place in line]).reshape(-1, 2)
    if not len(places):
        return Region(0, 0, 1, 1)
    around = drawn.get("across", 8) / 2
    low = np.clip(places.min(axis=0) - around, 0, (area.width - 1, area.height - 1))
    high = np.clip(places.max(axis=0) + around, 1, (area.width, area.height))
    return Region(int(low[1]), int(low[0]), int(high[1]) + 1, int(high[0]) + 1)
