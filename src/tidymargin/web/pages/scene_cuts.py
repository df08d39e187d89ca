"""Changing the cuts of a scene: where they are, how they look, and how they are stacked."""

from typing import Any

from flask import request

from tidymargin.core.base.errors import BadParameterError
from tidymargin.formats.arrangement import ArrangedCut, Arrangement
from tidymargin.services.scenes import editing
from tidymargin.web.answers import Answer, given, read_number
from tidymargin.web.context import scene_blueprint
from tidymargin.web.scene_answers import answer_scene, is_on, read_key, read_keys, the_scene_edit
from tidymargin.web.words import gettext

blueprint = scene_blueprint("scene_cuts")


@blueprint.post("/add")
def add() -> Answer:
    """Lay sheets, or a gradient, on a scene."""
    edit = the_scene_edit()
    if is_on("gradient"):
        arrangement = edit.arrangement
        fill = {"start": "#1D3557", "end": "#E8B23A", "width": max(1, arrangement.width // 2), "height": max(1, arrangement.height // 2)}  # fmt: skip
        cut = ArrangedCut.model_validate({
            "key": arrangement.next_key, "name": arrangement.free_name(gettext("gradient")), "fill": fill,
            "left": arrangement.width // 4, "top": arrangement.height // 4,
        })  # fmt: skip
        saved = editing.commit(edit, arrangement.with_cuts((*arrangement.cuts, cut)), "added")
    else:
        asked = request.form.getlist("sheet") or [str(given().get("sheet", ""))]
        wanted = [int(one) for one in asked if one.isascii() and one.isdigit() and len(one) < 12]
        if not wanted:
            raise BadParameterError(gettext("No picture is chosen."), hint=gettext("Choose one to add."))  # fmt: skip
        saved = editing.add_sheets(edit, [edit.workshop.sheets.load(one) for one in wanted])
    return answer_scene(saved, f"cut:{saved.arrangement.cuts[-1].key}")


@blueprint.post("/move")
def move() -> Answer:
    """Move cuts by so many pixels."""
    keys = read_keys()
    return answer_scene(editing.move(the_scene_edit(), keys, read_number("right", float), read_number("down", float)))  # fmt: skip


def _to_px(name: str, arrangement: Arrangement) -> dict[str, float]:
    """Return a length of the form in px, by its name, where one is given."""
    if not str(given().get(name, "")).strip():
        return {}
    value = read_number(name, float)
    return {name: value if arrangement.unit == "px" else value / arrangement.mm_per_px}


@blueprint.post("/place")
def place() -> Answer:
    """Set where a cut's figure is, how wide, and how it is turned: what the page shows rounded stays where it was not changed."""
    edit = the_scene_edit()
    key = read_key()
    arrangement = edit.arrangement
    values: dict[str, float] = {}
    before = {name: str(given().get(f"{name}_was", "")) for name in ("left", "top", "wide")}
    for name in ("left", "top", "wide"):
        if str(given().get(name, "")).strip() != before[name]:
            values |= _to_px(name, arrangement)
    if "wide" in values:
        values["width"] = values.pop("wide")
    if str(given().get("turn", "")).strip():
        values["turn"] = read_number("turn", float)
        if not -360 <= values["turn"] <= 360:
            raise BadParameterError(gettext("Expected a turn from −360 to 360 degrees."), field="turn")  # fmt: skip
        if values["turn"] == arrangement.find(key).turn:
            del values["turn"]
    change = "resized" if "width" in values else "turned" if "turn" in values else "placed"
    return answer_scene(editing.place_box(edit, key, change, **values))


@blueprint.post("/size-cut")
def size_cut() -> Answer:
    """Scale a cut about its middle, or turn it: as it is dragged, or by a key."""
    edit = the_scene_edit()
    cut = edit.arrangement.find(read_key())
    values: dict[str, float] = {}
    if str(given().get("scale", "")):
        values["scale"] = read_number("scale", float)
    if str(given().get("turn", "")):
        values["turn"] = (read_number("turn", float) + 180) % 360 - 180
    return answer_scene(editing.place_box(edit, cut.key, "turned" if "turn" in values else "resized", **values))  # fmt: skip


@blueprint.post("/set")
def set_values() -> Answer:
    """Set what a cut is called, how solid it is, and whether it is mirrored, locked or hidden."""
    edit, key, what = the_scene_edit(), read_key(), str(given().get("what", ""))
    cut = edit.arrangement.find(key)
    changes: dict[str, tuple[str, Any]] = {
        "mirror": ("mirrored", not cut.mirror),
        "locked": ("locked", not cut.locked),
        "hidden": ("hidden", not cut.hidden),
        "uncut": ("pinned", not cut.uncut),
        "outlined": ("outlined", not cut.outlined),
    }
    if what in changes:
        change, value = changes[what]
        return answer_scene(editing.set_cut(edit, key, change, **{what: value}))
    if what == "opacity":
        return answer_scene(editing.set_cut(edit, key, "faded", opacity=read_number("opacity", float) / 100))  # fmt: skip
    if what == "name":
        return answer_scene(editing.set_cut(edit, key, "named", name=" ".join(str(given().get("name", "")).split())))  # fmt: skip
    raise BadParameterError(
        gettext("This request does not say what to change of the cut."), field="what"
    )


@blueprint.post("/inside")
def set_inside() -> Answer:
    """Show a cut only inside another one's shape, or whole again."""
    name = str(given().get("inside", ""))[:100]
    return answer_scene(
        editing.set_cut(the_scene_edit(), read_key(), "inside", inside=name or None)
    )


@blueprint.post("/shadow")
def set_shadow() -> Answer:
    """Set the shadow that a cut casts, or none."""
    kind = str(given().get("kind", ""))
    shadow = None
    if kind:
        shadow = {
            "kind": kind,
            "amount": read_number("amount", float, 50) / 100,
            "lean": read_number("lean", float, 35),
            "length": read_number("length", float, 50) / 100,
        }
    return answer_scene(editing.set_cut(the_scene_edit(), read_key(), "shadow", shadow=shadow))


@blueprint.post("/light")
def set_light() -> Answer:
    """Set how far a cut's colours are brought towards the base's."""
    return answer_scene(editing.set_cut(the_scene_edit(), read_key(), "light", light=read_number("light", float) / 100))  # fmt: skip


@blueprint.post("/fill")
def set_fill() -> Answer:
    """Set the colours of a gradient."""
    edit, key = the_scene_edit(), read_key()
    before = edit.arrangement.find(key).fill
    if before is None:
        raise BadParameterError(gettext("This cut shows a picture, not a gradient."))
    values = {"start": given().get("start", before.start), "end": given().get("end", before.end), "turn": read_number("turn", float, before.turn)}  # fmt: skip
    return answer_scene(editing.set_cut(edit, key, "based", fill=before.model_dump() | values))


@blueprint.post("/state")
def pin() -> Answer:
    """Let a cut follow its picture, or stay as that was at one of its states."""
    edit, key = the_scene_edit(), read_key()
    asked = str(given().get("state", ""))
    cut = edit.arrangement.find(key)
    state = None
    if asked and cut.sheet is not None:
        sheet = edit.workshop.sheets.load(cut.sheet)
        state = sheet.head if asked == "now" else int(read_number("state", int))
        edit.workshop.sheets.load_at(sheet, state)
    return answer_scene(editing.set_cut(edit, key, "pinned", state=state))


@blueprint.post("/stack")
def restack() -> Answer:
    """Bring a cut to the front, to the back, so many steps, or to a place in the stack."""
    edit, key = the_scene_edit(), read_key()
    to = str(given().get("to", ""))
    count = len(edit.arrangement.cuts)
    if to in ("front", "back"):
        return answer_scene(editing.restack(edit, key, count if to == "front" else 0))
    if to in ("forward", "backward"):
        return answer_scene(editing.step_in_stack(edit, key, 1 if to == "forward" else -1))
    return answer_scene(editing.restack(edit, key, int(read_number("to", int))))


@blueprint.post("/several/<any(copy, take_out, group, ungroup):what>")
def change_several(what: str) -> Answer:
    """Copy cuts, take them out, or let them move together or alone."""
    edit, keys = the_scene_edit(), read_keys()
    if what == "copy":
        saved = editing.copy_cuts(edit, keys)
        new = [str(cut.key) for cut in saved.arrangement.cuts[-len(keys) :]] if keys else []
        return answer_scene(saved, "cut:" + ",".join(new) if new else "")
    if what == "take_out":
        return answer_scene(editing.take_out(edit, keys), "")
    return answer_scene(editing.group_cuts(edit, keys, together=what == "group"))


@blueprint.post("/align")
def align() -> Answer:
    """Bring cuts in line, or give them equal distances."""
    axis, side = str(given().get("axis", "")), str(given().get("side", ""))
    if axis not in ("across", "down") or side not in ("first", "middle", "last", "spread"):
        raise BadParameterError(
            gettext("This request does not say how to align the cuts."), field="side"
        )
    edit, keys = the_scene_edit(), read_keys()
    if side == "spread":
        return answer_scene(editing.spread_cuts(edit, keys, axis))  # type: ignore[arg-type]
    return answer_scene(editing.align_cuts(edit, keys, axis, side))  # type: ignore[arg-type]
