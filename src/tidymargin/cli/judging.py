"""Finding faults without a browser, as in a build."""

import json
import sys
from contextlib import closing
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from tidymargin.cli.options import deciding
from tidymargin.cli.telling import read_input, told
from tidymargin.formats.limits import MAX_FILE_BYTES

if TYPE_CHECKING:
    from tidymargin.core.faults.kinds import Fault

SEVERE_EXIT = 3
"""Exit code where a fault is severe; that of every other refusal stands in `outcomes.py`."""


def _to_row(fault: "Fault") -> dict[str, Any]:
    from tidymargin.services.picture.words import word_fault

    return {
        "kind": fault.kind,
        "severity": fault.severity,
        "x": fault.col,
        "y": fault.row,
        "box": fault.box.edges,
        "words": word_fault(fault),
    }


@click.command()
@click.argument("picture", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print JSON instead of sentences.")
@click.option(
    "--print-mm", type=float, metavar="MM", help="Width in mm at which the cut is to be printed."
)
@deciding
@told
def faults(
    picture: Path, as_json: bool, print_mm: float | None, recipe: Path | None, **said: Any
) -> None:
    """List the problems of a picture's cut, or of a file that is a cut. The exit code is 3 if one of them is severe."""
    from tidymargin.cli.deciding import to_recipe
    from tidymargin.formats.recipe import change_recipe
    from tidymargin.services.picture.judging import judge_decoded
    from tidymargin.services.picture.reading import Readers
    from tidymargin.services.picture.words import list_looked_for, word_fault

    chosen = to_recipe(recipe, said)
    if print_mm is not None:
        chosen = change_recipe(chosen, "proof", print_mm=print_mm)
    with closing(Readers()) as readers:
        decoded = readers.decode(read_input(picture, MAX_FILE_BYTES))
    found, is_cut = judge_decoded(decoded, chosen)
    if as_json:
        click.echo(json.dumps([_to_row(fault) for fault in found], indent=1))
    else:
        what = "taken as a cut" if is_cut else "cut as the browser would"
        click.echo(
            f"{picture.name}, {what}: {len(found)} {'problem' if len(found) == 1 else 'problems'}"
        )
        for fault in found:
            severe = ", severe" if fault.is_severe else ""
            click.echo(f"- at {fault.col}, {fault.row}: {word_fault(fault)}{severe}")
        if not found:
            click.echo(f"Looked for: {list_looked_for()}.")
    if any(fault.is_severe for fault in found):
        sys.exit(SEVERE_EXIT)
