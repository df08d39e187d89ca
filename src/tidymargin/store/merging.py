"""Bringing sheets over from another database, as much of it as can still be read."""

import sqlite3
from collections.abc import Container
from contextlib import closing, suppress
from pathlib import Path

from tidymargin.store.database import UNREADABLE, connect_to_read
from tidymargin.store.merging_rows import Row, insert, read_rows, with_parents
from tidymargin.store.merging_scenes import bring_scenes
from tidymargin.store.models import STEP_COLUMNS
from tidymargin.store.rows import (
    find_fault,
    is_whole_sheet,
    is_whole_state,
    is_whole_step,
    is_whole_tray,
    is_whole_tray_state,
    is_whole_version,
    list_parts,
)

_SHEET = ("id", "name", "original", "format_name", "width", "height", "dots_per_inch", "remarks", "head_id", "created_at", "binned_at")  # fmt: skip
_STATE = ("id", "sheet_id", "parent_id", "redo_id", *STEP_COLUMNS, "change", "resolved", "engine_version", "created_at")  # fmt: skip
_TRAY = ("id", "name", "head_id", "created_at")
_TRAY_STATE = ("id", "tray_id", "recipe", "change", "created_at")
_VERSION = ("state_id", "name", "created_at")


def _read_all(source: Path) -> tuple[list[Row], list[Row], dict[str, str], list[Row]]:
    """Return the sheets, the states, the bodies of steps and the versions of a database, those that are whole."""
    with closing(connect_to_read(source)) as connection:
        connection.text_factory = lambda raw: raw.decode("utf-8", "replace")
        sheets = [row for row in read_rows(connection, "sheet", _SHEET) if is_whole_sheet(row)]
        states = [row for row in read_rows(connection, "state", _STATE) if is_whole_state(row)]
        steps = read_rows(connection, "step", ("name", "body"))
        versions = _read_versions(connection)
    bodies = {str(row["name"]): str(row["body"]) for row in steps if is_whole_step(row)}
    states = [row for row in states if all(name in bodies for name in _list_needed(row, bodies))]
    return sheets, states, bodies, versions


def _read_versions(connection: sqlite3.Connection) -> list[Row]:
    """Return the states that have names; none where a database is from before there were any."""
    with suppress(*UNREADABLE):
        connection.execute("SELECT 1 FROM version LIMIT 1")
        return [row for row in read_rows(connection, "version", _VERSION) if is_whole_version(row)]
    return []


def _bring_trays(source: Path, target: sqlite3.Connection, brought: dict[object, int]) -> None:
    """Bring over the trays that sheets lay in, with what is shared there now; none from before there were any.

    `brought` are the sheets' new numbers, by those that they had.
    """
    lying: list[Row] = []
    with closing(connect_to_read(source)) as connection, suppress(*UNREADABLE):
        connection.text_factory = lambda raw: raw.decode("utf-8", "replace")
        connection.execute("SELECT 1 FROM tray LIMIT 1")
        trays = [row for row in read_rows(connection, "tray", _TRAY) if is_whole_tray(row)]
        states = read_rows(connection, "tray_state", _TRAY_STATE)
        lying = read_rows(connection, "sheet", ("id", "tray_id"))
    if not lying:
        return
    shared = {row["id"]: row for row in states if is_whole_tray_state(row)}
    here = {(name, at): n for n, name, at in target.execute("SELECT id, name, created_at FROM tray")}  # fmt: skip
    numbers: dict[object, int] = {}
    for tray in trays:
        state = shared.get(tray["head_id"])
        number = here.get((tray["name"], tray["created_at"]))
        if number is None and state is not None:
            number = insert(target, "tray", {**tray, "id": None, "head_id": None})
            head = insert(target, "tray_state", {**state, "id": None, "tray_id": number})
            target.execute("UPDATE tray SET head_id = ? WHERE id = ?", (head, number))
        if number is not None:
            numbers[tray["id"]] = number
    for sheet in lying:
        if sheet["id"] in brought and sheet["tray_id"] in numbers:
            change = "UPDATE sheet SET tray_id = ? WHERE id = ?"
            target.execute(change, (numbers[sheet["tray_id"]], brought[sheet["id"]]))


def _list_needed(state: Row, bodies: dict[str, str]) -> list[str]:
    """Return the names of a state's steps, and of what those name as far as they are there."""
    steps = [str(state[step]) for step in STEP_COLUMNS]
    return steps + list_parts(bodies.get(name, "") for name in steps)


