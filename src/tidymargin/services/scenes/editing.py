"""Changing a scene: each change is one row of its history."""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Any

from tidymargin.core.base.errors import BadParameterError
from tidymargin.core.base.limits import MAX_SIDE_PX
from tidymargin.core.scenes.lining_up import Axis, Box, Side, align, spread
from tidymargin.core.scenes.placing import Place
from tidymargin.core.scenes.standing import Piece
from tidymargin.formats.arrangement import ArrangedBase, ArrangedCut, Arrangement
from tidymargin.formats.names import to_shown_name, to_stem
from tidymargin.formats.scene_cut import MOST_CUTS
from tidymargin.services.edits.history import require_version_name
from tidymargin.services.scenes.opening import load_scene, look_at
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.store.values import SavedScene, Sheet

FILLS = 0.8  # of the scene: how much of it a cut takes at most when it is added


@dataclass(frozen=True, slots=True)
class SceneEdit:
    """What a person is about to change: a scene at its present state, and the state that they looked at."""

    workshop: Workshop
    saved: SavedScene
    seen: int

    @property
    def arrangement(self) -> Arrangement:
        """The scene as it is."""
        return self.saved.arrangement


def add_scene(workshop: Workshop, name: str, arrangement: Arrangement) -> SavedScene:
    """Begin a scene."""
    return workshop.scenes.add(to_shown_name(name.strip() or "scene"), arrangement.to_json())


def renew_cuts(workshop: Workshop, saved: SavedScene) -> None:
    """Have the present engine cut, behind what anybody does, what an older one cut of a scene's pictures."""
    workshop.renewing.update(look_at(workshop, saved.arrangement).older)


def rename_scene(workshop: Workshop, scene_id: int, name: str) -> SavedScene:
    """Give a scene another name.

    Raises
    ------
    BadParameterError
        It is empty.
    """
    if not name.strip():
        raise BadParameterError("The name is empty.", hint="Type what the scene is to be called.", field="name")  # fmt: skip
    return workshop.scenes.rename(scene_id, to_shown_name(name))


def commit(edit: SceneEdit, arrangement: Arrangement, change: str) -> SavedScene:
    """Save a scene as a row of history named by its change; nothing where it is as it was."""
    body = arrangement.to_json()
    if body == edit.arrangement.to_json():
        return edit.saved
    return edit.workshop.scenes.commit(edit.saved.id, edit.seen, body, change)


def keep_version(edit: SceneEdit, name: str) -> SavedScene:
    """Keep a scene's present state under a name."""
    name = require_version_name(name, len(edit.workshop.scenes.list_versions(edit.saved.id)))
    return edit.workshop.scenes.keep_version(edit.saved.id, edit.seen, name)


def place_sheet(arrangement: Arrangement, sheet: Sheet, *, fills: float = FILLS) -> ArrangedCut:
    """Return a sheet as a cut in the middle of a scene: at its own size, or smaller where it would not fit."""
    area = sheet.area
    scale = min(1.0, fills * arrangement.width / area.width, fills * arrangement.height / area.height)  # fmt: skip
    left = round((arrangement.width - area.width * scale) / 2)
    top = round((arrangement.height - area.height * scale) / 2)
    name = arrangement.free_name(to_stem(sheet.name))
    return ArrangedCut(key=arrangement.next_key, name=name, sheet=sheet.id, scale=scale, left=left, top=top)  # fmt: skip


def add_sheets(edit: SceneEdit, sheets: Sequence[Sheet]) -> SavedScene:
    """Lay sheets on a scene, in front of all else."""
    arrangement = edit.arrangement
    for sheet in sheets:
        arrangement = arrangement.with_cuts((*arrangement.cuts, place_sheet(arrangement, sheet)))
    return commit(edit, arrangement, "added")


def set_cut(edit: SceneEdit, key: int, change: str, **values: Any) -> SavedScene:
    """Set values of one cut."""
    return commit(edit, edit.arrangement.with_cut(key, **values), change)


def _require_free(arrangement: Arrangement, keys: Iterable[int]) -> list[ArrangedCut]:
    """Return the chosen cuts, with all of their groups, that are not locked.

    Raises
    ------
    BadParameterError
        None is chosen, or all are locked.
    """
    chosen = [arrangement.find(key) for key in keys]
    groups = {cut.group for cut in chosen if cut.group is not None}
    wanted = {cut.key for cut in chosen}
    found = [cut for cut in arrangement.cuts if cut.key in wanted or cut.group in groups]
    free = [cut for cut in found if not cut.locked]
    if not found:
        raise BadParameterError("No cut is chosen.", hint="Click one in the scene, or open its sentence.")  # fmt: skip
    if not free:
        names = ", ".join(f"“{cut.name}”" for cut in found[:3])
        raise BadParameterError(f"{names} cannot be moved while it is locked.", hint="Unlock it first.")  # fmt: skip
    return free


