"""The options by which commands decide about a picture and about what is written; they alone need no computation."""

import functools
from collections.abc import Callable
from pathlib import Path

import click

from tidymargin.formats.format_names import FORMATS

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
