"""What a row must be to be one that was saved: SQLite itself looks after its pages, and not after what is in them."""

import hashlib
import json
import re
import sqlite3
from collections.abc import Iterable, Mapping
from datetime import datetime

from tidymargin.store.models import STEP_COLUMNS, Base

Row = Mapping[str, object]
_NAME_LENGTH = 64
_NAMED = re.compile(r'"of":"([0-9a-f]{64})"')


def _is_text(value: object, most: int) -> bool:
    return isinstance(value, str) and len(value) <= most and "\ufffd" not in value


def _is_json(value: object, kind: type) -> bool:
    try:
        return isinstance(json.loads(str(value)), kind)
    except ValueError:
        return False


def _is_time(value: object) -> bool:
    try:
        return datetime.fromisoformat(str(value)).tzinfo is not None
    except ValueError:
        return False


def _is_name(value: object) -> bool:
    return (
        isinstance(value, str)
        and len(value) == _NAME_LENGTH
        and set(value) <= set("0123456789abcdef")
    )


def _is_count(value: object, least: int = 1) -> bool:
    return isinstance(value, int) and value >= least


def is_whole_step(row: Row) -> bool:
    """Whether a step's body is what its name says."""
    body = row["body"]
    return isinstance(body, str) and hashlib.sha256(body.encode()).hexdigest() == row["name"]


def list_parts(bodies: Iterable[str]) -> list[str]:
    """Return the hashes of what steps name that is stored on its own."""
    return list(dict.fromkeys(name for body in bodies for name in _NAMED.findall(body)))


def is_whole_state(row: Row) -> bool:
    """Whether a state can be read."""
    return (
        all(_is_name(row[step]) for step in STEP_COLUMNS)
        and all(row[other] is None or _is_count(row[other]) for other in ("parent_id", "redo_id"))
        and _is_count(row["sheet_id"])
        and _is_count(row["engine_version"])
        and _is_text(row["change"], 40)
        and _is_json(row["resolved"], dict)
        and _is_time(row["created_at"])
    )


def is_whole_sheet(row: Row) -> bool:
    """Whether a sheet can be read, but for its head."""
    binned = row.get("binned_at")
    dots = row["dots_per_inch"]
    return (
        _is_text(row["name"], 200)
        and _is_name(row["original"])
        and _is_text(row["format_name"], 16)
        and _is_count(row["width"])
        and _is_count(row["height"])
        and (dots is None or isinstance(dots, int | float))
        and _is_json(row["remarks"], list)
        and _is_time(row["created_at"])
        and (binned is None or _is_time(binned))
    )


def is_whole_version(row: Row) -> bool:
    """Whether a named state can be read, but for the state."""
    return _is_text(row["name"], 80) and _is_count(row["state_id"]) and _is_time(row["created_at"])


def is_whole_tray(row: Row) -> bool:
    """Whether a tray can be read, but for its head."""
    return _is_text(row["name"], 80) and _is_time(row["created_at"])


def is_whole_tray_state(row: Row) -> bool:
    """Whether what a tray's sheets share can be read."""
    return (
        _is_count(row["tray_id"])
        and _is_json(row["recipe"], dict)
        and _is_text(row["change"], 40)
        and _is_time(row["created_at"])
    )


def is_whole_export(row: Row) -> bool:
    """Whether an export of a tray can be read, but for its jobs."""
    return (
        _is_count(row["tray_id"])
        and _is_text(row["name"], 80)
        and row["state"] in ("working", "paused", "stopped")
        and _is_time(row["created_at"])
    )


def is_whole_job(row: Row) -> bool:
    """Whether one sheet of an export can be read; what its report says is looked at when it is read."""
    return (
        _is_count(row["export_id"])
        and _is_count(row["sheet_id"])
        and _is_text(row["stem"], 400)
        and _is_name(row["original"])
        and _is_json(row["recipe"], dict)
        and _is_count(row["engine_version"])
        and row["state"] in ("waiting", "begun", "done", "failed")
        and isinstance(row["said"], str)
        and isinstance(row["report"], str)
    )


def is_whole_made_export(row: Row) -> bool:
    """Whether what was exported of a sheet can be read."""
    return (
        _is_count(row["sheet_id"])
        and _is_count(row["state_id"])
        and _is_json(row["files"], list)
        and _is_time(row["created_at"])
    )


