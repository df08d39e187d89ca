"""Trays and files of several pictures under attack: nothing is changed without a token, no name is markup or a path, no number is too large."""

import io
import zipfile

import pytest
from bs4 import BeautifulSoup

from tests.formats.test_unpacking import write_pdf, write_zip
from tests.services.test_trays import disc_png
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.folder.keeping import rename_sheet
from tidymargin.services.trays.exports import begin_export
from tidymargin.services.trays.keeper import TrayKeeper
from tidymargin.services.trays.trays import make_tray, share_values

LONG = "9" * 400
EVIL = '"><script>alert(1)</script>'


@pytest.fixture
def tray(workshop):
    sheets = [add_sheet(workshop, disc_png(tone), f"{tone}.png").id for tone in (10, 60)]
    return make_tray(workshop, "Quay", sheets)


@pytest.fixture
def token(client, tray):
    page = BeautifulSoup(client.get("/").text, "html.parser")
    return page.find("input", {"name": "csrf_token"})["value"]


def list_changes(tray):
    """Every address of trays that changes something, with what it is told."""
    own = f"/trays/{tray.id}"
    return {
        "/trays": {"name": "x", "takes": "all"}, f"{own}/name": {"name": "x"}, f"{own}/take-apart": {},
        f"{own}/share": {"sheet": "1", "seen": tray.head}, f"{own}/undo": {"seen": tray.head}, f"{own}/export": {},
        f"{own}/rules": {"tolerance": "4", "seen": tray.head}, "/sheets/1/tray": {"tray": ""},
        f"{own}/export-as": {"format": "png", "margin_px": "1", "seen": tray.head},
        "/exports/1/pause": {}, "/exports/1/stop": {}, "/exports/1/forget": {}, "/exports/1/retry": {},
        "/sheets/1/export/keep": {"name": "x"}, "/sheets/1/export/use/1": {"seen": "1"}, "/sheets/1/export/forget/1": {},
    }  # fmt: skip


def tell(workshop):
    """All that could have been changed."""
    trays = [(t.id, t.name, t.head, t.recipe) for t in workshop.trays.list_all()]
    sheets = [(s.id, s.head, s.tray) for s in workshop.sheets.list_all()]
    exports = [(e.id, e.state, len(e.jobs)) for e in workshop.trays.list_exports()]
    return trays, sheets, exports, workshop.exports.list_kept()


def test_nothing_of_a_tray_is_changed_without_a_token_from_elsewhere_or_by_an_address_alone(client, workshop, tray, token):  # fmt: skip
    begin_export(workshop, tray.id)
    workshop.exports.keep("kept", "{}")
    before = tell(workshop)
    for path, values in list_changes(tray).items():
        assert client.post(path, data=values).status_code == 403, path
        elsewhere = {"Host": "evil.example"}
        assert client.post(path, data=values | {"csrf_token": token}, headers=elsewhere).status_code in (400, 403), path  # fmt: skip
        assert client.get(path, query_string=values).status_code in (404, 405), path
    assert tell(workshop) == before


def test_numbers_that_are_too_large_or_none_are_refused_in_words(client, workshop, tray, token):
    before = tell(workshop)
    own = f"/trays/{tray.id}"
    wrong = [
        (f"{own}/rules", {"tolerance": LONG}), (f"{own}/rules", {"tolerance": "nan"}), (f"{own}/rules", {"tolerance": "-1"}),
        (f"{own}/rules", {"kind": EVIL}), (f"{own}/rules", {"figure": "both"}), (f"{own}/share", {"sheet": LONG}),
        (f"{own}/share", {"sheet": "0"}), (f"{own}/export-as", {"format": "exe", "margin_px": "1"}),
        (f"{own}/export-as", {"format": "png", "margin_px": LONG}), (f"{own}/export-as", {"margin_px": "1"}),
        (f"{own}/export-as", {"format": "png", "margin_px": "1", "sizes": "0"}), (f"{own}/name", {"name": "\x00\n\t"}),
        ("/sheets/1/tray", {"tray": "77"}), ("/sheets/1/tray", {"tray": LONG}), ("/trays", {"name": ""}),
    ]  # fmt: skip
    for path, values in wrong:
        data = {"seen": tray.head, "csrf_token": token} | values
        answer = client.post(path, data=data, headers={"Accept": "application/json"})
        assert answer.status_code in (404, 422), (path, values, answer.status_code)
        assert answer.json["message"]
    for path in (f"/trays/{LONG}/", "/trays/0/", f"/exports/{LONG}/files.zip", "/exports/5/files.zip",
                 "/trays/-1/", f"/sheets/1/thumbnail.png?state={LONG}", "/sheets/1/thumbnail.png?state=2"):  # fmt: skip
        assert client.get(path, headers={"Accept": "application/json"}).status_code in (404, 422), path  # fmt: skip
    assert tell(workshop) == before


