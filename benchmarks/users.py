"""Eight users at once on one server: errors, wrong cuts, how long pages take, and memory."""

import http.client
import os
import re
import socket
import statistics
import subprocess
import sys
import tempfile
import threading
import time
from contextlib import closing
from pathlib import Path
from urllib.parse import urlencode

import numpy as np

from benchmarks.figures import FIGURES
from benchmarks.keying import key_file
from benchmarks.speed import make_sheet
from benchmarks.windows import EMPTY_FILE, Seen, use_window
from tidymargin.demo.drawing import Drawing, lay_over
from tidymargin.demo.truth import encode_picture
from tidymargin.formats.recipe import Recipe, change_recipe

USERS = 8
_BUDGET_MB = 4096


class _Session:
    """One browser's session, as plain requests."""

    def __init__(self, port: int, seen: Seen) -> None:
        self._port, self.seen = port, seen
        self._cookie = self._token = ""
        _, headers, body = self.ask("GET", "/")
        self._cookie = str(headers["Set-Cookie"]).split(";")[0]
        found = re.search(r'data-token="([^"]+)"', body.decode())
        self._token = found.group(1) if found else ""

    def ask(
        self, method: str, path: str, body: bytes | str | None = None, kind: str = ""
    ) -> tuple[int, http.client.HTTPMessage, bytes]:
        headers = {"Accept": "application/json", "Cookie": self._cookie, "X-CSRFToken": self._token}
        if kind:
            headers["Content-Type"] = kind
        with closing(http.client.HTTPConnection("127.0.0.1", self._port, timeout=120)) as line:
            line.request(method, path, body, headers)
            answer = line.getresponse()
            data = answer.read()
        if answer.status >= 400:
            self.seen.errors.append(f"{method} {path}: {answer.status} {data[:120]!r}")
        return answer.status, answer.headers, data

    def page(self, path: str) -> None:
        for asked, times in ((path, self.seen.pages), (EMPTY_FILE, self.seen.files)):
            start = time.perf_counter()
            self.ask("GET", asked)
            times.append(time.perf_counter() - start)

    def upload(self, data: bytes) -> int:
        limit = "b0undary"
        head = (
            f'--{limit}\r\nContent-Disposition: form-data; name="picture"; filename="p.png"\r\n\r\n'
        )
        body = head.encode() + data + f"\r\n--{limit}--\r\n".encode()
        _, _, answer = self.ask("POST", "/sheets", body, f"multipart/form-data; boundary={limit}")
        found = re.search(rb"sheets/(\d+)", answer)
        return int(found.group(1)) if found else 0

    def set_tolerance(self, sheet: int, tolerance: float) -> None:
        _, _, answer = self.ask("GET", f"/sheets/{sheet}/head")
        found = re.search(rb"\d+", answer)
        values = {"seen": found.group().decode() if found else "", "tolerance": tolerance}
        form = "application/x-www-form-urlencoded"
        self.ask("POST", f"/sheets/{sheet}/tolerance", urlencode(values), form)


def _draw(number: int) -> bytes:
    drawing = Drawing(300, 300, 3)
    FIGURES[number % len(FIGURES)](drawing, np.random.default_rng(number))
    return encode_picture(lay_over(drawing.render(), np.full(3, 255.0)), "png")


def _use(port: int, number: int, until: float, seen: Seen) -> None:
    session = _Session(port, seen)
    random = np.random.default_rng(number)
    turn = 0
    while time.perf_counter() < until:
        data = _draw(100 * number + turn)
        sheet = session.upload(data)
        session.page(f"/sheets/{sheet}/?open=reach")
        tolerance = round(float(random.uniform(2, 20)), 1)
        for step in range(10):  # a drag
            tried = round(tolerance * (step + 1) / 10, 1)
            view = f"left=0&top=0&cell=1&width=300&height=300&tolerance={tried}&asker={number}"
            session.ask("GET", f"/sheets/{sheet}/view?{view}")
        session.set_tolerance(sheet, tolerance)
        session.page(f"/sheets/{sheet}/?open=reach")
        _, _, cut = session.ask("GET", f"/sheets/{sheet}/export?png=1")
        seen.exports.append((data, tolerance, cut))
        session.page("/")
        turn += 1


def _peak_mb(process: int) -> float:
    status = Path(f"/proc/{process}/status").read_text()
    return int(status.split("VmHWM:")[1].split()[0]) / 1024


def main(seconds: float, *, in_windows: bool = False) -> None:
    """Let the users work for so long, by plain requests or in browsers, and print what they met with."""
    large = [make_sheet("net, line art", kind, 35) for kind in ("flat", "paper")]
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    with tempfile.TemporaryDirectory() as folder:
        command = [sys.executable, "-m", "tidymargin.cli", "serve", "--port", str(port)]
        server = subprocess.Popen(command, env={**os.environ, "TIDYMARGIN_DATA": folder})
        time.sleep(6)
        all_seen = [Seen() for _ in range(USERS)]
        until = time.perf_counter() + seconds

        def use(number: int, seen: Seen) -> None:
            if in_windows:
                use_window(port, number, lambda: time.perf_counter() >= until, _draw, seen)
            else:
                _use(port, number, until, seen)

        threads = [
            threading.Thread(target=use, args=(number, seen))
            for number, seen in enumerate(all_seen)
        ]
        heavy = _Session(port, Seen())
        for data in large:
            heavy.upload(data)
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        peak = _peak_mb(server.pid)
        server.terminate()
        server.wait()
    wrong = 0
    for seen in all_seen:
        for data, tolerance, cut in seen.exports:
            recipe = change_recipe(Recipe(), "reach", tolerance=tolerance)
            wrong += key_file(data, recipe) != cut
    pages = [took for seen in all_seen for took in seen.pages]
    errors = [error for seen in all_seen for error in seen.errors] + heavy.seen.errors
    how = "in browsers of their own" if in_windows else "by plain requests"
    print(f"{USERS} users, {how}, for {seconds:.0f} s, two 35 MP sheets computed meanwhile")
    files = [took for seen in all_seen for took in seen.files]
    print(
        f"  pages {len(pages)}, median {1000 * statistics.median(pages):.0f} ms; "
        f"a small file in the same time {1000 * statistics.median(files):.0f} ms"
    )
    print(f"  exports {sum(len(s.exports) for s in all_seen)}, of which wrong {wrong}")
    print(f"  errors {len(errors)}")
    for error in errors[:10]:
        print(f"    {error}")
    print(f"  peak of memory over the stated {_BUDGET_MB} MB: {peak / _BUDGET_MB:.2f}")
