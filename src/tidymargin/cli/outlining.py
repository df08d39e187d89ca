"""Outlines and cutting lines without a browser."""

import re
from contextlib import closing
from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from tidymargin.cli.options import deciding
from tidymargin.cli.telling import read_input, told
from tidymargin.core.base.errors import BadParameterError, UnusableArgumentError
from tidymargin.formats.limits import MAX_FILE_BYTES

if TYPE_CHECKING:
    from tidymargin.cli.outputs import Outputs
    from tidymargin.formats.decode import Decoded
    from tidymargin.formats.outlining import SheetEntry
    from tidymargin.formats.recipe import Recipe

_MM = {"mm": 1.0, "cm": 10.0, "in": 25.4, "pt": 25.4 / 72, "": 1.0}


class _Length(click.ParamType[float]):
    """A length such as `2mm`, `0.2cm` or `0.1in`; a number alone is mm."""

    name = "length"

    def convert(self, value: Any, _param: click.Parameter | None, _ctx: click.Context | None) -> float:  # fmt: skip
        if isinstance(value, float):
            return value
        found = re.fullmatch(r"\s*(-?\d+(?:\.\d+)?)\s*(mm|cm|in|pt)?\s*", str(value))
        if found is None:
            self.fail(f"Expected a length like 2mm or 0.1in, got “{str(value)[:40]}”.")
        return float(found[1]) * _MM[found[2] or ""]


LENGTH = _Length()


def _read_colours(text: str) -> int | str:
    if text == "auto":
        return text
    if not text.isdecimal() or not text.isascii():
        raise BadParameterError(
            f"Expected a number of colours, or auto, got “{text[:40]}”.", field="colours"
        )
    return int(text[:6])


def _open(
    picture: Path, recipe: Path | None, output: str, endings: tuple[str, ...], said: dict[str, Any], *, replace: bool,
) -> "tuple[Outputs, Path, str, Decoded, Recipe]":  # fmt: skip
    """Return where to write, the output's kind, the picture decoded, and the recipe that is asked for."""
    from tidymargin.cli.deciding import count_places, to_recipe
    from tidymargin.cli.outputs import Outputs
    from tidymargin.services.picture.asking import answer_by_places
    from tidymargin.services.picture.reading import Readers

    kind = Path(output).suffix.lower().lstrip(".")
    if kind not in endings:
        raise UnusableArgumentError(
            f"Expected an output ending in {', '.join(f'.{ending}' for ending in endings)}, got {output}."
        )
    outputs = Outputs((picture, *([recipe] if recipe else [])), replace=replace)
    place = outputs.claim(Path(output))
    chosen = to_recipe(recipe, said)
    with closing(Readers()) as readers:
        decoded = readers.decode(read_input(picture, MAX_FILE_BYTES))
    chosen = answer_by_places(decoded.picture, chosen, count_places(said))
    return outputs, place, kind, decoded, chosen


