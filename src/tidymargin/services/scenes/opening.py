"""A saved scene with its sheets as they are now, put together and looked at."""

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from hashlib import blake2b

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.errors import DomainError, OlderEngineError, StoppedError
from tidymargin.core.ground.kinds import from_hex
from tidymargin.core.outlines.figures import Outlines, trace_cut
from tidymargin.core.scenes.lifting import Part, lift_cuts
from tidymargin.core.scenes.rims import RimLine
from tidymargin.core.scenes.sources import Source
from tidymargin.core.scenes.standing import Base, Piece, Scene
from tidymargin.formats.arrangement import ArrangedBase, ArrangedCut, Arrangement
from tidymargin.formats.outlining import OutlinesEntry
from tidymargin.formats.scene_svg import OutlinedLayer
from tidymargin.formats.vector_svg import draw_svg, write_svg
from tidymargin.services.picture.scenes import fill_source, to_piece
from tidymargin.services.views.cutting import load_cutter
from tidymargin.services.views.measuring import measuring_cost
from tidymargin.services.views.pictures import load_work, picture_cost
from tidymargin.services.views.windows import View
from tidymargin.services.workshop.executor import Priority
from tidymargin.services.workshop.identity import area_name, cut_name, outlines_name
from tidymargin.services.workshop.states import require_present_engine
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.store.values import SavedScene, Sheet

Rgba = NDArray[np.uint8]

_MOST_DRAWN_PX = 60_000_000  # of a cut that is drawn from its outlines
_CLEAR = np.zeros((1, 1, 4), np.uint8)


@dataclass(frozen=True, slots=True)
class Found:
    """What a cut or a base shows just now: a sheet as it is, or as it was, or why there is none.

    Parameters
    ----------
    sheet : Sheet or None
        None for a gradient, and where it is missing.
    missing : DomainError or None
        Why it is not there.
    """

    sheet: Sheet | None = None
    missing: DomainError | None = None


@dataclass(frozen=True, slots=True)
class Looked:
    """A scene with what each of its cuts shows; `name` is of all that its pixels depend on.

    Parameters
    ----------
    arrangement : Arrangement
        What is arranged.
    cuts : tuple of Found
        By the arrangement's cuts.
    base : Found
        The base's sheet.
    """

    arrangement: Arrangement
    cuts: tuple[Found, ...]
    base: Found

    @property
    def name(self) -> str:
        """The name of what its pixels are."""
        arranged = self.arrangement.model_copy(update={"format": "png", "series": None, "unit": "px", "dots_per_inch": 300.0})  # fmt: skip
        parts = [arranged.to_json()]
        for cut, found in zip(self.arrangement.cuts, self.cuts, strict=True):
            parts.append("" if found.sheet is None else _name_source(cut, found.sheet))
        parts.append("" if self.base.sheet is None else area_name(self.base.sheet))
        return blake2b("\n".join(parts).encode(), digest_size=16).hexdigest()

    @property
    def missing(self) -> list[tuple[ArrangedCut | None, DomainError]]:
        """The cuts, or the base as None, that show nothing, and why."""
        pairs = [*zip(self.arrangement.cuts, self.cuts, strict=True), (None, self.base)]
        return [(cut, found.missing) for cut, found in pairs if found.missing is not None]

    @property
    def older(self) -> set[int]:
        """The sheets, as they are now, that an older engine cut: the present one has to be asked for."""
        pairs = zip(self.arrangement.cuts, self.cuts, strict=True)
        return {cut.sheet for cut, found in pairs if cut.sheet is not None and cut.state is None and isinstance(found.missing, OlderEngineError)}  # fmt: skip


def _name_source(cut: ArrangedCut, sheet: Sheet) -> str:
    """Return the name of what a cut of a sheet shows."""
    if cut.uncut:
        return f"source:{area_name(sheet)}"
    times = find_times(cut, sheet)
    return f"source:{cut_name(sheet)}" if times == 1 else f"source:{outlines_name(sheet, 'scene')}:{times}"  # fmt: skip


def look_at(workshop: Workshop, arrangement: Arrangement) -> Looked:
    """Return a scene with the sheets of its cuts, as they are now or as they were where one is pinned."""
    known: dict[tuple[int, int | None, bool], Found] = {}

    def find(one: ArrangedCut | ArrangedBase, is_cut: bool) -> Found:
        if one.sheet is None:
            return Found()
        key = (one.sheet, one.state, is_cut)
        if key not in known:
            known[key] = _find(workshop, one.sheet, one.state, is_cut)
        return known[key]

    cuts = tuple(find(cut, not cut.uncut) for cut in arrangement.cuts)
    return Looked(arrangement, cuts, find(arrangement.base, False))


