"""Bringing pictures in, and what is measured of them before anybody decides anything."""

import logging
import re
from concurrent.futures import Future
from dataclasses import dataclass, replace

from typing_extensions import Buffer

from tidymargin import ENGINE_VERSION
from tidymargin.core.base.area import Area, take_area
from tidymargin.core.base.errors import DomainError, FaultError, OlderEngineError, StoppedError
from tidymargin.core.base.mask import PackedMask
from tidymargin.core.base.parallel import run_together
from tidymargin.core.base.picture import Picture, Region
from tidymargin.core.base.progress import Tick, no_tick
from tidymargin.core.cut import Cutter, cut_by_levels, cut_out, find_levels
from tidymargin.core.facts import SheetFacts, measure_sheet
from tidymargin.core.figure.fringe import Fringe
from tidymargin.core.figure.inks import InkFacts
from tidymargin.core.first_look import choose_blotter, find_spot
from tidymargin.core.ground.checker import CheckerGround
from tidymargin.core.ground.difference import Difference
from tidymargin.core.ground.flats import FlatsGround, FurtherColour
from tidymargin.core.ground.kinds import FlatGround, from_hex
from tidymargin.core.ground.surface import GRID_SIDE_PX, ScreenGround, ShadedGround, SurfaceGround
from tidymargin.core.reach.curve import Calm, Jump
from tidymargin.core.reach.pockets import Pocket, Pockets
from tidymargin.core.rim.facts import RimFacts
from tidymargin.core.screen.spill import Spill
from tidymargin.core.suggest.page import find_page
from tidymargin.formats.packed import pack, unpack
from tidymargin.formats.recipe import Recipe, from_steps
from tidymargin.services.executor import Priority
from tidymargin.services.workshop import Measured, Workshop
from tidymargin.store.originals import name_of
from tidymargin.store.sheets import NewSheet, NewState, Sheet

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
_LONGEST_NAME = 120
_PEAK_BYTES = 16
_PICTURE_BYTES = 20  # a pixel: decoding at its most
_AREA_BYTES = 5  # a pixel of the picture and of the area each: resampling
_SMALL_BYTES = 64 * 1024 * 1024
_CLEAN = 0.05  # the noise below which a ground was made, not photographed or scanned


def to_shown_name(given: str) -> str:
    """Return a file's name as it is shown: its last part, without control characters; never a path."""
    last = re.split(r"[/\\]", given)[-1]
    clean = "".join(c for c in last if c.isprintable()).strip()[-_LONGEST_NAME:]
    return clean or "Untitled picture"


def to_state(recipe: Recipe, change: str, resolved: dict[str, object]) -> NewState:
    """Return a recipe as a state of the history."""
    return NewState(
        {name: step.name for name, step in recipe.steps.items()},
        {name: step.to_json() for name, step in recipe.steps.items()},
        change,
        resolved,
        ENGINE_VERSION,
    )


def add_sheet(workshop: Workshop, data: Buffer, name: str, recipe: Recipe | None = None) -> Sheet:
    """Bring a picture in: decode it, keep the original, begin its history, start measuring.

    Raises
    ------
    BadImageError, TooLargeError
        It cannot be read.
    StorageFullError
        There is no room to keep it.
    """
    size = workshop.readers.measure_size(data)
    # what is small never waits behind what is large
    priority = Priority.OPENING if size.peak_bytes > _SMALL_BYTES else Priority.VIEW
    decoding = workshop.executor.submit(
        f"decode:{id(data)}",
        priority,
        lambda: workshop.readers.decode(data, workshop.executor.tick, most_s=size.most_s),
        cost_bytes=size.peak_bytes + memoryview(data).nbytes,
    )
    original = name_of(data)  # beside it
    decoded = decoding.result()
    with workshop.originals.naming:
        workshop.originals.save(data, original)
        remarks = list(decoded.remarks)
        same = workshop.sheets.find_same(original)
        if same is not None:
            remarks.append(
                f"The same picture is also here as {same}; this sheet is separate from it"
            )
        picture = decoded.picture
        workshop.pictures.put(original, picture, picture.rgb.nbytes)
        sheet = workshop.sheets.add(
            NewSheet(
                to_shown_name(name),
                original,
                decoded.format_name,
                picture.width,
                picture.height,
                decoded.dots_per_inch,
                tuple(remarks),
            ),
            to_state(recipe or Recipe(), "begin", {}),
        )
    start_measuring(workshop, sheet)
    return sheet


def read_recipe_of(sheet: Sheet) -> Recipe:
    """Return the recipe of a sheet's present state."""
    return from_steps(sheet.bodies)


def load_picture(workshop: Workshop, sheet: Sheet) -> Picture:
    """Return a sheet's whole decoded picture; to be called by the executor's own jobs."""
    found = workshop.pictures.get(sheet.original)
    if found is None:
        data = workshop.originals.load(sheet.original)
        found = workshop.readers.decode(data, workshop.executor.tick).picture
        workshop.pictures.put(sheet.original, found, found.rgb.nbytes)
    return found


