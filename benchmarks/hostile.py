"""Spoilt bodies on the routes that take JSON, and spoilt messages and answers on the queue: each is refused in words or dropped.

Nobody who sends such things may end a worker, keep a job waiting, get a fault out of the server, or make either grow.
"""

import json
import random
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

from benchmarks.kills import Server, environment_of
from benchmarks.tray_kills import draw_tray_png
from benchmarks.trays import serve_redis
from tidymargin import ENGINE_VERSION
from tidymargin.formats.recipe import Recipe
from tidymargin.services.picture.keyjob import Order
from tidymargin.services.trays.queueing import Jobs, open_queue
from tidymargin.store.originals import name_of

MOST_GROWN_MB = 300.0
_WITHIN_S = 120.0

_SPOILT: tuple[Any, ...] = (
    None, True, False, -1, 0, 2**31, 2**63, 10**15, 10**400, -(10**401), 0.5, 1e308, -1e-308, "", "x", "9" * 401, "\ud800", "∞",
    "NaN", [], {}, [[]], [[[1, 2]]], [1, 2, 3], {"x": 1}, "../../etc/passwd", "a\0b", ["1", "2"], [[1, None]], [[10**20, 1]],
)  # fmt: skip
_RAW: tuple[bytes, ...] = (
    b"", b"{", b"null", b"[1]", b'{"seen": NaN}', b'{"seen": Infinity, "row": -Infinity}', b"\xff\xfe{}", b'{"a":' + b"[" * 50_000,
    b'{"seen": ' + b"9" * 5000 + b"}", b'{"seen": 1, "seen": {}}', b"\x00" * 100,
)  # fmt: skip


def list_bodies(seen: int) -> dict[str, dict[str, Any]]:
    """Return a body that is fine for each route of a sheet that takes JSON."""
    ring = [[5, 5], [40, 5], [40, 40]]
    return {
        "marks/area/keep": {"rings": [ring], "seen": seen},
        "marks/stroke": {"places": [[5, 5, 0.5], [30, 30, 1]], "verdict": "clear", "across_px": 9, "hardness": 1, "strength": 1, "like": {"colour": "ground"}, "seen": seen},
        "marks/outline": {"points": [{"x": 5, "y": 5}, {"x": 30, "y": 5, "is_smooth": True, "bend": [3, 4]}], "is_closed": False, "does": "cut_out", "number": 0, "seen": seen},
        "marks/outline/parts": {"points": [{"x": 5, "y": 5}, {"x": 30, "y": 5, "bend": [3, 4]}], "is_closed": True},
        "marks/rough": {"keep": [ring], "clear": [], "around": ring, "across_px": 9, "number": 0, "seen": seen},
        "marks/1/move": {"x": 1, "y": 2, "seen": seen},
        "marks/1/set": {"verdict": "clear", "across_px": 9, "seen": seen},
        "fences": {"places": [[1, 1], [9, 9]], "seen": seen},
        "picks": {"row": 5, "col": 5, "seen": seen},
        "tolerance": {"tolerance": 5, "seen": seen},
    }  # fmt: skip


def _spoil(value: Any, chance: random.Random) -> Any:
    """Return a value of JSON with one place in it spoilt."""
    if isinstance(value, dict) and value and chance.random() < 0.85:
        name = chance.choice(list(value))
        if chance.random() < 0.1:
            return {key: own for key, own in value.items() if key != name}
        return {**value, name: _spoil(value[name], chance)}
    if isinstance(value, list) and value and chance.random() < 0.6:
        at = chance.randrange(len(value))
        return [*value[:at], _spoil(value[at], chance), *value[at + 1 :]]
    return chance.choice(_SPOILT)


def spoil_bodies(count: int, seen: int, seed: int = 3) -> Iterator[tuple[str, bytes]]:
    """Yield so many spoilt bodies with the route of a sheet that each is for."""
    chance = random.Random(seed)
    fine = list_bodies(seen)
    for _ in range(count):
        path = chance.choice(list(fine))
        if chance.random() < 0.1:
            yield path, chance.choice(_RAW)
            continue
        body: Any = fine[path]
        for _ in range(chance.randrange(1, 4)):
            body = _spoil(body, chance)
        yield path, json.dumps(body).encode("utf-8", "surrogatepass")


def spoil_messages(count: int, seed: int = 4) -> Iterator[bytes]:
    """Yield so many spoilt messages and answers."""
    chance = random.Random(seed)
    order = {"stem": "a", "recipe": Recipe().to_json(), "engine_version": ENGINE_VERSION, "original": ""}  # fmt: skip
    fine = {"job": "somebody.1", "order": order}
    for _ in range(count):
        if chance.random() < 0.2:
            yield chance.choice(_RAW)
        elif chance.random() < 0.2:
            yield chance.randbytes(chance.randrange(1, 3000))
        else:
            yield json.dumps(_spoil(fine, chance)).encode("utf-8", "surrogatepass")


