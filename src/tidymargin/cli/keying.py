"""Keying picture files without a browser, and reporting on them."""

import functools
import json
import sys
from collections.abc import Callable
from contextlib import closing
from pathlib import Path
from typing import Any

import click

from tidymargin.cli.outputs import Outputs, place_outputs
from tidymargin.cli.telling import read_input, tell, told
from tidymargin.core.base.errors import BadParameterError, DomainError
from tidymargin.core.reach.clearing import HIGHEST_TOLERANCE
from tidymargin.formats.decode import MAX_FILE_BYTES
from tidymargin.formats.recipe import Recipe, change_recipe, read_recipe
from tidymargin.formats.steps import PickEntry
from tidymargin.outcomes import outcome_of
from tidymargin.services.exporting import key_decoded
from tidymargin.services.reading import Readers
from tidymargin.services.reporting import report_picture

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
    click.option("--recipe", type=click.Path(path_type=Path), help="Start from this recipe."),
)  # fmt: skip


def _deciding(command: Callable[..., None]) -> Callable[..., None]:
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


def _to_recipe(recipe: Path | None, said: dict[str, Any]) -> Recipe:
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
    given = {name: value for name, value in reach.items() if value is not None}
    chosen = change_recipe(chosen, "reach", picks=picks, guards=guards, **given)
    return change_recipe(
        chosen, "ground", **{name: value for name, value in ground.items() if value is not None}
    )


@click.command()
@click.argument("inputs", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option(
    "-o", "--output", required=True, help="A file ending in .png, or a folder ending in /."
)
@_deciding
@click.option("--save-recipe", type=click.Path(path_type=Path), help="Write the recipe used.")
@click.option("--replace", is_flag=True, help="Let outputs replace files; never a picture keyed.")
@told
def key(
    inputs: tuple[Path, ...],
    output: str,
    recipe: Path | None,
    save_recipe: Path | None,
    replace: bool,
    **said: Any,
) -> None:
    """Cut pictures out, as the bench would by default."""
    chosen = _to_recipe(recipe, said)
    places = place_outputs(inputs, output)
    outputs = Outputs((*inputs, *([recipe] if recipe else [])), replace=replace)
    recipe_at = None if save_recipe is None else outputs.claim(save_recipe)
    worst: DomainError | None = None
    with closing(Readers()) as readers:
        for path, place in zip(inputs, places, strict=True):
            try:
                found = outputs.claim(place)
                decoded = readers.decode(read_input(path, MAX_FILE_BYTES))
                outputs.write(found, key_decoded(decoded, chosen))
            except DomainError as error:  # the others are still keyed
                if len(inputs) == 1:
                    raise
                tell(error, str(path))
                worst = error
    if recipe_at is not None:
        outputs.write(recipe_at, chosen.to_json().encode())
    if worst is not None:
        sys.exit(outcome_of(worst)[1])


@click.command()
@click.argument("picture", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
@_deciding
@told
def report(picture: Path, as_json: bool, recipe: Path | None, **said: Any) -> None:
    """Say what is found in a picture, and why."""
    with closing(Readers()) as readers:
        decoded = readers.decode(read_input(picture, MAX_FILE_BYTES))
    found = report_picture(decoded.picture, _to_recipe(recipe, said))
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
