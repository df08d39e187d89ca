"""What was exported is read back, listed with what it held, and fetched again; settings are kept under names."""

import io
import json
import zipfile

import numpy as np
import pytest
from bs4 import BeautifulSoup

from tests.conftest import read_png
from tidymargin.core.base.errors import BadOutputError
from tidymargin.formats.checking import Witness
from tidymargin.formats.encode import encode_bands
from tidymargin.services.edits import settings
from tidymargin.services.edits.changing import begin
from tidymargin.services.folder import keeping


def look(client, path):
    return BeautifulSoup(client.get(path).text, "html.parser")


def send(client, sheet, path, workshop, **values):
    page = look(client, f"/sheets/{sheet.id}/?open=export")
    token = page.find("input", {"name": "csrf_token"})["value"]
    head = workshop.sheets.load(sheet.id).head
    return client.post(f"/sheets/{sheet.id}/{path}", data={"csrf_token": token, "seen": head, "open": "export"} | values)  # fmt: skip


def test_a_png_is_compared_with_what_was_cut_by_decoding_it_again():
    random = np.random.default_rng(3)
    rgba = random.integers(0, 255, (70, 40, 4), np.uint8)
    witness = Witness()
    data = b"".join(encode_bands(witness.watch([rgba[:33], rgba[33:]]), 70, 40, dots_per_inch=300))
    checked = witness.check(data, 300)
    assert (checked.height, checked.width, checked.largest_difference) == (70, 40, 0)
    assert (checked.least_alpha, checked.most_alpha) == (rgba[..., 3].min(), rgba[..., 3].max())
    with pytest.raises(BadOutputError, match="300 dpi in place of 150"):
        witness.check(data, 150)
    rgba[50, 20, 1] ^= 1
    other = b"".join(encode_bands([rgba], 70, 40, dots_per_inch=300))
    with pytest.raises(BadOutputError, match="not the cut"):
        witness.check(other, 300)


def test_exports_are_listed_with_what_they_held_and_fetched_again_though_the_sheet_went_on(client, workshop, sheet):  # fmt: skip
    assert look(client, f"/sheets/{sheet.id}/?open=export").find(id="exports-made").text.strip() == ""  # fmt: skip
    first = client.get(f"/sheets/{sheet.id}/export")
    page = look(client, f"/sheets/{sheet.id}/?open=export")
    (row,) = page.find(id="exports-made").find_all("li")
    assert "badge.png, 160 × 160 px, 300 dpi" in row.text
    assert "alpha 0 to 255, nothing lost" in row.text
    again = row.find("a")["href"]
    sheet = settings.set_values(begin(workshop, sheet.id, sheet.head), "tolerance", tolerance=20)
    sheet = settings.set_values(begin(workshop, sheet.id, sheet.head), "export", formats=["avif", "webp"], sizes=[{"value": 320}])  # fmt: skip
    assert "larger than the sheet" in look(client, f"/sheets/{sheet.id}/").find(id="sentence-export").text  # fmt: skip
    with zipfile.ZipFile(io.BytesIO(client.get(f"/sheets/{sheet.id}/export").data)) as archive:
        assert sorted(archive.namelist()) == ["badge.avif", "badge.webp"]
    made = client.get(f"/sheets/{sheet.id}/exports-made").text
    assert made.count("<li>") == 2
    assert "larger than the original, and no sharper" in made
    fetched = client.get(again)
    assert fetched.data == first.data
    assert fetched.headers["Content-Disposition"] == first.headers["Content-Disposition"]
    assert client.get("/sheets/999/exports/1").status_code == 404
    assert client.get(f"/sheets/{sheet.id}/exports/99").status_code == 404
    settings.set_values(begin(workshop, sheet.id, sheet.head), "export", formats=["png"], sizes=[])
    for _ in range(25):
        client.get(f"/sheets/{sheet.id}/export")
    assert len(workshop.exports.list_of(sheet.id)) == 20
    keeping.bin_sheet(workshop, sheet.id)
    keeping.empty_bin(workshop)
    assert workshop.exports.list_of(sheet.id) == []


def test_settings_are_kept_under_a_name_used_as_one_row_of_history_and_forgotten(client, workshop, sheet):  # fmt: skip
    settings.set_values(
        begin(workshop, sheet.id, sheet.head), "export", formats=["webp"], trim=True, margin_px=3
    )
    assert send(client, sheet, "export/keep", workshop, name="  Shop\ticons ").status_code == 303
    assert send(client, sheet, "export/keep", workshop, name=" ").status_code == 422
    head = workshop.sheets.load(sheet.id).head
    settings.set_values(begin(workshop, sheet.id, head), "export", formats=["png"], trim=False)
    states = len(workshop.sheets.list_states(sheet.id))
    assert "Export as “Shop icons”" in look(client, f"/sheets/{sheet.id}/?open=export").text
    assert send(client, sheet, "export/use/1", workshop).status_code == 303
    export = workshop.sheets.load(sheet.id).recipe.export
    assert (export.formats, export.trim, export.margin_px) == (("webp",), True, 3)
    assert len(workshop.sheets.list_states(sheet.id)) == states + 1
    (kept,) = workshop.exports.list_kept()
    assert json.loads(kept.body)["formats"] == ["webp"]
    send(client, sheet, "export/forget/1", workshop)
    assert send(client, sheet, "export/use/1", workshop).status_code == 404


def test_every_drawing_of_a_sheet_is_exported_on_its_own(client, workshop, sheet):
    assert send(client, sheet, "export", workshop, extent="pieces", margin_px="2").status_code == 303  # fmt: skip
    assert "every drawing on its own" in look(client, f"/sheets/{sheet.id}/").find(id="sentence-export").text  # fmt: skip
    answer = client.get(f"/sheets/{sheet.id}/export")
    assert "badge-1.png" in answer.headers["Content-Disposition"]
    alpha = read_png(answer.data)[..., 3]
    assert not alpha[:2].any()
    assert alpha[2].any()


def test_a_format_that_loses_rims_shows_it_before_it_is_written(client, workshop, sheet):
    settings.set_values(begin(workshop, sheet.id, sheet.head), "export", formats=["png_hard"])
    page = look(client, f"/sheets/{sheet.id}/?open=export")
    (picture,) = page.select(".sample img")
    shown = read_png(client.get(picture["src"]).data)
    half = (shown.shape[1] - 12) // 2
    as_cut, given = shown[:, :half, 3], shown[:, half + 12 :, 3]
    assert as_cut.shape == given.shape
    assert set(np.unique(given)) == {0, 255}
    assert len(np.unique(as_cut)) > 4  # its rim is soft
    assert np.abs(as_cut.astype(int) - given)[(as_cut < 100) | (as_cut > 160)].max() < 128
    assert client.get(f"/sheets/{sheet.id}/export/sample/exe.png").status_code == 404
