"""A tray of a hundred exported by workers on Redis: what the second of them is worth."""

import os
import socket
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import closing, contextmanager
from pathlib import Path

from benchmarks.families import fetch, make_picture
from tidymargin.demo.truth import encode_picture
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.trays.exporter import Exporter
from tidymargin.services.trays.exports import begin_export, stand
from tidymargin.services.trays.queueing import Jobs, open_queue
from tidymargin.services.trays.trays import make_tray
from tidymargin.services.workshop.workshop import open_workshop

_SHEETS = 100
_ROUNDS = 3


@contextmanager
def serve_redis() -> Iterator[str]:
    """Give the address of a Redis on loopback, for as long as it is wanted."""
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    command = ["redis-server", "--port", str(port), "--bind", "127.0.0.1", "--save", ""]
    server = subprocess.Popen(command, stdout=subprocess.DEVNULL)
    try:
        latest = time.monotonic() + 60
        while time.monotonic() < latest:
            with socket.socket() as line:
                if line.connect_ex(("127.0.0.1", port)) == 0:
                    break
            time.sleep(0.02)
        yield f"redis://127.0.0.1:{port}/0"
    finally:
        server.kill()
        server.wait()


def _time_export(folder: Path, url: str, workers: int) -> float:
    env = {**os.environ, "TIDYMARGIN_QUEUE": url, "PYTHONPATH": os.pathsep.join(sys.path)}
    command = [sys.executable, "-m", "tidymargin.cli", "work"]
    running = [subprocess.Popen(command, env=env, stdout=subprocess.PIPE) for _ in range(workers)]
    for worker in running:
        assert worker.stdout is not None
        worker.stdout.readline()  # it is ready
    with closing(open_workshop(folder)) as workshop:
        exporter = Exporter(workshop, Jobs(open_queue(url)))
        begun = time.monotonic()
        export = begin_export(workshop, 1)
        while exporter.step():
            time.sleep(0.1)
        took = time.monotonic() - begun
        standing = stand(workshop, workshop.trays.load_export(export.id))
        assert len(standing.written) == _SHEETS, standing.failed
    for worker in running:
        worker.terminate()
        worker.wait()
    return took


def report_workers() -> None:
    """Print what two workers on Redis take over one, for a tray of a hundred."""
    with tempfile.TemporaryDirectory() as place, serve_redis() as url:
        folder = Path(place)
        with closing(open_workshop(folder)) as workshop:
            sheets = [
                add_sheet(workshop, encode_picture(make_picture(n).rgb, "png", 0), f"{n}.png")
                for n in range(1, 1 + _SHEETS)
            ]
            make_tray(workshop, "A hundred", [sheet.id for sheet in sheets])
        one, two = list[float](), list[float]()
        for _ in range(_ROUNDS):  # of each the quickest, in turn: others may be at work beside it
            one.append(_time_export(folder, url, 1))
            two.append(_time_export(folder, url, 2))
        print(f"Two workers over one: {min(two) / min(one):.2f} (asked 0.6)")


if __name__ == "__main__":
    fetch()
    report_workers()