def area_of(sheet: Sheet, recipe: Recipe | None = None) -> Area:
    """Return the work area of a sheet; every place and size of its cut is in this area's pixels."""
    return (recipe or read_recipe_of(sheet)).to_area(sheet.height, sheet.width)


def load_work(workshop: Workshop, sheet: Sheet, recipe: Recipe) -> Picture:
    """Return what the work area holds; to be called by the executor's own jobs."""
    area = area_of(sheet, recipe)
    if area.is_whole:
        return load_picture(workshop, sheet)
    name = area_name(sheet, area)
    found = workshop.pictures.get(name)
    if found is None:
        found = take_area(load_picture(workshop, sheet), area)
        workshop.pictures.put(name, found, found.rgb.nbytes)
    return found


def picture_cost(workshop: Workshop, sheet: Sheet, recipe: Recipe | None = None) -> int:
    """Return what it takes at its peak, in bytes, to have at hand what a work area holds, or all of the picture.

    Nothing where it is at hand; see docs/memory.md.
    """
    if workshop.pictures.get(sheet.original) is None:
        cost = _PICTURE_BYTES * sheet.width * sheet.height
    else:
        cost = 0
    area = None if recipe is None else area_of(sheet, recipe)
    if area is None or area.is_whole or workshop.pictures.get(area_name(sheet, area)) is not None:
        return cost
    return max(cost, _AREA_BYTES * (area.width * area.height + sheet.width * sheet.height))


def area_name(sheet: Sheet, area: Area) -> str:
    """Return the name of what a work area holds."""
    return f"{sheet.original}:{area.corners}"


def facts_name(sheet: Sheet, recipe: Recipe, version: int = ENGINE_VERSION) -> str:
    """Return the name of a sheet's facts: everything they depend on."""
    return f"facts:{sheet.original}:{version}:{recipe.ground.name}"


def is_of_older_engine(sheet: Sheet) -> bool:
    """Whether the present state was cut by an engine that may have cut it otherwise."""
    return sheet.engine_version != ENGINE_VERSION


def require_present_engine(sheet: Sheet) -> None:
    """Refuse to cut a sheet anew without being asked.

    Raises
    ------
    OlderEngineError
        Its present state was cut by an older engine.
    """
    if is_of_older_engine(sheet):
        raise OlderEngineError(
            "This sheet was cut by an older engine, and the present one may cut it otherwise.",
            hint="Open it, compare both cuts, and choose “Use the new cut”.",
        )


