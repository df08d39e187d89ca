"""What `key` and `report` do: pictures cut out of files, one by one or a folder of them, and what is found in one."""

import json
import os
import sys
from contextlib import closing
from pathlib import Path
from typing import Any

import click

from tidymargin.cli.deciding import count_places, list_endings, to_export, to_recipe
from tidymargin.cli.outputs import Outputs, place_outputs
from tidymargin.cli.parts import open_parts
from tidymargin.cli.telling import read_input, tell
from tidymargin.core.base.errors import DomainError, UnusableArgumentError
from tidymargin.formats.asked import Asked
from tidymargin.formats.limits import MAX_FILE_BYTES
from tidymargin.formats.recipe import Recipe
from tidymargin.outcomes import outcome_of
from tidymargin.services.picture.asking import answer_by_places
from tidymargin.services.picture.keying import key_picture
from tidymargin.services.picture.reading import Readers


def key_pictures(
    inputs: tuple[Path, ...], output: str, recipe: Path | None, said: dict[str, Any], asked: Asked, jobs: int,
    save_recipe: Path | None, *, replace: bool,
) -> None:  # fmt: skip
    """Cut pictures out, or a folder of them, by the recipe and options that were said."""
    chosen = to_export(to_recipe(recipe, said), said)
    if any(path.is_dir() for path in inputs):
        _key_folder(inputs, output, chosen, jobs, asked, save_recipe, replace=replace)
        return
    places = place_outputs(inputs, output, list_endings(chosen))
    outputs = Outputs((*inputs, *([recipe] if recipe else [])), replace=replace)
    recipe_at = None if save_recipe is None else outputs.claim(save_recipe)
    worst: DomainError | None = None
    own: Recipe | None = None
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
                    own = answer_by_places(decoded.picture, chosen, count_places(said))
                    for file in key_picture(decoded, own, stem):
                        takes_place = is_one_file and len(parts) == 1
                        at = found if takes_place else outputs.claim(place.parent / file.name)
                        outputs.write(at, file.data)
            except DomainError as error:  # the others are still keyed
                if len(inputs) == 1:
                    raise
                tell(error, str(path))
                worst = error
    if recipe_at is not None:
        # of several pictures each answers for itself, and what was said is kept as it was said
        kept = own if len(inputs) == 1 and own is not None else chosen
        outputs.write(recipe_at, kept.to_json().encode())
    if worst is not None:
        sys.exit(outcome_of(worst)[1])


def _key_folder(
    inputs: tuple[Path, ...], output: str, chosen: Recipe, jobs: int, asked: Asked, save_recipe: Path | None, *, replace: bool
) -> None:  # fmt: skip
    from tidymargin.cli.folder import key_folder

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


def report_on(picture: Path, recipe: Path | None, said: dict[str, Any], *, as_json: bool) -> None:
    """Print what is found in a picture, and why."""
    from tidymargin.services.picture.reporting import report_picture

    with closing(Readers()) as readers:
        decoded = readers.decode(read_input(picture, MAX_FILE_BYTES))
    chosen = answer_by_places(decoded.picture, to_recipe(recipe, said), count_places(said))
    found = report_picture(decoded.picture, chosen)
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