def test_names_are_words_on_every_page_and_in_every_file(client, workshop, tray, token):
    sheet = workshop.trays.list_sheets(tray.id)[0]
    rename_sheet(workshop, sheet.id, EVIL + "/../=1+1.png")
    workshop.trays.rename(tray.id, EVIL)
    workshop.exports.keep(EVIL, "{}")
    share_values(workshop, tray.id, tray.head, "export", {"export": {"pattern": "={name}"}})
    keeper = TrayKeeper(workshop)
    export = begin_export(workshop, tray.id)
    keeper.finish(60)
    for path in ("/", f"/trays/{tray.id}/", f"/trays/{tray.id}/now", f"/sheets/{sheet.id}/?open=export"):  # fmt: skip
        answer = client.get(path)
        assert answer.status_code == 200
        assert "<script>alert" not in answer.text, path
        assert "unsafe" not in answer.headers["Content-Security-Policy"]
    fetched = client.get(f"/exports/{export.id}/files.zip", buffered=True)
    assert "\n" not in fetched.headers["Content-Disposition"]
    with zipfile.ZipFile(io.BytesIO(fetched.data)) as archive:
        names = archive.namelist()
        table = archive.read("manifest.csv").decode("utf-8-sig")
    assert not [name for name in names if "/" in name or "\\" in name or name.startswith(".")]
    cells = [cell for line in table.splitlines()[1:] for cell in line.split(",")]
    assert not [cell for cell in cells if cell.lstrip('"').startswith(("=", "+", "@"))]


def test_two_tabs_that_change_a_tray_at_once_lose_nothing(client, workshop, tray, token):
    said = {"seen": tray.head, "csrf_token": token}
    first = client.post(f"/trays/{tray.id}/rules", data=said | {"tolerance": "4"})
    second = client.post(f"/trays/{tray.id}/rules", data=said | {"tolerance": "9"})
    assert (first.status_code, second.status_code) == (303, 409)
    assert "changed in another tab" in second.text
    assert '"tolerance": 4' in workshop.trays.load(tray.id).recipe
    assert client.post(f"/trays/{tray.id}/undo", data=said).status_code == 409
    twice = [client.post(f"/trays/{tray.id}/export", data=said).status_code for _ in range(2)]
    assert twice == [303, 303]
    assert len(workshop.trays.list_exports(tray.id)) == 2


def test_a_file_of_several_pictures_is_bounded_by_what_it_holds_and_not_by_what_it_says(client, workshop, tray, token):  # fmt: skip
    bombs = {
        "zeros.zip": write_zip({"a.png": bytes(30_000_000)}, compression=zipfile.ZIP_DEFLATED),
        "hall.pdf": write_pdf(1, 90_000, 90_000),
        "entities.svg": b'<!DOCTYPE s [<!ENTITY a "aaaaaaaaaa">]><svg xmlns="http://www.w3.org/2000/svg">&a;</svg>',
        "outside.svg": b'<svg xmlns="http://www.w3.org/2000/svg"><image href="file:///etc/passwd"/></svg>',
        "not.pdf": b"%PDF-1.4\nnothing",
    }  # fmt: skip
    for name, data in bombs.items():
        sent = {"picture": (io.BytesIO(data), name), "csrf_token": token}
        answer = client.post(f"/sheets?tray={tray.id}", data=sent, headers={"Accept": "application/json"})  # fmt: skip
        assert answer.status_code in (413, 415), (name, answer.status_code)
        assert answer.json["message"]
    for field, value in (("page_dpi", LONG), ("page_dpi", "1"), ("drawing_px", "1e9"), ("drawing_px", "x")):  # fmt: skip
        sent = {"picture": (io.BytesIO(write_pdf(1)), "x.pdf"), "csrf_token": token, field: value}
        assert client.post("/sheets", data=sent).status_code == 422, (field, value)
    assert len(workshop.sheets.list_all()) == 2
    assert not list(workshop.folder.glob("parts-*"))
