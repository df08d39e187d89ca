"""Requests that nobody means well by, and data folders that something went wrong with."""

import io
import os
import re
import socket
import sqlite3
import stat
import struct
import subprocess
import sys
import tempfile
import threading
import time
from contextlib import closing, contextmanager
from pathlib import Path

import numpy as np
import pytest
from bs4 import BeautifulSoup
from click.testing import CliRunner
from PIL import Image, ImageCms

import tidymargin
from benchmarks.kills import RefusedError, Server, mend, small_png
from tests.conftest import to_png
from tidymargin.cli.commands import main
from tidymargin.core.base.errors import UnusableFolderError
from tidymargin.services.edits.changing import begin
from tidymargin.services.folder import keeping
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.views.measuring import load_measured
from tidymargin.services.workshop.workshop import open_workshop
from tidymargin.store.database import list_revisions
from tidymargin.web.app import create_app


@pytest.fixture
def sheet(workshop, badge_png):
    found = add_sheet(workshop, badge_png, "badge.png")
    load_measured(workshop, found)
    return found


@pytest.fixture
def server(tmp_path):
    found = Server(tmp_path)
    yield found
    found.kill()


def post(client, token, path, accept="application/json", **values):
    return client.post(path, data=values, headers={"X-CSRFToken": token, "Accept": accept})


def htmx(client, token, path, **values):
    return client.post(path, data=values, headers={"X-CSRFToken": token, "HX-Request": "true"})


@pytest.mark.parametrize("digits", [16, 25, 400, 5000])
def test_no_number_is_too_long_to_be_answered_in_words(client, token, sheet, digits):
    long = "9" * digits
    bench = f"/sheets/{sheet.id}"
    for path in (f"/sheets/{long}/", f"/sheets/{long}/view", f"{bench}/jumps/{long}.png"):
        assert client.get(path).status_code == 404, path
    for path in (f"{bench}/view?left={long}&top=0&cell=1&width=9&height=9", f"{bench}/place?row={long}&col=1",
                 f"{bench}/place?row=1&col=-{long}", f"/room?bytes={long}", f"/?shown={long}"):  # fmt: skip
        assert client.get(path, headers={"Accept": "application/json"}).status_code == 422, path
    for path, values in (
        ("tolerance", {"tolerance": long, "seen": sheet.head}),
        ("tolerance", {"tolerance": 5, "seen": long}),
        ("picks", {"row": long, "col": 1, "seen": sheet.head}),
        ("small-pieces", {"crumbs_px": long, "pinholes_px": 0, "seen": sheet.head}),
        ("export", {"margin_px": long, "seen": sheet.head}),
        ("spill", {"spill": long, "seen": sheet.head}),
        ("area/tilt", {"degrees": long, "seen": sheet.head}),
        ("area", {f"corner_{n}": f"{long},{long}" for n in range(4)} | {"seen": sheet.head}),
        ("fences", {"places": f"1,1 {long},4", "seen": sheet.head}),
    ):
        answer = post(client, token, f"{bench}/{path}", **values)
        assert answer.status_code in (409, 422), (path, answer.status_code)
        assert answer.json["message"]
    for path in (f"guards/{long}", f"history/{long}", f"picks/{long}/remove", f"strays/{long}/drop"):  # fmt: skip
        assert post(client, token, f"{bench}/{path}", seen=sheet.head).status_code in (404, 422)


def test_a_fence_of_250000_places_is_refused_and_one_of_a_thousand_is_taken(client, token, sheet):
    places = " ".join(f"{n % 150},{n % 7}" for n in range(250_000))
    answer = htmx(client, token, f"/sheets/{sheet.id}/fences", places=places, seen=sheet.head)
    assert answer.status_code == 422
    assert "at most 1000 places, got 250000" in answer.text
    assert answer.headers["HX-Retarget"] == "#said-fences"
    fine = " ".join(f"{n % 150},{n % 7}" for n in range(1000))
    taken = post(client, token, f"/sheets/{sheet.id}/fences", places=fine, seen=sheet.head)
    assert taken.status_code == 303


