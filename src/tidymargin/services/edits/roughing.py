"""Rough-in: scribbles on a picture that no key can read, and the figure that is found by them."""

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from tidymargin.core.base.area import Area
from tidymargin.core.base.errors import BadParameterError
from tidymargin.core.marks.rough import Scribbles, find_figure, rim_px
from tidymargin.formats.marks import RoughEntry, to_line
from tidymargin.services.edits.changing import Edit
from tidymargin.services.edits.marking import (
    Place,
    add_mark,
    change_mark,
    list_marks,
    mark_of_kind,
    read_mark_said,
    to_picture,
)
from tidymargin.services.views.pictures import load_work, picture_cost
from tidymargin.services.workshop.executor import Priority
from tidymargin.store.values import Sheet

RgbPixels = np.ndarray[Any, np.dtype[np.uint8]]


def answer_scribbles(entry: RoughEntry, rgb: RgbPixels, area: Area) -> RoughEntry:
    """Return a rough-in with the figure that its scribbles point out, beginning with what it answered before.

    Parameters
    ----------
    entry : RoughEntry
        With its scribbles in pixels of the whole picture.
    rgb : (H, W, 3) ndarray of uint8
        The work area.
    area : Area
        Where that lies in the picture.
    """
    scribbles = Scribbles(
        tuple(to_line(line, entry.across_px, area) for line in entry.keep),
        tuple(to_line(line, entry.across_px, area) for line in entry.clear),
        None if entry.around is None else area.to_area_all(np.array(entry.around)),
        tuple(area.to_area_all(np.array(ring)) for ring in entry.rings),
    )
    rings = [to_picture(area, ring.tolist()) for ring in find_figure(rgb, scribbles)]
    if not rings:
        raise BadParameterError(
            "No subject was found by these scribbles.",
            hint="Scribble over more of it, in each of its colours.",
            field="marks",
        )
    said = {**entry.model_dump(), "rings": rings, "rim_px": rim_px(rgb)}
    if entry.rings:
        said["rim_px"] = entry.rim_px  # it may have been set since
    found = read_mark_said(said)
    assert isinstance(found, RoughEntry)
    return found


def rough_in(
    edit: Edit,
    number: int,
    lines: Mapping[str, Sequence[Sequence[Place]]],
    around: Sequence[Place] | None,
    across_px: float,
) -> Sheet:
    """Find a figure by scribbles in the work area; each round goes on from the last.

    Parameters
    ----------
    edit.workshop, edit.sheet.id, seen :
        The sheet, and the state that was looked at.
    number : int
        Of the rough-in that goes on, counted from 1; 0 begins one.
    lines : dict of str to lines
        New scribbles on what to ``keep`` and to ``clear``, each of places x, y.
    around : places or None
        A new line around the figure.
    across_px : float
        How wide the scribbles of a new one are.
    """
    sheet = edit.sheet
    area, marks = sheet.area, list_marks(sheet)
    said: dict[str, Any] = {"kind": "rough", "across_px": across_px}
    if number:
        said = mark_of_kind(marks, number, RoughEntry, "rough-in").model_dump()
    for name in ("keep", "clear"):
        new = tuple(tuple(to_picture(area, line)) for line in lines.get(name, ()))
        said[name] = (*said.get(name, ()), *new)
    if around is not None:
        said["around"] = to_picture(area, around)
    entry = read_mark_said(said)
    assert isinstance(entry, RoughEntry)

    def find() -> RoughEntry:
        return answer_scribbles(entry, load_work(edit.workshop, sheet).rgb, area)

    found = edit.workshop.executor.run(
        f"rough:{sheet.original}:{area.corners}:{entry.name}",
        Priority.VIEW,
        find,
        cost_bytes=picture_cost(edit.workshop, sheet),
    )
    if number:
        return change_mark(edit, number, found, "rough_went_on")
    return add_mark(edit, found.model_dump(), "rough_begun")
