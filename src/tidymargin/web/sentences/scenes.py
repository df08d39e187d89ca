"""A scene in sentences: what it lies on, each cut, what is exported, and what changed."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from markupsafe import Markup

from tidymargin.core.base.errors import DomainError
from tidymargin.core.scenes.rims import RimLine
from tidymargin.formats.arrangement import ArrangedCut, Arrangement
from tidymargin.services.scenes.opening import Looked
from tidymargin.store.values import SceneState
from tidymargin.web.language import translate
from tidymargin.web.words import Change, fill, gettext, gettext_noop, name_colour, phrase

FORMATS = {
    "png": gettext_noop("PNG"),
    "jpeg": gettext_noop("JPEG"),
    "webp": gettext_noop("WebP"),
    "avif": gettext_noop("AVIF"),
    "pdf": gettext_noop("PDF"),
    "ora": gettext_noop("OpenRaster"),
    "svg": gettext_noop("SVG"),
}
FORMAT_WORDS = {
    "png": gettext_noop("one picture, nothing lost"),
    "jpeg": gettext_noop("one picture, small; what is clear becomes white"),
    "webp": gettext_noop("one picture for web pages, nothing lost"),
    "avif": gettext_noop("one picture for web pages, nothing lost"),
    "pdf": gettext_noop("one page at its size on paper"),
    "ora": gettext_noop("each cut stays a named layer, for painting programs"),
    "svg": gettext_noop("each cut stays a picture with its name"),
}
SHADOWS = {"contact": gettext_noop("a shadow at its foot"), "cast": gettext_noop("a cast shadow")}
ALIGNMENTS = {
    ("across", "first"): gettext_noop("Left sides"),
    ("across", "middle"): gettext_noop("Middles across"),
    ("across", "last"): gettext_noop("Right sides"),
    ("down", "first"): gettext_noop("Tops"),
    ("down", "middle"): gettext_noop("Middles down"),
    ("down", "last"): gettext_noop("Bottoms"),
}
CHANGES = {
    "begun": Change(gettext_noop("beginning"), "Begun"),
    "added": Change(gettext_noop("adding"), "Added: %(names)s"),
    "moved": Change(gettext_noop("move"), "Moved: %(names)s"),
    "resized": Change(gettext_noop("size"), "Made larger or smaller: %(names)s"),
    "turned": Change(gettext_noop("turn"), "Turned: %(names)s"),
    "placed": Change(gettext_noop("place"), "Placed: %(names)s"),
    "mirrored": Change(gettext_noop("mirror"), "Mirrored: %(names)s"),
    "faded": Change(gettext_noop("opacity"), "Opacity set: %(names)s"),
    "named": Change(gettext_noop("name"), "Named: %(names)s"),
    "locked": Change(gettext_noop("lock"), "Locked or unlocked: %(names)s"),
    "hidden": Change(gettext_noop("hiding"), "Hidden or shown: %(names)s"),
    "stacked": Change(gettext_noop("order"), "Order in the stack changed"),
    "aligned": Change(gettext_noop("alignment"), "Aligned: %(names)s"),
    "spread": Change(gettext_noop("spreading"), "Spread evenly: %(names)s"),
    "copied": Change(gettext_noop("copy"), "Copied: %(names)s"),
    "taken_out": Change(gettext_noop("taking out"), "Taken out: %(names)s"),
    "grouped": Change(gettext_noop("group"), "Grouped: %(names)s"),
    "ungrouped": Change(gettext_noop("ungrouping"), "Ungrouped: %(names)s"),
    "inside": Change(gettext_noop("shape"), "Shown inside a shape, or whole again: %(names)s"),
    "shadow": Change(gettext_noop("shadow"), "Shadow set: %(names)s"),
    "light": Change(gettext_noop("light"), "Light set: %(names)s"),
    "pinned": Change(gettext_noop("state of the picture"), "State of the picture chosen: %(names)s"),
    "outlined": Change(gettext_noop("outlines"), "Drawn from outlines, or from pixels: %(names)s"),
    "sized": Change(gettext_noop("size of the scene"), "Size of the scene set"),
    "based": Change(gettext_noop("base"), "Base set"),
    "format": Change(gettext_noop("format"), "Export set"),
    "series": Change(gettext_noop("series"), "Series set"),
}  # fmt: skip


def name_scene_change(change: str | None) -> str:
    """Return what undoing or redoing a change is called; nothing where there is none."""
    if not change:
        return ""
    return gettext(CHANGES[change].undo) if change in CHANGES else change


def describe_scene_change(state: SceneState, before: SceneState | None, read: Callable[[str], Arrangement]) -> str:  # fmt: skip
    """Return the change that made a state in words, with the names of the cuts that it changed."""
    if state.change not in CHANGES:
        return gettext("A change of another version: %(change)s", change=state.change)
    said = str(CHANGES[state.change].said)
    if before is None:
        return gettext(CHANGES["begun"].undo).capitalize()
    try:
        was, now = ({cut.key: cut for cut in read(one.body).cuts} for one in (before, state))
    except DomainError:
        return gettext("Saved by another version of Tidy Margin")
    names = [(now.get(key) or was[key]).name for key in (*was, *(k for k in now if k not in was)) if was.get(key) != now.get(key)]  # fmt: skip
    shown = ", ".join(names[:3]) + (gettext(" and %(n)s more", n=len(names) - 3) if len(names) > 3 else "")  # fmt: skip
    return gettext(said, names=shown or gettext("nothing"))


def format_length(px: float, arrangement: Arrangement) -> str:
    """Return a length in the scene's unit, without it."""
    value = px if arrangement.unit == "px" else px * arrangement.mm_per_px
    return f"{value:.1f}".removesuffix(".0")