def test_a_plain_form_of_good_bad_good_adds_both_and_names_the_bad_one(client, token, workshop):
    files = [("one.png", small_png(1)), ("bad.png", b"no picture"), ("two.png", small_png(2))]
    data = {"picture": [(io.BytesIO(data), name) for name, data in files]}
    answer = client.post("/sheets", data=data, headers={"X-CSRFToken": token})
    assert answer.status_code == 415
    page = BeautifulSoup(answer.data, "html.parser")
    assert page.find("h1").text == "2 of 3 were added."
    assert "bad.png" in page.text
    assert "none of PNG" in page.text
    assert {sheet.name for sheet in workshop.sheets.list_all()} == {"one.png", "two.png"}


def test_a_form_of_too_many_parts_is_not_called_too_large_a_file(client, token):
    answer = client.post(
        "/sheets",
        data={f"part{n}": "x" for n in range(1001)} | {"picture": (io.BytesIO(b"x"), "a.png")},
        headers={"X-CSRFToken": token, "Accept": "application/json"},
    )
    assert answer.status_code == 413
    assert "more than 1,000 parts" in answer.json["message"]
    large = client.post(
        "/sheets",
        data=b"",
        headers={"X-CSRFToken": token, "Accept": "application/json"},
        environ_overrides={"CONTENT_LENGTH": str(10**9)},
        content_type="multipart/form-data; boundary=x",
    )
    assert "the 500 MB that can" in large.json["message"]


@pytest.mark.parametrize(
    ("body", "status"),
    [
        (b"[1]", 422),
        (b"{", 422),
        (b'{"seen": ' + b"[" * 100_000, 422),
        (b'{"row": 1e400, "col": 1, "seen": 1}', 422),
        (b'{"row": {"a": 1}, "col": 1, "seen": 1}', 422),
        (b'{"places": "' + b"9" * (2 * 1024 * 1024) + b'"}', 413),
    ],
)
def test_a_change_as_json_is_bounded_and_refused_in_a_sentence(
    client, token, workshop, badge_png, body, status
):
    sheet = add_sheet(workshop, badge_png, "badge.png")
    headers = {
        "X-CSRFToken": token,
        "Accept": "application/json",
        "Content-Type": "application/json",
    }
    for path in ("picks", "fences"):
        answer = client.post(f"/sheets/{sheet.id}/{path}", data=body, headers=headers)
        assert answer.status_code == status, answer.data
        assert answer.json["message"].startswith("Expected ")
    unsigned = client.post(f"/sheets/{sheet.id}/picks", data=b"{}", content_type="application/json")
    assert unsigned.status_code == 403
    assert workshop.sheets.load(sheet.id).head == sheet.head


def test_a_large_colour_profile_is_no_damage(client, token):
    profile = bytearray(ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes())
    profile += bytes(1_500_000)
    profile[:4] = struct.pack(">I", len(profile))
    out = io.BytesIO()
    Image.fromarray(np.full((9, 9, 3), 200, np.uint8)).save(out, "PNG", icc_profile=bytes(profile))
    out.seek(0)
    data = {"picture": (out, "a.png")}
    headers = {"X-CSRFToken": token, "Accept": "application/json"}
    assert client.post("/sheets", data=data, headers=headers).status_code == 201


def test_servers_of_two_folders_do_not_share_a_cookie(tmp_path, badge_png):
    shops = [open_workshop(tmp_path / name) for name in ("one", "two")]
    clients = [create_app(shop).test_client() for shop in shops]
    names = []
    for client in clients:
        cookie = client.get("/").headers["Set-Cookie"]
        names.append(cookie.split("=")[0])
    assert len(set(names)) == 2
    again = create_app(shops[0]).test_client().get("/").headers["Set-Cookie"]
    assert again.split("=")[0] == names[0]  # and a restart of one goes on with its own
    for shop in shops:
        shop.close()