def set_place(arrangement: Arrangement, key: int, place: Place) -> Arrangement:
    """Return a scene with one cut at another place."""
    return arrangement.with_cut(key, left=place.left, top=place.top, scale=place.scale, turn=place.turn, mirror=place.mirror)  # fmt: skip


def move(edit: SceneEdit, keys: Sequence[int], right: float, down: float) -> SavedScene:
    """Move cuts, and what is grouped with them."""
    arrangement = edit.arrangement
    for cut in _require_free(arrangement, keys):
        arrangement = arrangement.with_cut(cut.key, left=cut.left + right, top=cut.top + down)
    return commit(edit, arrangement, "moved")


def load_pieces(workshop: Workshop, arrangement: Arrangement) -> dict[int, Piece]:
    """Return the pieces of a scene by their cuts' keys, made where they are not at hand."""
    scene = load_scene(workshop, look_at(workshop, arrangement))
    return dict(zip((cut.key for cut in arrangement.cuts), scene.pieces, strict=True))


def place_box(edit: SceneEdit, key: int, change: str, **said: float) -> SavedScene:
    """Set where a cut's figure is: `left`, `top` and `width` of its box before it is turned, px; `scale`; `turn`."""
    arrangement = edit.arrangement
    _require_free(arrangement, [key])
    piece = load_pieces(edit.workshop, arrangement)[key]
    source, place = piece.source, piece.place
    now = source.to_box(place)
    # one that is drawn from outlines is larger itself, and scaled less
    times = arrangement.find(key).scale / place.scale
    scale = said["scale"] / times if "scale" in said else place.scale
    if "width" in said:
        scale = said["width"] / (source.box[3] - source.box[1])
    if not 0.0005 < scale * times <= 100:
        raise BadParameterError("Expected a size between 0.05 % and 10,000 % of the cut’s own.", field="wide")  # fmt: skip
    turn = said.get("turn", place.turn)
    if (scale, turn) != (place.scale, place.turn):
        place = source.change(place, scale=scale, turn=turn)
    left, top = said.get("left"), said.get("top")
    if left is not None or top is not None:
        box = source.to_box(place)
        place = source.move_box(
            place,
            box.left if left is None or left == now.left else left,
            box.top if top is None or top == now.top else top,
        )
    scale = arrangement.find(key).scale if place.scale == now.scale else place.scale * times
    return commit(edit, set_place(arrangement, key, replace(place, scale=scale)), change)


def _shift(edit: SceneEdit, keys: Sequence[int], axis: Axis, find: Callable[[list[Box]], list[float]], change: str) -> SavedScene:  # fmt: skip
    arrangement = edit.arrangement
    chosen = [cut for cut in _require_free(arrangement, keys) if cut.key in set(keys)]
    pieces = load_pieces(edit.workshop, arrangement)
    boxes = [pieces[cut.key].source.surround(pieces[cut.key].place) for cut in chosen]
    for cut, by in zip(chosen, find(boxes), strict=True):
        field, value = ("left", cut.left) if axis == "across" else ("top", cut.top)
        # what lay at whole pixels stays there: it would be softer for half of one
        value += round(by) if float(value).is_integer() else by
        arrangement = arrangement.with_cut(cut.key, **{field: value})
    return commit(edit, arrangement, change)


def align_cuts(edit: SceneEdit, keys: Sequence[int], axis: Axis, side: Side) -> SavedScene:
    """Bring cuts in line with one another, or a single one with the scene."""
    size = (edit.arrangement.width, edit.arrangement.height)
    return _shift(edit, keys, axis, lambda boxes: align(boxes, axis, side, size), "aligned")


def spread_cuts(edit: SceneEdit, keys: Sequence[int], axis: Axis) -> SavedScene:
    """Give cuts equal distances."""
    if len(keys) < 3:
        raise BadParameterError("Spreading evenly needs at least three cuts.", hint="Hold Shift and click the others.")  # fmt: skip
    return _shift(edit, keys, axis, lambda boxes: spread(boxes, axis), "spread")


def restack(edit: SceneEdit, key: int, to: int) -> SavedScene:
    """Give a cut another place in the stack: how many lie under it then."""
    arrangement = edit.arrangement
    chosen = arrangement.find(key)
    others = [cut for cut in arrangement.cuts if cut.key != key]
    at = min(max(0, to), len(others))
    return commit(edit, arrangement.with_cuts([*others[:at], chosen, *others[at:]]), "stacked")