def look_at_saved(workshop: Workshop, saved: SavedScene) -> Looked:
    """Return a saved scene with the sheets of its cuts."""
    return look_at(workshop, saved.arrangement)


def _find(workshop: Workshop, sheet_id: int, state: int | None, is_cut: bool) -> Found:
    try:
        sheet = workshop.sheets.load(sheet_id)
        if state is not None:
            sheet = workshop.sheets.load_at(sheet, state)
        if is_cut:
            require_present_engine(sheet)
        _ = sheet.recipe  # or it cannot be read
    except DomainError as error:
        return Found(missing=error)
    return Found(sheet)


def _make_cut(workshop: Workshop, sheet: Sheet) -> Source:
    return Source(load_cutter(workshop, sheet).render_whole())


def _make_uncut(workshop: Workshop, sheet: Sheet) -> Source:
    work = load_work(workshop, sheet)
    alpha = np.full(work.rgb.shape[:2], 255, np.uint8) if work.alpha is None else work.alpha
    return Source(np.dstack([work.rgb, alpha]))


def _trace(workshop: Workshop, sheet: Sheet) -> Outlines:
    """Return a cut's outlines as its export says, or in its own colours where that says nothing."""
    said = sheet.recipe.export.outlines
    plan = said.to_plan() if said != OutlinesEntry() else replace(said.to_plan(), colours="auto")
    return trace_cut(load_cutter(workshop, sheet).render_whole(), plan, workshop.executor.tick)


def _make_outlined(workshop: Workshop, sheet: Sheet, times: int) -> Source:
    """Return a cut drawn from its outlines, so many times its size."""
    return Source(draw_svg(write_svg(_trace(workshop, sheet)).decode(), times))


def list_outlined(workshop: Workshop, looked: Looked) -> dict[int, OutlinedLayer]:
    """Return, by their numbers, the cuts whose outlines a drawing may hold: nothing else is done to them."""
    return {
        number: OutlinedLayer(cut.name, _trace(workshop, found.sheet), cut.to_place(), cut.opacity)
        for number, (cut, found) in enumerate(
            zip(looked.arrangement.cuts, looked.cuts, strict=True)
        )
        if cut.outlined and found.sheet is not None and not (cut.uncut or cut.inside or cut.light)
    }


