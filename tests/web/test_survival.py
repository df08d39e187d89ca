"""A killed server, a full disk, a long history: nothing that was acknowledged is ever lost."""

import hashlib
import http.client
import io
import os
import random
import re
import resource
import socket
import subprocess
import sys
import threading
import time
from contextlib import closing
from pathlib import Path
from urllib.parse import urlencode

import numpy as np
import pytest

import tidymargin
from tests.conftest import to_png
from tidymargin.services import deciding, history, settings
from tidymargin.services.exporting import export_sheet
from tidymargin.services.opening import add_sheet, load_measured, read_recipe_of
from tidymargin.services.workshop import open_workshop
from tidymargin.web.app import IN_MEMORY_BYTES

KILLS = 20


class Server:
    """The real server in a process of its own, and a browser's session with it."""

    def __init__(self, folder, cookie=None, token=None):
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            self.port = free.getsockname()[1]
        command = [sys.executable, "-m", "tidymargin.cli", "serve", "--port", str(self.port)]
        source = str(Path(tidymargin.__file__).parent.parent)
        environment = {**os.environ, "TIDYMARGIN_DATA": str(folder), "PYTHONPATH": source}
        self.process = subprocess.Popen(
            command, env=environment, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
        )
        self.cookie, self.token = cookie, token
        for _ in range(300):
            try:
                status, headers, body = self.ask("GET", "/")
            except OSError:
                time.sleep(0.1)
                continue
            assert status == 200
            if self.token is None:
                self.cookie = headers["Set-Cookie"].split(";")[0]
                self.token = re.search(r'data-token="([^"]+)"', body.decode()).group(1)
            return
        self.kill()
        raise AssertionError("the server did not begin")

    def ask(self, method, path, body=None, kind=None):
        headers = {"Accept": "application/json"}
        if self.token:
            headers |= {"Cookie": self.cookie, "X-CSRFToken": self.token}
        if kind:
            headers["Content-Type"] = kind
        with closing(http.client.HTTPConnection("127.0.0.1", self.port, timeout=20)) as connection:
            connection.request(method, path, body, headers)
            answer = connection.getresponse()
            return answer.status, answer.headers, answer.read()

    def upload(self, data, name):
        limit = "b0undary"
        head = (
            f'--{limit}\r\nContent-Disposition: form-data; name="picture"; filename="{name}"\r\n'
            "Content-Type: image/png\r\n\r\n"
        )
        body = head.encode() + data + f"\r\n--{limit}--\r\n".encode()
        return self.ask("POST", "/sheets", body, f"multipart/form-data; boundary={limit}")

    def change(self, sheet, path, **values):
        form = "application/x-www-form-urlencoded"
        return self.ask("POST", f"/sheets/{sheet}/{path}", urlencode(values), form)

    def head(self, sheet):
        return int(re.search(rb"\d+", self.ask("GET", f"/sheets/{sheet}/head")[2]).group())

    def kill(self):
        self.process.kill()
        self.process.wait()


