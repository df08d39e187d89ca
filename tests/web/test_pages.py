import io
import tempfile
from pathlib import Path
from types import SimpleNamespace

import numpy as np
import pytest
from bs4 import BeautifulSoup
from PIL import Image

from tidymargin.core.base import errors
from tidymargin.outcomes import OUTCOMES
from tidymargin.services.folder import keeping
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.folder.watching import Watched
from tidymargin.services.picture import warming
from tidymargin.services.views.measuring import load_measured
from tidymargin.services.views.proofs import keep_proof
from tidymargin.services.workshop.executor import Priority
from tidymargin.services.workshop.identity import proof_name
from tidymargin.web.app import create_app
from tidymargin.web.pages import trays


@pytest.fixture
def sheet(workshop, badge_png):
    return add_sheet(workshop, badge_png, "badge <b>.png")


def soup(response):
    return BeautifulSoup(response.data, "html.parser")


def send(client, token, path, **values):
    return client.post(path, data=values, headers={"X-CSRFToken": token, "HX-Request": "true"})


def upload(client, token, *files, **headers):
    data = {"picture": [(io.BytesIO(data), name) for data, name in files]}
    return client.post("/sheets", data=data, headers={"X-CSRFToken": token, **headers})


def test_every_error_has_an_outcome():
    kinds = {
        k for k in vars(errors).values() if isinstance(k, type) and k.__module__ == errors.__name__
    }
    assert kinds - {errors.DomainError} == set(OUTCOMES)


def test_every_answer_carries_a_strict_policy_and_no_page_needs_more(client, sheet):
    for path in ("/", f"/sheets/{sheet.id}/", "/nowhere", "/static/css/app.css"):
        with client.get(path) as response:
            headers = response.headers
        assert "unsafe" not in headers["Content-Security-Policy"]
        assert headers["X-Content-Type-Options"] == "nosniff"
    page = soup(client.get(f"/sheets/{sheet.id}/?open=reach"))
    assert not page.select("[style], style, script:not([src]), [onclick]")
    assert all(
        not tag.get(name, "").startswith("http")
        for tag in page.find_all()
        for name in ("src", "href")
    )


def test_only_this_machine_is_answered_to_and_only_its_own_forms(client, token, badge_png):
    assert client.get("/", headers={"Host": "evil.example"}).status_code == 400
    refused = upload(client, "wrong", (badge_png, "a.png"))
    assert refused.status_code == 403
    assert "Reload the page" in soup(refused).text
    assert upload(client, token, (badge_png, "a.png")).status_code == 303


def test_one_picture_opens_its_bench_and_several_stay_in_the_tray(client, token, badge_png):
    alone = upload(client, token, (badge_png, "one.png"))
    assert alone.headers["Location"] == "/sheets/1/"
    assert upload(client, token, (badge_png, "a"), (badge_png, "b")).headers["Location"] == "/"
    assert [a.text for a in soup(client.get("/")).select(".card .name a")] == ["b", "a", "one.png"]


def test_a_bad_file_is_said_to_script_and_form_alike_and_leaves_no_sheet(client, token):
    told = upload(client, token, (b"text", "logo.png"), Accept="application/json")
    assert told.status_code == 415
    assert "none of PNG" in told.json["message"]
    page = upload(client, token, (b"", "empty.png"))
    assert page.status_code == 415
    assert "This file is empty." in soup(page).select_one("[role=alert]").text
    assert upload(client, token).status_code == 415
    assert soup(client.get("/")).select(".card") == []


def test_names_are_escaped_everywhere(client, sheet):
    for path in ("/", f"/sheets/{sheet.id}/"):
        page = soup(client.get(path))
        assert page.find("b") is None
        assert "badge <b>.png" in page.text


def test_a_change_answers_with_the_ledger_and_what_goes_with_it(client, token, workshop, sheet):
    path = f"/sheets/{sheet.id}/"
    client.get(path + "view?left=0&top=0&cell=1&width=9&height=9")  # measured by now
    changed = send(
        client, token, path + "tolerance", tolerance="6,4", seen=sheet.head, open="reach"
    )
    page = soup(changed)
    assert changed.status_code == 200
    assert page.find("html") is None
    assert page.select_one("#phrase-tolerance")["aria-label"] == "Tolerance, 6.4"
    assert page.select_one("#grip")["aria-valuenow"] == "6.4"
    assert page.select_one("#undo").text == "Undo tolerance"
    head = page.select_one("#sheet-data")["data-head"]
    assert int(head) == workshop.sheets.load(sheet.id).head != sheet.head
    undone = soup(send(client, token, path + "undo", seen=head))
    assert undone.select_one("#redo").text == "Redo tolerance"
    plain = client.post(path + "redo", data={"csrf_token": token, "seen": sheet.head})
    assert plain.headers["Location"] == path


