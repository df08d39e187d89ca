"""A server that is killed, ended and damaged again and again: nothing that it acknowledged may be lost.

What a damaged database cannot give back must be said in words, and no original may be lost by it.
"""

import http.client
import io
import os
import random
import re
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Mapping
from contextlib import closing, suppress
from pathlib import Path
from urllib.parse import urlencode

import numpy as np
from PIL import Image

import tidymargin
from tidymargin.core.base.errors import NotFoundError
from tidymargin.services.workshop.workshop import open_workshop
from tidymargin.store.originals import name_of

_ENDS_WITHIN_S = 40


class RefusedError(Exception):
    """A command that ended by itself; its words are the message."""


class Client:
    """A browser's session with a server on a port of this machine."""

    def __init__(self, port: int, cookie: str | None = None, token: str | None = None) -> None:
        self.port, self.cookie, self.token = port, cookie, token

    def join(self) -> bool:
        """Load the first page and begin a session; False where the page cannot be had.

        Raises
        ------
        OSError
            Nobody answers.
        """
        status, headers, body = self.ask("GET", "/")
        if status == 200 and self.token is None:
            self.cookie = headers["Set-Cookie"].split(";")[0]
            self.token = _find(r'data-token="([^"]+)"', body)
        return status == 200

    def ask(
        self, method: str, path: str, body: bytes | str | None = None, kind: str | None = None
    ) -> tuple[int, http.client.HTTPMessage, bytes]:
        """Send a request as the page's script does; return status, headers and body."""
        headers = {"Accept": "application/json"}
        if self.token:
            headers |= {"Cookie": self.cookie or "", "X-CSRFToken": self.token}
        if kind:
            headers["Content-Type"] = kind
        with closing(http.client.HTTPConnection("127.0.0.1", self.port, timeout=30)) as connection:
            connection.request(method, path, body, headers)
            answer = connection.getresponse()
            return answer.status, answer.headers, answer.read()

    def upload(
        self, data: bytes, name: str, to: str = "/sheets"
    ) -> tuple[int, http.client.HTTPMessage, bytes]:
        """Bring a picture in."""
        body, kind = self._to_form(data, name)
        return self.ask("POST", to, body, kind)

    def to_upload(self, data: bytes, name: str) -> bytes:
        """Return the whole request that brings a picture in, to be sent by hand."""
        body, kind = self._to_form(data, name)
        head = (
            f"POST /sheets HTTP/1.1\r\nHost: 127.0.0.1:{self.port}\r\nCookie: {self.cookie}\r\n"
            f"X-CSRFToken: {self.token}\r\nContent-Type: {kind}\r\nContent-Length: {len(body)}\r\n\r\n"
        )
        return head.encode() + body

    @staticmethod
    def _to_form(data: bytes, name: str) -> tuple[bytes, str]:
        limit = "b0undary"
        head = (
            f'--{limit}\r\nContent-Disposition: form-data; name="picture"; filename="{name}"\r\n'
            "Content-Type: image/png\r\n\r\n"
        )
        body = head.encode() + data + f"\r\n--{limit}--\r\n".encode()
        return body, f"multipart/form-data; boundary={limit}"

    def change(
        self, sheet: int, path: str, **values: object
    ) -> tuple[int, http.client.HTTPMessage, bytes]:
        """Send a form of a sheet."""
        return self.send(f"/sheets/{sheet}/{path}", **values)

    def send(self, path: str, **values: object) -> tuple[int, http.client.HTTPMessage, bytes]:
        """Send a form."""
        form = "application/x-www-form-urlencoded"
        return self.ask("POST", path, urlencode(values, doseq=True), form)

    def head(self, sheet: int) -> int:
        """Return the number of a sheet's present state."""
        return int(_find(r"(\d+)", self.ask("GET", f"/sheets/{sheet}/head")[2]))


class Server(Client):
    """The real server in a process of its own, and a browser's session with it."""

    def __init__(
        self,
        folder: Path,
        cookie: str | None = None,
        token: str | None = None,
        *,
        options: tuple[str, ...] = (),
        env: Mapping[str, str] | None = None,
    ) -> None:
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            super().__init__(free.getsockname()[1], cookie, token)
        self.process = subprocess.Popen(
            [sys.executable, "-m", "tidymargin.cli", "serve", "--port", str(self.port), *options],
            env={**environment_of(folder), **(env or {})},
            stdout=subprocess.DEVNULL,
            stderr=subprocess.PIPE,
        )
        for _ in range(600):
            if self.process.poll() is not None:
                raise RefusedError(self.process.communicate()[1].decode())
            try:
                if self.join():
                    return
            except OSError:
                time.sleep(0.05)
                continue
            break
        self.kill()
        raise AssertionError("the server did not begin")

    def close(self) -> None:
        """End it if it still runs."""
        self.kill()

    def kill(self) -> None:
        """End it at once, where it has not ended."""
        if self.process.poll() is None:
            self.process.kill()
            self.process.wait()
        if self.process.stderr is not None:
            self.process.stderr.close()

    def end(self) -> int:
        """Ask it to end; return its exit code."""
        self.process.send_signal(signal.SIGTERM)
        said = self.process.communicate(timeout=_ENDS_WITHIN_S)[1].decode()
        assert "Traceback" not in said, said
        return self.process.returncode