def is_whole_kept_export(row: Row) -> bool:
    """Whether settings that were kept under a name can be read."""
    return _is_text(row["name"], 80) and _is_json(row["body"], dict) and _is_time(row["created_at"])


def is_whole_taken_file(row: Row) -> bool:
    """Whether it can be read what was taken out of the watched folder."""
    return _is_name(row["content"]) and _is_text(row["name"], 255) and _is_time(row["taken_at"])


def is_whole_scene(row: Row) -> bool:
    """Whether a scene can be read, but for its head."""
    binned = row["binned_at"]
    return (
        _is_text(row["name"], 200)
        and _is_time(row["created_at"])
        and (binned is None or _is_time(binned))
    )


def is_whole_scene_state(row: Row) -> bool:
    """Whether a state of a scene can be read."""
    return (
        all(row[other] is None or _is_count(row[other]) for other in ("parent_id", "redo_id"))
        and _is_count(row["scene_id"])
        and _is_json(row["body"], dict)
        and _is_text(row["change"], 40)
        and _is_time(row["created_at"])
    )


_WHOLE = {
    "step": is_whole_step,
    "state": is_whole_state,
    "sheet": is_whole_sheet,
    "version": is_whole_version,
    "tray": is_whole_tray,
    "tray_state": is_whole_tray_state,
    "tray_export": is_whole_export,
    "tray_job": is_whole_job,
    "export": is_whole_made_export,
    "kept_export": is_whole_kept_export,
    "taken_file": is_whole_taken_file,
    "scene": is_whole_scene,
    "scene_state": is_whole_scene_state,
    "scene_version": is_whole_version,
}
_LATER = set(_WHOLE) - {"step", "state", "sheet"}
"""Tables that a copy from before there were any has not got."""


def find_foreign(connection: sqlite3.Connection) -> str | None:
    """Return what a database holds that none of ours does, in words; None where there is nothing.

    A database out of a file that somebody gave may do things by itself when it is written to, or compute what is read.
    """
    ours = {name: set(table.columns.keys()) for name, table in Base.metadata.tables.items()}
    ours["alembic_version"] = {"version_num"}
    for kind, name, table, sql in connection.execute(
        "SELECT type, name, tbl_name, sql FROM sqlite_master"
    ):
        if str(name).startswith("sqlite_"):
            continue
        if kind not in ("table", "index"):
            return f"a {kind} that is not ours, {name!r:.60}"
        if table not in ours or not re.match(r"CREATE (TABLE|INDEX|UNIQUE INDEX)\b", str(sql)):
            return f"a {kind} that is not ours, {name!r:.60}"
        columns = {row[1] for row in connection.execute(f"PRAGMA table_xinfo({table})")}
        if not columns <= ours[table]:
            return f"a column that is not ours, {min(columns - ours[table])!r:.60}"
    return None


def find_fault(connection: sqlite3.Connection) -> str | None:
    """Return what is wrong with what a database holds, in words; None when every row can be read.

    Raises
    ------
    sqlite3.Error
        Its pages cannot be read.
    """
    connection.text_factory = lambda raw: raw.decode("utf-8", "replace")
    tables = {name for (name,) in connection.execute("SELECT name FROM sqlite_master")}
    for table, is_whole in _WHOLE.items():
        if table in _LATER and table not in tables:
            continue
        found = connection.execute(f"SELECT * FROM {table} ORDER BY rowid")
        columns = [column[0] for column in found.description]
        for values in found:
            if not is_whole(dict(zip(columns, values, strict=True))):
                return f"a {table} in it is not what was saved"
    steps = dict(connection.execute("SELECT name, body FROM step"))
    if any(name not in steps for name in list_parts(steps.values())):
        return "a mark in it is missing"
    if connection.execute("PRAGMA foreign_key_check").fetchone() is not None:
        return "a row in it names another that is missing"
    for kind, state in (("sheet", "state"), ("scene", "scene_state")):
        if kind not in tables:
            continue
        heads = f"SELECT 1 FROM {kind} LEFT JOIN {state} ON {state}.id = head_id AND {state}.{kind}_id = {kind}.id WHERE {state}.id IS NULL"
        if connection.execute(heads).fetchone() is not None:
            return f"a {kind} in it has no state"
    return None
