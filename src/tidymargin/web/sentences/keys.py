"""Every key, with where it works and what it does; the page of keys and the manual are made of this."""

from dataclasses import dataclass

from tidymargin.web.words import gettext, gettext_noop


@dataclass(frozen=True, slots=True)
class Key:
    """A key, or several of one kind, as they stand on a keyboard, and what they do."""

    name: str
    words: str


KEYS: dict[str, tuple[Key, ...]] = {
    gettext_noop("On every page"): (
        Key("?", gettext_noop("Show this list of keys")),
        Key("Tab", gettext_noop("Go to the next control")),
        Key("Ctrl + Z", gettext_noop("Undo the last change")),
        Key("Ctrl + Shift + Z, Ctrl + Y", gettext_noop("Redo what was undone last")),
        Key("Ctrl + V", gettext_noop("On the page of trays: add the picture on the clipboard")),
    ),
    gettext_noop("On the stage of a picture"): (
        Key("Arrows", gettext_noop("Move the aim; with Shift, farther")),
        Key("Enter", gettext_noop("Do what the line under the stage says")),
        Key("Esc", gettext_noop("Drop what was begun, or lay down what is in hand")),
        Key("Space", gettext_noop("Show the original while it is held")),
        Key("+, −", gettext_noop("Zoom in or out")),
        Key("F, and click", gettext_noop("Mark the place as subject")),
        Key("G, and click", gettext_noop("Protect the colour of the place")),
        Key("U, and click", gettext_noop("Clear up to the place")),
        Key("S, and click", gettext_noop("Clear up to just before the place")),
        Key("W, and drag", gettext_noop("Draw a fence that clearing cannot cross")),
        Key("J, and wheel", gettext_noop("Go from one jump of the tolerance to the next")),
        Key("A, and wheel", gettext_noop("Make the stroke in hand wider or narrower")),
        Key("N, B", gettext_noop("Go to the next or the previous question or problem")),
        Key("R", gettext_noop("Remove what is asked about, or mend the problem shown")),
        Key("K", gettext_noop("Keep what is asked about")),
        Key("Y", gettext_noop("Ignore the problem shown")),
    ),
    gettext_noop("With an outline or the corners of a shape in hand"): (
        Key("P", gettext_noop("Add a point")),
        Key("C", gettext_noop("Make the chosen point smooth or a corner")),
        Key("Delete", gettext_noop("Remove the chosen point")),
        Key("Backspace", gettext_noop("Take back the last corner")),
        Key("Enter", gettext_noop("Close the outline, or set a corner")),
        Key("1 to 4", gettext_noop("Choose a corner of the work area")),
    ),
    gettext_noop("On the stage of a scene"): (
        Key("N, B", gettext_noop("Take the next or the previous cut in hand")),
        Key("Arrows", gettext_noop("Move what is in hand by 1 px; with Shift, by 10 px")),
        Key("L, K", gettext_noop("Make the cut larger or smaller by 5 %")),
        Key("T", gettext_noop("Turn the cut by 5° clockwise; with Shift, the other way")),
        Key(
            "Page Up, Page Down", gettext_noop("Move the cut one step forward or back in the stack")
        ),
        Key("Delete", gettext_noop("Take the cuts in hand out of the scene")),
        Key("Esc", gettext_noop("Put back what is being dragged, or lay down what is in hand")),
        Key("Shift, and click", gettext_noop("Take a further cut in hand")),
        Key("Ctrl, while dragging", gettext_noop("Move or size the cut without lining it up")),
        Key("+, −", gettext_noop("Zoom in or out")),
    ),
    gettext_noop("On the stack from the side"): (
        Key("Up, Down", gettext_noop("Move the cut one step forward or back in the stack")),
        Key("Left, Right", gettext_noop("Move the cut by 1 px; with Shift, by 10 px")),
        Key("Enter", gettext_noop("Take the cut in hand")),
    ),
    gettext_noop("On the page of a tray"): (
        Key("N, B", gettext_noop("Go to the next or the previous picture to look at")),
    ),
    gettext_noop("Where two states are compared"): (
        Key("Arrows", gettext_noop("Move both pictures")),
        Key("X", gettext_noop("Swap the two pictures while it is held")),
        Key("+, −", gettext_noop("Zoom in or out")),
    ),
}


def list_keys() -> list[tuple[str, list[tuple[str, str]]]]:
    """Return the keys by where they work, in the reader's language."""
    return [(gettext(place), [(gettext(key.name), gettext(key.words)) for key in keys]) for place, keys in KEYS.items()]  # fmt: skip


def write_keys() -> str:
    """Return the keys as Markdown, in English."""
    lines = ["# Keys", "", "Made from the list that `?` shows in the application, by `./tidy reference`. The wheel and the pinch zoom around the pointer; dragging pans.", ""]  # fmt: skip
    for place, keys in KEYS.items():
        lines += [f"## {place}", "", "| key | what it does |", "|---|---|"]
        lines += [f"| {key.name} | {key.words} |" for key in keys]
        lines.append("")
    return "\n".join(lines)
