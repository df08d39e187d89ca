"""The guide by jobs: from this the page, `docs/guide.md` and the tests that follow its steps are made.

What stands between two asterisks is called so on the page. A step that says “the place marked” has that place, as shares of the
picture's width and height; several places are a line to draw along.
"""

import re
from dataclasses import dataclass

from markupsafe import Markup, escape

from tidymargin.web.words import gettext, gettext_noop

Place = tuple[float, float]


@dataclass(frozen=True, slots=True)
class Step:
    """One thing to do, in words, and where in the picture if anywhere."""

    text: str
    places: tuple[Place, ...] = ()


@dataclass(frozen=True, slots=True)
class Job:
    """What somebody has and wants.

    Parameters
    ----------
    key : str
        In addresses.
    title, about : str
        For the catalogue: what it is, and what is particular about it.
    pictures : tuple of str
        Of `demo.guiding`; several are brought in together, as a tray where there are more than two.
    steps : tuple of Step
        After the pictures were opened.
    """

    key: str
    title: str
    about: str
    pictures: tuple[str, ...]
    steps: tuple[Step, ...]


_EXPORT = Step(gettext_noop("Press **Export PNG**."))
_LOOK = Step(gettext_noop("Look at the strip below the picture: it shows one spot of the edge on four backdrops. Point at other spots to see them."))  # fmt: skip

JOBS = (
    Job(
        "logo", gettext_noop("A logo on white"),
        gettext_noop("The white around it is removed by itself. White inside it stays until you say otherwise."),
        ("compass-rose",),
        (_LOOK, Step(gettext_noop("White inside the ring is a question. Click the place marked 1 to remove it."), ((0.6, 0.35),)), _EXPORT),
    ),
    Job(
        "signature", gettext_noop("A signature on paper"),
        gettext_noop("Ink lets the paper through, so strokes stay half clear where they are thin."),
        ("harbour-signature",),
        (
            Step(gettext_noop("Press **Ink** in the first sentence: it says how the subject is cut.")),
            Step(gettext_noop("Press **as they are** in the sentence about colours.")),
            Step(gettext_noop("Type **60** at **Ink depth**: pale ink becomes darker.")),
            _EXPORT,
        ),
    ),
    Job(
        "pencil", gettext_noop("A pencil drawing"),
        gettext_noop("Paper, fold and shade are removed; grey strokes keep their tone."),
        ("pencil-lighthouse",),
        (
            Step(gettext_noop("Faint strokes missing? Drag the grip in the sentence with the tolerance to the left; paper left over? to the right.")),
            Step(gettext_noop("Press **Undo** if it was better before.")),
            _EXPORT,
        ),
    ),
    Job(
        "cartoon", gettext_noop("A cartoon with white inside"),
        gettext_noop("White within an outline belongs to the drawing and stays. Gaps through which the page shows have to go."),
        ("gull",),
        (
            Step(gettext_noop("Click the place marked 1, between the legs: the page shows there, so it is removed."), ((0.5, 0.84),)),
            Step(gettext_noop("Click it once more to bring it back, and again to remove it."), ((0.5, 0.84), (0.5, 0.84))),
            _EXPORT,
        ),
    ),
    Job(
        "screen", gettext_noop("A subject before a green screen"),
        gettext_noop("The cloth is removed with its folds, and its light is taken off the subject."),
        ("brass-bell",),
        (
            _LOOK,
            Step(gettext_noop("Still green at the edge? Press **100 %** in the sentence about colours, and type **120** at **Take off, % of what was measured**.")),
            _EXPORT,
        ),
    ),
    Job(
        "pattern", gettext_noop("A printed-in transparency pattern"),
        gettext_noop("Grey and white squares that were saved into the picture are found by their size and removed."),
        ("buoy-sticker",), (_LOOK, _EXPORT),
    ),
    Job(
        "shadow", gettext_noop("A thing photographed with its shadow"),
        gettext_noop("The shadow goes with the background. In a scene the cut can cast a new one."),
        ("bell-in-light",),
        (
            _LOOK,
            Step(gettext_noop("A trace of the shadow left? It is listed as a problem or a question below the sentences, where one click removes it.")),
            _EXPORT,
        ),
    ),
    Job(
        "sticker", gettext_noop("A sticker with a border and its cutting line"),
        gettext_noop("A cutting machine follows a line around the subject, in mm."),
        ("buoy-sticker",),
        (
            Step(gettext_noop("Press **PNG** in the last sentence, and open **Further formats**.")),
            Step(gettext_noop("Tick **a cutting line as SVG**, untick **PNG**, and press **Set the formats**.")),
            Step(gettext_noop("Open **Cutting line for a machine**, and type **3** at **Distance from the subject, in mm (below 0 inside it)**.")),
            Step(gettext_noop("Press **Export a cutting line as SVG**.")),
        ),
    ),
    Job(
        "scans", gettext_noop("A hundred scans at once"),
        gettext_noop("Pictures in a tray share settings, are checked together and exported by one click. Here are three."),
        ("harbour-signature", "pencil-lighthouse", "knot-chart"),
        (
            Step(gettext_noop("Those to check stand first. Click one to open it; **Undo** and everything else work as on any picture.")),
            Step(gettext_noop("Press **Export all 3**.")),
            Step(gettext_noop("Press **Fetch the ZIP** when all are written.")),
        ),
    ),
    Job(
        "outlines", gettext_noop("A logo as outlines"),
        gettext_noop("Lines and curves stay sharp at any size."),
        ("compass-rose",),
        (
            Step(gettext_noop("Press **PNG** in the last sentence, and open **Further formats**.")),
            Step(gettext_noop("Tick **SVG outlines**, untick **PNG**, and press **Set the formats**.")),
            Step(gettext_noop("Press **Export SVG outlines**.")),
        ),
    ),
    Job(
        "scene", gettext_noop("Several cuts in a scene"),
        gettext_noop("Cuts lie on a base, and follow their pictures when these change."),
        ("tide-stamp", "buoy-sticker"),
        (
            Step(gettext_noop("Open **Arrange cuts in a scene**, type **card** at **Name of the scene**, and press **Begin the scene**.")),
            Step(gettext_noop("Press **Add a cut**, then **tide-stamp.png**.")),
            Step(gettext_noop("Press **Add a cut** once more, then **buoy-sticker.jpg**. Drag it where it should lie.")),
            _EXPORT,
        ),
    ),
    Job(
        "busy", gettext_noop("When the background is busy"),
        gettext_noop("Nothing is removed by itself where the background has no even colour. Show what is to be kept."),
        ("bell-before-lights",),
        (
            Step(gettext_noop("Press **Solid** in the first sentence, then **Find the subject by scribbles**.")),
            Step(gettext_noop("Draw along the line marked 1, over the subject."), ((0.5, 0.3), (0.47, 0.5), (0.4, 0.68), (0.6, 0.7))),
            Step(gettext_noop("Where it is wrong, scribble again; a scribble on what has to go removes it.")),
            _EXPORT,
        ),
    ),
)  # fmt: skip