def small_png(number):
    rgb = np.full((24, 24, 3), 255, np.uint8)
    rgb[6:18, 6:18] = (number % 251, number // 251, 90)
    return to_png(rgb)


def test_a_server_killed_at_any_moment_loses_nothing_that_it_acknowledged(tmp_path):
    chance = random.Random(7)
    numbers = iter(range(1, 100_000))
    added, changed = [], []  # what was acknowledged: (sheet, bytes), (sheet, state, margin)

    def upload(server):
        while True:
            data = small_png(next(numbers))
            status, _, body = server.upload(data, "p.png")
            assert status == 201, body
            added.append((int(re.search(rb"sheets/(\d+)", body).group(1)), data))

    def change(server):
        while True:
            head, margin = server.head(1), next(numbers) % 4000
            values = {"seen": head, "extent": "trim", "margin_px": margin}
            status, _, body = server.change(1, "export", **values)
            assert status in (303, 409), body
            if status == 303 and server.head(1) != head:
                changed.append((server.head(1), margin))

    def until_killed(work, server):
        with pytest.raises((OSError, http.client.HTTPException, AttributeError)):
            work(server)

    server = Server(tmp_path)
    cookie, token = server.cookie, server.token
    assert server.upload(small_png(0), "first.png")[0] == 201
    for _ in range(KILLS):
        threads = [
            threading.Thread(target=until_killed, args=(w, server)) for w in (upload, change)
        ]
        before, latest = (len(added), len(changed)), time.monotonic() + 60
        for thread in threads:
            thread.start()
        # however busy the machine: at a random moment after something of both kinds got through
        while before[0] == len(added) or before[1] == len(changed):
            assert time.monotonic() < latest
            time.sleep(0.01)
        time.sleep(chance.uniform(0, 0.8))
        server.kill()
        for thread in threads:
            thread.join(30)
        server = Server(tmp_path, cookie, token)
    server.kill()
    assert min(len(added), len(changed)) >= KILLS
    workshop = open_workshop(tmp_path)
    for sheet, data in added:
        assert workshop.originals.load(workshop.sheets.load(sheet).original) == data
    states = {state.id: state for state in workshop.sheets.list_states(1)}
    for head, margin in changed:
        assert f'"margin_px":{margin}' in states[head].bodies["export"].replace(" ", "")
    workshop.close()


@pytest.fixture
def full_disk():
    """A way to let no file grow beyond a size: the nearest to a full disk that needs no rights."""
    before = resource.getrlimit(resource.RLIMIT_FSIZE)

    def fill(limit):
        resource.setrlimit(resource.RLIMIT_FSIZE, (limit, before[1]))

    yield fill
    resource.setrlimit(resource.RLIMIT_FSIZE, before)


def test_a_full_disk_is_said_in_a_sentence_and_loses_nothing_saved(
    client, token, workshop, badge_png, full_disk
):
    sheet = add_sheet(workshop, badge_png, "badge.png")
    load_measured(workshop, sheet)
    noise = to_png(np.random.default_rng(1).integers(0, 256, (330, 330, 3), np.uint8))
    headers = {"X-CSRFToken": token, "Accept": "application/json"}
    size = max(p.stat().st_size for p in workshop.folder.glob("sheets.sqlite*"))
    full_disk(size + 60_000)
    refused = client.post(
        "/sheets", data={"picture": (io.BytesIO(noise), "n.png")}, headers=headers
    )
    assert refused.status_code == 507
    assert "The disk is full" in refused.json["message"]
    kept, told = sheet, None
    for number in range(400):
        values = {"extent": "trim", "margin_px": number, "seen": kept.head}
        answer = client.post(f"/sheets/{sheet.id}/export", data=values, headers=headers)
        if answer.status_code == 507:
            told = answer.json
            break
        kept = workshop.sheets.load(sheet.id)
    assert told is not None
    assert "could not be saved" in told["message"]
    assert "everything saved before is safe" in told["hint"]
    full_disk(resource.RLIM_INFINITY)
    again = open_workshop(workshop.folder)
    assert [s.id for s in again.sheets.list_all()] == [sheet.id]
    assert again.sheets.load(sheet.id).head == kept.head
    assert again.originals.load(sheet.original) == badge_png
    more = settings.set_trim(again, sheet.id, kept.head, False, 3)  # and it goes on
    assert read_recipe_of(more).export.margin_px == 3
    again.close()


def test_a_server_whose_disk_is_full_still_shows_sheets_and_says_why_it_takes_no_more(tmp_path):
    wide = np.full((700, 800, 3), 255, np.uint8)
    wide[200:500, 200:600] = (20, 60, 90)
    noise = to_png(np.random.default_rng(1).integers(0, 256, (700, 700, 3), np.uint8))
    server = Server(tmp_path)
    try:
        assert server.upload(to_png(wide), "wide.png")[0] == 201
        view = "/sheets/1/view?left=0&top=0&cell=1&width=800&height=700&asker=one"
        before = server.ask("GET", view)
        full = resource.prlimit(server.process.pid, resource.RLIMIT_FSIZE)[1]
        resource.prlimit(server.process.pid, resource.RLIMIT_FSIZE, (20_000, full))
        status, _, body = server.upload(noise, "noise.png")
        assert status == 507
        assert b"The disk is full" in body
        status, _, body = server.upload(b"\0" * (IN_MEMORY_BYTES + 1_000_000), "huge.png")
        assert status == 507  # it was read to its end, or a browser would show no answer
        assert b"could not be laid aside" in body
        after = server.ask("GET", view)
        assert after[0] == before[0] == 200
        assert after[2] == before[2]
        assert len(after[2]) == 4 * 800 * 700
    finally:
        server.kill()


def test_200_mixed_changes_branches_and_a_restart_give_the_same_cut_for_the_same_recipe(
    tmp_path, badge_png
):
    chance = random.Random(5)
    workshop = open_workshop(tmp_path)
    sheet = add_sheet(workshop, badge_png, "badge.png")
    cuts, recipes = {}, {}

    def check(found):
        recipe = read_recipe_of(found).to_json()
        digest = hashlib.sha256(export_sheet(workshop, found)).hexdigest()
        assert recipes.setdefault(found.head, recipe) == recipe
        assert cuts.setdefault(recipe, digest) == digest
        return found

    def change(now):
        place = (chance.randrange(160), chance.randrange(160))
        ways = [
            lambda: settings.set_tolerance(workshop, now.id, now.head, round(chance.uniform(0, 50), 1)),
            lambda: settings.set_trim(workshop, now.id, now.head, chance.random() < 0.5, chance.randrange(9)),
            lambda: deciding.pick_place(workshop, now.id, now.head, *place),
            lambda: deciding.keep_place(workshop, now.id, now.head, *place),
            lambda: deciding.guard_place(workshop, now.id, now.head, *place),
            lambda: settings.set_start(workshop, now.id, now.head, chance.choice(["outside", "everywhere"])),
            lambda: settings.set_small_pieces(workshop, now.id, now.head, chance.randrange(20), chance.randrange(20)),
            lambda: history.undo_change(workshop, now.id, now.head),
            lambda: history.redo_change(workshop, now.id, now.head),
            lambda: history.visit_state(workshop, now.id, now.head, chance.choice(list(recipes))),
        ]  # fmt: skip
        return chance.choice(ways)()

    check(sheet)
    for number in range(200):
        sheet = check(change(sheet))
        if number == 100:
            workshop.close()
            workshop = open_workshop(tmp_path)
    rows = history.list_history(workshop, sheet)
    assert {row.state for row in rows} == set(recipes)
    assert max(row.lane for row in rows) > 3
    while sheet.undo is not None:
        sheet = check(history.undo_change(workshop, sheet.id, sheet.head))
    assert read_recipe_of(sheet).to_json() == recipes[min(recipes)]
    for state in recipes:
        sheet = check(history.visit_state(workshop, sheet.id, sheet.head, state))
    workshop.close()