@pytest.mark.parametrize("spoilt", [b"", b"short"])
def test_a_secret_that_is_not_whole_is_made_anew(tmp_path, spoilt):
    (tmp_path / "secret").write_bytes(spoilt)
    shop = open_workshop(tmp_path)
    assert create_app(shop).test_client().get("/").status_code == 200
    made = (tmp_path / "secret").read_bytes()
    assert len(made) == 32
    assert stat.S_IMODE((tmp_path / "secret").stat().st_mode) == 0o600
    create_app(shop)
    assert (tmp_path / "secret").read_bytes() == made
    shop.close()


def test_requests_that_are_begun_and_never_ended_do_not_keep_others_waiting(server):
    with closing_all([]) as held:
        for number in range(420):
            half = socket.create_connection(("127.0.0.1", server.port))
            held.append(half)
            half.sendall(b"POST /sheets HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 9000\r\n")
            if number % 2:
                half.sendall(b"\r\n" + b"x" * 100)
        assert server.ask("GET", "/")[0] == 200  # whoever asks gives up after half a minute
        assert server.upload(small_png(1), "a.png")[0] == 201


@contextmanager
def closing_all(held):
    yield held
    for one in held:
        one.close()


def test_no_memory_of_refused_pictures_is_kept_until_some_later_collection(server):
    def held_mb():
        status = Path(f"/proc/{server.process.pid}/status").read_text()
        return int(re.search(r"VmRSS:\s+(\d+)", status).group(1)) / 1024

    assert server.upload(small_png(1), "a.png")[0] == 201
    time.sleep(1)
    before = held_mb()
    for _ in range(5):
        assert server.upload(b"\x89PNG\r\n\x1a\n" + bytes(100_000_000), "x.png")[0] == 415
    assert held_mb() - before < 150


@contextmanager
def locked_out(folder):
    """Let nobody write to a folder, not even root: what is done inside is done as nobody."""
    folder.chmod(0o555)
    for place in folder.iterdir():
        place.chmod(0o444 if place.is_file() else 0o555)
    own = os.geteuid()
    if own == 0:
        os.seteuid(65534)
    try:
        yield
    finally:
        os.seteuid(own)
        folder.chmod(0o755)
        for place in folder.iterdir():
            place.chmod(0o644 if place.is_file() else 0o755)


@pytest.fixture
def open_place():
    """A folder that every user of this machine can get to."""
    with tempfile.TemporaryDirectory() as place:
        Path(place).chmod(0o755)
        yield Path(place)


def test_a_folder_that_cannot_be_written_is_said_at_the_start_and_in_the_sentence_concerned(
    open_place, badge_png
):
    folder = open_place / "data"
    shop = open_workshop(folder)
    sheet = add_sheet(shop, badge_png, "badge.png")
    load_measured(shop, sheet)
    client = create_app(shop).test_client()
    token = str(BeautifulSoup(client.get("/").data, "html.parser").body["data-token"])
    values = {"tolerance": "9", "seen": str(sheet.head), "open": "reach"}
    shop.sheets.close()  # connections that are open may still write
    with locked_out(folder):
        said = htmx(client, token, f"/sheets/{sheet.id}/tolerance", **values)
        assert said.status_code == 503
        assert "cannot be written to" in said.text
        assert said.headers["HX-Retarget"] == "#said-open"
    assert htmx(client, token, f"/sheets/{sheet.id}/tolerance", **values).status_code == 200
    shop.close()
    with locked_out(folder), pytest.raises(UnusableFolderError, match="cannot be"):
        open_workshop(folder)


