"""How long beginning takes: of a command in seconds of work, of a newcomer in seconds by the clock."""

import json
import os
import resource
import signal
import socket
import subprocess
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np

from benchmarks.kills import Client

ROOT = Path(__file__).parents[1]
LOGO_PX = 500
_ROUNDS = 5
_NEWCOMER_S = 300.0


def draw_logo() -> bytes:
    """Return a logo on white, as PNG."""
    rgb = np.full((LOGO_PX, LOGO_PX, 3), 255, np.uint8)
    cv2.circle(rgb, (250, 220), 150, (200, 80, 40), -1, cv2.LINE_AA)
    cv2.putText(rgb, "logo", (120, 450), cv2.FONT_HERSHEY_DUPLEX, 3, (30, 30, 30), 8, cv2.LINE_AA)
    return bytes(cv2.imencode(".png", rgb[..., ::-1])[1])


def measure_command(*command: str) -> float:
    """Return how many seconds of work a command takes with all that it starts: the least of a few rounds."""
    found = []
    for _ in range(_ROUNDS):
        before = resource.getrusage(resource.RUSAGE_CHILDREN)
        subprocess.run(command, cwd=ROOT, check=True, capture_output=True)
        after = resource.getrusage(resource.RUSAGE_CHILDREN)
        found.append(after.ru_utime - before.ru_utime + after.ru_stime - before.ru_stime)
    return min(found)


def _wait(most_s: float, ask: Callable[[], bool]) -> float:
    """Ask again and again until the answer is yes; return how long that took."""
    began = time.monotonic()
    while time.monotonic() - began < most_s:
        try:
            if ask():
                return time.monotonic() - began
        except OSError:
            pass
        time.sleep(0.1)
    raise TimeoutError


def time_newcomer() -> tuple[float, float]:
    """Return how long after the command the page stands, and the clean PNG of a logo that is dropped as soon as it does.

    In a clean clone of the last commit, with an empty home and empty caches.
    """
    with tempfile.TemporaryDirectory() as place:
        clone, home = Path(place) / "clone", Path(place) / "home"
        home.mkdir()
        subprocess.run(["git", "clone", "-q", str(ROOT), str(clone)], check=True)
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            port = free.getsockname()[1]
        env = {k: v for k, v in os.environ.items() if not k.startswith(("PYTHON", "NUMBA", "TIDYMARGIN"))}  # fmt: skip
        env |= {"HOME": str(home), "XDG_CACHE_HOME": str(home / "cache")}
        began = time.monotonic()
        command = [str(clone / "tidy"), "demo", "--port", str(port)]
        running = subprocess.Popen(
            command, env=env, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
        )
        try:
            client = Client(port)
            _wait(_NEWCOMER_S, client.join)
            page_s = time.monotonic() - began
            status, _, said = client.upload(draw_logo(), "logo.png")
            assert status == 201, said
            path = json.loads(said)["place"] + "export"
            _wait(
                _NEWCOMER_S,
                lambda: client.ask("GET", path)[2].startswith(b"\x89PNG"),
            )
            return page_s, time.monotonic() - began
        finally:
            running.send_signal(signal.SIGTERM)
            running.wait()


def main() -> None:
    """Print both."""
    with tempfile.TemporaryDirectory() as place:
        logo, cut = Path(place) / "logo.png", Path(place) / "cut.png"
        logo.write_bytes(draw_logo())
        tidy = str(ROOT / "tidy")
        for words, most_s, command in (
            ("./tidy --help", 0.35, (tidy, "--help")),
            ("./tidy key --help", 0.35, (tidy, "key", "--help")),
            ("./tidy key of a logo", 1.0, (tidy, "key", str(logo), "-o", str(cut), "--replace")),
        ):
            worked_s = measure_command(*command)
            print(f"{words:<24}{worked_s:6.2f} s of work, {most_s} asked", flush=True)
    page_s, png_s = time_newcomer()
    print(f"a newcomer’s page{page_s:13.0f} s after the command")
    print(f"a newcomer’s clean PNG{png_s:8.0f} s after the command, 60 asked")
