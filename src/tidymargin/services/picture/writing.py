"""Writing a cut as its recipe's export says: framed, at its sizes, in its formats, each read back before it is given out."""

import io
import zipfile
import zlib
from collections import Counter
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from itertools import groupby

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.errors import BadParameterError
from tidymargin.core.base.picture import Region, whole
from tidymargin.core.base.progress import Tick, no_tick
from tidymargin.core.cut import Cutter
from tidymargin.core.output.framing import Size
from tidymargin.core.output.pieces import find_drawings
from tidymargin.core.output.resizing import remove_clear_colour, resize_cut
from tidymargin.formats.checking import Checked, Witness, check_file
from tidymargin.formats.encode import encode_bands
from tidymargin.formats.export_step import ExportStep
from tidymargin.formats.format_names import ENDINGS, MEDIA, FormatName
from tidymargin.formats.names import to_file_name, to_key
from tidymargin.formats.outputs import require_fitting, write_cut
from tidymargin.formats.recipe import Recipe

Rgba = NDArray[np.uint8]
_DPI = 300.0  # of millimetres, where neither the file nor anybody says


@dataclass(frozen=True, slots=True)
class Written:
    """A file that was written, and what it held when it was read back."""

    name: str
    kind: FormatName
    data: bytes
    checked: Checked

    @property
    def media(self) -> str:
        """Its media type."""
        return MEDIA[ENDINGS[self.kind]]


def box_of_figure(cut: Rgba) -> Region | None:
    """Return the box of all that is not wholly clear; None where there is no figure."""
    shows = cut[..., 3] > 0
    rows, cols = np.flatnonzero(shows.any(axis=1)), np.flatnonzero(shows.any(axis=0))
    if not len(rows):
        return None
    return Region(int(rows[0]), int(cols[0]), int(rows[-1]) + 1, int(cols[-1]) + 1)


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


def frame_cut(rgba: Rgba, box: Region) -> Rgba:
    """Return what lies in a box that may reach beyond; see `crop_bands`."""
    everywhere = whole(*rgba.shape[:2])
    if box.within(everywhere) == box:
        return np.ascontiguousarray(rgba[box.slices])
    return np.concatenate(list(crop_bands([rgba], box, len(rgba))))


def write_files(
    cutter: Cutter, recipe: Recipe, stem: str, dots_per_inch: float | None, tick: Tick = no_tick
) -> list[Written]:
    """Return every file that a recipe's export asks for of a cut, read back.

    Parameters
    ----------
    cutter : Cutter
        The cut.
    stem : str
        The picture's name without its ending.
    dots_per_inch : float or None
        The original's.

    Raises
    ------
    BadParameterError
        A size or two names do not go.
    BadOutputError
        What was written is not the cut.
    """
    if recipe.export.is_one_png:
        data, checked = _write_png(cutter, recipe, dots_per_inch, tick)
        return [Written(to_file_name(stem, "png"), "png", data, checked)]
    return list(_write_planned(cutter, recipe, stem, dots_per_inch, tick))


def _write_planned(
    cutter: Cutter, recipe: Recipe, stem: str, dots_per_inch: float | None, tick: Tick
) -> Iterator[Written]:
    export = recipe.export
    wish = export.to_wish(dots_per_inch)
    cut = cutter.render_whole()
    original = _to_rgba(cutter) if "ora" in export.formats else None
    framed = list(_frame_parts(cut, export))
    sizes = [entry.to_size() for entry in export.sizes] or [Size(1, "times")]
    dpi = wish.dots_per_inch or _DPI
    planned = [
        (part, *target, kind, export.name_file(stem, kind, *target, part.number))
        for part in framed
        for target in (size.of(part.box.height, part.box.width, dpi) for size in sizes)
        for kind in export.formats
    ]
    for _, height, width, kind, _ in planned:
        require_fitting(kind, height, width)
    names = [name for *_, name in planned]
    counts = Counter(map(to_key, names))
    twice = next((name for name in names if counts[to_key(name)] > 1), None)
    if twice is not None:
        raise BadParameterError(
            f"Two files would both be named {twice}.",
            hint="Put {piece}, {width}, {size} or {format} into the naming pattern.",
            field="pattern",
        )
    done = 0
    for (part, height, width), files in groupby(planned, key=lambda plan: plan[:3]):
        sized = resize_cut(part.rgba, height, width, in_linear=export.in_linear)
        behind = None
        if original is not None:
            behind = resize_cut(frame_cut(original, part.box), height, width)
        if export.clear_colour == "removed":
            sized = remove_clear_colour(sized)
        for *_, kind, name in files:
            tick(done / len(names))
            data = write_cut(sized, kind, wish, behind)
            yield Written(name, kind, data, check_file(data, sized, kind, wish))
            done += 1


@dataclass(frozen=True, slots=True, eq=False)
class _Framed:
    """A part of the cut that is written, in its frame; `number` is a piece's, as it is written."""

    rgba: Rgba
    box: Region
    number: str = ""


def _frame_parts(cut: Rgba, export: ExportStep) -> Iterator[_Framed]:
    """Yield what is written of a cut: all of it, or piece by piece."""
    shape = cut.shape[:2]
    if not export.pieces:
        box = export.to_frame().place(box_of_figure(cut), *shape)
        yield _Framed(frame_cut(cut, box), box)
        return
    pieces = find_drawings(cut[..., 3])
    if not pieces:
        raise BadParameterError(
            "There is no drawing to write: the whole cut is clear.",
            hint="Look at the cut, or write it whole.",
            field="pieces",
        )
    digits = len(str(len(pieces)))
    for number, piece in enumerate(pieces, 1):
        figure = box_of_figure(piece.take(cut, piece.box))
        if figure is None:
            continue
        own = Region(
            figure.top + piece.box.top, figure.left + piece.box.left,
            figure.bottom + piece.box.top, figure.right + piece.box.left,
        )  # fmt: skip
        box = export.to_frame().place(own, *shape)
        inside = box.within(whole(*shape))
        taken = frame_cut(piece.take(cut, inside), box.seen_from(inside))
        yield _Framed(taken, box, f"{number:0{digits}d}")


def _to_rgba(cutter: Cutter) -> Rgba:
    picture = cutter.picture
    alpha = picture.alpha
    if alpha is None:
        alpha = np.full(picture.rgb.shape[:2], 255, np.uint8)
    return np.dstack([picture.rgb, alpha])


def pack_zip(files: Iterable[tuple[str, bytes]]) -> bytes:
    """Return several files, each with its name, as one ZIP archive, stored as they are."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        for name, data in files:
            archive.writestr(zipfile.ZipInfo(name), data)  # of no date
    return out.getvalue()


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


def _write_png(
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
