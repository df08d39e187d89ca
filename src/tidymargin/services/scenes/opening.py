"""A saved scene with its sheets as they are now, put together and looked at."""

from collections.abc import Callable
from dataclasses import dataclass
from hashlib import blake2b

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.errors import DomainError, StoppedError
from tidymargin.core.ground.kinds import from_hex
from tidymargin.core.scenes.sources import Source
from tidymargin.core.scenes.standing import Base, Piece, Scene
from tidymargin.formats.arrangement import ArrangedBase, ArrangedCut, Arrangement
from tidymargin.services.picture.scenes import fill_source, to_piece
from tidymargin.services.views.cutting import load_cutter
from tidymargin.services.views.measuring import measuring_cost
from tidymargin.services.views.pictures import load_work, picture_cost
from tidymargin.services.views.windows import View
from tidymargin.services.workshop.executor import Priority
from tidymargin.services.workshop.identity import area_name, cut_name
from tidymargin.services.workshop.states import require_present_engine
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.store.values import SavedScene, Sheet

Rgba = NDArray[np.uint8]

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
        for found, is_cut in [*((found, not cut.uncut) for found, cut in zip(self.cuts, self.arrangement.cuts, strict=True)), (self.base, False)]:  # fmt: skip
            sheet = found.sheet
            parts.append("" if sheet is None else cut_name(sheet) if is_cut else area_name(sheet))
        return blake2b("\n".join(parts).encode(), digest_size=16).hexdigest()

    @property
    def missing(self) -> list[tuple[ArrangedCut | None, DomainError]]:
        """The cuts, or the base as None, that show nothing, and why."""
        pairs = [*zip(self.arrangement.cuts, self.cuts, strict=True), (None, self.base)]
        return [(cut, found.missing) for cut, found in pairs if found.missing is not None]


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


def _load_source(workshop: Workshop, found: Found, *, uncut: bool) -> Source:
    """Return what a sheet shows; to be called by the executor's own jobs."""
    sheet = found.sheet
    if sheet is None:
        return Source(_CLEAR)
    name = f"source:{area_name(sheet)}" if uncut else f"source:{cut_name(sheet)}"
    make: Callable[[Workshop, Sheet], Source] = _make_uncut if uncut else _make_cut
    kept = workshop.sources.get(name)
    if kept is None:
        kept = workshop.executor.run_inside(name, lambda: make(workshop, sheet))
        workshop.sources.put(name, kept, kept.size_bytes)
    return kept


def _put_together(workshop: Workshop, looked: Looked) -> Scene:
    arrangement = looked.arrangement
    pieces: list[Piece] = []
    for number, (cut, found) in enumerate(zip(arrangement.cuts, looked.cuts, strict=True)):
        workshop.executor.tick(number / (len(arrangement.cuts) + 1))
        source = fill_source(cut.fill) if cut.fill else _load_source(workshop, found, uncut=cut.uncut)  # fmt: skip
        pieces.append(to_piece(cut, cut.name, source, arrangement.find_around(cut)))
    base = arrangement.base
    picture = None if looked.base.sheet is None else _load_source(workshop, looked.base, uncut=True)
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


def render_scene_parts(workshop: Workshop, looked: Looked, view: View, keys: set[int]) -> Rgba:
    """Return what lies below some cuts, these alone, and what lies above, one under the other: (3 h, w, 4) uint8."""
    scene = load_scene(workshop, looked)
    chosen = {number for number, cut in enumerate(looked.arrangement.cuts) if cut.key in keys}

    def compute() -> Rgba:
        height, width = _fit(view, scene.base)
        return np.concatenate(scene.draw_parts(chosen, view.left, view.top, view.cell, height, width))  # fmt: skip

    name = f"sceneparts:{looked.name}:{view}:{sorted(keys)}"
    return workshop.executor.run(name, Priority.VIEW, compute)


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
