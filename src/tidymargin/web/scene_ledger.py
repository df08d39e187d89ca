"""What a scene's page shows, gathered for its templates."""

import re
from dataclasses import dataclass
from typing import Any

from flask import url_for
from markupsafe import Markup

from tidymargin.core.scenes.standing import Piece
from tidymargin.formats.arrangement import ArrangedCut, Arrangement, read_arrangement
from tidymargin.formats.names import to_file_name, to_stem
from tidymargin.services.edits.history import arrange_history
from tidymargin.services.scenes.opening import (
    Found,
    Looked,
    look_at_saved,
    open_name,
    sources_at_hand,
)
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.store.values import SavedScene, Sheet
from tidymargin.web.sentences.scenes import (
    ALIGNMENTS,
    FORMAT_WORDS,
    FORMATS,
    describe_scene_change,
    format_length,
    name_scene_change,
    say_base,
    say_clean,
    say_cut,
    say_export,
    say_size,
)
from tidymargin.web.words import gettext

_OPEN = re.compile(r"base|export|add|history|cut:\d{1,9}(,\d{1,9}){0,99}")
_MOST_STATES = 300
_MOST_OFFERED = 60


def is_scene_step(text: str) -> bool:
    """Whether a text names a sentence of a scene that can be opened."""
    return _OPEN.fullmatch(text) is not None


def read_keys(opened: str) -> tuple[int, ...]:
    """Return the keys of the cuts that are in hand."""
    if not opened.startswith("cut:"):
        return ()
    return tuple(dict.fromkeys(int(key) for key in opened.removeprefix("cut:").split(",")))


@dataclass(frozen=True, slots=True)
class CutRow:
    """A cut as the ledger and the stack show it, the frontmost first.

    `box` is where its figure is before it is turned, in the scene's unit, as text; `span` how far it reaches across
    the scene, in percent of its width; both None while it is being cut.
    """

    cut: ArrangedCut
    number: int
    sentence: Markup
    state: str
    shape: str
    is_open: bool
    sheet: Sheet | None
    box: dict[str, str] | None
    span: tuple[float, float] | None
    colour: str
    clean: str
    enlarged: str


def _mean_colour(piece: Piece) -> str:
    rgba = piece.source.rgba[::8, ::8]
    solid = rgba[rgba[..., 3] > 127][:, :3]
    mean = solid.mean(axis=0) if len(solid) else (128, 128, 128)
    return "#{:02X}{:02X}{:02X}".format(*(int(value) for value in mean))


def _show_cut(arrangement: Arrangement, cut: ArrangedCut, found: Found, piece: Piece | None, number: int, keys: tuple[int, ...]) -> CutRow:  # fmt: skip
    box = span = None
    clean = enlarged = ""
    colour = "#1D3557"
    if piece is not None and found.missing is None:
        source, place = piece.source, piece.place
        at = source.to_box(place)
        high, wide = source.box[2] - source.box[0], source.box[3] - source.box[1]
        said = {"left": at.left, "top": at.top, "wide": wide * place.scale, "high": high * place.scale}  # fmt: skip
        box = {name: format_length(value, arrangement) for name, value in said.items()}
        left, _, right, _ = source.surround(place)
        first, last = (min(max(100 * x / arrangement.width, 0), 100) for x in (left, right))
        span = (first, max(last - first, 0.5))
        colour = _mean_colour(piece)
        if cut.sheet is not None and cut.outlined:
            clean = gettext("It is drawn from its outlines: clean at any size.")
        elif cut.sheet is not None:
            clean = say_clean(wide, high, arrangement)
        if cut.scale > 1 and cut.sheet is not None and not cut.outlined:
            enlarged = gettext("It is enlarged to %(scale)s of its own pixels, and is softer for it.", scale=f"{100 * cut.scale:.3g} %")  # fmt: skip
    state, shape = "", ""
    if found.missing is not None:
        state, shape = gettext("not shown"), "✕"
    elif enlarged:
        state, shape = gettext("please check"), "?"
    elif cut.key in keys:
        state = gettext("in hand")
    elif cut.hidden:
        state = gettext("hidden")
    elif cut.locked:
        state = gettext("locked")
    elif number == 1:
        state = gettext("in front")
    is_open = bool(keys) and keys[0] == cut.key
    return CutRow(cut, number, say_cut(cut, found.missing), state, shape, is_open, found.sheet, box, span, colour, clean, enlarged)  # fmt: skip


