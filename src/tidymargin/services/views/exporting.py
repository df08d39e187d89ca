"""Exporting a sheet: its cut written as its recipe says, read back, and noted."""

import json
from contextlib import suppress
from dataclasses import asdict, dataclass

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.errors import DomainError
from tidymargin.formats.checking import read_back
from tidymargin.formats.encode import encode_quick
from tidymargin.formats.format_names import ENDINGS, FormatName
from tidymargin.formats.names import to_file_name, to_stem
from tidymargin.formats.outputs import Wish, write_cut
from tidymargin.formats.recipe import Recipe
from tidymargin.services.picture.writing import Written, pack_zip, write_files
from tidymargin.services.views.cutting import load_cutter
from tidymargin.services.views.measuring import load_measured
from tidymargin.services.views.viewing import render_view
from tidymargin.services.views.windows import View
from tidymargin.services.workshop.executor import Priority
from tidymargin.services.workshop.identity import export_name
from tidymargin.services.workshop.states import require_present_engine
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.store.values import Sheet

Rgba = NDArray[np.uint8]


@dataclass(frozen=True, slots=True)
class Download:
    """What a person gets of an export: one file, or a ZIP of several."""

    name: str
    media: str
    data: bytes
    files: tuple[Written, ...]


def export_sheet(workshop: Workshop, sheet: Sheet, *, as_png: bool = False) -> Download:
    """Return what a sheet's export writes, each file read back; or one PNG of its own size, framed as is said.

    Raises
    ------
    StoppedError
        Somebody stopped it.
    OlderEngineError
        It was cut by an older engine.
    BadParameterError, BadOutputError
        As `writing.write_files`.
    """
    require_present_engine(sheet)
    recipe = sheet.recipe
    if as_png:
        recipe = recipe.model_copy(update={"export": recipe.export.as_one_png()})
    stem = to_stem(sheet.name)

    def compute() -> Download:
        cutter = load_cutter(workshop, sheet)
        found = tuple(
            write_files(cutter, recipe, stem, sheet.dots_per_inch, workshop.executor.tick)
        )
        if len(found) == 1:
            return Download(found[0].name, found[0].media, found[0].data, found)
        return Download(
            to_file_name(stem, "zip"),
            "application/zip",
            pack_zip((file.name, file.data) for file in found),
            found,
        )

    return workshop.executor.run(export_name(sheet), Priority.EXPORT, compute)


def to_download_name(name: str, recipe: Recipe) -> str:
    """Return a file name for what a sheet's export gives: one file's, or a ZIP's."""
    export = recipe.export
    ending = ENDINGS[export.formats[0]] if export.makes_one_file else "zip"
    return to_file_name(to_stem(name), ending)


def note_export(workshop: Workshop, sheet: Sheet, made: Download) -> None:
    """Keep that a sheet was exported, and what was read back; a full disk is no reason not to give the file out."""
    rows = [{"name": file.name, "kind": file.kind, "bytes": len(file.data), **asdict(file.checked)} for file in made.files]  # fmt: skip
    with suppress(DomainError):
        workshop.exports.note(sheet, json.dumps(rows))


def export_again(workshop: Workshop, sheet: Sheet, export_id: int) -> Download:
    """Return what an earlier export gave: its state is in the history, and is cut alike again.

    Raises
    ------
    NotFoundError
        There is no such export, or its state is gone.
    OlderEngineError
        It was cut by an older engine, which is not here to cut it again.
    """
    made = workshop.exports.load(sheet.id, export_id)
    return export_sheet(workshop, workshop.sheets.load_at(sheet, made.state))


_SAMPLE_PX, _SAMPLE_TIMES = 56, 3


def make_sample(workshop: Workshop, sheet: Sheet, kind: FormatName) -> bytes:
    """Return a small PNG of the worst rim, enlarged: as it is cut, and beside that as a format gives it back."""
    measured = load_measured(workshop, sheet)
    picture = measured.picture
    row, col = measured.spot
    height, width = min(_SAMPLE_PX, picture.height), min(_SAMPLE_PX, picture.width)
    top = min(max(0, row - height // 2), picture.height - height)
    left = min(max(0, col - width // 2), picture.width - width)
    rgba = render_view(workshop, sheet, View(left, top, 1, width, height))
    given, _ = read_back(write_cut(rgba, kind, Wish()), kind, rgba.shape)
    gap = np.zeros((height, 4, 4), np.uint8)
    both = np.concatenate([rgba, gap, given], axis=1)
    return encode_quick(both.repeat(_SAMPLE_TIMES, 0).repeat(_SAMPLE_TIMES, 1))