@pytest.mark.parametrize(
    ("path", "values", "target"),
    [
        ("tolerance", {"tolerance": "51"}, "#said-tolerance"),
        ("tolerance", {"tolerance": "much"}, "#said-tolerance"),
        ("tolerance", {"tolerance": "nan"}, "#said-tolerance"),
        ("ground/colour", {"colour": "red"}, "#said-colour"),
        ("ground", {"kind": "sky"}, "#said-kind"),
        ("fences", {"places": "1,2"}, "#said-fences"),
        ("small-pieces", {"crumbs_px": "-1", "pinholes_px": "0"}, "#said-crumbs_px"),
        ("proof", {"backdrop": "#12"}, "#said-backdrop"),
        ("export", {"extent": "trim", "margin_px": "-4"}, "#said-margin_px"),
        ("export/formats", {}, "#said-formats"),
        ("export/formats", {"format": "png", "sizes": "big"}, "#said-sizes"),
        ("export/file", {"quality": "101"}, "#said-quality"),
        ("export/file", {"quality": "80", "pattern": "a/b"}, "#said-pattern"),
        ("export/frame", {"box": "sides", "box_width": "x", "box_height": "3"}, "#said-box_width"),
        ("picks", {"row": "999", "col": "2"}, "#messages"),
    ],
)
def test_a_bad_value_is_said_in_the_sentence_it_concerns(client, token, workshop, sheet, path, values, target):  # fmt: skip
    response = send(client, token, f"/sheets/{sheet.id}/{path}", seen=sheet.head, **values)
    assert response.status_code == 422
    assert response.headers["HX-Retarget"] == target
    assert soup(response).select_one("[role=alert] strong").text
    assert workshop.sheets.load(sheet.id) == sheet


def test_a_second_tab_that_is_behind_is_told_and_loses_nothing(client, token, workshop, sheet):
    path = f"/sheets/{sheet.id}/tolerance"
    send(client, token, path, tolerance="5", seen=sheet.head)
    behind = send(client, token, path, tolerance="9", seen=sheet.head)
    assert behind.status_code == 409
    assert behind.headers["HX-Trigger-After-Swap"] == "sheet:behind"
    assert "Nothing was lost" in soup(behind).text
    assert '"tolerance":5' in workshop.sheets.load(sheet.id).bodies["reach"]


def test_a_place_says_what_a_click_would_do_and_shows_what_it_takes(client, sheet):
    path = f"/sheets/{sheet.id}/"
    gap = client.get(path + "place?row=80&col=20").json
    assert (gap["verb"], gap["acts"]) == ("Clear this enclosed area", True)
    assert client.get(path + "place?row=1&col=1").json["verb"] == "Already clear"
    assert client.get(path + "place?row=80&col=13").json["verb"] == "Subject"
    view = "takes?row=80&col=20&left=0&top=0&cell=1&width=160&height=160"
    mask = np.frombuffer(client.get(path + view).data, np.uint8).reshape(160, 160)
    assert mask[80, 20] == 255
    assert mask[2, 2] == mask[80, 13] == 0
    assert client.get(path + "place?row=nan&col=1").status_code == 422
    assert client.get(path + "view?left=0&top=0&cell=1&width=9").status_code == 422


def test_the_export_is_a_download_without_the_originals_metadata(client, workshop, badge):
    exif = Image.Exif()
    exif[0x010E] = "a secret description"
    out = io.BytesIO()
    Image.fromarray(badge[0].rgb).save(out, "PNG", exif=exif, dpi=(300, 300))
    sheet = add_sheet(workshop, out.getvalue(), "Zeichen ü.png")
    response = client.get(f"/sheets/{sheet.id}/export?png=1")
    assert "filename*=UTF-8''Zeichen%20%C3%BC.png" in response.headers["Content-Disposition"]
    assert b"secret" not in response.data
    image = Image.open(io.BytesIO(response.data))
    assert (image.mode, image.size) == ("RGBA", (160, 160))
    assert round(image.info["dpi"][0]) == 300


def test_a_sheet_that_is_not_there_gets_a_page_with_a_way_back(client):
    page = client.get("/sheets/99/")
    assert page.status_code == 404
    assert soup(page).find("a", string="Back to the trays")["href"] == "/"


