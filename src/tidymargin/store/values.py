"""Sheets and the states of their histories, as plain values."""

from dataclasses import dataclass, replace
from datetime import datetime
from functools import cached_property
from typing import Any, Literal

from tidymargin.core.base.area import Area
from tidymargin.formats.arrangement import Arrangement, read_arrangement
from tidymargin.formats.recipe import Recipe, from_steps

Bodies = dict[str, str]


@dataclass(frozen=True, slots=True)
class NewSheet:
    """What is known of a picture when it is brought in."""

    name: str
    original: str
    format_name: str
    width: int
    height: int
    dots_per_inch: float | None
    remarks: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class NewState:
    """A state to add to a sheet's history.

    Parameters
    ----------
    names, bodies : dict of str to str
        Hash and JSON of each step, by step.
    parts : dict of str to str
        What steps only name, by its hash: each mark that was made by hand.
    change : str
        What made this state, as a key of the sentence catalogue.
    resolved : dict
        The values that `auto` stood for.
    engine_version : int
        Of the engine that resolved them.
    """

    names: dict[str, str]
    bodies: Bodies
    parts: dict[str, str]
    change: str
    resolved: dict[str, Any]
    engine_version: int


@dataclass(frozen=True, slots=True)
class State:
    """One state of a sheet's history, with the recipe's steps as they stood, and what each is stored under.

    `parent` is the state it was made from, None for the first; `redo` the one that redoing leads to.
    """

    id: int
    parent: int | None
    redo: int | None
    change: str
    names: dict[str, str]
    bodies: Bodies
    parts: dict[str, str]
    resolved: dict[str, Any]
    engine_version: int
    saved_at: datetime


@dataclass(frozen=True, slots=True)
class Version:
    """A state of a sheet that is kept under a name."""

    id: int
    state: int
    name: str
    kept_at: datetime


@dataclass(frozen=True)
class Sheet:
    """A sheet at its present state, with all that a request decides and looks at it by.

    `undo` and `redo` are the changes that undoing and redoing would take back and bring again; `before` is the state
    that undoing goes to; `tray` is the one it lies in, and `tray_state` what of that it follows.
    """

    id: int
    name: str
    original: str
    format_name: str
    width: int
    height: int
    dots_per_inch: float | None
    remarks: tuple[str, ...]
    created_at: datetime
    head: int
    names: dict[str, str]
    bodies: Bodies
    parts: dict[str, str]
    resolved: dict[str, Any]
    engine_version: int
    saved_at: datetime
    undo: str | None
    redo: str | None
    before: int | None = None
    tray: int | None = None
    tray_state: int | None = None

    @cached_property
    def recipe(self) -> Recipe:
        """Every decision of this state.

        Raises
        ------
        UnreadableStepError
            One of its steps cannot be read.
        """
        return from_steps(self.bodies, self.parts)

    @cached_property
    def area(self) -> Area:
        """The work area; every place and size of the cut is in this area's pixels."""
        return self.recipe.to_area(self.height, self.width)

    def at(self, state: State) -> "Sheet":
        """Return the sheet as it was at one of its states."""
        return replace(
            self,
            head=state.id,
            names=state.names,
            bodies=state.bodies,
            parts=state.parts,
            resolved=state.resolved,
            engine_version=state.engine_version,
        )

    def decided_by(self, recipe: Recipe) -> "Sheet":
        """Return the sheet as it would be by another recipe; nothing is saved by that."""
        other = replace(self, names=recipe.names, bodies=recipe.bodies, parts=recipe.parts)
        return other.knowing(recipe)

    def knowing(self, recipe: Recipe) -> "Sheet":
        """Say what its recipe is, where that is at hand, so that it is not read again; return the sheet."""
        self.__dict__["recipe"] = recipe
        return self


@dataclass(frozen=True, slots=True)
class Tray:
    """A named set of sheets with what they share; `undo` is the change that undoing would take back."""

    id: int
    name: str
    head: int
    recipe: str
    undo: str | None
    created_at: datetime


@dataclass(frozen=True)
class SavedScene:
    """A scene at its present state; `undo` and `redo` as a sheet's."""

    id: int
    name: str
    head: int
    body: str
    saved_at: datetime
    undo: str | None
    redo: str | None

    @cached_property
    def arrangement(self) -> Arrangement:
        """What is arranged.

        Raises
        ------
        UnreadableStepError
            It cannot be read.
        """
        return read_arrangement(self.body)


@dataclass(frozen=True, slots=True)
class SceneState:
    """One state of a scene's history."""

    id: int
    parent: int | None
    redo: int | None
    change: str
    body: str
    saved_at: datetime


@dataclass(frozen=True, slots=True)
class MadeExport:
    """One time that a sheet was exported: the state that it was made of, and as JSON what its files held."""

    id: int
    sheet: int
    state: int
    files: str
    made_at: datetime


@dataclass(frozen=True, slots=True)
class KeptExport:
    """Settings of an export under a name, as JSON."""

    id: int
    name: str
    body: str


JobState = Literal["waiting", "begun", "done", "failed"]
ExportState = Literal["working", "paused", "stopped"]


@dataclass(frozen=True, slots=True)
class NewJob:
    """One sheet to be written: whatever becomes of the sheet, this is what is wanted."""

    sheet: int
    stem: str
    original: str
    recipe: str
    engine_version: int


@dataclass(frozen=True, slots=True)
class TrayJob:
    """One sheet of a tray's export, and what came of it: `said` where it failed, `report` as JSON where it is done.

    `token` is random: by it the job is known outside of this data folder.
    """

    id: int
    export: int
    sheet: int
    stem: str
    original: str
    recipe: str
    engine_version: int
    state: JobState
    said: str
    report: str
    token: str


@dataclass(frozen=True, slots=True)
class TrayExport:
    """One time that all of a tray was written, or is being."""

    id: int
    tray: int
    name: str
    state: ExportState
    created_at: datetime
    jobs: tuple[TrayJob, ...]
