"""Making the PNG that a sheet or a file on the command line is exported as, band by band."""

import json
import zlib
from collections.abc import Iterable, Iterator
from contextlib import suppress
from dataclasses import asdict, dataclass

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.errors import DomainError
from tidymargin.core.base.picture import Region, whole
from tidymargin.core.base.progress import Tick, no_tick
from tidymargin.core.cut import Cutter
from tidymargin.formats.checking import Checked, Witness, read_back
from tidymargin.formats.decode import Decoded, decode_picture
from tidymargin.formats.encode import encode_bands, encode_quick
from tidymargin.formats.names import to_file_name
from tidymargin.formats.outputs import ENDINGS, FormatName, Wish, write_cut
from tidymargin.formats.recipe import Recipe
from tidymargin.services.cutting import cut_by, load_cutter
from tidymargin.services.executor import Priority
from tidymargin.services.identity import export_name, files_name
from tidymargin.services.measuring import load_measured
from tidymargin.services.states import read_recipe_of, require_present_engine
from tidymargin.services.viewing import render_view
from tidymargin.services.windows import View
from tidymargin.services.workshop import Workshop
from tidymargin.services.writing import Written, pack, write_files
from tidymargin.store.values import Sheet

Rgba = NDArray[np.uint8]
_BAND_PX = 512


@dataclass(frozen=True, slots=True)
class _Squeezed:
    """A band of the cut, put aside until it is known what is trimmed off."""

    data: bytes
    shape: tuple[int, ...]

    def unpack(self) -> Rgba:
        return np.frombuffer(zlib.decompress(self.data), np.uint8).reshape(self.shape)


def find_extent(bands: Iterable[Rgba]) -> tuple[Region | None, list[_Squeezed]]:
    """Return the box of everything that is not wholly transparent, and the bands put aside.

    The box is None where there is no figure at all.
    """
    kept = []
    top, bottom = -1, 0
    at = 0
    columns: NDArray[np.bool_] | None = None
    for band in bands:
        shows = band[..., 3] > 0
        rows = np.flatnonzero(shows.any(axis=1))
        if len(rows):
            top = at + int(rows[0]) if top < 0 else top
            bottom = at + int(rows[-1]) + 1
        seen = np.asarray(shows.any(axis=0))
        columns = seen if columns is None else columns | seen
        kept.append(_Squeezed(zlib.compress(np.ascontiguousarray(band).data, 1), band.shape))
        at += len(band)
    if top < 0 or columns is None:
        return None, kept
    cols = np.flatnonzero(columns)
    return Region(top, int(cols[0]), bottom, int(cols[-1]) + 1), kept


def crop_bands(bands: Iterable[Rgba], box: Region, height: int) -> Iterator[Rgba]:
    """Yield what lies in a box, from the top.

    Parameters
    ----------
    bands : iterable of (h, W, 4) ndarray of uint8
        The whole cut.
    box : Region
        May reach beyond the cut: there its border's colours are carried on, fully transparent.
    height : int
        Of the whole cut.
    """
    at = 0
    for band in bands:
        width = band.shape[1]
        # rows beyond the cut go with its first and its last band
        first = box.top if at == 0 else max(box.top, at)
        is_last = at + len(band) == height
        last = box.bottom if is_last else min(box.bottom, at + len(band))
        cols = np.arange(box.left, box.right)
        beside = (cols < 0) | (cols >= width)
        for start in range(first, last, _BAND_PX):
            rows = np.arange(start, min(start + _BAND_PX, last))
            inside = band[np.clip(rows - at, 0, len(band) - 1)]
            out = inside[:, np.clip(cols, 0, width - 1)]
            out[:, beside, 3] = 0
            out[(rows < 0) | (rows >= height), :, 3] = 0
            yield out
        at += len(band)


def write_png(
    cutter: Cutter, recipe: Recipe, dots_per_inch: float | None, tick: Tick = no_tick
) -> tuple[bytes, Checked]:
    """Return a cut's PNG, framed as its recipe says and at its own size, and what it held when it was read back."""
    dpi = recipe.export.to_wish(dots_per_inch).dots_per_inch
    witness = Witness()
    data = b"".join(_encode_framed(cutter, recipe, dpi, witness, tick))
    return data, witness.check(data, dpi)


