"""A manifest of what was keyed together, as CSV and as JSON, the doubtful named first."""

import csv
import io
import json
from dataclasses import asdict, dataclass
from typing import Any

from tidymargin.services.picture.keyjob import Report

CSV_NAME, JSON_NAME = "manifest.csv", "manifest.json"
COLUMNS = ("name", "files", "width", "height", "ground", "nature", "faults", "severe", "to_look_at", "doubt", "reasons", "failed", "renamed")  # fmt: skip
_BEGINS_FORMULA = ("=", "+", "-", "@", "\t", "\r")


@dataclass(frozen=True, slots=True)
class Entry:
    """One picture of a manifest: what came of it, or why nothing did."""

    name: str
    report: Report | None
    failed: str = ""

    @property
    def doubt(self) -> float:
        """How doubtful it is, 0 to 1; a failure is more than that."""
        return 2.0 if self.report is None else self.report.doubt

    def to_row(self) -> dict[str, Any]:
        """Return it as plain values."""
        report = {} if self.report is None else asdict(self.report)
        return {**report, "name": self.name, "failed": self.failed}


def list_doubtful(entries: list[Entry]) -> list[Entry]:
    """Return what failed and what a person should look at, the most doubtful first."""
    doubtful = [entry for entry in entries if entry.report is None or entry.report.to_look_at]
    return sorted(doubtful, key=lambda entry: -entry.doubt)


def write_json(entries: list[Entry]) -> bytes:
    """Return a manifest as JSON."""
    rows = [entry.to_row() for entry in entries]
    return (json.dumps({"pictures": rows}, indent=1, ensure_ascii=False) + "\n").encode()


def write_csv(entries: list[Entry]) -> bytes:
    """Return a manifest as CSV; no name can become a formula in a table that opens it."""
    out = io.StringIO()
    writer = csv.DictWriter(out, COLUMNS, extrasaction="ignore")
    writer.writeheader()
    for entry in entries:
        writer.writerow({name: _to_cell(value) for name, value in entry.to_row().items()})
    return out.getvalue().encode("utf-8-sig")


def _to_cell(value: Any) -> Any:
    if isinstance(value, list | tuple):
        value = "; ".join(map(str, value))
    if isinstance(value, str) and value.startswith(_BEGINS_FORMULA):
        return "'" + value
    return value
