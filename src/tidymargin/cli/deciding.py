"""The recipe that the options of a command make."""

from pathlib import Path
from typing import Any

from tidymargin.cli.telling import read_input
from tidymargin.core.base.errors import BadParameterError
from tidymargin.core.reach.clearing import HIGHEST_TOLERANCE
from tidymargin.formats.export_step import read_sizes
from tidymargin.formats.format_names import ENDINGS, FORMATS
from tidymargin.formats.recipe import Recipe, change_recipe, read_recipe
from tidymargin.formats.steps import PickEntry

_MOST_RECIPE_BYTES = 16 * 1024 * 1024


def read_point(text: str, field: str) -> tuple[int, int]:
    """Return a place that is typed as X,Y."""
    try:
        x, y = (int(part) for part in text.split(","))
    except ValueError as error:
        raise BadParameterError(
            f"Expected a place as X,Y in pixels, got “{text}”.",
            hint="For example --pick 120,45.",
            field=field,
        ) from error
    return x, y


def _read_guard(text: str) -> dict[str, object]:
    colour, _, tolerance = text.partition(":")
    try:
        return {"colour": colour, **({"tolerance": float(tolerance)} if tolerance else {})}
    except ValueError as error:
        raise BadParameterError(
            f"Expected a guard as #RRGGBB or #RRGGBB:TOLERANCE, got “{text}”.", field="guard"
        ) from error


def to_recipe(recipe: Path | None, said: dict[str, Any]) -> Recipe:
    """Return the recipe that the options of `options.deciding` ask for."""
    chosen = Recipe()
    if recipe is not None:
        chosen = read_recipe(read_input(recipe, _MOST_RECIPE_BYTES))
    picks = [entry.model_dump() for entry in chosen.reach.picks]
    for marks, field in (("ground", "pick"), ("figure", "keep")):
        for text in said[field]:
            x, y = read_point(text, field)
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


def count_places(said: dict[str, Any]) -> int:
    """Return how many picks the options give; they are the last of the recipe's."""
    return len(said["pick"]) + len(said["keep"])


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


def to_export(recipe: Recipe, said: dict[str, Any]) -> Recipe:
    """Return a recipe with what the options of `options.exporting` ask for.

    Raises
    ------
    BadParameterError, BadRecipeError
        One of them cannot be.
    """
    values: dict[str, Any] = {}
    if said["formats"]:
        unknown = [kind for kind in said["formats"] if kind not in FORMATS]
        if unknown:
            raise BadParameterError(
                f"Expected one of {', '.join(FORMATS)} as format, got “{unknown[0][:40]}”.",
                field="format",
            )
        values["formats"] = said["formats"]
    if said["size"] is not None:
        values["sizes"] = [size.model_dump() for size in read_sizes(said["size"])]
    if said["trim"] is not None:
        values |= {"trim": True, "margin_px": said["trim"]}
    if said["pieces"]:
        values["pieces"] = True
    if said["square"]:
        values["box"] = "square"
    if said["quality"] is not None:
        values |= {"quality": said["quality"], "lossless": False}
    for option, field in (
        ("dpi", "dots_per_inch"),
        ("laid_on", "backdrop"),
        ("names", "pattern"),
        ("credit", "credit"),
    ):
        if said[option] is not None:
            values[field] = said[option]
    return change_recipe(recipe, "export", **values)


def list_endings(recipe: Recipe) -> list[str]:
    """Return the endings of the files that a picture gives."""
    export = recipe.export
    return [ENDINGS[kind] for kind in export.formats] * max(1, len(export.sizes))
