"""Keying one picture as a job that needs nothing but what it is given, on this machine or another."""

import json
from dataclasses import asdict, dataclass

from tidymargin import ENGINE_VERSION
from tidymargin.core.base.area import Area
from tidymargin.core.base.errors import DomainError, OlderEngineError
from tidymargin.core.cut import Cutter
from tidymargin.core.faults.doubt import weigh_doubt
from tidymargin.formats.decode import Decoded, decode_picture
from tidymargin.formats.recipe import Recipe, read_recipe
from tidymargin.services.cutting import cut_by
from tidymargin.services.doubt_words import word_reason
from tidymargin.services.exporting import write_cut_files
from tidymargin.services.judging import judge_cut, list_unaccepted
from tidymargin.services.writing import Written


@dataclass(frozen=True, slots=True)
class Order:
    """What a job is to do.

    Parameters
    ----------
    stem : str
        The picture's name without its ending.
    recipe : str
        As JSON.
    engine_version : int
        Of the engine that the cut is wanted of.
    """

    stem: str
    recipe: str
    engine_version: int = ENGINE_VERSION


@dataclass(frozen=True, slots=True)
class Report:
    """What came of keying one picture: a row of a manifest.

    Parameters
    ----------
    files : tuple of str
        Names of what was written, by the recipe's pattern.
    width, height : int
        Of the work area, in pixels.
    ground, nature : str
        What was measured or said.
    faults : int
        How many, and `severe` of them.
    doubt : float
        0 to 1; `to_look_at` says whether a person should see it, `reasons` why.
    box : tuple of 4 int, optional
        Left, top, right and bottom of the place most in doubt.
    """

    files: tuple[str, ...]
    width: int
    height: int
    ground: str
    nature: str
    faults: int
    severe: int
    doubt: float
    to_look_at: bool
    reasons: tuple[str, ...]
    box: tuple[int, int, int, int] | None = None

    def to_json(self) -> str:
        """Return it as JSON."""
        return json.dumps(asdict(self))


def read_report(text: str) -> Report:
    """Read a report that `Report.to_json` wrote."""
    body = json.loads(text)
    for field in ("files", "reasons", "box"):
        body[field] = None if body[field] is None else tuple(body[field])
    return Report(**body)


def report_on(cutter: Cutter, recipe: Recipe, area: Area, files: tuple[str, ...] = ()) -> Report:
    """Look over a cut, and say what came of it."""
    facts = cutter.facts
    faults = list_unaccepted(judge_cut(cutter, recipe.proof), recipe, area)
    doubt = weigh_doubt(cutter, faults)
    box = next((reason.box for reason in doubt.reasons if reason.box is not None), None)
    return Report(
        files=files,
        width=cutter.picture.width,
        height=cutter.picture.height,
        ground="none" if facts.is_busy else facts.ground.kind,
        nature=facts.nature,
        faults=len(faults),
        severe=sum(bool(fault.is_severe) for fault in faults),
        doubt=round(float(doubt.score), 3),
        to_look_at=bool(doubt.is_to_look_at),
        reasons=tuple(map(word_reason, doubt.reasons)),
        box=None if box is None else (int(box.left), int(box.top), int(box.right), int(box.bottom)),
    )


def do_order(data: bytes, order: Order) -> tuple[list[Written], Report]:
    """Key a picture file.

    Raises
    ------
    OlderEngineError
        This engine is not the one that the cut is wanted of.
    DomainError
        It cannot be keyed, and why.
    """
    if order.engine_version != ENGINE_VERSION:
        raise OlderEngineError(
            f"Expected a worker of engine {order.engine_version}, got one of engine {ENGINE_VERSION}.",
            hint="Let the worker and the server be of one version of Tidy Margin, and do it again.",
        )
    return key_decoded_by(decode_picture(data), read_recipe(order.recipe), order.stem)


def key_decoded_by(decoded: Decoded, recipe: Recipe, stem: str) -> tuple[list[Written], Report]:
    """Key a decoded picture by a recipe; see `do_order`."""
    area = recipe.to_area(decoded.picture.height, decoded.picture.width)
    cutter = cut_by(recipe, decoded.picture)
    files = write_cut_files(cutter, recipe, stem, decoded.dots_per_inch)
    return files, report_on(cutter, recipe, area, tuple(file.name for file in files))


def say_error(error: DomainError) -> str:
    """Return what an error says, in one line."""
    return " ".join(part for part in (error.message, error.hint) if part)
