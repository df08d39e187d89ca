"""Many marks on a large sheet: how long a new stroke takes to be seen, and what exporting them takes."""

import http.client
import json
import socket
import statistics
import tempfile
import threading
import time
from collections.abc import Callable
from dataclasses import asdict
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any
from urllib.parse import urlencode

import numpy as np

from benchmarks.speed import make_sheet
from tidymargin.services.edits import marking
from tidymargin.services.edits.changing import begin
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.picture.warming import warm_kernels
from tidymargin.services.views.exporting import export_sheet
from tidymargin.services.views.measuring import load_measured
from tidymargin.services.views.windows import View
from tidymargin.services.workshop.workshop import open_workshop
from tidymargin.store.values import Sheet
from tidymargin.web.server import make_server

_PLACES, _ACROSS_PX = 150, 40.0
_VIEW = (1100, 700)
_PAUSE_S = 1.0


def _draw_stroke(random: np.random.Generator, height: int, width: int) -> list[list[float]]:
    """Return a wavy line of 150 places somewhere on a sheet, a few hundred pixels long."""
    start = random.uniform((300, 300), (width - 300, height - 300))
    steps = random.normal(0, 1, 2) * 0.5 + np.cumsum(random.normal(0, 0.5, (_PLACES, 2)), axis=0)
    way = start + np.cumsum(2 * steps / np.hypot(*steps.T).mean(), axis=0)
    return [[float(x), float(y)] for x, y in way]


def _add(workshop: Any, sheet: Sheet, random: np.random.Generator, count: int) -> Sheet:
    for number in range(count):
        places = _draw_stroke(random, sheet.height, sheet.width)
        verdict = "clear" if number % 2 else "keep"
        sheet = marking.add_stroke(
            begin(workshop, sheet.id, sheet.head),
            places,
            {"verdict": verdict, "across_px": _ACROSS_PX},
        )
    return sheet


def _timed(call: Callable[[], object]) -> float:
    began = time.perf_counter()
    call()
    return time.perf_counter() - began


def report_strokes(megapixels: int = 35) -> None:
    """Print what a further stroke takes among 200 over an empty fetch, and 500 marks exported over 5."""
    warm_kernels()
    random = np.random.default_rng(8)
    with tempfile.TemporaryDirectory() as folder:
        workshop = open_workshop(Path(folder))
        try:
            data = make_sheet("pebble, photo-like", "screen", megapixels)
            sheet = add_sheet(workshop, data, "large.png")
            load_measured(workshop, sheet)
            _export(workshop, sheet)
            sheet = _add(workshop, sheet, random, 5)
            few = min(_export(workshop, sheet) for _ in range(2))
            sheet = _add(workshop, sheet, random, 195)
            _report_views(workshop, sheet, random)
            sheet = _add(workshop, workshop.sheets.load(sheet.id), random, 500 - len(marking.list_marks(workshop.sheets.load(sheet.id))))  # fmt: skip
            print(f"few {few:.2f} s")
            many = min(_export(workshop, sheet) for _ in range(2))
            print(f"500 marks exported: {many / few:.2f} times of 5")
        finally:
            workshop.close()


def _export(workshop: Any, sheet: Sheet) -> float:
    return _timed(lambda: export_sheet(workshop, sheet).data)


class _Bytes(BaseHTTPRequestHandler):
    """Answers with as many bytes as the address says."""

    protocol_version = "HTTP/1.1"

    def do_GET(self) -> None:
        body = bytes(int(self.path[1:]))
        self.send_response(200)
        self.send_header("Content-Length", str(len(body)))
        self.end_headers()
        self.wfile.write(body)

    def log_message(self, *_: object) -> None:
        """Say nothing."""


class _Line:
    """A kept connection to a server, as a browser has it."""

    def __init__(self, port: int) -> None:
        self._line = http.client.HTTPConnection("127.0.0.1", port, timeout=120)
        self.headers: dict[str, str] = {"Accept": "application/json"}

    def close(self) -> None:
        self._line.close()

    def ask(self, method: str, path: str, body: dict[str, Any] | None = None) -> bytes:
        kind = {"Content-Type": "application/json"} if body else {}
        self._line.request(method, path, json.dumps(body) if body else None, {**self.headers, **kind})  # fmt: skip
        answer = self._line.getresponse()
        data = answer.read()
        if answer.status >= 400:
            raise RuntimeError(f"{method} {path}: {answer.status} {data[:200]!r}")
        if "Set-Cookie" in answer.headers:
            self.headers["Cookie"] = str(answer.headers["Set-Cookie"]).split(";")[0]
        return data


def _report_views(workshop: Any, sheet: Sheet, random: np.random.Generator) -> None:
    """Print what a stroke and the view after it take, over fetching as many bytes of nothing."""
    server = make_server(workshop, socket.create_server(("127.0.0.1", 0)))
    threading.Thread(target=server.run, daemon=True).start()
    nothing = ThreadingHTTPServer(("127.0.0.1", 0), _Bytes)
    threading.Thread(target=nothing.serve_forever, daemon=True).start()
    line, empty = _Line(int(server.effective_port)), _Line(nothing.server_port)
    page = line.ask("GET", "/")
    line.headers["X-CSRFToken"] = page.split(b'data-token="')[1].split(b'"')[0].decode()
    wide, tall = _VIEW
    cell = max(sheet.width / wide, sheet.height / tall)
    views = {
        "whole": View(0, 0, cell, int(sheet.width / cell), int(sheet.height / cell)),
        "100 %": View(1000, 1000, 1, wide, tall),
    }
    for name, view in views.items():
        address = f"/sheets/{sheet.id}/view?{urlencode(asdict(view))}"
        size = len(line.ask("GET", address))
        rows = []
        for _ in range(9):
            middle = (
                view.left + view.cell * view.width / 2,
                view.top + view.cell * view.height / 2,
            )
            places = np.array(_draw_stroke(random, sheet.height, sheet.width))
            places += np.array(middle) - places.mean(axis=0)
            time.sleep(_PAUSE_S)  # as a hand pauses; the picture of each state is kept behind that
            head = workshop.sheets.load(sheet.id).head
            said = {"verdict": "clear", "places": places.tolist(), "across_px": _ACROSS_PX, "seen": head, "open": "by_hand"}  # fmt: skip
            times = [time.perf_counter()]
            for ask in (
                lambda: empty.ask("GET", f"/{size}"),  # noqa: B023
                lambda: line.ask("POST", f"/sheets/{sheet.id}/marks/stroke", said),  # noqa: B023
                lambda: line.ask("GET", address),  # noqa: B023
            ):
                ask()  # type: ignore[no-untyped-call]
                times.append(time.perf_counter())
            rows.append(np.diff(times))
        floor, change, look = (1000 * statistics.median(column) for column in zip(*rows, strict=True))  # fmt: skip
        print(f"{name}, {size / 1e6:.1f} MB: empty {floor:.1f} ms; the change {change:.0f} ms, the view {look:.0f} ms: {(change + look) / floor:.1f} times, the view alone {look / floor:.1f}")  # fmt: skip
    empty.close()
    line.close()
    nothing.shutdown()
    server.close()
