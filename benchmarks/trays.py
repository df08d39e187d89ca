"""A tray of a hundred exported by workers on Redis: what the second of them is worth."""

import os
import socket
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import closing, contextmanager
from pathlib import Path

import cv2
import numpy as np

from benchmarks.families import fetch, make_picture
from tidymargin.core.cut import Cutter
from tidymargin.demo.truth import encode_picture
from tidymargin.formats.encode import encode_png
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.trays.exporter import Exporter
from tidymargin.services.trays.exports import begin_export, stand
from tidymargin.services.trays.keeper import TrayKeeper
from tidymargin.services.trays.queueing import Jobs, open_queue
from tidymargin.services.trays.trays import make_tray
from tidymargin.services.views.cutting import load_cutter
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


_LOOKED_OVER, _SIDES_PX = 50, (1155, 1732)


def report_here() -> None:
    """Print what exporting looked-over sheets of two megapixels takes here, over encoding and fitting them on all cores."""
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        random = np.random.default_rng(0)
        with closing(open_workshop(folder)) as workshop:
            sheets = []
            for number in range(_LOOKED_OVER):
                rgb = cv2.resize(make_picture(number + 1).rgb, _SIDES_PX[::-1])
                noisy = rgb + random.normal(0, 1, rgb.shape)
                picture = np.clip(noisy, 0, 255).astype(np.uint8)
                sheets.append(
                    add_sheet(workshop, encode_picture(picture, "jpg", 92), f"{number}.jpg")
                )
            make_tray(workshop, "Fifty", [sheet.id for sheet in sheets])
            keeper = TrayKeeper(workshop)
            keeper.finish()
            cutters = [load_cutter(workshop, s) for s in sheets[:8]]

            def encode(cutter: Cutter) -> None:
                encode_png(cutter.render_whole())

            begun = time.monotonic()
            with ThreadPoolExecutor(os.cpu_count()) as pool:
                list(pool.map(encode, cutters))
            floor = (time.monotonic() - begun) * _LOOKED_OVER / len(cutters)
            export = begin_export(workshop, 1)
            begun = time.monotonic()
            keeper.start()
            while not stand(workshop, workshop.trays.load_export(export.id)).is_over:
                time.sleep(0.1)
            took = time.monotonic() - begun
            keeper.stop()
            failed = stand(workshop, workshop.trays.load_export(export.id)).failed
            assert not failed, failed
        print(f"{_LOOKED_OVER} looked-over sheets written here, over encoding and fitting them: {took / floor:.2f} (asked 1.2)")  # fmt: skip


if __name__ == "__main__":
    fetch()
    report_here()
    report_workers()
