"""Measuring a sheet: its facts are made once, kept, and loaded again."""

import logging
from concurrent.futures import Future
from dataclasses import dataclass

from tidymargin.core.base.area import Area
from tidymargin.core.base.errors import DomainError, FaultError, StoppedError
from tidymargin.core.base.mask import PackedMask
from tidymargin.core.base.parallel import run_together
from tidymargin.core.base.picture import Picture, Region
from tidymargin.core.facts import SheetFacts, measure_sheet
from tidymargin.core.figure.fringe import Fringe
from tidymargin.core.figure.inks import InkFacts
from tidymargin.core.first_look import choose_blotter, find_spot
from tidymargin.core.ground.checker import CheckerGround
from tidymargin.core.ground.difference import Difference
from tidymargin.core.ground.flats import FlatsGround, FurtherColour
from tidymargin.core.ground.kinds import FlatGround
from tidymargin.core.ground.surface import ScreenGround, ShadedGround, SurfaceGround
from tidymargin.core.reach.curve import Calm, Jump
from tidymargin.core.reach.pockets import Pocket, Pockets
from tidymargin.core.rim.facts import RimFacts
from tidymargin.core.screen.spill import Spill
from tidymargin.formats.packed import pack, unpack
from tidymargin.services.picture.keying import propose_page
from tidymargin.services.views.pictures import load_work, picture_cost
from tidymargin.services.workshop.executor import Priority
from tidymargin.services.workshop.identity import facts_name
from tidymargin.services.workshop.workshop import Measured, Workshop
from tidymargin.store.values import Sheet

log = logging.getLogger(__name__)


@dataclass(frozen=True, slots=True, eq=False)
class _Kept:
    """What is kept of a measured sheet on the disk; the picture is decoded again."""

    facts: SheetFacts
    spot: tuple[int, int]
    blotter: str
    page: Area | None


_KEPT_TYPES = (
    _Kept, SheetFacts, FlatGround, FlatsGround, FurtherColour, SurfaceGround, ScreenGround, ShadedGround, CheckerGround, Difference, Jump,
    Calm, Fringe, Region, RimFacts, InkFacts, Spill, Area, Pocket, Pockets, PackedMask,
)  # fmt: skip
_PEAK_BYTES = 16


def make_facts(workshop: Workshop, sheet: Sheet) -> Measured:
    """Measure a work area unless its facts are at hand; for the executor's own jobs."""
    name = facts_name(sheet)
    found = workshop.measured.get(name)
    if found is not None:
        return found
    picture = load_work(workshop, sheet)
    found = _read_kept(workshop, name, picture)
    if found is None:
        facts = measure_sheet(picture, sheet.recipe.ground.to_plan(), workshop.executor.tick)
        spot, page, blotter = run_together(
            lambda: find_spot(facts, facts.calm.tolerance),
            lambda: propose_page(sheet.recipe, picture, facts),
            lambda: choose_blotter(picture, facts),
        )
        found = Measured(picture, facts, spot, blotter, page)
        kept = _Kept(facts, spot, blotter, page)
        workshop.executor.submit(
            f"keep:{name}",
            Priority.KEEPING,
            lambda: workshop.keep(workshop.disk, sheet.original, name, pack(kept)),
        )
    workshop.measured.put(name, found, found.facts.size_bytes)
    return found


def _read_kept(workshop: Workshop, name: str, picture: Picture) -> Measured | None:
    """Return what the disk cache has of a sheet's facts, if it fits the picture."""
    data = workshop.disk.get(name)
    if data is None:
        return None
    try:
        kept: _Kept = unpack(data, _KEPT_TYPES)
    except ValueError:
        return None
    if kept.facts.outside.shape != picture.rgb.shape[:2]:
        return None
    row, col = kept.spot
    return Measured(picture, kept.facts, (row, col), kept.blotter, kept.page)


def start_measuring(workshop: Workshop, sheet: Sheet) -> None:
    """Queue the facts of a sheet without waiting for them."""
    name = facts_name(sheet)
    if workshop.measured.get(name) is not None:
        return
    done = workshop.executor.submit(
        name,
        Priority.OPENING,
        lambda: make_facts(workshop, sheet),
        cost_bytes=measuring_cost(workshop, sheet),
    )
    done.add_done_callback(lambda future: _note_failure(workshop, name, future))


def _note_failure(workshop: Workshop, name: str, done: "Future[Measured]") -> None:
    """Remember why a sheet could not be measured, so that nobody waits for it, until it is begun again."""
    error = done.exception()
    if error is None or isinstance(error, StoppedError):
        workshop.failed.pop(name, None)
        return
    if not isinstance(error, DomainError):
        log.error("a fault while measuring", exc_info=error)
        error = FaultError(
            "Something went wrong in Tidy Margin itself while this picture was measured.",
            hint="The original and the recipe are safe; what went wrong stands in the server’s own window.",
        )
    workshop.failed[name] = error.with_traceback(None)


def measuring_cost(workshop: Workshop, sheet: Sheet) -> int:
    """Return what measuring a sheet takes at its peak, in bytes; see docs/memory.md."""
    return max(_PEAK_BYTES * sheet.width * sheet.height, picture_cost(workshop, sheet))


def is_measured(workshop: Workshop, sheet: Sheet) -> bool:
    """Whether a sheet's facts are at hand; if not, they are being measured now."""
    name = facts_name(sheet)
    if workshop.measured.get(name) is not None:
        return True
    if name not in workshop.stopped and name not in workshop.failed:
        start_measuring(workshop, sheet)
    return False


def measuring_progress(workshop: Workshop, sheet: Sheet) -> float | None:
    """Return how far measuring has come, 0 to 1; None when it was stopped or failed."""
    name = facts_name(sheet)
    if name in workshop.stopped or name in workshop.failed:
        return None
    return workshop.executor.progress(name) or 0.0


def measuring_failure(workshop: Workshop, sheet: Sheet) -> DomainError | None:
    """Return why a sheet's present state could not be measured, if that was tried and failed."""
    return workshop.failed.get(facts_name(sheet))


def stop_measuring(workshop: Workshop, sheet: Sheet) -> None:
    """Stop measuring a sheet, until somebody begins it again."""
    name = facts_name(sheet)
    if workshop.executor.stop(name):
        workshop.stopped.add(name)


def resume_measuring(workshop: Workshop, sheet: Sheet) -> None:
    """Measure a sheet after all."""
    workshop.stopped.discard(facts_name(sheet))
    workshop.failed.pop(facts_name(sheet), None)
    start_measuring(workshop, sheet)


def load_measured(workshop: Workshop, sheet: Sheet) -> Measured:
    """Return a sheet's picture and facts, waiting for the executor where they are not at hand."""
    name = facts_name(sheet)
    found = workshop.measured.get(name)
    if found is None:
        found = workshop.executor.run(
            name,
            Priority.OPENING,
            lambda: make_facts(workshop, sheet),
            cost_bytes=measuring_cost(workshop, sheet),
        )
    return found
