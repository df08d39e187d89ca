"""The options by which a command decides about a picture, and the recipe that they make."""

import functools
from collections.abc import Callable
from pathlib import Path
from typing import Any

import click

from tidymargin.cli.telling import read_input
from tidymargin.core.base.errors import BadParameterError
from tidymargin.core.reach.clearing import HIGHEST_TOLERANCE
from tidymargin.formats.recipe import Recipe, change_recipe, read_recipe
from tidymargin.formats.steps import PickEntry

_MOST_RECIPE_BYTES = 16 * 1024 * 1024


def _read_point(text: str, field: str) -> tuple[int, int]:
    try:
        x, y = (int(part) for part in text.split(","))
    except ValueError as error:
        raise BadParameterError(
            f"Expected a place as X,Y in pixels, got “{text}”.",
            hint="For example --pick 120,45.",
            field=field,
        ) from error
    return x, y


_Option = Callable[[Callable[..., None]], Callable[..., None]]
_DECISIONS: tuple[_Option, ...] = (
    click.option("--ground", help="auto, flat, paper, screen or checker."),
    click.option("--figure", help="auto, opaque or ink."),
    click.option("--reach", help="Where clearing starts: outside, picks or everywhere."),
    click.option("--tolerance", type=float, help="0 to 50; measured when not given."),
    click.option("--pick", multiple=True, metavar="X,Y", help="A point of ground; opens a pocket too."),
    click.option("--keep", multiple=True, metavar="X,Y", help="A point of the figure."),
    click.option("--guard", multiple=True, metavar="#RRGGBB[:TOLERANCE]", help="A colour never cleared."),
    click.option("--crumbs", type=int, help="Drop standing pieces under so many pixels."),
    click.option("--choke", type=float, metavar="PX", help="Draw the rim in; below 0 it is spread."),
    click.option("--smooth", type=float, metavar="PX", help="Take jags off along so much of the rim."),
    click.option("--feather", type=float, metavar="PX", help="Soften the rim over so much."),
    click.option("--fringe", type=float, metavar="PERCENT", help="Draw the rim's colours to those inside it."),
    click.option("--depth", type=float, metavar="PERCENT", help="Draw the darkest colour to black."),
    click.option("--recolour", metavar="#RRGGBB[:#RRGGBB[:DEGREES]]", help="One colour for all of the figure, or a gradient."),
    click.option("--backing", metavar="#RRGGBB[:PX]", help="A layer under the silhouette, so much wider."),
    click.option("--shadow", type=float, metavar="PERCENT", help="Keep so much of a shadow on the ground."),
    click.option("--recipe", type=click.Path(path_type=Path), help="Start from this recipe."),
)  # fmt: skip


def deciding(command: Callable[..., None]) -> Callable[..., None]:
    """Give a command the options that decide about a sheet."""
    return functools.reduce(lambda wrapped, option: option(wrapped), reversed(_DECISIONS), command)


def _read_guard(text: str) -> dict[str, object]:
    colour, _, tolerance = text.partition(":")
    try:
        return {"colour": colour, **({"tolerance": float(tolerance)} if tolerance else {})}
    except ValueError as error:
        raise BadParameterError(
            f"Expected a guard as #RRGGBB or #RRGGBB:TOLERANCE, got “{text}”.", field="guard"
        ) from error


def to_recipe(recipe: Path | None, said: dict[str, Any]) -> Recipe:
    """Return the recipe that the options of `_DECISIONS` ask for."""
    chosen = Recipe()
    if recipe is not None:
        chosen = read_recipe(read_input(recipe, _MOST_RECIPE_BYTES))
    picks = [entry.model_dump() for entry in chosen.reach.picks]
    for marks, field in (("ground", "pick"), ("figure", "keep")):
        for text in said[field]:
            x, y = _read_point(text, field)
            if min(x, y) < 0:
                raise BadParameterError(f"Expected a place inside the picture, got {text}.")
            picks.append(PickEntry(x=x, y=y, marks=marks).model_dump())
    tolerance = said["tolerance"]
    if tolerance is not None and not 0 <= tolerance <= HIGHEST_TOLERANCE:
        raise BadParameterError(
            f"Expected a tolerance from 0 to 50, got {tolerance:g}.", field="tolerance"
        )
    reach = {"start": said["reach"], "tolerance": tolerance, "crumbs_px": said["crumbs"]}
    ground = {"kind": said["ground"], "figure": said["figure"]}
    guards = [entry.model_dump() for entry in chosen.reach.guards]
    guards += [_read_guard(text) for text in said["guard"]]
    chosen = change_recipe(chosen, "reach", picks=picks, guards=guards, **_given(reach))
    chosen = change_recipe(chosen, "ground", **_given(ground))
    return _finish(chosen, said)


def _given(values: dict[str, Any]) -> dict[str, Any]:
    return {name: value for name, value in values.items() if value is not None}


def _percent(value: float | None) -> float | None:
    return None if value is None else value / 100


def _finish(recipe: Recipe, said: dict[str, Any]) -> Recipe:
    """Return a recipe with what is said of rims and colours."""
    rim = {
        "choke_px": said["choke"],
        "smooth_px": said["smooth"],
        "feather_px": said["feather"],
        "fringe": _percent(said["fringe"]),
    }
    colour: dict[str, Any] = {
        "depth": _percent(said["depth"]),
        "shadow": _percent(said["shadow"]),
    }
    if said["recolour"] is not None:
        colour["recolour"] = _read_recolour(said["recolour"])
    if said["backing"] is not None:
        code, _, wider = said["backing"].partition(":")
        grown_px = _read_number(wider or "0", "backing")
        colour["backing"] = {"colour": code, "grown_px": grown_px}
    recipe = change_recipe(recipe, "rim", **_given(rim))
    return change_recipe(recipe, "colour", **_given(colour))


def _read_number(text: str, field: str) -> float:
    try:
        return float(text)
    except ValueError as error:
        raise BadParameterError(f"Expected a number, got “{text[:40]}”.", field=field) from error


def _read_recolour(text: str) -> dict[str, Any]:
    first, *more = text.split(":")
    if len(more) > 2:
        raise BadParameterError(
            f"Expected #RRGGBB, or #RRGGBB:#RRGGBB:DEGREES for a gradient, got “{text[:60]}”.",
            field="recolour",
        )
    if not more:
        return {"colour": first}
    degrees = _read_number(more[1], "recolour") if len(more) > 1 else 0.0
    return {"colour": first, "towards": more[0], "degrees": degrees}
