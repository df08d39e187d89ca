"""Steps 4 and 5 as pages: what is set, what is tried, and what is refused."""

import json

import numpy as np
import pytest

from tests.web.test_ledger import ledger_of, post, send, words
from tidymargin.formats.decode import decode_picture
from tidymargin.services.edits import settings
from tidymargin.services.edits.changing import begin
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.views.exporting import export_sheet
from tidymargin.services.views.measuring import load_measured


@pytest.fixture
def change(workshop, client, token, sheet):
    """Sends a form on the newest state; returns the ledger."""

    def send_it(path, **values):
        return post(client, token, workshop.sheets.load(sheet.id), path, **values)

    return send_it


def export_of(workshop, sheet):
    picture = decode_picture(export_sheet(workshop, workshop.sheets.load(sheet.id)).data).picture
    return np.dstack([picture.rgb, picture.alpha])


def recipe_of(workshop, sheet):
    return workshop.sheets.load(sheet.id).recipe


def test_the_everyday_pair_is_one_click_and_one_row_and_taken_back_by_another(workshop, client, sheet, change):  # fmt: skip
    page = change("rim/everyday", open="rim")
    assert words(page.select_one("#sentence-rim")) == "Edge in by 1 px , soft over 2 px ."
    rim = recipe_of(workshop, sheet).rim
    assert (rim.choke_px, rim.feather_px, rim.smooth_px) == (1, 2, 0)
    softened = export_of(workshop, sheet)
    page = change("rim/reset", open="rim")
    assert words(page.select_one("#sentence-rim")) == "Edge solved , not softened ."
    plain = export_of(workshop, sheet)
    assert softened[..., 3].sum() < plain[..., 3].sum() - 100 * 255
    history = [words(row) for row in ledger_of(client, workshop, sheet, "history").select(".state")]
    assert history[0].startswith("Edge left as it was found")
    assert history[1].startswith("Edge shrunk by 1 px, softened over 2 px")


def test_what_is_tried_is_what_setting_it_gives(workshop, client, sheet, change):
    values = {"choke_px": -0.6, "smooth_px": 1.0}
    view = "left=20&top=10&cell=1&width=90&height=70&step=rim"
    tried = client.get(f"/sheets/{sheet.id}/tried?{view}&values={json.dumps(values)}")
    assert tried.status_code == 200
    change("rim", open="rim", **values)
    pixels = np.frombuffer(tried.data, np.uint8).reshape(70, 90, 4)
    assert np.array_equal(pixels, export_of(workshop, sheet)[10:80, 20:110])
    plain = client.get(f"/sheets/{sheet.id}/tried?{view}&plain=1").data
    change("rim/reset", open="rim")
    set_back = np.frombuffer(plain, np.uint8).reshape(70, 90, 4)
    assert np.array_equal(set_back, export_of(workshop, sheet)[10:80, 20:110])


@pytest.mark.parametrize(
    ("path", "values", "said"),
    [
        ("rim", {"choke_px": "13"}, "12"),
        ("rim", {"feather_px": "soft"}, "Expected a number, got “soft”"),
        ("rim", {"black": "60", "white": "50"}, "black should be below white"),
        ("recolour", {"colour": "blue", "goes": "one"}, "#RRGGBB"),
        ("recolour/pieces/3/remove", {}, "There is no piece here"),
        ("backing", {"backing": "#FFFFFF", "grown": "9000", "unit": "px"}, "400"),
        ("tone", {"saturation": "900"}, "2"),
        ("shadow", {"shadow": "-1"}, "0"),
        ("spill/places", {"row": 9, "col": 9, "radius_px": 0, "amount": 10}, "0"),
    ],
)
def test_what_cannot_be_is_a_sentence_and_nothing_is_saved(workshop, client, token, sheet, path, values, said):  # fmt: skip
    answer = send(client, token, sheet, path, **values)
    assert 400 <= answer.status_code < 500
    assert said in answer.data.decode()
    assert workshop.sheets.load(sheet.id).head == sheet.head
    view = "left=0&top=0&cell=1&width=9&height=9"
    for query in ("step=ground", "step=rim&values=[]", 'step=rim&values={"speed":3}'):
        assert 400 <= client.get(f"/sheets/{sheet.id}/tried?{view}&{query}").status_code < 500


def test_colours_are_set_said_and_taken_back(workshop, client, sheet, change):
    plain = export_of(workshop, sheet)
    page = change("recolour", colour="#1D3557", goes="one", open="colour")
    assert "all #1D3557" in words(page.select_one("#sentence-colour"))
    found = export_of(workshop, sheet)
    assert np.array_equal(found[..., 3], plain[..., 3])
    assert (found[found[..., 3] > 0][:, :3] == (0x1D, 0x35, 0x57)).all()
    row, col = (int(side.mean()) for side in np.nonzero(plain[..., 3] == 255))
    page = change("recolour/pieces", row=row, col=col, colour="#C8553D", open="colour")
    assert len(page.select('[aria-label="Recoloured pieces"] li')) == 1
    change("recolour/none", open="colour")
    assert recipe_of(workshop, sheet).colour.recolour.colour is None
    change("recolour/pieces/1/remove", open="colour")
    assert recipe_of(workshop, sheet).colour.recolour is None
    page = change("backing", backing="#ffffff", grown="2", unit="mm", holes="filled", open="colour")
    assert recipe_of(workshop, sheet).colour.backing.grown_px == pytest.approx(2 * 300 / 25.4)
    assert "backed with white" in words(page.select_one("#sentence-colour"))
    assert (export_of(workshop, sheet)[..., 3] > 0).sum() > (plain[..., 3] > 0).sum()
    change("backing/none", open="colour")
    change("tone", depth="100", open="colour")
    change("tone", depth="0", open="colour")
    assert np.array_equal(export_of(workshop, sheet), plain)