_BOLD = re.compile(r"\*\*(.+?)\*\*")


def find_job(key: str) -> Job | None:
    """Return the job of a key; None where there is none."""
    return next((job for job in JOBS if job.key == key), None)


def say_step(step: Step) -> Markup:
    """Return a step in the reader's language, names of controls in bold."""
    return Markup(_BOLD.sub(r"<strong>\1</strong>", str(escape(gettext(step.text)))))


def list_names(text: str) -> list[str]:
    """Return the names of controls in a step, and what is typed, in their order."""
    return _BOLD.findall(text)


def write_guide() -> str:
    """Return the guide as Markdown, in English."""
    lines = ["# Guide by jobs", "", "Made from the guide in the application (`/guide`, where “Open this picture” brings each picture in), by `./tidy reference`.", ""]  # fmt: skip
    for job in JOBS:
        lines += [f"## {job.title}", "", job.about, ""]
        lines += [f"![{name}, before and after](../src/tidymargin/web/static/guide/{name}.webp)" for name in job.pictures]  # fmt: skip
        opening = "Press **Open this picture** in the application’s guide, or add one of your own." if len(job.pictures) == 1 else "Press **Open these pictures** in the application’s guide, or add some of your own."  # fmt: skip
        lines += ["", f"1. {opening}"]
        lines += [f"{number}. {step.text}" for number, step in enumerate(job.steps, 2)]
        lines.append("")
    return "\n".join(lines)
