"""What is asked about a sheet's cut, and small cuts of either answer."""

import numpy as np

from tidymargin.core.base.average import average_down
from tidymargin.core.base.errors import BadParameterError, DomainError
from tidymargin.core.base.picture import Region, whole
from tidymargin.core.questions.asking import (
    Question,
    Spot,
    Verdict,
    find_questions,
    find_resting,
    find_spots,
)
from tidymargin.core.reach.regions import RegionChoice
from tidymargin.formats.encode import encode_quick
from tidymargin.services.picture.asking import add_answer
from tidymargin.services.views.cutting import load_cutter
from tidymargin.services.views.windows import View
from tidymargin.services.workshop.executor import Priority
from tidymargin.services.workshop.identity import cut_name, found_name
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.store.values import Sheet

AROUND = 1.8
"""Times as wide as a place that its small cuts are: its page marks the place's corners in them."""

_LEAST_PX = 24  # of the picture that a small cut shows
_SIDE_PX = 96
_COST_BYTES = 4  # a pixel of the picture: masks, and levels averaged down
_BYTES, _LABELS_BYTES = (
    2000,
    4_000_000,
)  # of a question that is remembered, and of the regions of all, at most


def load_questions(workshop: Workshop, sheet: Sheet) -> tuple[Question, ...]:
    """Return what could be either way in a sheet's cut and nobody has decided, ranked.

    Raises
    ------
    StoppedError
        The sheet has gone on to another state.
    """
    name = found_name(sheet, "questions")
    if workshop.small.get(name) is None:
        workshop.executor.follow(f"questions of {sheet.id}", name)
    return workshop.look_up(
        name,
        Priority.THUMBNAIL,
        lambda: find_questions(load_cutter(workshop, sheet)),
        lambda asked: _LABELS_BYTES + _BYTES * len(asked),
        cost_bytes=_COST_BYTES * sheet.area.width * sheet.area.height,
    )


def load_resting(workshop: Workshop, sheet: Sheet) -> tuple[RegionChoice, ...]:
    """Return the answers of a sheet that are not followed, since what is at their place now is another area.

    Raises
    ------
    StoppedError
        The sheet has gone on to another state.
    """
    if not sheet.recipe.reach.regions:
        return ()
    return workshop.look_up(
        found_name(sheet, "resting"),
        Priority.THUMBNAIL,
        lambda: find_resting(load_cutter(workshop, sheet)),
        lambda there: _BYTES * (1 + len(there)),
        cost_bytes=_COST_BYTES * sheet.area.width * sheet.area.height,
    )


def look_behind(workshop: Workshop, sheet: Sheet) -> None:
    """Begin to look for all that could be answered on a sheet, behind what anybody looks at; nothing where it cannot be cut."""
    name = found_name(sheet, "spots")

    def compute() -> None:
        workshop.executor.tick(0)  # what is looked at goes first
        try:
            spots = find_spots(load_cutter(workshop, sheet))
        except DomainError:
            spots = ()
        workshop.small.put(name, spots, _BYTES * (1 + len(spots)))

    workshop.executor.submit(f"behind:{name}", Priority.KEEPING, compute, cost_bytes=_COST_BYTES * sheet.area.width * sheet.area.height)  # fmt: skip


def spots_at_hand(workshop: Workshop, sheet: Sheet) -> tuple[Spot, ...] | None:
    """Return all that could be answered on a sheet; None where that has not been looked for yet."""
    found: tuple[Spot, ...] | None = workshop.small.get(found_name(sheet, "spots"))
    return found


def questions_at_hand(workshop: Workshop, sheet: Sheet) -> tuple[Question, ...] | None:
    """Return what is asked about a sheet's cut; None where that has not been looked for yet."""
    found: tuple[Question, ...] | None = workshop.small.get(found_name(sheet, "questions"))
    return found


def require_question(questions: tuple[Question, ...], row: int, col: int) -> tuple[Question, Spot]:
    """Return the question that asks about a place that is listed, and that place of it.

    Raises
    ------
    BadParameterError
        None asks about it.
    """
    for question in questions:
        for spot in question.spots:
            if (spot.row, spot.col) == (row, col):
                return question, spot
    raise BadParameterError(
        "Nothing is asked about this place any more.",
        hint="Reload the page to see what is still open.",
        field="questions",
    )


def make_choice(workshop: Workshop, sheet: Sheet, row: int, col: int, verdict: Verdict) -> bytes:
    """Return a small PNG of the cut around a place that is asked about, as an answer would leave it."""
    for spot in spots_at_hand(workshop, sheet) or ():  # of another sheet of a tray
        if (spot.row, spot.col) == (row, col):
            spots: tuple[Spot, ...] = (spot,)
            break
    else:
        question, spot = require_question(load_questions(workshop, sheet), row, col)
        spots = question.spots
    other = sheet.decided_by(add_answer(sheet.recipe, sheet.area, spots, verdict))

    def make() -> bytes:
        cutter = load_cutter(workshop, other)
        everywhere = whole(cutter.picture.height, cutter.picture.width)
        view = _window_on(spot.box, everywhere)
        region = view.covers(everywhere)
        seen = cutter.render(region)
        if view.cell > 1:
            inside = View(view.left - region.left, view.top - region.top, view.cell, view.width, view.height)  # fmt: skip
            seen = average_down(seen, inside.grid)
        return encode_quick(np.ascontiguousarray(seen))

    return workshop.look_up(f"choice:{cut_name(other)}:{row}:{col}", Priority.THUMBNAIL, make, len)


def _window_on(box: Region, everywhere: Region) -> View:
    """Return a square window with a place in its middle, as far as the picture goes."""
    side = max(_LEAST_PX, AROUND * max(box.height, box.width))
    side = min(side, everywhere.height, everywhere.width)
    top = min(max(0.0, (box.top + box.bottom - side) / 2), everywhere.height - side)
    left = min(max(0.0, (box.left + box.right - side) / 2), everywhere.width - side)
    cell = max(1.0, side / _SIDE_PX)
    return View(left, top, cell, max(1, int(side / cell)), max(1, int(side / cell)))