def _measure(workshop: Workshop, sheet: Sheet, recipe: Recipe) -> Measured:
    """Measure a work area unless its facts are at hand; for the executor's own jobs."""
    name = facts_name(sheet, recipe)
    found = workshop.measured.get(name)
    if found is not None:
        return found
    picture = load_work(workshop, sheet, recipe)
    found = _read_kept(workshop, name, picture)
    if found is None:
        facts = measure_by(recipe, picture, workshop.executor.tick)
        spot, page, blotter = run_together(
            lambda: find_spot(facts, facts.calm.tolerance),
            lambda: propose_page(recipe, picture, facts),
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


def measure_by(
    recipe: Recipe, picture: Picture, tick: Tick = no_tick, grid_px: int = GRID_SIDE_PX
) -> SheetFacts:
    """Measure what the work area holds as the recipe's first step says."""
    said = recipe.ground
    colour = None if said.colour == "auto" else from_hex(said.colour)
    also = tuple(from_hex(code) for code in said.also)
    return measure_sheet(
        picture, colour, said.kind, said.figure, said.preparations, also, tick, grid_px
    )


def cut_by(recipe: Recipe, picture: Picture) -> Cutter:
    """Measure and cut a whole picture by a recipe, outside of any data folder."""
    area = recipe.to_area(picture.height, picture.width)
    work = take_area(picture, area)
    return cut_out(work, measure_by(recipe, work), recipe.to_decisions(area))


def propose_page(recipe: Recipe, picture: Picture, facts: SheetFacts) -> Area | None:
    """Return the page to square up, where nobody has set a work area and the ground is no clean one."""
    is_clean = facts.ground.noise < _CLEAN and not facts.is_busy
    if recipe.ground.area != "auto" or is_clean or facts.ground.kind == "checker":
        return None
    return find_page(picture)


def start_measuring(workshop: Workshop, sheet: Sheet) -> None:
    """Queue the facts of a sheet without waiting for them."""
    recipe = read_recipe_of(sheet)
    name = facts_name(sheet, recipe)
    if workshop.measured.get(name) is not None:
        return
    done = workshop.executor.submit(
        name,
        Priority.OPENING,
        lambda: _measure(workshop, sheet, recipe),
        cost_bytes=measuring_cost(workshop, sheet, recipe),
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
            "Something went wrong in Tidy Margin itself while this sheet was measured.",
            hint="The original and the recipe are safe; what went wrong stands in the server’s own window.",
        )
    workshop.failed[name] = error.with_traceback(None)


def measuring_cost(workshop: Workshop, sheet: Sheet, recipe: Recipe) -> int:
    """Return what measuring a sheet takes at its peak, in bytes; see docs/memory.md."""
    return max(_PEAK_BYTES * sheet.width * sheet.height, picture_cost(workshop, sheet, recipe))


def is_measured(workshop: Workshop, sheet: Sheet) -> bool:
    """Whether a sheet's facts are at hand; if not, they are being measured now."""
    if workshop.measured.get(facts_name(sheet, read_recipe_of(sheet))) is not None:
        return True
    name = measuring_name(sheet)
    if name not in workshop.stopped and name not in workshop.failed:
        start_measuring(workshop, sheet)
    return False


def measuring_name(sheet: Sheet) -> str:
    """Return the name of the job that measures a sheet's present state."""
    return facts_name(sheet, read_recipe_of(sheet))


def measuring_progress(workshop: Workshop, sheet: Sheet) -> float | None:
    """Return how far measuring has come, 0 to 1; None when it was stopped or failed."""
    name = measuring_name(sheet)
    if name in workshop.stopped or name in workshop.failed:
        return None
    return workshop.executor.progress(name) or 0.0


def measuring_failure(workshop: Workshop, sheet: Sheet) -> DomainError | None:
    """Return why a sheet's present state could not be measured, if that was tried and failed."""
    return workshop.failed.get(measuring_name(sheet))


def stop_measuring(workshop: Workshop, sheet: Sheet) -> None:
    """Stop measuring a sheet, until somebody begins it again."""
    name = measuring_name(sheet)
    if workshop.executor.stop(name):
        workshop.stopped.add(name)


def resume_measuring(workshop: Workshop, sheet: Sheet) -> None:
    """Measure a sheet after all."""
    workshop.stopped.discard(measuring_name(sheet))
    workshop.failed.pop(measuring_name(sheet), None)
    start_measuring(workshop, sheet)


def load_measured(workshop: Workshop, sheet: Sheet, recipe: Recipe | None = None) -> Measured:
    """Return a sheet's picture and facts, waiting for the executor where they are not at hand."""
    recipe = recipe or read_recipe_of(sheet)
    name = facts_name(sheet, recipe)
    found = workshop.measured.get(name)
    if found is None:
        found = workshop.executor.run(
            name,
            Priority.OPENING,
            lambda: _measure(workshop, sheet, recipe),
            cost_bytes=measuring_cost(workshop, sheet, recipe),
        )
    return found


def levels_name(sheet: Sheet, recipe: Recipe) -> str:
    """Return the name of a sheet's levels: everything they depend on, and not the tolerance."""
    return f"{facts_name(sheet, recipe)}:{recipe.reach.walls}"


def rim_name(sheet: Sheet, recipe: Recipe, version: int = ENGINE_VERSION) -> str:
    """Return the name of what a tile depends on beside what is cleared in and around it."""
    return f"{facts_name(sheet, recipe, version)}:{recipe.colour.name}"


def cut_name(sheet: Sheet, recipe: Recipe, version: int = ENGINE_VERSION) -> str:
    """Return the name of a sheet's cut: its facts, all of reach, and its colours."""
    return f"{rim_name(sheet, recipe, version)}:{recipe.reach.name}"


def _cutter_name(sheet: Sheet, recipe: Recipe) -> str:
    """Return a cutter's name, without its colours, which change nothing of what takes time."""
    return f"{facts_name(sheet, recipe)}:{recipe.reach.name}"


def cutter_at_hand(workshop: Workshop, sheet: Sheet, recipe: Recipe) -> Cutter | None:
    """Return a sheet ready to render, where it has been made before and is still remembered."""
    cutter: Cutter | None = workshop.cutters.get(_cutter_name(sheet, recipe))
    if cutter is None:
        return None
    decisions = recipe.to_decisions(area_of(sheet, recipe))
    return replace(cutter, spill=decisions.spill, dropped_inks=decisions.dropped_inks)


def load_cutter(workshop: Workshop, sheet: Sheet, recipe: Recipe) -> Cutter:
    """Return a sheet ready to render; to be called by the executor's own jobs."""
    at_hand = cutter_at_hand(workshop, sheet, recipe)
    if at_hand is not None:
        return at_hand
    decisions = recipe.to_decisions(area_of(sheet, recipe))
    facts_at = facts_name(sheet, recipe)
    found = workshop.measured.get(facts_at) or workshop.executor.run_inside(
        facts_at, lambda: _measure(workshop, sheet, recipe)
    )
    place = levels_name(sheet, recipe)
    levels = workshop.levels.get(place)
    if levels is None:
        levels = find_levels(found.picture, found.facts, decisions)
        workshop.levels.put(place, levels, levels.size_bytes)
    cutter = cut_by_levels(found.picture, found.facts, levels, decisions)
    workshop.cutters.put(_cutter_name(sheet, recipe), cutter, cutter.size_bytes)
    return cutter


def load_tolerance(workshop: Workshop, sheet: Sheet) -> float:
    """Return the tolerance that a sheet's present state has, measured or set."""
    chosen = read_recipe_of(sheet).reach.tolerance
    if chosen != "auto":
        return float(chosen)
    return load_measured(workshop, sheet).facts.calm.tolerance
