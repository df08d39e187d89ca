"""The command line: serving, the demo, and keying files without a browser."""

import functools
import json
import logging
import os
import socket
import sys
import threading
from collections.abc import Callable
from pathlib import Path
from typing import Any

import click
import platformdirs

from tidymargin.core.errors import (
    BadParameterError,
    DomainError,
    StorageFullError,
    UnusableArgumentError,
)
from tidymargin.core.reach import HIGHEST_TOLERANCE
from tidymargin.demo.almanac import write_almanac
from tidymargin.formats.recipe import PickEntry, Recipe, change_recipe, read_recipe
from tidymargin.outcomes import outcome_of
from tidymargin.services.exporting import key_file
from tidymargin.services.opening import add_sheet
from tidymargin.services.reporting import report_file
from tidymargin.services.warming import warm_kernels
from tidymargin.services.workshop import Workshop, hold_memory_low, open_workshop

FIRST_PORT = 8137
_PORTS_TRIED = 50
_ROOT = Path(__file__).parents[2]


def _told(command: Callable[..., None]) -> Callable[..., None]:
    """Tell an error in one sentence on stderr and exit as the table says."""

    @functools.wraps(command)
    def run(*args: Any, **kwargs: Any) -> None:
        try:
            command(*args, **kwargs)
        except DomainError as error:
            hint = f" {error.hint}" if error.hint else ""
            click.echo(f"tidy: {error.message}{hint}", err=True)
            raise SystemExit(outcome_of(error)[1]) from error

    return run


@click.group()
def main() -> None:
    """Key plain grounds out of pictures."""
    hold_memory_low()


def _bind(port: int | None) -> socket.socket:
    """Take the port asked for, or the first free one from 8137 on."""
    for candidate in [port] if port is not None else range(FIRST_PORT, FIRST_PORT + _PORTS_TRIED):
        listener = socket.socket(socket.AF_INET, socket.SOCK_STREAM)
        listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            listener.bind(("127.0.0.1", candidate))
        except OSError:
            listener.close()
            continue
        return listener
    raise UnusableArgumentError(
        "No port is free to serve on.", hint="Choose one with --port.", field="port"
    )


def _serve(workshop: Workshop, port: int | None) -> None:
    from tidymargin.web.server import make_server

    logging.basicConfig(level=logging.WARNING, format="%(levelname)s %(name)s: %(message)s")
    listener = _bind(port)
    server = make_server(workshop, listener)
    threading.Thread(target=warm_kernels, name="warm", daemon=True).start()
    click.echo(f"Tidy Margin is at http://127.0.0.1:{listener.getsockname()[1]}/ (Ctrl+C stops it)")
    try:
        server.run()
    except KeyboardInterrupt:
        server.close()
    finally:
        workshop.close()


def _data_folder() -> Path:
    asked = os.environ.get("TIDYMARGIN_DATA")
    return Path(asked) if asked else Path(platformdirs.user_data_dir("tidymargin"))


@main.command()
@click.option("--port", type=click.IntRange(1, 65535), help="Serve on this port only.")
@_told
def serve(port: int | None) -> None:
    """Serve your own data folder."""
    _serve(open_workshop(_data_folder()), port)


@main.command()
@click.option("--port", type=click.IntRange(1, 65535), help="Serve on this port only.")
@_told
def demo(port: int | None) -> None:
    """Make the demo data and serve it."""
    folder = Path(os.environ.get("TIDYMARGIN_DATA") or _ROOT / ".demo")
    truth = folder / "almanac"
    if not truth.exists():
        click.echo("Drawing the Skerrow Almanac's sheets…", err=True)
    write_almanac(truth)
    workshop = open_workshop(folder / "data")
    if not workshop.sheets.list_all():
        for place in sorted(truth.glob("*/picture.*"), reverse=True):
            name = f"{place.parent.name}{place.suffix}"
            add_sheet(workshop, place.read_bytes(), name)
    _serve(workshop, port)


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
        try:
            chosen = read_recipe(recipe.read_bytes())
        except OSError as error:
            raise UnusableArgumentError(f"The recipe {recipe} cannot be read.") from error
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


def _place_outputs(inputs: tuple[Path, ...], output: str) -> list[Path]:
    folder = output.endswith(("/", os.sep)) or Path(output).is_dir()
    if not folder and len(inputs) > 1:
        raise UnusableArgumentError(
            f"{len(inputs)} pictures cannot go into the one file {output}.",
            hint="Give a folder, ending in /.",
        )
    if not folder and Path(output).suffix.lower() != ".png":
        raise UnusableArgumentError(
            f"Expected an output ending in .png, or a folder ending in /, got {output}."
        )
    if not folder:
        return [Path(output)]
    places = [Path(output) / f"{path.stem}.png" for path in inputs]
    if len(set(places)) < len(places):
        raise UnusableArgumentError(
            "Two of the pictures have the same name and would overwrite each other.",
            hint="Key them into different folders.",
        )
    return places


def _write_aside(place: Path, data: bytes) -> None:
    """Write a file whole or not at all."""
    aside = place.with_name(place.name + ".part")
    try:
        place.parent.mkdir(parents=True, exist_ok=True)
        aside.write_bytes(data)
        aside.replace(place)
    except OSError as error:
        aside.unlink(missing_ok=True)
        raise StorageFullError(f"{place} could not be written: {error.strerror}.") from error


def _read_input(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError as error:
        raise UnusableArgumentError(f"{path} cannot be read: {error.strerror}.") from error


@main.command()
@click.argument("inputs", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option(
    "-o", "--output", required=True, help="A file ending in .png, or a folder ending in /."
)
@_deciding
@click.option("--save-recipe", type=click.Path(path_type=Path), help="Write the recipe used.")
@_told
def key(
    inputs: tuple[Path, ...],
    output: str,
    recipe: Path | None,
    save_recipe: Path | None,
    **said: Any,
) -> None:
    """Cut pictures out, as the bench would by default."""
    chosen = _to_recipe(recipe, said)
    places = _place_outputs(inputs, output)
    worst: DomainError | None = None
    for path, place in zip(inputs, places, strict=True):
        try:
            if place.exists() and path.exists() and place.samefile(path):
                raise UnusableArgumentError(
                    f"{place} is the original itself, which is never overwritten.",
                    hint="Choose another output.",
                )
            _write_aside(place, key_file(_read_input(path), chosen))
        except DomainError as error:  # the others are still keyed
            if len(inputs) == 1:
                raise
            click.echo(f"tidy: {path}: {error.message} {error.hint}".rstrip(), err=True)
            worst = error
    if save_recipe is not None:
        _write_aside(save_recipe, chosen.to_json().encode())
    if worst is not None:
        sys.exit(outcome_of(worst)[1])


@main.command()
@click.argument("picture", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
@_deciding
@_told
def report(picture: Path, as_json: bool, recipe: Path | None, **said: Any) -> None:
    """Say what is found in a picture, and why."""
    found = report_file(_read_input(picture), _to_recipe(recipe, said))
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


if __name__ == "__main__":
    main(prog_name="tidy")
