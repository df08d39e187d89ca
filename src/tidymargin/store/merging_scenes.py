"""Bringing scenes over from another database: what they name is what it has become there."""

import json
import sqlite3
from collections.abc import Mapping
from contextlib import closing, suppress
from pathlib import Path
from typing import Any

from tidymargin.store.database import UNREADABLE, connect_to_read
from tidymargin.store.merging_rows import Row, insert, read_rows, with_parents
from tidymargin.store.rows import is_whole_scene, is_whole_scene_state, is_whole_version

_SCENE = ("id", "name", "head_id", "created_at", "binned_at")
_STATE = ("id", "scene_id", "parent_id", "redo_id", "body", "change", "created_at")
_GONE = 999_999_999_999  # a sheet that could not be brought over: the scene says that it is missing

Numbers = Mapping[object, int | None]


def _read_scenes(source: Path) -> tuple[list[Row], list[Row], list[Row]]:
    """Return scenes, their states and their versions, those that are whole; none from before there were any."""
    with closing(connect_to_read(source)) as connection, suppress(*UNREADABLE):
        connection.text_factory = lambda raw: raw.decode("utf-8", "replace")
        connection.execute("SELECT 1 FROM scene LIMIT 1")
        scenes = [row for row in read_rows(connection, "scene", _SCENE) if is_whole_scene(row)]
        states = [row for row in read_rows(connection, "scene_state", _STATE) if is_whole_scene_state(row)]  # fmt: skip
        versions = read_rows(connection, "scene_version", ("state_id", "name", "created_at"))
        return scenes, states, [row for row in versions if is_whole_version(row)]
    return [], [], []


def bring_scenes(source: Path, target: sqlite3.Connection, sheets: Numbers, sheet_states: Numbers) -> None:  # fmt: skip
    """Bring over the scenes that are not there, with their histories; one that is there keeps its own.

    Parameters
    ----------
    source : Path
        May be damaged.
    target : sqlite3.Connection
        To what they are brought.
    sheets, sheet_states : mapping
        The new numbers of sheets and of their states, by those that they had.
    """
    scenes, states, versions = _read_scenes(source)
    here = {tuple(row) for row in target.execute("SELECT name, created_at FROM scene")}
    for scene in scenes:
        own = list(with_parents([state for state in states if state["scene_id"] == scene["id"]]))
        if not own or (scene["name"], scene["created_at"]) in here:
            continue
        number = insert(target, "scene", {**scene, "id": None, "head_id": None})
        to_new: dict[object, int | None] = {None: None}
        for state in own:
            body = _rename(json.loads(str(state["body"])), sheets, sheet_states)
            changed = {"id": None, "scene_id": number, "parent_id": to_new[state["parent_id"]], "redo_id": None}  # fmt: skip
            text = json.dumps(body, sort_keys=True, separators=(",", ":"))
            to_new[state["id"]] = insert(target, "scene_state", {**state, **changed, "body": text})
        for state in own:
            redo = to_new.get(state["redo_id"])
            target.execute("UPDATE scene_state SET redo_id = ? WHERE id = ?", (redo, to_new[state["id"]]))  # fmt: skip
        head = to_new.get(scene["head_id"]) or to_new[own[-1]["id"]]
        target.execute("UPDATE scene SET head_id = ? WHERE id = ?", (head, number))
        for version in versions:
            if version["state_id"] in to_new:
                insert(
                    target, "scene_version", {**version, "state_id": to_new[version["state_id"]]}
                )


def _rename(body: dict[str, Any], sheets: Numbers, sheet_states: Numbers) -> dict[str, Any]:
    for one in (body.get("base"), *body.get("cuts", ())):
        if not isinstance(one, dict):
            continue
        for field, numbers in (("sheet", sheets), ("state", sheet_states)):
            if one.get(field) is not None:
                one[field] = numbers.get(one[field]) or _GONE
    return body