def step_in_stack(edit: SceneEdit, key: int, by: int) -> SavedScene:
    """Bring a cut so many steps to the front, or with less than 0 to the back."""
    at = [cut.key for cut in edit.arrangement.cuts].index(edit.arrangement.find(key).key)
    return restack(edit, key, at + by)


def copy_cuts(edit: SceneEdit, keys: Sequence[int]) -> SavedScene:
    """Lay a copy of each chosen cut in front of all, a little aside; it shows the same sheet."""
    arrangement = edit.arrangement
    aside = max(8, round(min(arrangement.width, arrangement.height) / 40))
    for key in keys:
        own = arrangement.find(key)
        values = {"key": arrangement.next_key, "name": arrangement.free_name(own.name), "left": own.left + aside, "top": own.top + aside, "group": None, "locked": False}  # fmt: skip
        arrangement = arrangement.with_cuts((*arrangement.cuts, own.model_copy(update=values)))
    return commit(edit, arrangement, "copied")


def take_out(edit: SceneEdit, keys: Sequence[int]) -> SavedScene:
    """Take cuts out of a scene; their sheets stay. What was inside of one is seen whole."""
    arrangement = edit.arrangement
    gone = {arrangement.find(key).name for key in keys}
    left = [
        cut.model_copy(update={"inside": None}) if cut.inside in gone else cut
        for cut in arrangement.cuts
        if cut.name not in gone
    ]
    series = arrangement.series if arrangement.series and arrangement.series.key not in set(keys) else None  # fmt: skip
    return commit(edit, arrangement.changed(cuts=tuple(left), series=series), "taken_out")


def group_cuts(edit: SceneEdit, keys: Sequence[int], *, together: bool) -> SavedScene:
    """Let cuts move together, or each alone again."""
    arrangement = edit.arrangement
    if together and len(keys) < 2:
        raise BadParameterError("A group needs at least two cuts.", hint="Hold Shift and click the others.")  # fmt: skip
    groups = {arrangement.find(key).group for key in keys} - {None}
    number = max((cut.group or 0 for cut in arrangement.cuts), default=0) + 1 if together else None
    cuts = [
        cut.model_copy(update={"group": number}) if cut.key in set(keys) or (not together and cut.group in groups) else cut
        for cut in arrangement.cuts
    ]  # fmt: skip
    return commit(edit, arrangement.with_cuts(cuts), "grouped" if together else "ungrouped")


def set_size(edit: SceneEdit, width: int, height: int, dots_per_inch: float, unit: str) -> SavedScene:  # fmt: skip
    """Set a scene's size, px, and how large that is on paper; cuts stay where they are."""
    values = {"width": width, "height": height, "dots_per_inch": dots_per_inch, "unit": unit}
    return commit(edit, edit.arrangement.changed(**values), "sized")


def set_base(edit: SceneEdit, base: ArrangedBase, *, takes_size: bool = False) -> SavedScene:
    """Set what the cuts lie on; a picture may give the scene its size."""
    values: dict[str, Any] = {"base": base}
    if base.sheet is not None and takes_size:
        area = edit.workshop.sheets.load(base.sheet).area
        values |= {"width": area.width, "height": area.height}
    return commit(edit, edit.arrangement.changed(**values), "based")


def lay_row(workshop: Workshop, name: str, sheets: Sequence[Sheet], *, high_px: int = 600, colour: str | None = None) -> SavedScene:  # fmt: skip
    """Begin a scene with sheets on a row: their figures equally high, at equal distances.

    Raises
    ------
    BadParameterError
        There are none, or too many.
    """
    if not 1 <= len(sheets) <= MOST_CUTS:
        raise BadParameterError(
            f"A row takes 1 to {MOST_CUTS} pictures, and this tray has {len(sheets)}."
        )
    arrangement = Arrangement(width=high_px, height=high_px)
    for sheet in sheets:
        cut = place_sheet(arrangement, sheet)
        arrangement = arrangement.with_cuts((*arrangement.cuts, cut))
    pieces = load_pieces(workshop, arrangement)
    gap = high_px // 5
    at, cuts = float(gap), []
    for cut in arrangement.cuts:
        source = pieces[cut.key].source
        top, left, bottom, right = source.box
        scale = high_px / (bottom - top)
        place = source.move_box(Place(scale=scale), at, gap)
        cuts.append(cut.model_copy(update={"left": place.left, "top": place.top, "scale": scale}))
        at += (right - left) * scale + gap
    laid = Arrangement(
        width=min(MAX_SIDE_PX, round(at)),
        height=high_px + 2 * gap,
        base=ArrangedBase(colour=colour),
    )
    return add_scene(workshop, name, laid.with_cuts(cuts))