def find_times(cut: ArrangedCut, sheet: Sheet | None) -> int:
    """Return how many times its size a cut is drawn from its outlines; 1 where it is of pixels."""
    if not cut.outlined or cut.uncut or sheet is None or cut.scale <= 1:
        return 1
    most = math.isqrt(_MOST_DRAWN_PX // (sheet.area.width * sheet.area.height))
    return max(1, min(math.ceil(cut.scale), most))


def _load_source(workshop: Workshop, name: str, make: Callable[[], Source]) -> Source:
    """Return what something shows; to be called by the executor's own jobs."""
    kept = workshop.sources.get(name)
    if kept is None:
        kept = workshop.executor.run_inside(name, make)
        workshop.sources.put(name, kept, kept.size_bytes)
    return kept


def _load_cut(workshop: Workshop, cut: ArrangedCut, sheet: Sheet | None) -> Source:
    if cut.fill is not None:
        return fill_source(cut.fill)
    if sheet is None:
        return Source(_CLEAR)
    times = find_times(cut, sheet)

    def make() -> Source:
        if cut.uncut:
            return _make_uncut(workshop, sheet)
        return _make_cut(workshop, sheet) if times == 1 else _make_outlined(workshop, sheet, times)

    return _load_source(workshop, _name_source(cut, sheet), make)


def _put_together(workshop: Workshop, looked: Looked) -> Scene:
    arrangement = looked.arrangement
    pieces: list[Piece] = []
    for number, (cut, found) in enumerate(zip(arrangement.cuts, looked.cuts, strict=True)):
        workshop.executor.tick(number / (len(arrangement.cuts) + 1))
        times = find_times(cut, found.sheet)
        source = _load_cut(workshop, cut, found.sheet)
        piece = to_piece(cut, cut.name, source, arrangement.find_around(cut))
        # what is drawn larger is as large as it was
        pieces.append(replace(piece, place=replace(piece.place, scale=piece.place.scale / times)) if times > 1 else piece)  # fmt: skip
    base = arrangement.base
    sheet = looked.base.sheet
    picture = None if sheet is None else _load_source(workshop, f"source:{area_name(sheet)}", lambda: _make_uncut(workshop, sheet))  # fmt: skip
    fill = from_hex(base.colour) if base.colour else base.gradient.to_gradient() if base.gradient else None  # fmt: skip
    return Scene(Base(arrangement.height, arrangement.width, fill, picture), pieces)


def open_name(looked: Looked) -> str:
    """Return the name of the job that puts a scene together."""
    return f"scene:{looked.name}"


def load_scene(workshop: Workshop, looked: Looked) -> Scene:
    """Return a scene put together; its cuts are made by the executor where they are not at hand.

    Raises
    ------
    StoppedError
        Somebody has stopped it.
    """
    name = open_name(looked)
    kept = workshop.scenes_open.get(name)
    if kept is not None:
        return kept
    sheets = {found.sheet.id: found.sheet for found in (*looked.cuts, looked.base) if found.sheet is not None}  # fmt: skip
    costs = [max(measuring_cost(workshop, sheet), picture_cost(workshop, sheet)) for sheet in sheets.values()]  # fmt: skip

    def compute() -> Scene:
        made = _put_together(workshop, looked)
        workshop.scenes_open.put(name, made, 1)
        return made

    return workshop.executor.run(name, Priority.OPENING, compute, cost_bytes=max(costs, default=0))


def is_open(workshop: Workshop, looked: Looked) -> bool:
    """Whether a scene is put together already."""
    return workshop.scenes_open.get(open_name(looked)) is not None


def render_scene_view(workshop: Workshop, looked: Looked, view: View, asker: str = "") -> Rgba:
    """Return a window of a scene, (h, w, 4) uint8."""
    scene = load_scene(workshop, looked)
    name = f"sceneview:{looked.name}:{view}"
    if asker:
        workshop.executor.follow(asker, name)

    def compute() -> Rgba:
        height, width = _fit(view, scene.base)
        return scene.draw(view.left, view.top, view.cell, height, width, tick=workshop.executor.tick)  # fmt: skip

    return workshop.executor.run(name, Priority.VIEW, compute)


def _fit(view: View, base: Base) -> tuple[int, int]:
    if view.cell != 1:
        return view.height, view.width
    return min(view.height, base.height - int(view.top)), min(view.width, base.width - int(view.left))  # fmt: skip


def lift_scene_cuts(workshop: Workshop, looked: Looked, view: View, keys: set[int]) -> list[Part]:
    """Return a window of a scene as parts, of which those of some cuts can be moved."""
    scene = load_scene(workshop, looked)
    chosen = {number for number, cut in enumerate(looked.arrangement.cuts) if cut.key in keys}

    def compute() -> list[Part]:
        height, width = _fit(view, scene.base)
        return lift_cuts(scene, chosen, view.left, view.top, view.cell, height, width)

    name = f"sceneparts:{looked.name}:{view}:{sorted(keys)}"
    return workshop.executor.run(name, Priority.VIEW, compute)


def load_rim_lines(workshop: Workshop, looked: Looked) -> list[tuple[ArrangedCut, RimLine]]:
    """Return the lines along cuts' rims that this base makes seen, the longest first."""
    scene = load_scene(workshop, looked)

    def compute() -> list[tuple[ArrangedCut, RimLine]]:
        found = []
        for number, cut in enumerate(looked.arrangement.cuts):
            workshop.executor.tick(number / len(looked.arrangement.cuts))
            found += [(cut, line) for line in scene.find_rim_lines(number)]
        return sorted(found, key=lambda pair: -pair[1].length_px)

    return workshop.look_up(f"scenerims:{looked.name}", Priority.KEEPING, compute, lambda made: 200 * len(made) + 200)  # fmt: skip


def sources_at_hand(workshop: Workshop, looked: Looked) -> dict[int, Piece] | None:
    """Return the pieces of a scene by their cuts' keys; None while it is not put together."""
    kept = workshop.scenes_open.get(open_name(looked))
    if kept is None:
        return None
    return dict(zip((cut.key for cut in looked.arrangement.cuts), kept.pieces, strict=True))


def require_shown(looked: Looked) -> None:
    """Refuse to give out a scene of which something is missing.

    Raises
    ------
    DomainError
        Something is: the first of what is missing says why.
    """
    for cut, error in looked.missing:
        if isinstance(error, StoppedError):
            continue
        who = "the base" if cut is None else f"“{cut.name}”"
        raise type(error)(f"The picture of {who} is not there: {error.message}", hint=error.hint or "Take it out of the scene, or bring its picture back.")  # fmt: skip