def test_a_database_that_is_held_and_our_own_faults_are_said_where_the_eye_is(
    client, token, sheet, workshop, monkeypatch, caplog
):
    place = f"/sheets/{sheet.id}/tolerance"
    values = {"tolerance": "9", "seen": str(sheet.head), "open": "reach"}
    page = BeautifulSoup(client.get(f"/sheets/{sheet.id}/?open=reach").data, "html.parser")
    assert page.select_one("#step-reach #said-open") is not None
    swapped = page.select_one("meta[name=htmx-config]")["content"]
    assert "500|503" in swapped  # or htmx would drop what is said
    with sqlite_lock(workshop.database):
        monkeypatch.setattr("tidymargin.store.database._BUSY_MS", 100)
        workshop.sheets.close()
        held = htmx(client, token, place, **values)
        assert held.status_code == 503
        assert "held by another program" in held.text
        assert held.headers["HX-Retarget"] == "#said-open"
    monkeypatch.setattr("tidymargin.services.edits.settings.set_values", lambda *_, **__: 1 / 0)
    for accept, kind in (("text/html", "text/html"), ("application/octet-stream", "application/json")):  # fmt: skip
        fault = post(client, token, place, accept, **values)
        assert (fault.status_code, fault.mimetype) == (500, kind)
        assert "went wrong in Tidy Margin itself" in fault.text
        assert "Nothing that was saved is lost" in fault.text
    assert "ZeroDivisionError" in caplog.text


@contextmanager
def sqlite_lock(place):
    with closing(sqlite3.connect(place)) as other:
        other.execute("BEGIN IMMEDIATE")
        yield
        other.rollback()


@pytest.mark.parametrize("name", ["what?", "50%", "a%20b", "#1", "ein Ort"])
def test_a_data_folder_may_have_any_name(tmp_path, name, badge_png):
    folder = tmp_path / name
    shop = open_workshop(folder)
    add_sheet(shop, badge_png, "badge.png")
    shop.close()
    assert (folder / "sheets.sqlite").stat().st_size > 0
    assert list(tmp_path.iterdir()) == [folder]
    again = open_workshop(folder)
    assert len(again.sheets.list_all()) == 1
    again.close()


def run(folder, *arguments):
    source = str(Path(tidymargin.__file__).parents[1])
    return subprocess.run(
        [sys.executable, "-m", "tidymargin.cli", *arguments],
        env={**os.environ, "TIDYMARGIN_DATA": str(folder), "PYTHONPATH": source},
        capture_output=True,
        text=True,
        timeout=120,
    )


def look(folder, *options):
    """Run the doctor, in this process."""
    return CliRunner(env={"TIDYMARGIN_DATA": str(folder)}).invoke(main, ["doctor", *options])


def test_a_second_server_of_a_folder_is_refused_and_takes_nothing_from_the_first(tmp_path):
    first = Server(tmp_path)
    try:
        uploading = tmp_path / "originals" / "running.part"
        (tmp_path / "originals").mkdir(exist_ok=True)
        uploading.write_bytes(b"half")
        with pytest.raises(RefusedError, match=rf"\(process {first.process.pid}\) has the data folder"):  # fmt: skip
            Server(tmp_path)
        assert uploading.read_bytes() == b"half"
        assert first.upload(small_png(1), "a.png")[0] == 201
    finally:
        first.kill()
    second = Server(tmp_path)  # a killed one holds nothing
    assert second.ask("GET", "/sheets/1/head")[0] == 200
    assert not uploading.exists()
    assert second.end() == 0
    with pytest.raises(OSError, match="refused"):
        second.ask("GET", "/")