def test_a_view_follows_what_lies_far_away_where_a_backing_asks_for_it(workshop, client, sheet, change):  # fmt: skip
    change("backing", backing="#00ff00", grown="1", unit="px", holes="filled", open="colour")
    address = f"/sheets/{sheet.id}/view?left=0&top=0&cell=1&width=160&height=160"
    before = client.get(address).data
    head = workshop.sheets.load(sheet.id).head
    settings.set_values(begin(workshop, sheet.id, head), "start", start="everywhere")
    after = client.get(address).data
    assert len(before) == len(after)
    assert np.array_equal(np.frombuffer(after, np.uint8).reshape(160, 160, 4), export_of(workshop, sheet))  # fmt: skip


def test_spill_has_places_and_guards(workshop, client, token, almanac):
    sheet = add_sheet(workshop, almanac["brass-bell"].encoded, "bell.jpg")
    load_measured(workshop, sheet)
    plain = export_of(workshop, sheet)
    solid = np.argwhere(plain[..., 3] == 255)
    edge = solid[solid[:, 1].argmin()]
    post(client, token, sheet, "spill/places", row=int(edge[0]), col=int(edge[1]), radius_px=40, amount=0, open="colour")  # fmt: skip
    placed = export_of(workshop, sheet)
    changed = (placed != plain).any(axis=2)
    assert changed.any()
    assert np.hypot(*(np.argwhere(changed) - edge).T).max() < 60
    sheet = workshop.sheets.load(sheet.id)
    post(client, token, sheet, "spill/places/1/remove", open="colour")
    code = "#{:02X}{:02X}{:02X}".format(*plain[tuple(edge)][:3])
    page = post(client, token, workshop.sheets.load(sheet.id), "spill/guards", spill_guard=code, open="colour")  # fmt: skip
    assert f"{code} keeps its hue" in words(page.select_one("#step-colour"))
    assert (export_of(workshop, sheet) != plain).any()
    assert np.array_equal(export_of(workshop, sheet)[..., 3], plain[..., 3])


def faults_of(client, workshop, sheet):
    client.get(f"/sheets/{sheet.id}/faults")
    return ledger_of(client, workshop, sheet, "proof").select(".faults > li")


def test_each_remedy_is_one_change_after_which_its_fault_is_gone(workshop, client, token, sheet, change):  # fmt: skip
    page = change("proof/strip", strip=["#000000"], open="proof")
    assert "Proof on black and" in words(page.select_one("#sentence-proof"))
    rows = faults_of(client, workshop, sheet)
    assert all("enclosed area" in words(row) for row in rows)
    while rows:
        button = rows[0].select_one(".mend")
        assert words(button) == "clear it"
        post(client, token, workshop.sheets.load(sheet.id), rows[0].select_one("form")["action"].split("/", 3)[3], open="proof")  # fmt: skip
        left = faults_of(client, workshop, sheet)
        assert len(left) < len(rows)
        rows = left
    page = ledger_of(client, workshop, sheet, "proof")
    assert "None found. Looked for: specks" in words(page.select_one("#faults"))
    assert "none found" in words(page.select_one("#sentence-proof"))
    head = workshop.sheets.load(sheet.id).head
    settings.set_values(begin(workshop, sheet.id, head), "tolerance", tolerance=50)
    (first, *_) = faults_of(client, workshop, sheet)
    number = first.select_one(".accept").parent["action"].split("/")[-2]
    if first.select_one(".mend") and words(first.select_one(".mend")) == "bring it back":
        before = export_of(workshop, sheet)[..., 3].astype(int)
        change(f"faults/{number}/mend", open="proof")
        assert export_of(workshop, sheet)[..., 3].sum() > before.sum() + 255 * 20
        post(client, token, workshop.sheets.load(sheet.id), "undo", open="proof")
    change(f"faults/{number}/accept", open="proof")
    assert recipe_of(workshop, sheet).proof.accepted[0].kind in ("eaten", "swallowed", "crumb", "see_through")  # fmt: skip
    page = change("faults/again", open="proof")
    assert recipe_of(workshop, sheet).proof.accepted == ()


def test_limits_and_a_print_size_are_set_and_refused_like_all_else(workshop, client, token, sheet, change):  # fmt: skip
    change("proof/print", print_mm="300", open="proof")
    assert any("dots to the inch" in words(row) for row in faults_of(client, workshop, sheet))
    change("proof/limits", resolution="5", crumb="", open="proof")
    assert recipe_of(workshop, sheet).proof.limits.resolution == 5
    assert not any("dots to the inch" in words(row) for row in faults_of(client, workshop, sheet))
    change("proof/print", print_mm="", open="proof")
    for path, values in (("proof/limits", {"fringe": "-1"}), ("proof/print", {"print_mm": "wide"}), ("faults/999/accept", {}), ("proof/strip", {"strip": "red"})):  # fmt: skip
        answer = send(client, token, workshop.sheets.load(sheet.id), path, **values)
        assert 400 <= answer.status_code < 500, path
    assert client.get(f"/sheets/{sheet.id}/faults/999.png").status_code == 404
