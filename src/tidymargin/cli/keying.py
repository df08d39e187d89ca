"""Keying picture files without a browser, and reporting on them."""

from pathlib import Path
from typing import Any

import click

from tidymargin.cli.options import deciding, exporting
from tidymargin.cli.telling import told
from tidymargin.formats.asked import DRAWING_PX, PAGE_DPI, Asked


@click.command()
@click.argument("inputs", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option(
    "-o",
    "--output",
    required=True,
    help="Where to write: a file whose ending fits its format, or a folder ending in /.",
)
@deciding
@exporting
@click.option(
    "--save-recipe",
    type=click.Path(path_type=Path),
    help="Write the settings that were used into this recipe file.",
)
@click.option(
    "--page-dpi",
    type=float,
    default=PAGE_DPI,
    metavar="DPI",
    help="Dots per inch at which pages of a PDF are drawn; 300 if not given.",
)
@click.option(
    "--drawing-px",
    type=int,
    default=DRAWING_PX,
    metavar="PX",
    help="Length in px at which an SVG is drawn; 2048 if not given.",
)
@click.option(
    "--jobs",
    type=int,
    default=1,
    metavar="N",
    help="How many pictures of a folder are cut at once.",
)
@click.option(
    "--replace", is_flag=True, help="Allow files to be replaced, but never a picture that is read."
)
@told
def key(
    inputs: tuple[Path, ...],
    output: str,
    recipe: Path | None,
    save_recipe: Path | None,
    replace: bool,
    jobs: int,
    page_dpi: float,
    drawing_px: int,
    **said: Any,
) -> None:
    """Cut pictures out as the browser would. Of a folder a manifest is written as well, and cuts to check are listed."""
    from tidymargin.cli.cutting import key_pictures

    asked = Asked(page_dpi, drawing_px)
    key_pictures(inputs, output, recipe, said, asked, jobs, save_recipe, replace=replace)


@click.command()
@click.argument("picture", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print JSON instead of sentences.")
@deciding
@told
def report(picture: Path, as_json: bool, recipe: Path | None, **said: Any) -> None:
    """Say what is found in a picture and why, and list the areas that could be either way."""
    from tidymargin.cli.cutting import report_on

    report_on(picture, recipe, said, as_json=as_json)