def test_a_sheet_is_renamed_binned_taken_out_and_deleted_for_good(client, token, workshop, sheet):
    renamed = soup(send(client, token, f"/sheets/{sheet.id}/name", name="../wax <seal>.png"))
    assert "wax <seal>.png" in renamed.text
    refused = send(client, token, f"/sheets/{sheet.id}/name", name="  ")
    assert (refused.status_code, "The name is empty" in soup(refused).text) == (422, True)

    binned = soup(send(client, token, f"/sheets/{sheet.id}/bin"))
    assert "wax <seal>.png is in the bin" in binned.text
    assert "1 picture or scene in the bin" in binned.text
    gone = client.get(f"/sheets/{sheet.id}/")
    assert (gone.status_code, "Take it out of the bin" in soup(gone).text) == (404, True)
    assert "0 KB" not in soup(client.get("/")).select_one("#kept summary").text

    back = soup(send(client, token, f"/sheets/{sheet.id}/take-out"))
    assert "The bin is empty" in back.text
    assert client.get(f"/sheets/{sheet.id}/").status_code == 200

    twin = add_sheet(workshop, workshop.originals.load(sheet.original), "twin.png")
    load_measured(workshop, twin)
    keep_proof(workshop, twin)
    kept = proof_name(twin)
    workshop.executor.submit(kept, Priority.KEEPING, lambda: None).result(20)
    send(client, token, f"/sheets/{sheet.id}/bin")
    send(client, token, "/bin/empty")
    assert [s.id for s in workshop.sheets.list_all()] == [twin.id]
    assert workshop.originals.load(twin.original)  # shared with what was deleted: both stay
    assert workshop.proofs.get(kept) is not None
    send(client, token, f"/sheets/{twin.id}/bin")
    send(client, token, "/bin/empty")
    assert workshop.proofs.get(kept) is None
    assert workshop.originals.size_of(twin.original) == 0
    assert client.get(f"/sheets/{twin.id}/").status_code == 404


def test_a_full_tray_shows_its_newest_sheets_and_more_when_asked(
    client, token, workshop, badge_png, monkeypatch
):
    monkeypatch.setattr(trays, "_CARDS", 2)
    for number in range(5):
        sheet = add_sheet(workshop, badge_png, f"{number} § <b>.png")

    def names(page):
        return [name.text for name in page.select(".card .name")]

    page = soup(client.get("/?on=black"))
    assert names(page) == ["4 § <b>.png", "3 § <b>.png"]
    assert "5 pictures." in page.select_one("#tray-sentence").text
    assert "The newest 2 of 5 are shown" in page.text
    card = page.select_one(".card")
    assert card.label.text == "Name of 4 § <b>.png"
    assert card.select_one("a[download]")["href"] == f"/sheets/{sheet.id}/export?png=1"
    page = soup(client.get(page.select_one("#more")["href"]))
    assert len(names(page)) == 4
    assert page.select_one("#more").text == "Show 1 more"
    renamed = page.select(".card form")[0]["action"]
    page = soup(send(client, token, renamed, name="new"))
    assert names(page)[0] == "new"
    assert len(names(page)) == 4
    page = soup(client.get(page.select_one("#more")["href"]))
    assert len(names(page)) == 5
    assert not page.select("#more")
    assert page.select_one("[aria-current]").text == "black"


def test_the_history_lists_every_state_in_words_and_goes_to_any(client, token, workshop, sheet):
    path = f"/sheets/{sheet.id}"
    for value in ("7.1", "4.2"):
        seen = workshop.sheets.load(sheet.id).head
        send(client, token, f"{path}/tolerance", tolerance=value, seen=seen)
    page = soup(client.get(f"{path}/?open=history"))
    rows = [row.span.text for row in page.select(".states .state")]
    assert rows == ["Tolerance 7.1 to 4.2", "Tolerance 1.0 to 7.1", "Opened"]
    here = page.select_one(".state[aria-current]")
    assert here.span.text == rows[0]
    first = page.select(".states form")[-1]["action"]
    seen = workshop.sheets.load(sheet.id).head
    there = soup(send(client, token, first, seen=seen, open="history"))
    assert there.select_one(".state[aria-current]").span.text == "Opened"
    assert workshop.sheets.load(sheet.id).redo == "tolerance"
    other = add_sheet(workshop, workshop.originals.load(sheet.original), "other.png")
    stranger = send(client, token, f"{path}/history/{other.head}", seen=workshop.sheets.load(sheet.id).head)  # fmt: skip
    assert stranger.status_code == 404


