"""Keying picture files without a browser, and reporting on them."""

import json
import os
import sys
from contextlib import closing
from pathlib import Path
from typing import Any

import click

from tidymargin.cli.deciding import deciding, to_recipe
from tidymargin.cli.export_options import exporting, list_endings, to_export
from tidymargin.cli.folder import key_folder, open_parts
from tidymargin.cli.outputs import Outputs, place_outputs
from tidymargin.cli.telling import read_input, tell, told
from tidymargin.core.base.errors import DomainError, UnusableArgumentError
from tidymargin.formats.decode import MAX_FILE_BYTES
from tidymargin.formats.recipe import Recipe
from tidymargin.formats.unpacking import DRAWING_PX, PAGE_DPI, Asked
from tidymargin.outcomes import outcome_of
from tidymargin.services.exporting import key_files
from tidymargin.services.reading import Readers
from tidymargin.services.reporting import report_picture


@click.command()
@click.argument("inputs", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option(
    "-o",
    "--output",
    required=True,
    help="A file ending as its format does, or a folder ending in /.",
)
@deciding
@exporting
@click.option("--save-recipe", type=click.Path(path_type=Path), help="Write the recipe used.")
@click.option(
    "--page-dpi",
    type=float,
    default=PAGE_DPI,
    metavar="DPI",
    help="At which pages of a PDF are drawn; 300 when not said.",
)
@click.option(
    "--drawing-px",
    type=int,
    default=DRAWING_PX,
    metavar="PX",
    help="How long an SVG is drawn; 2048 when not said.",
)
@click.option(
    "--jobs", type=int, default=1, metavar="N", help="Of a folder, how many pictures at once."
)
@click.option("--replace", is_flag=True, help="Let outputs replace files; never a picture keyed.")
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
    """Cut pictures out, as the bench would by default; a folder's with a manifest, and the doubtful named."""
    chosen = to_export(to_recipe(recipe, said), said)
    asked = Asked(page_dpi, drawing_px)
    if any(path.is_dir() for path in inputs):
        _key_folder(inputs, output, chosen, jobs, asked, save_recipe, replace=replace)
        return
    places = place_outputs(inputs, output, list_endings(chosen))
    outputs = Outputs((*inputs, *([recipe] if recipe else [])), replace=replace)
    recipe_at = None if save_recipe is None else outputs.claim(save_recipe)
    worst: DomainError | None = None
    # by its own name where that is given, else by the pattern
    is_one_file = chosen.export.makes_one_file and chosen.export.pattern == "auto"
    is_folder = output.endswith(("/", os.sep)) or Path(output).is_dir()
    with closing(Readers()) as readers:
        for path, place in zip(inputs, places, strict=True):
            try:
                found = outputs.claim(place) if is_one_file else place
                parts = open_parts(path, asked)
                if len(parts) > 1 and not is_folder:
                    raise UnusableArgumentError(
                        f"{path} holds {len(parts)} pictures, which cannot go into the one file {output}.",
                        hint="Give a folder, ending in /.",
                    )
                for stem, data in parts:
                    if isinstance(data, DomainError):  # the others of the file are still keyed
                        tell(data, f"{path}, {stem}")
                        worst = data
                        continue
                    decoded = readers.decode(data)
                    for file in key_files(decoded, chosen, stem):
                        takes_place = is_one_file and len(parts) == 1
                        at = found if takes_place else outputs.claim(place.parent / file.name)
                        outputs.write(at, file.data)
            except DomainError as error:  # the others are still keyed
                if len(inputs) == 1:
                    raise
                tell(error, str(path))
                worst = error
    if recipe_at is not None:
        outputs.write(recipe_at, chosen.to_json().encode())
    if worst is not None:
        sys.exit(outcome_of(worst)[1])


def _key_folder(
    inputs: tuple[Path, ...], output: str, chosen: Recipe, jobs: int, asked: Asked, save_recipe: Path | None, *, replace: bool
) -> None:  # fmt: skip
    if len(inputs) > 1:
        raise UnusableArgumentError(
            "Expected one folder, or pictures, got several of which one is a folder.",
            hint="Key them one after the other.",
        )
    worst = key_folder(inputs[0], output, chosen, jobs, asked, replace=replace)
    if save_recipe is not None:
        outputs = Outputs(inputs, replace=replace)
        outputs.write(outputs.claim(save_recipe), chosen.to_json().encode())
    if worst is not None:
        sys.exit(outcome_of(worst)[1])


@click.command()
@click.argument("picture", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
@deciding
@told
def report(picture: Path, as_json: bool, recipe: Path | None, **said: Any) -> None:
    """Say what is found in a picture, and why."""
    with closing(Readers()) as readers:
        decoded = readers.decode(read_input(picture, MAX_FILE_BYTES))
    found = report_picture(decoded.picture, to_recipe(recipe, said))
    if as_json:
        click.echo(json.dumps(found, indent=1))
        return
    click.echo(f"{picture.name}: {found['width']} × {found['height']} px")
    click.echo(
        f"{found['nature']} figure on {found['ground']} ground; tolerance {found['tolerance']:.1f}"
    )
    for reason in found["reasons"]:
        click.echo(f"- {reason}")
    for name in ("pockets", "jumps", "groups"):
        click.echo(f"{name}: {len(found[name])}")
        for row in found[name][:10]:
            click.echo("  " + ", ".join(f"{key} {value}" for key, value in row.items()))