@pytest.mark.parametrize(
    "damage", ["random", "cut", "folder", "newer", "missing", "a row changed", "no text"]
)
def test_a_database_that_cannot_be_used_is_said_offered_to_be_put_back_and_kept(tmp_path, damage):
    shop = open_workshop(tmp_path)
    for number in range(4):
        add_sheet(shop, to_png(np.full((20, 20, 3), number, np.uint8)), f"{number}.png")
    shop.close()
    open_workshop(tmp_path).close()  # makes the copy
    place = tmp_path / "sheets.sqlite"
    before = place.read_bytes()
    if damage == "folder":
        place.unlink()
        place.mkdir()
    elif damage == "missing":
        place.unlink()
    elif damage == "newer":
        place.write_bytes(before.replace(list_revisions()[0].encode(), b"0999"))
    elif damage == "no text":  # what SQLite complains of is no text then either
        with closing(sqlite3.connect(place)) as database, database:
            database.execute("PRAGMA writable_schema=ON")
            wrong = "UPDATE sqlite_master SET sql = 'CREATE TABLE x (', name = CAST(x'ff80fe' AS TEXT) WHERE name = 'version'"
            database.execute(wrong)
    elif damage == "a row changed":
        place.write_bytes(before.replace(b'"trim":false', b'"trim":falsy'))
    else:
        place.write_bytes(os.urandom(9000) if damage == "random" else before[:9000])
    spoilt = place.read_bytes() if place.is_file() else None
    served, looked = run(tmp_path, "serve"), look(tmp_path)
    assert served.returncode == looked.exit_code == 65, (served, looked.output)
    assert "Traceback" not in served.stderr
    refused = served.stderr
    assert (place.read_bytes() if place.is_file() else None) == spoilt
    if damage == "newer":
        assert "newer Tidy Margin (revision 0999" in refused
        assert look(tmp_path, "--fix").exit_code == 65
        assert place.read_bytes() == spoilt
        return
    assert "The last good copy is of" in refused
    assert "with 4 sheets" in refused
    mend(tmp_path)
    kept = list((tmp_path / "set-aside").glob("database-*/sheets.sqlite"))
    assert len(kept) == (0 if damage == "missing" else 1)
    if spoilt is not None:
        assert kept[0].read_bytes() == spoilt
    again = open_workshop(tmp_path)
    assert {s.name for s in again.sheets.list_all()} == {f"{n}.png" for n in range(4)}
    again.close()
    assert look(tmp_path).output.endswith("Nothing is wrong.\n")


def test_a_data_folder_that_is_a_file_is_said(tmp_path):
    (tmp_path / "data").write_bytes(b"x")
    said = run(tmp_path / "data", "serve")
    assert said.returncode == 77
    assert "There is a file at" in said.stderr
    assert "Traceback" not in said.stderr
    assert look(tmp_path / "nowhere").exit_code == 66


@pytest.mark.parametrize("loss", ["missing", "empty", "older"])
def test_originals_that_the_database_does_not_name_are_set_aside_said_and_brought_back(
    tmp_path, loss, badge_png
):
    shop = open_workshop(tmp_path)
    add_sheet(shop, badge_png, "first.png")
    shop.close()
    older = (tmp_path / "sheets.sqlite").read_bytes()
    shop = open_workshop(tmp_path)
    data = {number: to_png(np.full((20, 20, 3), 40 * number, np.uint8)) for number in range(3)}
    for number, picture in data.items():
        add_sheet(shop, picture, f"{number}.png")
    shop.close()
    for place in tmp_path.glob("originals/*/*"):
        os.utime(place, (0, 0))  # long there
    for copy in tmp_path.glob("copies/*"):
        copy.unlink()  # as in a folder of before there were any
    place = tmp_path / "sheets.sqlite"
    place.unlink() if loss == "missing" else place.write_bytes(older if loss == "older" else b"")
    again = open_workshop(tmp_path)
    lost = 3 if loss == "older" else 4
    assert len(again.originals.list_aside()) == lost
    client = create_app(again).test_client()
    page = BeautifulSoup(client.get("/").data, "html.parser")
    assert (
        f"{lost} picture files are kept that no longer belong to anything"
        in page.select_one("#set-aside").text
    )
    token = str(page.body["data-token"])
    told = htmx(client, token, "/set-aside/bring-back")
    assert f"{lost} pictures are back" in told.text
    assert again.originals.list_aside() == set()
    there = {again.originals.load(s.original) for s in again.sheets.list_all()}
    assert there == {badge_png, *data.values()}
    again.close()


