"""Roughing a figure in without a browser."""

from contextlib import closing
from pathlib import Path
from typing import Any

import click

from tidymargin.cli.telling import read_input, told
from tidymargin.core.base.errors import BadParameterError
from tidymargin.formats.limits import MAX_FILE_BYTES

_MOST_RECIPE_BYTES = 16 * 1024 * 1024


def _read_line(text: str, field: str) -> tuple[tuple[float, float], ...]:
    """Return places x, y of a line as they are typed: “x,y,x,y…”."""
    try:
        values = [float(part) for part in text.split(",")]
    except ValueError as error:
        raise _bad_line(text, field) from error
    if not values or len(values) % 2:
        raise _bad_line(text, field)
    return tuple(zip(values[::2], values[1::2], strict=True))


def _bad_line(text: str, field: str) -> BadParameterError:
    return BadParameterError(
        f"Expected places as X,Y,X,Y… in pixels, got “{text[:60]}”.",
        hint="For example --keep-scribble 120,45,180,60.",
        field=field,
    )


@click.command()
@click.argument("picture", type=click.Path(path_type=Path))
@click.option("-o", "--output", required=True, help="Where to write: a file ending in .png.")
@click.option(
    "--keep-scribble", multiple=True, metavar="X,Y,X,Y…", help="A scribble on the subject."
)
@click.option(
    "--clear-scribble",
    multiple=True,
    metavar="X,Y,X,Y…",
    help="A scribble on what is to be removed.",
)
@click.option("--around", metavar="X,Y,X,Y…", help="A line loosely around the subject.")
@click.option(
    "--across", type=float, default=20.0, show_default=True, help="Width of the scribbles in px."
)
@click.option(
    "--recipe", type=click.Path(path_type=Path), help="Begin with the settings in this recipe file."
)
@click.option(
    "--save-recipe",
    type=click.Path(path_type=Path),
    help="Write the settings and the result into this recipe file.",
)
@click.option(
    "--replace",
    is_flag=True,
    help="Allow files to be replaced, but never the picture that is read.",
)
@told
def rough(
    picture: Path,
    output: str,
    keep_scribble: tuple[str, ...],
    clear_scribble: tuple[str, ...],
    around: str | None,
    across: float,
    recipe: Path | None,
    save_recipe: Path | None,
    replace: bool,
) -> None:  # fmt: skip
    """Find the subject of a busy picture by scribbles, and cut it out."""
    from tidymargin.cli.deciding import list_endings
    from tidymargin.cli.outputs import Outputs, place_outputs
    from tidymargin.core.base.area import take_area
    from tidymargin.formats.marks import RoughEntry
    from tidymargin.formats.recipe import Recipe, change_recipe, read_recipe
    from tidymargin.services.edits.marking import read_mark_said
    from tidymargin.services.edits.roughing import answer_scribbles
    from tidymargin.services.picture.keying import key_picture
    from tidymargin.services.picture.reading import Readers

    chosen = Recipe() if recipe is None else read_recipe(read_input(recipe, _MOST_RECIPE_BYTES))
    said: dict[str, Any] = {
        "kind": "rough",
        "across_px": across,
        "keep": [_read_line(text, "keep-scribble") for text in keep_scribble],
        "clear": [_read_line(text, "clear-scribble") for text in clear_scribble],
        "around": None if around is None else _read_line(around, "around"),
    }
    entry = read_mark_said(said)
    assert isinstance(entry, RoughEntry)
    outputs = Outputs((picture, *([recipe] if recipe else [])), replace=replace)
    place = outputs.claim(place_outputs((picture,), output, list_endings(chosen))[0])
    recipe_at = None if save_recipe is None else outputs.claim(save_recipe)
    with closing(Readers()) as readers:
        decoded = readers.decode(read_input(picture, MAX_FILE_BYTES))
    area = chosen.to_area(decoded.picture.height, decoded.picture.width)
    found = answer_scribbles(entry, take_area(decoded.picture, area).rgb, area)
    chosen = change_recipe(chosen, "by_hand", marks=(*chosen.by_hand.marks, found))
    (file,) = key_picture(decoded, chosen, picture.stem)
    outputs.write(place, file.data)
    if recipe_at is not None:
        outputs.write(recipe_at, chosen.to_json().encode())