def test_the_page_of_an_older_engines_sheet_shows_both_cuts_and_takes_the_new_one(
    client, token, workshop, sheet, monkeypatch
):
    from tidymargin.services.workshop import states

    monkeypatch.setattr(states, "ENGINE_VERSION", states.ENGINE_VERSION + 1)
    page = soup(client.get(f"/sheets/{sheet.id}/"))
    assert "Cut by an older version" in page.select_one("#older").text
    newer = page.select_one("#older img[src*='newer']")["src"]
    assert client.get(newer).mimetype == "image/png"
    refused = client.get(f"/sheets/{sheet.id}/export?png=1", headers={"Accept": "application/json"})
    assert (refused.status_code, "older version" in refused.json["message"]) == (422, True)
    now = soup(send(client, token, f"/sheets/{sheet.id}/new-cut", seen=sheet.head))
    assert not now.select("#older")
    assert client.get(f"/sheets/{sheet.id}/export?png=1").status_code == 200


def test_long_work_tells_its_progress_only_by_the_names_it_has(client, sheet):
    assert client.get(f"/sheets/{sheet.id}/progress?work=export").json == {"share": None}
    asked = client.get(f"/sheets/{sheet.id}/progress?work=all", headers={"Accept": "application/json"})  # fmt: skip
    assert asked.status_code == 422


def test_room_is_asked_of_both_disks_that_a_picture_needs(client, monkeypatch):
    free, large = {}, 200_000_000
    monkeypatch.setattr(
        keeping.shutil, "disk_usage", lambda folder: SimpleNamespace(free=free[str(folder)])
    )
    aside, kept = tempfile.gettempdir(), str(client.application.extensions["workshop"].folder)
    for in_kept, in_aside, size, status in (
        (10**9, 10**9, large, 204),
        (1000, 10**9, large, 507),
        (10**9, 1000, large, 507),
        (10**6, 1000, 900_000, 204),  # small enough to be held in memory while it is sent
        (10**6, 1000, "much", 422),
    ):
        free.update({aside: in_aside, kept: in_kept})
        answer = client.get(f"/room?bytes={size}", headers={"Accept": "application/json"})
        assert answer.status_code == status, (in_kept, in_aside)
    free.update({aside: 10**9, kept: large + 1})
    answer = client.get(f"/room?bytes={large}", headers={"Accept": "application/json"})
    on_one_disk = Path(aside).stat().st_dev == Path(kept).stat().st_dev
    assert answer.status_code == (507 if on_one_disk else 204)


def test_the_first_page_says_how_far_getting_ready_is_and_stops_saying_it(client, monkeypatch):
    assert BeautifulSoup(client.get("/").data, "html.parser").select_one("#compiling") is None
    monkeypatch.setattr(warming, "_share", 0.25)
    page = BeautifulSoup(client.get("/").data, "html.parser")
    said = page.select_one("#compiling")
    assert said.progress["value"] == "0.25"
    assert client.get(said["hx-get"]).text.strip().startswith('<div class="row compiling"')
    monkeypatch.setattr(warming, "_share", None)
    assert client.get(said["hx-get"]).text.strip() == ""


def test_what_comes_into_a_watched_folder_is_said_and_shown_without_loading_the_page_anew(
    workshop, client, tmp_path, badge_png
):
    assert client.get("/watched").status_code == 204
    seen = Watched(tmp_path / "scans", 2, {"bad.txt": "This file is empty."})
    watching = create_app(workshop, watched=seen).test_client()
    said = soup(watching.get("/")).select_one("#watched")
    assert said.p.text == "Watching scans: 2 pictures came."
    assert [row.text for row in said.find_all("li")] == ["bad.txt: This file is empty."]
    assert "Not taken" in said.text
    assert watching.get(said["hx-get"]).status_code == 200
    seen.came = 3
    add_sheet(workshop, badge_png, "came.png")
    answer = watching.get(said["hx-get"])
    assert "HX-Refresh" not in answer.headers
    changed = soup(answer)
    assert changed.find(id="watched")["hx-get"] == said["hx-get"].replace("2", "3")
    assert changed.find(id="sheets")["hx-swap-oob"] == "innerHTML"
    assert "came.png" in changed.find(id="sheets").text
    assert changed.find(id="tray-sentence").text == "1 picture."


def test_one_file_is_named_by_the_pattern_and_comes_as_it_was_asked_for(
    client, token, workshop, sheet
):
    path = f"/sheets/{sheet.id}/"
    asked = {"quality": "80", "pattern": "{name} {size}", "clear_colour": "removed"}
    assert send(client, token, path + "export/file", seen=sheet.head, **asked).status_code == 200
    answer = client.get(path + "export")
    size = f"{sheet.width}x{sheet.height}"
    assert f"filename*=UTF-8''badge%20_b_%20{size}.png" in answer.headers["Content-Disposition"]
    with Image.open(io.BytesIO(answer.data)) as image:
        assert image.getpixel((0, 0)) == (0, 0, 0, 0)  # nothing stands under what is clear
