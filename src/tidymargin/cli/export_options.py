"""The options by which a command decides what is written."""

import functools
from collections.abc import Callable
from typing import Any

import click

from tidymargin.core.base.errors import BadParameterError
from tidymargin.formats.export_step import read_sizes
from tidymargin.formats.outputs import ENDINGS, FORMATS
from tidymargin.formats.recipe import Recipe, change_recipe

_Option = Callable[[Callable[..., None]], Callable[..., None]]
_OPTIONS: tuple[_Option, ...] = (
    click.option("--format", "formats", multiple=True, metavar="NAME", help=f"What is written: {', '.join(FORMATS)}; png when not said."),
    click.option("--size", metavar="SIZES", help="Sizes: 1024, 512 wide, 80mm, 50%; commas between several."),
    click.option("--trim", type=int, metavar="PX", help="Crop to the figure, with such a margin."),
    click.option("--pieces", is_flag=True, help="Write every drawing of a page on its own, in reading order."),
    click.option("--square", is_flag=True, help="Put the figure in the middle of a square."),
    click.option("--dpi", type=float, metavar="DPI", help="Dots per inch; the original's when not said."),
    click.option("--quality", type=int, metavar="1-100", help="Of AVIF and JPEG, and of WebP, which then has losses."),
    click.option("--credit", metavar="TEXT", help="Whose it is, written into the files; nothing when not said."),
    click.option("--laid-on", metavar="#RRGGBB", help="The backdrop of JPEG."),
    click.option("--names", metavar="PATTERN", help="Names of files, of {name}, {piece}, {width}, {height}, {size}, {format}."),
)  # fmt: skip


def exporting(command: Callable[..., None]) -> Callable[..., None]:
    """Give a command the options that decide what is written."""
    return functools.reduce(lambda wrapped, option: option(wrapped), reversed(_OPTIONS), command)


def to_export(recipe: Recipe, said: dict[str, Any]) -> Recipe:
    """Return a recipe with what these options ask for.

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