def memory_mb(process_id: int) -> float:
    """Return what a process holds in memory that is its own."""
    said = Path(f"/proc/{process_id}/status").read_text()
    return int(said.split("RssAnon:")[1].split()[0]) / 1024


def send_bodies(server: Server, count: int) -> list[str]:
    """Send spoilt bodies to a server's first sheet; return what came of them that should not."""
    wrong = []
    for path, body in spoil_bodies(count, server.head(1)):
        status, _, said = server.ask("POST", f"/sheets/1/{path}", body, "application/json")
        if status >= 500:
            wrong.append(f"{path} {body[:200]!r}: {status} {said[:200]!r}")
    return wrong


def disturb_worker(
    url: str, folder: Path, count: int, say: Callable[[str], None] = print
) -> list[str]:
    """Give a worker on a Redis spoilt messages between jobs; return what came of it that should not."""
    command = [sys.executable, "-m", "tidymargin.cli", "work"]
    env = {**environment_of(folder), "TIDYMARGIN_QUEUE": url}
    jobs = Jobs(open_queue(url))
    wrong: list[str] = []
    with subprocess.Popen(command, env=env, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL) as worker:  # fmt: skip
        try:
            assert worker.stdout is not None
            worker.stdout.readline()
            orders = {}
            for number, message in enumerate(spoil_messages(count)):
                if number % max(1, count // 5) == 0:
                    data = draw_tray_png(number)
                    orders[f"fine.{number}"] = order = Order("a", Recipe().to_json(), original=name_of(data))  # fmt: skip
                    jobs.put(f"fine.{number}", order, data)
                    if number == 0:
                        _wait_for(jobs, orders, wrong)
                        before = memory_mb(worker.pid)
                jobs._storage.put_data(f"in:{number}", message)
                jobs._storage.enqueue(message)
            _wait_for(jobs, orders, wrong)
            grown = memory_mb(worker.pid) - before
            if worker.poll() is not None:
                wrong.append("the worker ended")
            if grown > MOST_GROWN_MB:
                wrong.append(f"the worker grew by {grown:.0f} MB")
            say(f"{count} messages: {len(orders)} jobs between them done, the worker grew by {grown:.0f} MB")  # fmt: skip
        finally:
            worker.kill()
    return wrong


def _wait_for(jobs: Jobs, orders: dict[str, Order], wrong: list[str]) -> None:
    latest = time.monotonic() + _WITHIN_S
    while any(jobs.collect(name, order) is None for name, order in orders.items()):
        if time.monotonic() > latest:
            wrong.append("a job was left waiting")
            return
        time.sleep(0.05)


def main(count: int) -> bool:
    """Send so many of each and print what came of it; return whether nothing did that should not."""
    with tempfile.TemporaryDirectory() as place, serve_redis() as url:
        server = Server(Path(place))
        try:
            server.upload(draw_tray_png(1), "a.png")
            server.ask("GET", "/sheets/1/view?left=0&top=0&cell=1&width=80&height=60&asker=a")
            before = memory_mb(server.process.pid)
            wrong = send_bodies(server, 2 * count)
            grown = memory_mb(server.process.pid) - before
            if grown > MOST_GROWN_MB:
                wrong.append(f"the server grew by {grown:.0f} MB")
            print(f"{2 * count} bodies: the server grew by {grown:.0f} MB")
        finally:
            server.kill()
        wrong += disturb_worker(url, Path(place), count)
    for each in wrong:
        print(f"  {each}")
    return not wrong


def hold_many(folder: Path, sheets: int, files: int) -> list[str]:
    """Add so many small sheets to a server that may have so many files open; return what does not answer."""
    import resource

    server = Server(folder)
    wrong = []
    try:
        resource.prlimit(server.process.pid, resource.RLIMIT_NOFILE, (files, files))
        for number in range(sheets):
            status, _, body = server.upload(draw_tray_png(number), f"{number}.png")
            if status != 201:
                wrong.append(f"sheet {number}: {status} {body[:200]!r}")
                break
        status, headers, _ = server.send("/trays", name="Many", takes="all")
        pages = ["/", "/sheets", "/sheets/1/", f"/sheets/{sheets}/", "/sheets/2/export?png=1", "/sheets/3/thumbnail.png"]  # fmt: skip
        for page in [*pages, str(headers.get("Location") or "/trays/1/")]:
            status, _, body = server.ask("GET", page)
            if status != 200:
                wrong.append(f"{page}: {status} {body[:200]!r}")
    finally:
        server.kill()
    return wrong


def many(sheets: int) -> bool:
    """Print what does not answer with so many sheets and 1,024 files; return whether all does."""
    with tempfile.TemporaryDirectory() as place:
        wrong = hold_many(Path(place), sheets, 1024)
    print(f"{sheets} small sheets, 1,024 files: {wrong or 'every page answers'}")
    return not wrong