def _list_held(arrangement: Arrangement, pieces: dict[int, Piece] | None) -> list[dict[str, Any]]:
    """Return what the stage's scripts need to know of each cut, from the bottom up."""
    return [
        {
            "key": cut.key,
            "name": cut.name,
            "corners": [] if pieces is None or pieces[cut.key].source.is_clear else pieces[cut.key].source.outline(pieces[cut.key].place).round(3).tolist(),
            "scale": cut.scale,
            "turn": cut.turn,
            "exact": cut.scale == 1 and not cut.turn and cut.left.is_integer() and cut.top.is_integer(),
            "locked": cut.locked,
            "hidden": cut.hidden,
            "group": cut.group,
        }
        for cut in arrangement.cuts
    ]  # fmt: skip


def _gather_history(workshop: Workshop, saved: SavedScene) -> dict[str, object]:
    rows = arrange_history(workshop.scenes.list_states(saved.id), saved.head)
    said = [(row, describe_scene_change(row.state, row.before, read_arrangement)) for row in rows[:_MOST_STATES]]  # fmt: skip
    return {
        "history": said,
        "versions": workshop.scenes.list_versions(saved.id),
        "earlier": max(0, len(rows) - _MOST_STATES),
    }


def gather_scene(workshop: Workshop, saved: SavedScene, opened: str) -> dict[str, object]:
    """Return what the templates of a scene are given."""
    looked = look_at_saved(workshop, saved)
    arrangement = looked.arrangement
    pieces = sources_at_hand(workshop, looked)
    keys = tuple(key for key in read_keys(opened) if any(cut.key == key for cut in arrangement.cuts))  # fmt: skip
    if opened.startswith("cut:"):
        opened = "cut:" + ",".join(map(str, keys)) if keys else ""
    rows = [
        _show_cut(arrangement, cut, found, None if pieces is None else pieces[cut.key], number, keys)
        for number, (cut, found) in enumerate(zip(arrangement.cuts[::-1], looked.cuts[::-1], strict=True), 1)
    ]  # fmt: skip
    tray_names = {tray.id: tray.name for tray in workshop.trays.list_all()} if opened == "export" or arrangement.series else {}  # fmt: skip
    tray = tray_names.get(arrangement.series.tray) if arrangement.series else None
    return {
        "scene": saved,
        "arrangement": arrangement,
        "home": url_for("scenes.show", scene_id=saved.id),
        "seen": saved.head,
        "open": opened,
        "keys": keys,
        "look": looked.name,
        "rows": rows,
        "missing": looked.missing,
        "older": len(looked.older - workshop.renewing),
        "renewing": len(looked.older & workshop.renewing),
        "is_ready": pieces is not None,
        "share": workshop.executor.progress(open_name(looked)),
        "base_sentence": say_base(looked),
        "export_sentence": say_export(arrangement, tray),
        "export_words": gettext(FORMATS[arrangement.format]),
        "export_name": to_file_name(to_stem(saved.name), _ending(arrangement)),
        "size": say_size(arrangement.width, arrangement.height, arrangement),
        "px_size": f"{arrangement.width} × {arrangement.height} px",
        "held": _list_held(arrangement, pieces),
        "undo": name_scene_change(saved.undo),
        "redo": name_scene_change(saved.redo),
        "formats": {kind: (gettext(word), gettext(FORMAT_WORDS[kind])) for kind, word in FORMATS.items()},
        "alignments": ALIGNMENTS,
        "length": lambda px: format_length(px, arrangement),
        **_gather_open(workshop, looked, opened, keys, tray_names),
        **(_gather_history(workshop, saved) if opened == "history" else {}),
    }  # fmt: skip


def _ending(arrangement: Arrangement) -> str:
    if arrangement.series is not None and arrangement.format != "pdf":
        return "zip"
    return {"jpeg": "jpg"}.get(arrangement.format, arrangement.format)


def _gather_open(workshop: Workshop, looked: Looked, opened: str, keys: tuple[int, ...], tray_names: dict[int, str]) -> dict[str, object]:  # fmt: skip
    """Return what only the open sentence shows."""
    if opened in ("base", "add"):
        return {"offered": workshop.sheets.list_all(_MOST_OFFERED)}
    if opened == "export":
        return {"tray_names": tray_names}
    if not keys:
        return {}
    cut = looked.arrangement.find(keys[0])
    kept = [] if cut.sheet is None else _list_states(workshop, cut.sheet)
    return {"kept_states": kept}


def _list_states(workshop: Workshop, sheet_id: int) -> list[tuple[int, str]]:
    return [(version.state, version.name) for version in workshop.sheets.list_versions(sheet_id)]