@click.command()
@click.argument("picture", type=click.Path(path_type=Path))
@click.option(
    "-o", "--output", required=True, help="Where to write: a file ending in .svg, .pdf or .dxf."
)
@click.option("--colours", metavar="N|auto", help="Number of colours; 1 if not given.")
@click.option(
    "--cutoff", type=float, metavar="0-100", help="Trace only what is darker than this lightness."
)
@click.option(
    "--smallest", type=float, metavar="PX2", help="Leave out areas of fewer square px than this."
)
@click.option(
    "--inside",
    multiple=True,
    metavar="X,Y",
    help="One place of a loop; give at least three. Only what lies within the loop is traced.",
)
@click.option("--strokes", is_flag=True, help="Trace lines along their middle, each with a width.")
@click.option(
    "--dpi",
    type=float,
    metavar="DPI",
    help="Dots per inch of the picture, if its file states none or a wrong number.",
)
@click.option(
    "--key-tolerance",
    type=float,
    help="How far a colour may be from the background and still be cleared, 0 to 50; measured if not given.",
)
@click.option(
    "--save-recipe",
    type=click.Path(path_type=Path),
    help="Write the settings that were used into this recipe file.",
)
@click.option(
    "--json", "as_json", is_flag=True, help="Print what was traced as JSON instead of sentences."
)
@click.option(
    "--replace",
    is_flag=True,
    help="Allow a file to be replaced, but never the picture that is read.",
)
@deciding
@told
def trace(
    picture: Path,
    output: str,
    recipe: Path | None,
    colours: str | None,
    cutoff: float | None,
    smallest: float | None,
    inside: tuple[str, ...],
    strokes: bool,
    dpi: float | None,
    key_tolerance: float | None,
    save_recipe: Path | None,
    as_json: bool,
    replace: bool,
    **said: Any,
) -> None:
    """Trace the outlines of a picture's cut, or of a file that is a cut, as lines and curves. Here --tolerance is in px: how far they may be from the edge."""
    import json

    from tidymargin.cli.deciding import read_point
    from tidymargin.formats.recipe import change_recipe
    from tidymargin.formats.vectors import check_vector, make_vector
    from tidymargin.services.picture.outlining import take_cut

    tolerance = said["tolerance"]
    said["tolerance"] = key_tolerance
    outputs, place, kind, decoded, chosen = _open(picture, recipe, output, ("svg", "pdf", "dxf"), said, replace=replace)  # fmt: skip
    wished = {
        "colours": None if colours is None else _read_colours(colours),
        "tolerance_px": tolerance,
        "cutoff": cutoff,
        "smallest_px": smallest,
        "as_strokes": strokes or None,
        "loop": [read_point(text, "inside") for text in inside] or None,
    }
    entry = {**chosen.export.outlines.model_dump(), **{k: v for k, v in wished.items() if v is not None}}  # fmt: skip
    chosen = change_recipe(chosen, "export", outlines=entry, **({} if dpi is None else {"dots_per_inch": dpi}))  # fmt: skip
    form = {"svg": "svg", "pdf": "pdf_outlines", "dxf": "dxf"}[kind]
    wish = chosen.export.to_wish(decoded.dots_per_inch)
    cut = take_cut(decoded, chosen)
    data, outlines = make_vector(cut, form, wish.outlines, wish.cutline, wish.dots_per_inch, picture.stem)  # fmt: skip
    check_vector(data, cut, form, wish.outlines, wish.cutline, wish.dots_per_inch)
    outputs.write(place, data)
    if save_recipe is not None:
        outputs.write(outputs.claim(save_recipe), chosen.to_json().encode())
    mean, worst = outlines.measure_off()
    about = {
        "colours": [{"colour": "#{:02X}{:02X}{:02X}".format(*layer.rgb), "paths": len(layer.paths) + len(layer.strokes), "gradient": layer.gradient and layer.gradient.kind} for layer in outlines.layers],
        "pieces": outlines.count_pieces(),
        "tolerance_px": round(outlines.tolerance_px, 3),
        "mean_px": round(mean, 3),
        "worst_px": round(worst, 3),
        "dropped": outlines.dropped,
        "regular": asdict(outlines.regular),
    }  # fmt: skip
    if as_json:
        click.echo(json.dumps(about, indent=1))
        return
    count = len(outlines.layers)
    words = f"{place.name}: {about['pieces']} lines and curves in {count} {'colour' if count == 1 else 'colours'}"
    if outlines.paths:
        words += f", {mean:.2f} px from the contour on the mean and {worst:.2f} px at most"
    click.echo(words + (f"; {outlines.dropped} small areas left out" if outlines.dropped else ""))


def _read_sheet(text: str | None, known: "SheetEntry | None", gap: float | None, copies: int | None) -> dict[str, Any] | None:  # fmt: skip
    """Return a sheet such as 210x297mm with what is said of it, or None where there is none."""
    values: dict[str, Any] = {} if known is None else known.model_dump()
    if text is not None:
        found = re.fullmatch(r"\s*(\d+(?:\.\d+)?)\s*[x×]\s*(\d+(?:\.\d+)?)\s*(mm|cm|in|pt)?\s*", text)  # fmt: skip
        if found is None:
            raise BadParameterError(
                f"Expected a sheet like 210x297mm, got “{text[:40]}”.", field="sheet"
            )
        unit = _MM[found[3] or ""]
        values |= {"width_mm": float(found[1]) * unit, "height_mm": float(found[2]) * unit}
    if not values and (gap is not None or copies is not None):
        raise BadParameterError(
            "Gaps and copies are of a sheet, and none is said.",
            hint="Say its size as well, such as --sheet 210x297mm.",
            field="sheet",
        )
    wished = {"gap_mm": gap, "copies": copies}
    values |= {name: value for name, value in wished.items() if value is not None}
    return values or None


