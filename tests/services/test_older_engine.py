import pytest

from tests.conftest import read_png, say_history
from tidymargin.core.base.errors import OlderEngineError
from tidymargin.formats.step import name_of_step
from tidymargin.services.edits import changing, history, settings
from tidymargin.services.edits.changing import begin
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.views import proofs
from tidymargin.services.views.exporting import export_sheet
from tidymargin.services.views.measuring import load_measured
from tidymargin.services.workshop import states
from tidymargin.services.workshop.executor import Priority
from tidymargin.services.workshop.identity import proof_name
from tidymargin.store.values import NewState


def test_an_older_engines_sheet_is_never_cut_anew_unasked_and_both_cuts_can_be_seen(
    workshop, badge_png, monkeypatch
):
    sheet = add_sheet(workshop, badge_png, "badge.png")
    load_measured(workshop, sheet)
    proofs.keep_proof(workshop, sheet)
    name = proof_name(sheet)
    workshop.executor.submit(name, Priority.KEEPING, lambda: None).result(20)
    then = proofs.load_proof(workshop, sheet)
    assert read_png(then).shape == (160, 160, 4)

    monkeypatch.setattr(states, "ENGINE_VERSION", states.ENGINE_VERSION + 1)
    assert proofs.make_thumbnail(workshop, sheet) == then  # the tray goes on showing the old cut
    for refused in (
        lambda: export_sheet(workshop, sheet).data,
        lambda: settings.set_values(
            begin(workshop, sheet.id, sheet.head), "tolerance", tolerance=9.0
        ),
    ):
        with pytest.raises(OlderEngineError, match="older version"):
            refused()
    assert workshop.sheets.load(sheet.id).head == sheet.head
    assert proofs.make_comparison(workshop, sheet) == then  # this badge is cut alike by both
    now = changing.use_new_cut(begin(workshop, sheet.id, sheet.head))
    assert now.engine_version == states.ENGINE_VERSION
    (newest, *_) = history.list_history(workshop, now)
    assert newest.state.change == "engine"
    assert export_sheet(workshop, now).data
    back = history.undo_change(begin(workshop, now.id, now.head))  # the old state is still there
    assert states.is_of_older_engine(back)


def test_a_state_that_a_later_version_saved_is_said_in_words_and_shown_as_it_was_kept(
    workshop, client, token, badge_png
):
    sheet = add_sheet(workshop, badge_png, "badge.png")
    load_measured(workshop, sheet)
    first = settings.set_values(begin(workshop, sheet.id, sheet.head), "tolerance", tolerance=4.0)
    names, bodies = dict(first.names), dict(first.bodies)
    bodies["rim"] = '{"feather":2,"version":9}'
    names["rim"] = name_of_step(bodies["rim"])
    later = NewState(names, bodies, {}, "feather", {}, first.engine_version)
    last = workshop.sheets.commit(sheet.id, first.head, later)
    proof = proofs.make_thumbnail(workshop, first)
    workshop.proofs.put(proof_name(last), proof)

    page = client.get(f"/sheets/{sheet.id}/")
    assert page.status_code == 200
    assert "The step “rim” is of version 9; this Tidy Margin reads up to 1." in page.text
    assert "Tolerance 1.0 to 4.0" in page.text
    for shown in ("older.png", "thumbnail.png"):
        assert client.get(f"/sheets/{sheet.id}/{shown}").data == proof
    assert client.get("/").status_code == 200
    refused = client.get(f"/sheets/{sheet.id}/export?png=1")
    assert refused.status_code == 422
    form = {"csrf_token": token, "seen": last.head}
    answer = client.post(f"/sheets/{sheet.id}/undo", data=form, headers={"HX-Request": "true"})
    assert "Tolerance" in answer.text
    form["seen"] = first.head
    answer = client.post(f"/sheets/{sheet.id}/redo", data=form, headers={"HX-Request": "true"})
    assert answer.headers["HX-Redirect"] == f"/sheets/{sheet.id}/"
    assert workshop.sheets.load(sheet.id).head == last.head
    assert len(say_history(workshop, last)) == 3
