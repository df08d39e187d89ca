"""Keying one picture as a job that needs nothing but what it is given, on this machine or another."""

import hashlib
import json
import logging
from collections.abc import Sequence
from dataclasses import asdict, dataclass, replace
from typing import Annotated

from pydantic import AfterValidator, ConfigDict, Field, TypeAdapter, with_config

from tidymargin import ENGINE_VERSION
from tidymargin.core.base.area import Area
from tidymargin.core.base.errors import (
    DomainError,
    FaultError,
    OlderEngineError,
    TooLargeError,
)
from tidymargin.core.cut import Cutter
from tidymargin.core.faults.doubt import weigh_doubt
from tidymargin.formats.decode import Decoded, decode_picture
from tidymargin.formats.names import Names, is_plain
from tidymargin.formats.recipe import Recipe, read_recipe
from tidymargin.services.picture.judging import judge_cut, list_unaccepted
from tidymargin.services.picture.keying import cut_by
from tidymargin.services.picture.words import word_reason
from tidymargin.services.picture.writing import Written, write_files

log = logging.getLogger(__name__)

Digest = Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]
"""A SHA-256 in hexadecimal."""

_Words = Annotated[str, Field(max_length=2000)]
_Count = Annotated[int, Field(ge=0, le=10**9)]


def _require_plain(name: str) -> str:
    if not is_plain(name):
        raise ValueError("should be the name of a file, and no path")
    return name


_FileName = Annotated[str, AfterValidator(_require_plain)]


@with_config(ConfigDict(extra="forbid"))
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
    original : str
        The hash of the picture that is meant; empty where the picture is at hand anyway.
    """

    stem: Annotated[str, Field(max_length=400)]
    recipe: str
    engine_version: Annotated[int, Field(ge=1, le=10**6)] = ENGINE_VERSION
    original: Digest | Annotated[str, Field(max_length=0)] = ""

    def digest(self, job: str) -> str:
        """Return a hash of all that a job of a name is told to do, by which its answer is known."""
        body = json.dumps([job, asdict(self)], sort_keys=True)
        return hashlib.sha256(body.encode()).hexdigest()


@dataclass(frozen=True, slots=True)
class Report:
    """What came of keying one picture: a row of a manifest.

    Parameters
    ----------
    files : tuple of str
        Names of what was written: by the recipe's pattern, or another where that name was taken.
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
    sha256 : tuple of str
        Of each file; empty in reports from before there were any.
    renamed : tuple of str
        The names that the pattern gave to those files that got another, in words.
    """

    files: Annotated[tuple[_FileName, ...], Field(max_length=5000)]
    width: _Count
    height: _Count
    ground: _Words
    nature: _Words
    faults: _Count
    severe: _Count
    doubt: Annotated[float, Field(ge=0, le=1)]
    to_look_at: bool
    reasons: Annotated[tuple[_Words, ...], Field(max_length=100)]
    box: tuple[int, int, int, int] | None = None
    sha256: tuple[Digest, ...] = ()
    renamed: tuple[_Words, ...] = ()

    def to_json(self) -> str:
        """Return it as JSON."""
        return json.dumps(asdict(self))


_REPORTS: TypeAdapter[Report] = TypeAdapter(with_config(ConfigDict(extra="forbid"))(Report))


def read_report(text: str | bytes) -> Report:
    """Read a report that `Report.to_json` wrote, wherever it comes from.

    Raises
    ------
    ValueError
        It is none; or a file that it names would lie elsewhere than in a folder of its own.
    """
    return _REPORTS.validate_json(text)


def with_files(report: Report, files: Sequence[Written]) -> Report:
    """Return a report with the names and hashes of what was written of its cut."""
    names = tuple(file.name for file in files)
    hashes = tuple(hashlib.sha256(file.data).hexdigest() for file in files)
    return replace(report, files=names, sha256=hashes)


def report_on(cutter: Cutter, recipe: Recipe, area: Area) -> Report:
    """Look over a cut, and say what came of it."""
    facts = cutter.facts
    faults = list_unaccepted(judge_cut(cutter, recipe.proof), recipe, area)
    doubt = weigh_doubt(cutter, faults)
    box = next((reason.box for reason in doubt.reasons if reason.box is not None), None)
    return Report(
        files=(),
        width=cutter.picture.width,
        height=cutter.picture.height,
        ground="none" if facts.is_busy else facts.ground.kind,
        nature=facts.nature,
        faults=len(faults),
        severe=sum(bool(fault.is_severe) for fault in faults),
        doubt=round(float(doubt.score), 3),
        to_look_at=bool(doubt.is_to_look_at),
        reasons=tuple(map(word_reason, doubt.reasons)),
        box=None if box is None else box.edges,
    )


def name_files(names: Names, report: Report) -> Report:
    """Give every file of a picture a name that no other file of its export has, and say which got another."""
    own = tuple(map(names.take_name, report.files))
    both = zip(report.files, own, strict=True)
    renamed = tuple(f"{was} as {name}" for was, name in both if was != name)
    return replace(report, files=own, renamed=renamed)


def require_engine(version: int) -> None:
    """Refuse to cut what is wanted of another engine.

    Raises
    ------
    OlderEngineError
        This engine is not that one.
    """
    if version != ENGINE_VERSION:
        raise OlderEngineError(
            f"The server cuts with engine {version}, and this worker with engine {ENGINE_VERSION}.",
            hint="Let the worker and the server be of one version of Tidy Margin, and do it again.",
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
    require_engine(order.engine_version)
    return key_decoded_by(decode_picture(data), read_recipe(order.recipe), order.stem)


def key_decoded_by(decoded: Decoded, recipe: Recipe, stem: str) -> tuple[list[Written], Report]:
    """Key a decoded picture by a recipe; see `do_order`."""
    area = recipe.to_area(decoded.picture.height, decoded.picture.width)
    cutter = cut_by(recipe, decoded.picture)
    files = write_files(cutter, recipe, stem, decoded.dots_per_inch)
    return files, with_files(report_on(cutter, recipe, area), files)


def to_outcome(error: Exception) -> DomainError:
    """Return what is said of a job that ended in an error; what is our own fault goes into the log."""
    if isinstance(error, DomainError):
        return error
    if isinstance(error, MemoryError):
        return TooLargeError(
            "This takes more memory than there is.", hint="Scale the picture down."
        )
    log.error("a job failed by our own fault", exc_info=error)
    return FaultError(
        "This picture could not be cut, and the fault is ours.",
        hint="The others are not touched by it.",
    )


def say_error(error: DomainError) -> str:
    """Return what an error says, in one line."""
    return " ".join(part for part in (error.message, error.hint) if part)