@click.command()
@click.argument("picture", type=click.Path(path_type=Path))
@click.option(
    "-o",
    "--output",
    required=True,
    help="Where to write: a file ending in .svg, .dxf or .pdf; a PDF holds the picture and the line.",
)
@click.option(
    "--offset",
    type=LENGTH,
    metavar="LENGTH",
    help="Distance of the line from the subject, such as 2mm; below 0 it lies inside.",
)
@click.option(
    "--corners",
    type=click.Choice(["round", "sharp"]),
    help="Corners of the line; round if not given.",
)
@click.option(
    "--bridges",
    type=LENGTH,
    metavar="LENGTH",
    help="Join separate pieces by bridges of this width.",
)
@click.option(
    "--smallest",
    type=LENGTH,
    metavar="LENGTH",
    help="Leave out pieces and holes that fit into a circle of this diameter.",
)
@click.option("--no-holes", is_flag=True, help="Do not cut holes.")
@click.option(
    "--blade",
    type=LENGTH,
    metavar="LENGTH",
    help="Smallest width that the blade can follow; 0.5mm if not given.",
)
@click.option("--drop", multiple=True, metavar="X,Y", help="Leave out the piece at this place.")
@click.option(
    "--dpi",
    type=float,
    metavar="DPI",
    help="Dots per inch of the picture, if its file states none or a wrong number.",
)
@click.option(
    "--sheet",
    metavar="WxHmm",
    help="Arrange the pieces on a sheet of this size, such as 210x297mm.",
)
@click.option(
    "--gap",
    type=LENGTH,
    metavar="LENGTH",
    help="Gap between pieces on the sheet; 5mm if not given.",
)
@click.option(
    "--copies", type=click.IntRange(1, 1000), help="Number of copies of each piece on the sheet."
)
@click.option(
    "--marks", is_flag=True, help="Add corner marks by which a machine finds the print (PDF only)."
)
@click.option(
    "--save-recipe",
    type=click.Path(path_type=Path),
    help="Write the settings that were used into this recipe file.",
)
@click.option(
    "--json", "as_json", is_flag=True, help="Print what will be cut as JSON instead of sentences."
)
@click.option(
    "--replace",
    is_flag=True,
    help="Allow a file to be replaced, but never the picture that is read.",
)
@deciding
@told
def cutline(
    picture: Path,
    output: str,
    recipe: Path | None,
    offset: float | None,
    corners: str | None,
    bridges: float | None,
    smallest: float | None,
    no_holes: bool,
    blade: float | None,
    drop: tuple[str, ...],
    dpi: float | None,
    sheet: str | None,
    gap: float | None,
    copies: int | None,
    marks: bool,
    save_recipe: Path | None,
    as_json: bool,
    replace: bool,
    **said: Any,
) -> None:  # fmt: skip
    """Write the line, in mm, along which a machine cuts out the subject of a picture."""
    import json

    from tidymargin.cli.deciding import read_point
    from tidymargin.core.outlines.cutline import list_words
    from tidymargin.formats.recipe import change_recipe
    from tidymargin.formats.vectors import check_cutline, write_cut_kind
    from tidymargin.services.picture.outlining import find_cutline, take_cut

    outputs, place, kind, decoded, chosen = _open(picture, recipe, output, ("svg", "dxf", "pdf"), said, replace=replace)  # fmt: skip
    wished = {
        "offset_mm": offset,
        "corners": corners,
        "bridges_mm": bridges,
        "smallest_mm": smallest,
        "cuts_holes": False if no_holes else None,
        "blade_mm": blade,
        "dropped": [read_point(text, "drop") for text in drop] or None,
        "sheet": _read_sheet(sheet, chosen.export.cutline.sheet, gap, copies),
        "with_marks": marks or None,
    }
    entry = {**chosen.export.cutline.model_dump(), **{k: v for k, v in wished.items() if v is not None}}  # fmt: skip
    chosen = change_recipe(chosen, "export", cutline=entry, **({} if dpi is None else {"dots_per_inch": dpi}))  # fmt: skip
    cut = take_cut(decoded, chosen)
    line = find_cutline(cut, chosen, decoded.dots_per_inch)
    plan, form = (
        chosen.export.cutline.to_plan(),
        "print_and_cut" if kind == "pdf" else f"cutline_{kind}",
    )
    data = write_cut_kind(cut, line, form, plan)
    check_cutline(data, cut, line, form, plan)
    outputs.write(place, data)
    if save_recipe is not None:
        outputs.write(outputs.claim(save_recipe), chosen.to_json().encode())
    if as_json:
        rows = [
            {"kind": part.kind, "x": round(part.x, 1), "y": round(part.y, 1), "wide_mm": round(part.wide_mm, 3)}
            for part in line.parts
        ]  # fmt: skip
        found = {"dots_per_inch": line.dots_per_inch, "contours": len(line.paths), "parts": rows}
        click.echo(json.dumps(found, indent=1))
        return
    click.echo(f"{place.name}: {', '.join(list_words(line)) or 'nothing'}; at {line.dots_per_inch:g} dots per inch")  # fmt: skip
    for part in line.parts:
        if part.kind in ("dropped_piece", "narrow", "thin", "bridge"):
            words = part.kind.replace("_", " ")
            click.echo(f"- at {part.x:.0f}, {part.y:.0f}: {words}, {part.wide_mm:.2f} mm")