def _encode_framed(
    cutter: Cutter, recipe: Recipe, dots_per_inch: float | None, witness: Witness, tick: Tick
) -> Iterator[bytes]:
    height, width = cutter.picture.height, cutter.picture.width
    bands = cutter.render_bands(tick)
    box = whole(height, width)
    if recipe.export.trim:
        figure, aside = find_extent(bands)
        bands = (band.unpack() for band in aside)
        if figure is not None:
            box = recipe.export.to_frame().place(figure, height, width)
            bands = crop_bands(bands, box, height)
    seen = witness.watch(bands)
    yield from encode_bands(
        seen, box.height, box.width, dots_per_inch=dots_per_inch, credit=recipe.export.credit
    )


def export_sheet(workshop: Workshop, sheet: Sheet) -> bytes:
    """Return a sheet's cut as PNG, framed as its recipe says and at its own size.

    Raises
    ------
    StoppedError
        Somebody stopped it.
    OlderEngineError
        It was cut by an older engine.
    """
    return _export_png(workshop, sheet)[0]


def _export_png(workshop: Workshop, sheet: Sheet) -> tuple[bytes, Checked]:
    require_present_engine(sheet)
    recipe = read_recipe_of(sheet)

    def compute() -> tuple[bytes, Checked]:
        cutter = load_cutter(workshop, sheet, recipe)
        return write_png(cutter, recipe, sheet.dots_per_inch, workshop.executor.tick)

    return workshop.executor.run(export_name(sheet), Priority.EXPORT, compute)


@dataclass(frozen=True, slots=True)
class Download:
    """What a person gets of an export: one file, or a ZIP of several."""

    name: str
    media: str
    data: bytes
    files: tuple[Written, ...]


def to_stem(name: str) -> str:
    """Return a shown name without its ending."""
    stem = name.rsplit(".", 1)[0] if "." in name else name
    return stem or "cut"


def export_files(workshop: Workshop, sheet: Sheet) -> Download:
    """Return what a sheet's export writes, each file read back.

    Raises
    ------
    StoppedError, OlderEngineError
        As `export_sheet`.
    BadParameterError, BadOutputError
        As `writing.write_files`.
    """
    require_present_engine(sheet)
    recipe = read_recipe_of(sheet)
    stem = to_stem(sheet.name)
    if recipe.export.is_one_png:
        png, checked = _export_png(workshop, sheet)
        file = Written(to_export_name(sheet.name), "png", png, checked)
        return Download(file.name, file.media, png, (file,))

    def compute() -> Download:
        cutter = load_cutter(workshop, sheet, recipe)
        found = tuple(
            write_files(cutter, recipe, stem, sheet.dots_per_inch, workshop.executor.tick)
        )
        if len(found) == 1:
            return Download(found[0].name, found[0].media, found[0].data, found)
        return Download(to_file_name(stem, "zip"), "application/zip", pack(list(found)), found)

    return workshop.executor.run(files_name(sheet), Priority.EXPORT, compute)


def key_file(data: bytes, recipe: Recipe) -> bytes:
    """Cut a picture file out by a recipe, without a data folder; return the PNG."""
    return key_decoded(decode_picture(data), recipe)


def key_decoded(decoded: Decoded, recipe: Recipe) -> bytes:
    """Cut a decoded picture out by a recipe; return the PNG."""
    return write_png(cut_by(recipe, decoded.picture), recipe, decoded.dots_per_inch)[0]


def key_files(decoded: Decoded, recipe: Recipe, stem: str) -> list[Written]:
    """Cut a decoded picture out by a recipe; return every file that its export asks for."""
    return write_cut_files(cut_by(recipe, decoded.picture), recipe, stem, decoded.dots_per_inch)


def write_cut_files(
    cutter: Cutter, recipe: Recipe, stem: str, dots_per_inch: float | None
) -> list[Written]:
    """Return every file that a recipe's export asks for of a cut."""
    if recipe.export.is_one_png:
        data, checked = write_png(cutter, recipe, dots_per_inch)
        return [Written(to_file_name(stem, "png"), "png", data, checked)]
    return list(write_files(cutter, recipe, stem, dots_per_inch))


def to_export_name(name: str) -> str:
    """Return a file name for a sheet's export: its own, ending in .png."""
    return to_file_name(to_stem(name), "png")


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


def export_again(workshop: Workshop, sheet_id: int, export_id: int) -> Download:
    """Return what an earlier export gave: its state is in the history, and is cut alike again.

    Raises
    ------
    NotFoundError
        There is no such export, or its state is gone.
    OlderEngineError
        It was cut by an older engine, which is not here to cut it again.
    """
    made = workshop.exports.load(sheet_id, export_id)
    sheet = workshop.sheets.load_at(workshop.sheets.load(sheet_id), made.state)
    return export_files(workshop, sheet)


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
