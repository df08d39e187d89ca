"""A cutting machine without one: what would come out of a file."""

import io
import json
from pathlib import Path

import click

from tidymargin.cli.outlining import LENGTH
from tidymargin.cli.telling import read_input, told
from tidymargin.core.base.errors import UnusableArgumentError

_MOST_BYTES = 64 * 1024 * 1024


@click.command(name="cut-out")
@click.argument("file", type=click.Path(path_type=Path))
@click.option("-o", "--output", required=True, help="Where to write: a file ending in .png.")
@click.option(
    "--blade",
    type=LENGTH,
    default="0mm",
    show_default=True,
    metavar="LENGTH",
    help="Distance of a dragged blade's edge behind the middle of its holder.",
)
@click.option(
    "--overcut",
    type=LENGTH,
    metavar="LENGTH",
    help="How far the blade goes on after a line has closed; four times --blade if not given.",
)
@click.option(
    "--json", "as_json", is_flag=True, help="Print the result as JSON instead of sentences."
)
@click.option(
    "--replace", is_flag=True, help="Allow a file to be replaced, but never the one that is read."
)
@told
def cut_out(file: Path, output: str, blade: float, overcut: float | None, as_json: bool, replace: bool) -> None:  # fmt: skip
    """Draw what a cutting machine would make of the lines in an SVG or DXF file."""
    from PIL import Image

    from tidymargin.cli.outputs import Outputs
    from tidymargin.core.outlines.machine import Machine, cut_lines, draw_outcome
    from tidymargin.formats.cut_files import read_cut_file

    if Path(output).suffix.lower() != ".png":
        raise UnusableArgumentError(f"Expected an output ending in .png, got {output}.")
    outputs = Outputs((file,), replace=replace)
    place = outputs.claim(Path(output))
    lines = read_cut_file(read_input(file, _MOST_BYTES), file.name)
    outcome = cut_lines(lines, Machine(blade, 4 * blade if overcut is None else overcut))
    out = io.BytesIO()
    Image.fromarray(draw_outcome(outcome)).save(out, "PNG")
    outputs.write(place, out.getvalue())
    about = {
        "length_mm": round(outcome.length_mm, 2),
        "travel_mm": round(outcome.travel_mm, 2),
        "time_s": round(outcome.time_s, 1),
        "lifts": outcome.lifts,
        "pieces": [_tell(part) for part in outcome.pieces],
        "falls_out": [_tell(part) for part in outcome.waste],
        "not_cut_through": [{"x_mm": round(x, 2), "y_mm": round(y, 2)} for x, y in outcome.uncut],
        "cut_twice": outcome.twice,
    }
    if as_json:
        click.echo(json.dumps(about, indent=1))
        return
    click.echo(
        f"{len(outcome.pieces)} pieces; {len(outcome.waste)} holes fall out of them; "
        f"{outcome.length_mm:,.0f} mm cut, {outcome.lifts} lifts, about {outcome.time_s:,.0f} s"
    )
    for x, y in outcome.uncut:
        click.echo(f"- not cut through at {x:.1f}, {y:.1f} mm")
    if outcome.twice:
        click.echo(f"- {outcome.twice} lines are cut twice")


def _tell(part: object) -> dict[str, float]:
    left, top, right, bottom = part.bounds  # type: ignore[attr-defined]
    return {"x_mm": round(left, 3), "y_mm": round(top, 3), "wide_mm": round(right - left, 3), "high_mm": round(bottom - top, 3), "area_mm2": round(part.area, 3)}  # type: ignore[attr-defined]  # fmt: skip
