"""Rows as they are read out of a database that may be damaged, and put into another."""

import sqlite3
from collections.abc import Iterator
from contextlib import suppress

from tidymargin.store.database import UNREADABLE

Row = dict[str, object]

_BEYOND = 10_000  # numbers that are tried behind the last one that could be read


def read_rows(connection: sqlite3.Connection, table: str, columns: tuple[str, ...]) -> list[Row]:
    """Return the rows of a table, going on one by one behind places that cannot be read."""
    chosen = f"SELECT rowid, {', '.join(columns)} FROM {table}"
    found: dict[int, Row] = {}
    last = 0
    with suppress(*UNREADABLE):
        for number, *values in connection.execute(f"{chosen} ORDER BY rowid"):
            found[number] = dict(zip(columns, values, strict=True))
            last = number
        return list(found.values())
    with suppress(*UNREADABLE):
        last = max(last, connection.execute(f"SELECT max(rowid) FROM {table}").fetchone()[0] or 0)
    for number in range(1, last + _BEYOND):
        if number in found:
            continue
        with suppress(*UNREADABLE):
            row = connection.execute(f"{chosen} WHERE rowid = ?", (number,)).fetchone()
            if row is not None:
                found[number] = dict(zip(columns, row[1:], strict=True))
    return [found[number] for number in sorted(found)]


def insert(target: sqlite3.Connection, table: str, row: Row) -> int:
    """Put a row into a table; return its number."""
    columns = ", ".join(row)
    marks = ", ".join("?" * len(row))
    done = target.execute(f"INSERT INTO {table} ({columns}) VALUES ({marks})", tuple(row.values()))
    return int(done.lastrowid or 0)


def with_parents(states: list[Row]) -> Iterator[Row]:
    """Yield the states whose way back to the first one is whole, each after its parent."""
    there: set[object] = {None}
    for state in sorted(states, key=lambda state: int(str(state["id"]))):
        if state["parent_id"] in there:
            there.add(state["id"])
            yield state