def environment_of(folder: Path) -> dict[str, str]:
    """Return the environment of a command that works on a data folder."""
    source = str(Path(tidymargin.__file__).parent.parent)
    return {**os.environ, "TIDYMARGIN_DATA": str(folder), "PYTHONPATH": source}


def _find(pattern: str, body: bytes) -> str:
    found = re.search(pattern, body.decode())
    assert found is not None, body
    return found.group(1)


def small_png(number: int) -> bytes:
    """Return a small picture of its own for each number."""
    rgb = np.full((24, 24, 3), 255, np.uint8)
    rgb[6:18, 6:18] = (number % 251, number // 251 % 251, number // 251 // 251)
    out = io.BytesIO()
    Image.fromarray(rgb).save(out, "PNG")
    return out.getvalue()


def mend(folder: Path) -> str:
    """Run the doctor on a data folder; return what it says."""
    command = [sys.executable, "-m", "tidymargin.cli", "doctor", "--fix"]
    done = subprocess.run(command, env=environment_of(folder), capture_output=True, text=True)
    assert done.returncode in (0, 65), done.stderr
    return done.stdout


def _flip(place: Path, chance: random.Random) -> None:
    data = bytearray(place.read_bytes())
    for _ in range(40):
        data[chance.randrange(len(data))] ^= 1 << chance.randrange(8)
    place.write_bytes(data)


DAMAGES: dict[str, Callable[[Path, random.Random], object]] = {
    "the cache deleted": lambda folder, _: shutil.rmtree(folder / "cache", ignore_errors=True),
    "bits of the database flipped": lambda folder, chance: _flip(folder / "sheets.sqlite", chance),
    "the database cut off": lambda folder, _: os.truncate(folder / "sheets.sqlite", 9000),
    "the database deleted": lambda folder, _: (folder / "sheets.sqlite").unlink(),
    "other bytes in the database's place": lambda folder, chance: (
        folder / "sheets.sqlite"
    ).write_bytes(chance.randbytes(5000)),
}


class Ordeal:
    """Rounds of a working server that is ended in the middle; what was acknowledged is remembered."""

    def __init__(self, folder: Path, seed: int) -> None:
        self.folder = folder
        self.chance = random.Random(seed)
        self.added: list[bytes] = []
        self.numbered: dict[
            int, bytes
        ] = {}  # those whose numbers still hold: the doctor may give others
        self.maybe_gone: set[bytes] = set()
        self.changed: list[tuple[int, float]] = []  # margin, when it was acknowledged
        self.told: list[str] = []
        self._numbers = iter(range(1, 10**7))
        self._session: tuple[str | None, str | None] = (None, None)
        self._begun_at = 0.0
        self._server: Server | None = None

    def _upload(self, server: Server) -> None:
        while True:
            data = small_png(next(self._numbers))
            status, _, body = server.upload(data, "p.png")
            assert status == 201, body
            self.added.append(data)
            self.numbered[int(_find(r"sheets/(\d+)", body))] = data

    def _change(self, server: Server) -> None:
        while True:
            head, margin = server.head(1), next(self._numbers) % 4000
            status, _, body = server.change(1, "export", seen=head, extent="trim", margin_px=margin)
            assert status in (303, 409), body
            if status == 303 and server.head(1) != head:
                self.changed.append((margin, time.time()))

    def _bin(self, server: Server) -> None:
        done: set[int] = set()
        while True:
            time.sleep(0.05)
            left = sorted(set(self.numbered) - done - {1})
            if not left:
                continue
            sheet = self.chance.choice(left)
            done.add(sheet)
            # from here until it is out again, whatever empties the bin takes it too
            self.maybe_gone.add(self.numbered[sheet])
            assert server.change(sheet, "bin")[0] in (303, 404)
            if self.chance.random() < 0.7:
                status = server.change(sheet, "take-out")[0]
                assert status in (303, 404)
                if status == 303:
                    self.maybe_gone.discard(self.numbered[sheet])
            else:
                assert server.ask("POST", "/bin/empty")[0] == 303

    def _export(self, server: Server) -> None:
        while True:
            status, _, body = server.ask("GET", "/sheets/1/export?png=1")
            assert status == 200, body
            assert body.endswith(b"IEND\xaeB`\x82")
            time.sleep(0.05)

    def _start(self) -> Server:
        """Start the server; where it says that it cannot, have the doctor mend what it says."""
        said = ""
        try:
            server = Server(self.folder, *self._session)
        except RefusedError as error:
            said = str(error)
        if said:
            assert "tidymargin doctor" in said, said
            assert "Traceback" not in said, said
            mended = mend(self.folder)
            self.told.append(mended)
            self.numbered.clear()
            # what changed after the last copy and could not be read any more is said to be missing
            assert (
                "changes made after the copy are not in it" in mended or "could be read" in mended
            ), mended
            self.changed = [change for change in self.changed if change[1] < self._begun_at]
            server = Server(self.folder, *self._session)
        self._server = server
        self._session = server.cookie, server.token
        self._begun_at = time.time()
        return server

    def go_through(
        self, rounds: int, damaged_every: int = 5, say: Callable[[str], None] = lambda _: None
    ) -> None:
        """End the server in the middle of its work so many times, now and then with some damage."""
        try:
            self._go_through(rounds, damaged_every, say)
        finally:
            if self._server is not None:  # whatever it is that failed
                self._server.kill()

    def _go_through(self, rounds: int, damaged_every: int, say: Callable[[str], None]) -> None:
        server = self._start()
        status, _, body = server.upload(small_png(0), "first.png")
        assert status == 201, body
        self.added.append(small_png(0))
        failures: list[AssertionError] = []

        def work(doing: Callable[[Server], None], server: Server) -> None:
            try:
                doing(server)
            except AssertionError as failure:
                failures.append(failure)
            except (OSError, http.client.HTTPException, AttributeError):
                return  # it was ended in the middle

        names = list(DAMAGES)
        for number in range(rounds):
            before = len(self.added), len(self.changed)
            doings = (self._upload, self._change, self._bin, self._export)
            threads = [threading.Thread(target=work, args=(d, server)) for d in doings]
            for thread in threads:
                thread.start()
            latest = time.monotonic() + 60
            # however busy the machine: at a random moment after something of both kinds got through
            while before[0] == len(self.added) or before[1] == len(self.changed):
                assert time.monotonic() < latest, failures
                time.sleep(0.01)
            time.sleep(self.chance.uniform(0, 0.8))
            if self.chance.random() < 0.5:
                server.kill()
            else:
                code = server.end()
                assert code == 0, (number, code)
            for thread in threads:
                thread.join(60)
            assert not failures, failures
            if number % damaged_every == damaged_every - 1:
                name = names[number // damaged_every % len(names)]
                DAMAGES[name](self.folder, self.chance)
                say(f"round {number + 1}: {name}")
            server = self._start()
        server.kill()

    def list_losses(self) -> list[str]:
        """Return what was acknowledged and is neither there nor offered back."""
        workshop = open_workshop(self.folder)
        try:
            sheets = [*workshop.sheets.list_all(), *workshop.sheets.list_binned()]
            there = set()
            for sheet in sheets:
                with suppress(NotFoundError):
                    there.add(workshop.originals.load(sheet.original))
            aside = {workshop.originals.load_aside(n) for n in workshop.originals.list_aside()}
            lost = [
                f"the picture added as number {number}"
                for number, data in enumerate(self.added)
                if data not in there | aside | self.maybe_gone
            ]
            first = [sheet for sheet in sheets if sheet.original == name_of(small_png(0))]  # fmt: skip
            bodies = {
                state.bodies["export"].replace(" ", "")
                for sheet in first
                for state in workshop.sheets.list_states(sheet.id)
            }
            margins = {int(m.group(1)) for body in bodies if (m := re.search(r'"margin_px":(\d+)', body))}  # fmt: skip
            lost += [f"the margin {m}" for m, _ in self.changed if m not in margins]
            return lost
        finally:
            workshop.close()


def main(rounds: int) -> bool:
    """Go through so many rounds and print what was lost; return whether nothing was."""
    with tempfile.TemporaryDirectory() as folder:
        ordeal = Ordeal(Path(folder), 50)
        ordeal.go_through(rounds, say=print)
        lost = ordeal.list_losses()
    print(
        f"{rounds} rounds: {len(ordeal.added)} pictures and {len(ordeal.changed)} changes acknowledged"
    )
    print(f"  the doctor was needed {len(ordeal.told)} times; lost: {lost or 'nothing'}")
    return not lost