def bring_over(source: Path, target: Path, originals: Container[str]) -> tuple[int, int]:
    """Bring sheets with their histories from one database into another, where it does not have them.

    A sheet that both have gets the states it lacks, and goes to the head it had there if that went further.

    Parameters
    ----------
    source : Path
        May be damaged.
    target : Path
        Of the present revision; in use by nobody else.
    originals : container of str
        Only sheets of these are brought over.

    Returns
    -------
    tuple of int
        How many sheets were brought over, and how many states of sheets that were there already.

    Raises
    ------
    sqlite3.Error
        The source cannot be read at all, or the target not be written; it is then as it was.
    """
    sheets, states, bodies, versions = _read_all(source)
    added = gone_on = 0
    brought: dict[object, int] = {}
    numbers: dict[object, int] = {}
    to_new: dict[object, int | None] = {}
    with closing(sqlite3.connect(target)) as connection, connection:
        here = {(o, at): n for n, o, at in connection.execute("SELECT id, original, created_at FROM sheet")}  # fmt: skip
        for sheet in sheets:
            own = list(with_parents([s for s in states if s["sheet_id"] == sheet["id"]]))
            if not own or sheet["original"] not in originals:
                continue
            number = here.get((sheet["original"], sheet["created_at"]))
            is_new = number is None
            if number is None:
                head = {"id": None, "head_id": None}
                number = insert(connection, "sheet", {**sheet, **head})
                brought[sheet["id"]] = number
            numbers[sheet["id"]] = number
            count = _bring_states(connection, number, sheet, own, bodies, versions, to_new)
            added += is_new
            gone_on += 0 if is_new else count
        _bring_trays(source, connection, brought)
        bring_scenes(source, connection, numbers, to_new)
        fault = find_fault(connection)
        if fault is not None:
            raise sqlite3.IntegrityError(fault)
    return added, gone_on


def take_all_out(database: Path) -> int:
    """Take every sheet out of the bin of a database that nobody uses; return how many were in it.

    For one that was put back: what was in the bin then and taken out since would be deleted with it.
    """
    with closing(sqlite3.connect(database)) as connection, connection:
        change = "UPDATE sheet SET binned_at = NULL WHERE binned_at IS NOT NULL"
        return connection.execute(change).rowcount


def _bring_states(
    connection: sqlite3.Connection, number: int, sheet: Row, states: list[Row], bodies: dict[str, str], versions: list[Row],
    to_new: dict[object, int | None],
) -> int:  # fmt: skip
    """Bring the states of one sheet over that it lacks, and note their numbers; return how many those were."""
    chosen = "SELECT id, parent_id, created_at, change, " + ", ".join(STEP_COLUMNS)
    known = {
        row[1:]: row[0]
        for row in connection.execute(f"{chosen} FROM state WHERE sheet_id = ?", (number,))
    }
    before = connection.execute("SELECT head_id FROM sheet WHERE id = ?", (number,)).fetchone()[0]
    to_new[None] = None
    brought = set()
    for state in states:
        parent = to_new[state["parent_id"]]
        same = (parent, state["created_at"], state["change"], *(state[s] for s in STEP_COLUMNS))
        if same in known:
            to_new[state["id"]] = known[same]
            continue
        for name in _list_needed(state, bodies):
            connection.execute("INSERT OR IGNORE INTO step VALUES (?, ?)", (name, bodies[name]))
        own = {"id": None, "sheet_id": number, "parent_id": parent, "redo_id": None}
        to_new[state["id"]] = insert(connection, "state", {**state, **own})
        brought.add(state["id"])
    for state in states:
        redo = to_new.get(state["redo_id"])
        if redo is not None:
            change = "UPDATE state SET redo_id = ? WHERE id = ? AND redo_id IS NULL"
            connection.execute(change, (redo, to_new[state["id"]]))
    for version in versions:
        named: Row = {**version, "state_id": to_new.get(version["state_id"])}
        alike = "SELECT 1 FROM version WHERE state_id = ? AND name = ?"
        there = connection.execute(alike, (named["state_id"], named["name"])).fetchone()
        if named["state_id"] is not None and there is None:
            insert(connection, "version", named)
    went_on = before in to_new.values() and sheet["head_id"] in brought
    if before is None or went_on:
        latest = to_new[states[-1]["id"]]
        head = to_new.get(sheet["head_id"]) or latest
        connection.execute("UPDATE sheet SET head_id = ? WHERE id = ?", (head, number))
    return len(brought)
