import pytest

from tests.conftest import read_png
from tidymargin.core.base.errors import OlderEngineError
from tidymargin.services import changing, history, opening, settings, viewing
from tidymargin.services.exporting import export_sheet
from tidymargin.services.opening import add_sheet, load_measured


def test_an_older_engines_sheet_is_never_cut_anew_unasked_and_both_cuts_can_be_seen(
    workshop, badge_png, monkeypatch
):
    sheet = add_sheet(workshop, badge_png, "badge.png")
    load_measured(workshop, sheet)
    viewing.keep_proof(workshop, sheet)
    name = viewing._proof_name(sheet)
    workshop.executor.submit(name, opening.Priority.KEEPING, lambda: None).result(20)
    then = viewing.load_proof(workshop, sheet)
    assert read_png(then).shape == (160, 160, 4)

    monkeypatch.setattr(opening, "ENGINE_VERSION", opening.ENGINE_VERSION + 1)
    assert viewing.make_thumbnail(workshop, sheet) == then  # the tray goes on showing the old cut
    for refused in (
        lambda: export_sheet(workshop, sheet),
        lambda: settings.set_tolerance(workshop, sheet.id, sheet.head, 9.0),
    ):
        with pytest.raises(OlderEngineError, match="older engine"):
            refused()
    assert workshop.sheets.load(sheet.id).head == sheet.head
    assert viewing.make_comparison(workshop, sheet) == then  # this badge is cut alike by both
    now = changing.use_new_cut(workshop, sheet.id, sheet.head)
    assert now.engine_version == opening.ENGINE_VERSION
    assert str(history.list_history(workshop, now)[0].said) == "Cut by the present engine"
    assert export_sheet(workshop, now)
    back = history.undo_change(workshop, now.id, now.head)  # the old state is still there
    assert opening.is_of_older_engine(back)