def test_sheets_come_back_with_their_histories_where_a_copy_of_the_database_has_them(
    tmp_path, badge_png
):
    from tidymargin.services.edits import settings

    shop = open_workshop(tmp_path)
    shop.close()
    before = (tmp_path / "sheets.sqlite").read_bytes()
    shop = open_workshop(tmp_path)
    sheet = add_sheet(shop, badge_png, "badge.png")
    sheet = settings.set_values(begin(shop, sheet.id, sheet.head), "tolerance", tolerance=9)
    sheet = settings.set_values(
        begin(shop, sheet.id, sheet.head), "trim", trim=True, margin_px=77, pieces=False
    )
    shop.sheets.undo(sheet.id, sheet.head)
    shop.close()
    open_workshop(tmp_path).close()
    (tmp_path / "sheets.sqlite").write_bytes(before)
    again = open_workshop(tmp_path)
    assert again.sheets.list_all() == []
    brought = keeping.bring_back(again)
    assert (brought.sheets, brought.anew, brought.left) == (1, 0, 0)
    (back,) = again.sheets.list_all()
    assert (back.name, back.redo) == ("badge.png", "trim")
    assert [state.change for state in again.sheets.list_states(back.id)] == ["begin", "tolerance", "trim"]  # fmt: skip
    assert again.originals.load(back.original) == badge_png
    again.close()


def test_a_sheet_emptied_out_of_the_bin_while_it_is_measured_leaves_nothing_behind(
    workshop, client, token, badge_png, monkeypatch
):
    go_on, at_it = threading.Event(), threading.Event()
    real = __import__("tidymargin.services.views.measuring", fromlist=["x"])
    measure = real.measure_sheet

    def slowly(*arguments):
        at_it.set()
        go_on.wait(20)
        return measure(*arguments)

    monkeypatch.setattr(real, "measure_sheet", slowly)
    sheet = add_sheet(workshop, badge_png, "badge.png")
    asked = [
        threading.Thread(target=client.application.test_client().get, args=(f"/sheets/{sheet.id}/{what}",))
        for what in ("thumbnail.png", "view?left=0&top=0&cell=1&width=9&height=9")
    ]  # fmt: skip
    for thread in asked:
        thread.start()
    assert at_it.wait(20)
    post(client, token, f"/sheets/{sheet.id}/bin")
    assert post(client, token, "/bin/empty").status_code == 303
    go_on.set()
    for thread in asked:
        thread.join(30)
    workshop.executor.close()  # ends what was queued behind
    left = [p for part in ("originals", "cache", "proofs") for p in (workshop.folder / part).rglob("*") if p.is_file()]  # fmt: skip
    assert left == []


def test_a_sheet_whose_original_is_damaged_says_so_instead_of_being_measured_for_ever(
    workshop, client, token, badge_png
):
    sheet = add_sheet(workshop, badge_png, "badge.png")
    load_measured(workshop, sheet)
    place = workshop.folder / "originals" / sheet.original[:2] / sheet.original
    place.write_bytes(badge_png[:-40] + bytes(40))
    workshop.close()
    (workshop.folder / "cache").exists() and [p.unlink() for p in (workshop.folder / "cache").rglob("*") if p.is_file()]  # fmt: skip
    again = open_workshop(workshop.folder)
    client = create_app(again).test_client()
    for _ in range(100):
        page = BeautifulSoup(client.get(f"/sheets/{sheet.id}/ledger").data, "html.parser")
        if page.select_one("#resume"):
            break
        time.sleep(0.1)
    assert "was changed or damaged on the disk" in page.text
    assert not page.select("[hx-trigger='load delay:300ms']")  # and nobody asks again and again
    assert post(client, token, "/sheets", picture=(io.BytesIO(badge_png), "again.png")).status_code in (201, 403)  # fmt: skip
    again.close()
