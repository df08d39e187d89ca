"""A tray that is written while its server and its worker are killed again and again: nothing lost, nothing twice, nothing claimed.

Pictures come in by hand and out of a watched folder, all of the tray is written by pieces in two formats, and in the middle the
data folder is backed up and restored. At the end every picture that was acknowledged is there once, the ZIP holds just what its
manifest says, and nothing is left over.
"""

import hashlib
import io
import json
import os
import random
import re
import subprocess
import sys
import tempfile
import threading
import time
import zipfile
from collections import Counter
from collections.abc import Callable
from contextlib import suppress
from http.client import HTTPException
from pathlib import Path

import numpy as np
from PIL import Image

from benchmarks.kills import Server, environment_of
from benchmarks.trays import serve_redis
from tidymargin.process import PARTS
from tidymargin.services.workshop.workshop import open_workshop
from tidymargin.store.folder import EXPORTS
from tidymargin.store.originals import name_of

_WITHIN_S = 900.0
_MORE_FILES = 60  # that a server may have open at the end beyond what it had at the start


def draw_tray_png(number: int) -> bytes:
    """Return a small picture of two discs on white, of its own for each number."""
    rows, cols = np.mgrid[:60, :90]
    rgb = np.full((60, 90, 3), 255, np.uint8)
    for col in (25, 65):
        rgb[(rows - 30) ** 2 + (cols - col) ** 2 < 150] = (number % 200, number // 200 % 200, 90)
    out = io.BytesIO()
    Image.fromarray(rgb).save(out, "PNG")
    return out.getvalue()


def _draw_pages(number: int, pages: int) -> bytes:
    images = [Image.open(io.BytesIO(draw_tray_png(number + n))) for n in range(pages)]
    out = io.BytesIO()
    images[0].save(out, "TIFF", save_all=True, append_images=images[1:])
    return out.getvalue()


class TrayOrdeal:
    """A tray of so many sheets under so many kills, with workers on a Redis, or by the server alone.

    Parameters
    ----------
    place : Path
        A folder of its own, for the data, the watched folder and backups.
    seed : int
        Of its chances.
    sheets : int
        How many are added by hand; a sixth as many files come into the watched folder.
    redis : str, optional
        The queue's address; one worker runs then.
    """

    def __init__(self, place: Path, seed: int, sheets: int, redis: str | None = None) -> None:
        self._place = place
        self.folder, self._scans = place / "data", place / "scans"
        self._scans.mkdir()
        self._chance = random.Random(seed)
        self._sheets = sheets
        self._env = {"TIDYMARGIN_QUEUE": redis} if redis else {}
        self.acknowledged: list[bytes] = []
        self.scanned: list[bytes] = []
        self._server: Server | None = None
        self._worker: subprocess.Popen[bytes] | None = None
        self._session: tuple[str | None, str | None] = (None, None)
        self._ends = threading.Event()
        self.said: list[str] = []

    def go_through(self, kills: int, say: Callable[[str], None] = lambda _: None) -> None:
        """Bring pictures in, write the tray, and kill the server and the worker so many times meanwhile."""
        filling = threading.Thread(target=self._fill)
        try:
            server = self._start()
            first_files = _count_files(server)
            tray = self._make_tray(server)
            filling.start()
            for number in range(kills):
                self._work_a_while(tray, number)
                self._kill()
                if number == kills // 2:
                    self._restore()
                    say(f"kill {number + 1}: backed up and restored")
                self._start()
            self._finish(tray)
            assert self._server is not None
            files = _count_files(self._server)
            if files > first_files + _MORE_FILES:
                self.said.append(f"{files} files are open, where {first_files} were at the start")
            self._look_at_zip(tray)
        finally:
            self._ends.set()
            if filling.ident is not None:
                filling.join()
            self._kill()
        self._look_at_folder()

    def _start(self) -> Server:
        options = ("--watch", str(self._scans))
        self._server = Server(self.folder, *self._session, options=options, env=self._env)
        self._session = self._server.cookie, self._server.token
        if self._env:
            command = [sys.executable, "-m", "tidymargin.cli", "work"]
            env = {**environment_of(self.folder), **self._env}
            self._worker = subprocess.Popen(command, env=env, stdout=subprocess.DEVNULL)
        return self._server

    def _kill(self) -> None:
        if self._server is not None:
            self._server.kill()
        if self._worker is not None:
            self._worker.kill()
            self._worker.wait()
        self._server = self._worker = None

    def _fill(self) -> None:
        """Put files into the watched folder, now and then one of several pictures, half-written ones between."""
        for number in range(max(4, self._sheets // 6)):
            if number % 5 == 4:
                data, ending = _draw_pages(20_000 + 10 * number, 3), "tif"
                self.scanned += [data]
            else:
                data, ending = draw_tray_png(10_000 + number), "png"
                self.scanned += [data]
            place = self._scans / f"scan {number}.{ending}"
            place.write_bytes(data[: len(data) // 2])
            self._ends.wait(0.1)
            place.write_bytes(data)
            if self._ends.wait(0.3):
                return

    def _make_tray(self, server: Server) -> int:
        status, headers, _ = server.send("/trays", name="Ordeal")
        assert status == 303
        tray = int(re.findall(r"\d+", headers["Location"])[0])
        for number in range(self._sheets):
            self._upload(server, tray, number)
        seen = self._read(f"/trays/{tray}/", r'name="seen" value="(\d+)"')
        values = {"format": ["png", "webp"], "pieces": "1", "extent": "trim", "margin_px": "2"}
        assert server.send(f"/trays/{tray}/export-as", seen=seen, **values)[0] == 303
        assert server.send(f"/trays/{tray}/export")[0] == 303
        return tray

    def _upload(self, server: Server, tray: int, number: int) -> None:
        data = draw_tray_png(number)
        status, _, body = server.upload(data, "sheet.png", f"/sheets?tray={tray}")
        assert status == 201, body
        self.acknowledged.append(data)

    def _read(self, path: str, pattern: str) -> str:
        assert self._server is not None
        found = re.search(pattern, self._server.ask("GET", path)[2].decode())
        assert found is not None, path
        return found.group(1)

    def _work_a_while(self, tray: int, number: int) -> None:
        assert self._server is not None
        self._upload(self._server, tray, 5000 + number)
        with suppress(OSError, HTTPException):
            self._server.ask("GET", f"/trays/{tray}/")
        time.sleep(self._chance.uniform(0.1, 1.5))

    def _restore(self) -> None:
        """Back the folder up and restore it in its own place; nothing serves it meanwhile."""
        backup = self._place / "all.zip"
        for command in (["backup", str(backup)], ["restore", str(backup), "--replace"]):
            done = subprocess.run(
                [sys.executable, "-m", "tidymargin.cli", *command],
                env=environment_of(self.folder), capture_output=True, text=True,
            )  # fmt: skip
            assert done.returncode == 0, done.stderr
        self._session = (None, None)  # what signs forms is in no backup

    def _finish(self, tray: int) -> None:
        """Wait until all is taken in and written; what a restore left out is written again."""
        latest = time.monotonic() + _WITHIN_S
        wanted = set(map(name_of, self.scanned))
        assert self._server is not None
        while time.monotonic() < latest:
            page = self._server.ask("GET", f"/trays/{tray}/")[2].decode()
            export = re.search(r"/exports/(\d+)/", page)
            is_over = re.search(r"\d+ of \d+ written[^<…]*\.", page)
            if is_over and export and "/retry" in page:
                assert self._server.send(f"/exports/{export.group(1)}/retry")[0] == 303
            elif is_over and self._count_taken() >= len(wanted):
                return
            time.sleep(0.5)
        raise AssertionError(
            f"not done in {_WITHIN_S:.0f} s: {self._server.ask('GET', '/watched')[2]!r}"
        )

    def _count_taken(self) -> int:
        import sqlite3
        from contextlib import closing

        with closing(sqlite3.connect(f"file:{self.folder}/sheets.sqlite?mode=ro", uri=True)) as read:  # fmt: skip
            return int(read.execute("SELECT count(*) FROM taken_file").fetchone()[0])

    def _look_at_zip(self, tray: int) -> None:
        assert self._server is not None
        export = self._read(f"/trays/{tray}/", r"/exports/(\d+)/")
        status, _, body = self._server.ask("GET", f"/exports/{export}/files.zip")
        assert status == 200, body
        with zipfile.ZipFile(io.BytesIO(body)) as archive:
            rows = json.loads(archive.read("manifest.json"))["pictures"]
            stated = {n: h for row in rows for n, h in zip(row["files"], row["sha256"], strict=True)}  # fmt: skip
            found = {
                name: hashlib.sha256(archive.read(name)).hexdigest()
                for name in archive.namelist()
                if not name.startswith("manifest.")
            }
            if len(archive.namelist()) != len(found) + 2 or found != stated:
                self.said.append("the ZIP is not what its manifest says")
        failed = [row["failed"] for row in rows if row["failed"]]
        if failed or len(rows) != self._sheets or len(found) != 4 * self._sheets:
            self.said.append(f"{len(rows)} rows, {len(found)} files, failed: {failed[:3]}")
        if len({name.lower() for name in found}) != len(found):
            self.said.append("two files of one name")

    def _look_at_folder(self) -> None:
        """Note what is not there, what is there twice, and what was left over."""
        shop = open_workshop(self.folder)
        try:
            counts = Counter(sheet.original for sheet in shop.sheets.list_all())
        finally:
            shop.close()
        by_hand = Counter(map(name_of, self.acknowledged))
        lost = [name for name in by_hand if not counts[name]]
        pictures = [data for data in self.scanned if data.startswith(b"\x89PNG")]
        pages = 3 * (len(self.scanned) - len(pictures))
        lost += [name for name in map(name_of, pictures) if not counts[name]]
        if lost:
            self.said.append(f"{len(lost)} pictures are lost")
        # an upload that was not acknowledged may be there; each of these was, or the server would have been asked again
        if sum(counts.values()) != len(counts) or len(counts) != len(by_hand) + len(pictures) + pages:  # fmt: skip
            self.said.append(f"{sum(counts.values())} sheets of {len(counts)} pictures, where {len(by_hand)} + {len(pictures)} + {pages} were given")  # fmt: skip
        left = [*self.folder.glob(f"{PARTS}*"), *(self.folder / EXPORTS).rglob("*.part")]
        if left:
            self.said.append(f"left over: {left}")
        mine = [pid for pid in _list_processes() if str(self._place) in _environment_of(pid)]
        if mine:
            self.said.append(f"processes still run: {mine}")


def _count_files(server: Server) -> int:
    return len(list(Path(f"/proc/{server.process.pid}/fd").iterdir()))


def _list_processes() -> list[int]:
    own = os.getpid()
    return [int(p.name) for p in Path("/proc").iterdir() if p.name.isdigit() and int(p.name) != own]


def _environment_of(process_id: int) -> str:
    with suppress(OSError):
        return Path(f"/proc/{process_id}/environ").read_bytes().decode("utf-8", "replace")
    return ""


def main(kills: int, sheets: int = 300) -> bool:
    """Go through both ordeals and print what was found; return whether nothing was."""
    said = []
    for has_worker in (False, True):
        with tempfile.TemporaryDirectory() as place, serve_redis() as url:
            ordeal = TrayOrdeal(Path(place), 50 + has_worker, sheets, url if has_worker else None)
            ordeal.go_through(kills, print)
            how = "a worker on Redis" if has_worker else "the server alone"
            print(f"a tray of {sheets} sheets, {how}, {kills} kills: {ordeal.said or 'nothing lost'}")  # fmt: skip
            said += ordeal.said
    return not said
