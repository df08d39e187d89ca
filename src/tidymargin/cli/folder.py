"""Keying the pictures of a folder by what they share: several at once, with a manifest and the doubtful named at the end."""

import dataclasses
import multiprocessing
import os
import sys
from collections import deque
from collections.abc import Iterator
from concurrent.futures import Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from pathlib import Path

import click

from tidymargin.cli.outputs import Outputs
from tidymargin.cli.parts import open_parts
from tidymargin.cli.telling import tell
from tidymargin.core.base.errors import BadImageError, DomainError, UnusableArgumentError
from tidymargin.core.base.parallel import hold_to_cores
from tidymargin.formats.asked import Asked
from tidymargin.formats.names import Names, number_stems
from tidymargin.formats.recipe import Recipe
from tidymargin.formats.sharing import take_shared
from tidymargin.services.picture.keyjob import Order, do_order, name_files, say_error
from tidymargin.services.picture.manifest import (
    CSV_NAME,
    JSON_NAME,
    Entry,
    list_doubtful,
    write_csv,
    write_json,
)
from tidymargin.services.picture.writing import Written

Keyed = tuple[list[Written], Entry]
_NAMED = 20  # of the doubtful
_MOST_JOBS = 64


def list_pictures(folder: Path) -> list[Path]:
    """Return the files of a folder, by name; hidden ones and what lies in folders below are left out.

    Raises
    ------
    UnusableArgumentError
        There is none.
    """
    found = [p for p in folder.iterdir() if p.is_file() and not p.name.startswith(".")]
    if not found:
        raise UnusableArgumentError(f"There are no pictures in {folder}.")
    return sorted(found, key=lambda place: (place.name.lower(), place.name))


def _key_one(path: Path, stem: str, recipe: str, asked: Asked) -> list[Keyed]:
    """Key one file, in a process of its own: what is written of each of its pictures, and what came of it."""
    try:
        parts = open_parts(path, asked)
    except DomainError as error:
        return [([], Entry(path.name, None, say_error(error)))]
    found: list[Keyed] = []
    for own, data in parts:
        name = path.name if len(parts) == 1 else f"{path.name}, {own}"
        try:
            if isinstance(data, DomainError):
                raise data
            files, report = do_order(data, Order(stem if len(parts) == 1 else own, recipe))
            found.append((files, Entry(name, report)))
        except DomainError as error:
            found.append(([], Entry(name, None, say_error(error))))
        except MemoryError:
            said = "This takes more memory than there is. Scale it down."
            found.append(([], Entry(name, None, said)))
    return found


def _begin(cores: int) -> None:
    hold_to_cores(cores)


def _key_all(
    places: list[Path], shared: Recipe, jobs: int, asked: Asked
) -> Iterator[tuple[Path, list[Keyed]]]:
    """Yield what comes of each picture, in their order, so that names that must be numbered are alike every time."""
    text = shared.to_json()
    stems = number_stems([place.stem for place in places])
    cores = max(1, (os.cpu_count() or 1) // jobs)
    # a process that was forked would have its parent's threads' locks without their threads
    context = multiprocessing.get_context("spawn")
    with ProcessPoolExecutor(jobs, context, _begin, (cores,)) as pool:
        waiting: deque[tuple[Path, Future[list[Keyed]]]] = deque()
        left = deque(zip(places, stems, strict=True))
        while waiting or left:
            while left and len(waiting) < 2 * jobs:  # what is done early waits in memory
                place, stem = left.popleft()
                waiting.append((place, pool.submit(_key_one, place, stem, text, asked)))
            place, done = waiting.popleft()
            try:
                yield place, done.result()
            except BrokenProcessPool:
                said = "The process that keyed it was ended from outside. Key it again."
                yield place, [([], Entry(place.name, None, said))]


def key_folder(
    folder: Path, output: str, recipe: Recipe, jobs: int, asked: Asked, *, replace: bool
) -> DomainError | None:
    """Key every picture of a folder into another; return an error where one of them could not be.

    Raises
    ------
    UnusableArgumentError
        There are no pictures, or the output is no other folder.
    """
    places = list_pictures(folder)
    target = Path(output)
    if target.is_file():
        raise UnusableArgumentError(f"{output} is a file, and several pictures go into a folder.")
    if target.resolve() == folder.resolve():
        raise UnusableArgumentError(
            "Expected another folder as output than the pictures'.", hint="Cuts would lie among them."
        )  # fmt: skip
    if not 1 <= jobs <= _MOST_JOBS:
        raise UnusableArgumentError(f"Expected 1 to {_MOST_JOBS} jobs, got {jobs}.", field="jobs")
    shared = take_shared(recipe)
    if shared != recipe:
        click.echo("tidy: places in the recipe are of one picture, and are not shared.", err=True)
    outputs = Outputs(tuple(places), replace=replace)
    csv_at, json_at = outputs.claim(target / CSV_NAME), outputs.claim(target / JSON_NAME)
    names = Names(CSV_NAME, JSON_NAME)
    entries: dict[Path, list[Entry]] = {}
    worst: DomainError | None = None
    with click.progressbar(places, label="Keying", file=sys.stderr) as bar:
        for place, keyed in _key_all(places, shared, jobs, asked):
            entries[place] = []
            for files, found in keyed:
                entry = found
                if found.report is not None:
                    entry = dataclasses.replace(found, report=name_files(names, found.report))
                own = () if entry.report is None else entry.report.files
                try:
                    for file, name in zip(files, own, strict=True):
                        outputs.write(outputs.claim(target / name), file.data)
                except DomainError as error:  # the others are still written
                    entry = Entry(found.name, None, say_error(error))
                    worst = error
                entries[place].append(entry)
            bar.update(1)
    listed = [entry for place in places for entry in entries[place]]
    outputs.write(csv_at, write_csv(listed))
    outputs.write(json_at, write_json(listed))
    _tell_doubtful(listed)
    failed = [entry for entry in listed if entry.report is None]
    return worst or (BadImageError(failed[0].failed) if failed else None)


def _tell_doubtful(entries: list[Entry]) -> None:
    doubtful = list_doubtful(entries)
    clean = len(entries) - len(doubtful)
    click.echo(f"{len(entries)} pictures: {clean} clean, {len(doubtful)} to look at.")
    renamed = [said for entry in entries if entry.report for said in entry.report.renamed]
    if renamed:
        click.echo(f"Renamed, because the name was taken: {', '.join(renamed[:_NAMED])}.")
    for entry in doubtful[:_NAMED]:
        if entry.report is None:
            tell(BadImageError(entry.failed), entry.name)
        else:
            click.echo(f"- {entry.name}: {'; '.join(entry.report.reasons[:3])}")
    if len(doubtful) > _NAMED:
        click.echo(f"… and {len(doubtful) - _NAMED} more: see {JSON_NAME}.")
