"""Exporting a scene: one file, or one for each picture of a tray in turn, read back where the format holds the pixels."""

import io
from collections.abc import Iterator
from dataclasses import dataclass, replace

from pypdf import PdfReader, PdfWriter

from tidymargin.core.base.errors import BadParameterError
from tidymargin.formats.arrangement import Arrangement
from tidymargin.formats.format_names import MEDIA
from tidymargin.formats.names import number_stems, to_file_name, to_stem
from tidymargin.services.picture.scenes import render_scene
from tidymargin.services.picture.writing import pack_zip
from tidymargin.services.scenes.editing import load_pieces, set_place
from tidymargin.services.scenes.opening import (
    Looked,
    list_outlined,
    load_scene,
    look_at,
    require_shown,
)
from tidymargin.services.workshop.executor import Priority
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.store.values import SavedScene, Sheet

_ENDINGS = {"jpeg": "jpg"}


@dataclass(frozen=True, slots=True)
class SceneFile:
    """What a person gets of a scene."""

    name: str
    media: str
    data: bytes


def scene_export_name(saved: SavedScene, looked: Looked, kind: str = "") -> str:
    """Return the name of the job that writes a scene."""
    arrangement = looked.arrangement
    return f"export:scene:{saved.id}:{looked.name}:{kind or arrangement.format}:{arrangement.dots_per_inch}"


def export_scene(workshop: Workshop, saved: SavedScene, looked: Looked, *, kind: str = "") -> SceneFile:  # fmt: skip
    """Return a scene as a file, or as a ZIP or the pages of a PDF where it is a series; `kind` for another format, as one file.

    Raises
    ------
    DomainError
        The picture of a cut is not there.
    BadOutputError
        What was written is not what the scene shows.
    """
    arrangement = looked.arrangement
    if arrangement.series is not None and not kind:
        return _export_series(workshop, saved, arrangement)
    require_shown(looked)
    scene = load_scene(workshop, looked)
    kind = kind or arrangement.format

    def compute() -> bytes:
        drawn = list_outlined(workshop, looked) if kind == "svg" else {}
        return render_scene(scene, kind, arrangement.dots_per_inch, workshop.executor.tick, drawn)

    data = workshop.executor.run(scene_export_name(saved, looked, kind), Priority.EXPORT, compute, cost_bytes=_cost(arrangement))  # fmt: skip
    ending = _ENDINGS.get(kind, kind)
    return SceneFile(to_file_name(to_stem(saved.name), ending), MEDIA[ending], data)


def _cost(arrangement: Arrangement) -> int:
    return 12 * arrangement.width * arrangement.height


def fill_series(
    workshop: Workshop, arrangement: Arrangement
) -> Iterator[tuple[Sheet, Arrangement]]:
    """Yield a scene once for each sheet of its series' tray: in place of one cut, as high as that, their middles where its was.

    Raises
    ------
    BadParameterError
        The tray or the cut is not there any more, or the tray is empty.
    """
    series = arrangement.series
    if series is None:
        return
    arrangement = arrangement.with_cut(series.key, outlined=False)
    own = arrangement.find(series.key)
    tray = workshop.trays.load(series.tray)
    sheets = workshop.trays.list_sheets(tray.id)[::-1]
    if not sheets:
        raise BadParameterError(f"The tray “{tray.name}” is empty.", hint="Put pictures into it, or choose another.", field="series")  # fmt: skip
    piece = load_pieces(workshop, arrangement)[own.key]
    box = piece.source.to_box(piece.place)
    high = (piece.source.box[2] - piece.source.box[0]) * piece.place.scale
    wide = (piece.source.box[3] - piece.source.box[1]) * piece.place.scale
    middle = (box.left + wide / 2, box.top + high / 2)
    for sheet in sheets:
        filled = arrangement.with_cut(own.key, sheet=sheet.id, state=None, fill=None)
        other = load_pieces(workshop, filled)[own.key]
        top, left, bottom, right = other.source.box
        scale = high / (bottom - top)
        place = replace(other.place, scale=scale)
        place = other.source.move_box(place, middle[0] - (right - left) * scale / 2, middle[1] - high / 2)  # fmt: skip
        yield sheet, set_place(filled, own.key, place).changed(series=None)


def _export_series(workshop: Workshop, saved: SavedScene, arrangement: Arrangement) -> SceneFile:
    stem = to_stem(saved.name)
    kind = arrangement.format
    named: list[tuple[str, bytes]] = []
    for sheet, filled in fill_series(workshop, arrangement):
        looked = look_at(workshop, filled)
        named.append((to_stem(sheet.name), export_scene(workshop, saved, looked).data))
    if kind == "pdf":
        writer = PdfWriter()
        for _, data in named:
            writer.append(PdfReader(io.BytesIO(data)))
        out = io.BytesIO()
        writer.write(out)
        return SceneFile(to_file_name(stem, "pdf"), MEDIA["pdf"], out.getvalue())
    ending = _ENDINGS.get(kind, kind)
    stems = number_stems([name for name, _ in named])
    files = [(to_file_name(one, ending), data) for one, (_, data) in zip(stems, named, strict=True)]
    return SceneFile(to_file_name(stem, "zip"), "application/zip", pack_zip(files))
