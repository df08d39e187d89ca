"""The options by which commands decide about a picture and about what is written; they alone need no computation."""

import functools
from collections.abc import Callable
from pathlib import Path

import click

from tidymargin.formats.format_names import FORMATS

_Option = Callable[[Callable[..., None]], Callable[..., None]]
_DECISIONS: tuple[_Option, ...] = (
    click.option("--ground", help="Kind of background: auto, flat, paper, screen (green or blue cloth) or checker (a printed-in pattern)."),
    click.option("--figure", help="Kind of subject: auto, opaque (a solid thing) or ink (strokes that let the paper through)."),
    click.option("--reach", help="Where clearing starts: outside (at the picture's border), picks or everywhere."),
    click.option("--tolerance", type=float, help="How far a colour may be from the background and still be cleared, 0 to 50; measured if not given."),
    click.option("--pick", multiple=True, metavar="X,Y", help="A place to clear; clears an enclosed area too."),
    click.option("--keep", multiple=True, metavar="X,Y", help="A place that belongs to the subject and stays."),
    click.option("--guard", multiple=True, metavar="#RRGGBB[:TOLERANCE]", help="A colour that is never cleared, and how far from it."),
    click.option("--crumbs", type=int, help="Remove specks of fewer pixels than this."),
    click.option("--choke", type=float, metavar="PX", help="Shrink the edge by this many px; below 0 it grows."),
    click.option("--smooth", type=float, metavar="PX", help="Smooth jagged edges over this many px."),
    click.option("--feather", type=float, metavar="PX", help="Soften the edge over this many px."),
    click.option("--fringe", type=float, metavar="PERCENT", help="Remove the background's colour from the edge, 0 to 100 percent."),
    click.option("--depth", type=float, metavar="PERCENT", help="Deepen ink: how far its darkest colour is brought to black, 0 to 100 percent."),
    click.option("--recolour", metavar="#RRGGBB[:#RRGGBB[:DEGREES]]", help="Give the whole subject one colour, or a gradient of two and its angle."),
    click.option("--backing", metavar="#RRGGBB[:PX]", help="Lay a solid colour under the subject, wider than it by this many px."),
    click.option("--shadow", type=float, metavar="PERCENT", help="Keep the shadow on the background at this strength, 0 to 100 percent."),
    click.option("--recipe", type=click.Path(path_type=Path), help="Begin with the settings in this recipe file."),
)  # fmt: skip


def deciding(command: Callable[..., None]) -> Callable[..., None]:
    """Give a command the options that decide about a sheet."""
    return functools.reduce(lambda wrapped, option: option(wrapped), reversed(_DECISIONS), command)


_OPTIONS: tuple[_Option, ...] = (
    click.option("--format", "formats", multiple=True, metavar="NAME", help=f"Format of the files: {', '.join(FORMATS)}; png if not given. May be given several times."),
    click.option("--size", metavar="SIZES", help="Size of the files, such as 1024, 512 wide, 80mm or 50%; put commas between several."),
    click.option("--trim", type=int, metavar="PX", help="Trim to the subject, with a margin of this many px."),
    click.option("--pieces", is_flag=True, help="Write every drawing of a page into a file of its own, in reading order."),
    click.option("--square", is_flag=True, help="Put the subject in the middle of a square."),
    click.option("--dpi", type=float, metavar="DPI", help="Dots per inch that the files state; the original's if not given."),
    click.option("--quality", type=int, metavar="1-100", help="Quality of AVIF and JPEG; WebP loses a little if this is given."),
    click.option("--credit", metavar="TEXT", help="Copyright notice written into the files; none if not given."),
    click.option("--laid-on", metavar="#RRGGBB", help="Backdrop colour of JPEG, which cannot be transparent."),
    click.option("--names", metavar="PATTERN", help="Pattern of the files' names, made of {name}, {piece}, {width}, {height}, {size} and {format}."),
)  # fmt: skip


def exporting(command: Callable[..., None]) -> Callable[..., None]:
    """Give a command the options that decide what is written."""
    return functools.reduce(lambda wrapped, option: option(wrapped), reversed(_OPTIONS), command)