def say_size(width: float, height: float, arrangement: Arrangement) -> str:
    """Return a size in the scene's unit."""
    return f"{format_length(width, arrangement)} × {format_length(height, arrangement)} {arrangement.unit}"  # fmt: skip


def say_base(looked: Looked) -> Markup:
    """Say what the cuts lie on, and how large that is."""
    arrangement = looked.arrangement
    base = arrangement.base
    swatch = ""
    if looked.base.sheet is not None:
        words = looked.base.sheet.name
    elif looked.base.missing is not None:
        words = gettext("a picture that is missing")
    elif base.gradient is not None:
        words, swatch = gettext("a gradient"), base.gradient.start
    elif base.colour is not None:
        words, swatch = name_colour(base.colour), base.colour
    else:
        words = gettext("nothing")
    size = say_size(arrangement.width, arrangement.height, arrangement)
    return fill(
        gettext("On %(base)s, %(size)s."),
        base=phrase("base", gettext_noop("Base"), words, swatch=swatch),
        size=phrase("base", gettext_noop("Size of the scene"), size),
    )


def say_cut(cut: ArrangedCut, missing: DomainError | None) -> Markup:
    """Say one cut: its name, and what of it is not as it always is."""
    step = f"cut:{cut.key}"
    name = phrase(step, gettext_noop("Cut"), cut.name)

    def change(label: str, value: str) -> Markup:
        return phrase(step, f"{cut.name}, {label}", value)

    if missing is not None:
        return fill(
            gettext("%(name)s is not shown: %(why)s"), name=name, why=translate(missing.message)
        )
    parts = []
    if cut.scale != 1:
        parts.append(fill(gettext("at %(scale)s"), scale=change(gettext("size"), f"{100 * cut.scale:.3g} %")))  # fmt: skip
    if cut.turn:
        parts.append(fill(gettext("turned by %(turn)s"), turn=change(gettext("turn"), f"{cut.turn:g}°".replace("-", "−"))))  # fmt: skip
    if cut.mirror:
        parts.append(Markup(gettext("mirrored")))
    if cut.opacity < 1:
        parts.append(fill(gettext("%(opacity)s solid"), opacity=change(gettext("opacity"), f"{100 * cut.opacity:.0f} %")))  # fmt: skip
    if cut.inside:
        parts.append(fill(gettext("inside %(shape)s"), shape=change(gettext("shape"), f"“{cut.inside}”")))  # fmt: skip
    if cut.shadow:
        parts.append(fill(gettext("with %(shadow)s"), shadow=change(gettext("shadow"), gettext(SHADOWS[cut.shadow.kind]))))  # fmt: skip
    if not parts:
        return fill(gettext("%(name)s."), name=name)
    # “bell at 40 %”, but “bell, mirrored”
    is_close = cut.scale != 1 or (not (cut.turn or cut.mirror or cut.opacity < 1))
    head = Markup(" " if is_close else ", ").join([name, parts[0]])
    return fill("%(said)s.", said=Markup(", ").join([head, *parts[1:]]))


def say_export(arrangement: Arrangement, tray: str | None) -> Markup:
    """Say what file is written, and of what."""
    kind = phrase("export", gettext_noop("Format"), gettext(FORMATS[arrangement.format]))
    dpi = phrase("export", gettext_noop("Dots per inch"), f"{arrangement.dots_per_inch:g}")
    if arrangement.series is None or tray is None:
        return fill(gettext("Export %(kind)s, %(dpi)s dots per inch."), kind=kind, dpi=dpi)
    series = phrase(
        "export", gettext_noop("Series"), gettext("each picture of “%(tray)s”", tray=tray)
    )
    return fill(
        gettext("Export %(kind)s, %(dpi)s dots per inch, once for %(series)s."),
        kind=kind,
        dpi=dpi,
        series=series,
    )


@dataclass(frozen=True, slots=True)
class RimRow:
    """A line along a rim, in words, and its box: left, top, right, bottom, px of the scene."""

    words: str
    box: tuple[int, int, int, int]


_LISTED = 5
_LINES = {
    "pale": gettext_noop("a pale line along %(px)s px of “%(name)s”"),
    "dark": gettext_noop("a dark line along %(px)s px of “%(name)s”"),
}


def list_rims(found: Sequence[tuple[ArrangedCut, RimLine]]) -> list[RimRow]:
    """Return the longest lines along rims in words."""
    return [RimRow(gettext(_LINES[line.kind], px=line.length_px, name=cut.name), line.box) for cut, line in found[:_LISTED]]  # fmt: skip


def say_clean(width_px: float, height_px: float, arrangement: Arrangement) -> str:
    """Say how large a cut can be without being enlarged beyond its own pixels."""
    mm = f"{width_px * arrangement.mm_per_px:.1f} × {height_px * arrangement.mm_per_px:.1f} mm"
    return gettext("Clean up to %(px)s px (%(mm)s).", px=f"{width_px:.0f} × {height_px:.0f}", mm=mm)
