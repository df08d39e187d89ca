import os
from dataclasses import replace

import pytest
from sqlalchemy import event

from tidymargin.core.base.errors import (
    DamagedFileError,
    NotFoundError,
    StaleHeadError,
    StorageFullError,
)
from tidymargin.formats.recipe import Recipe, change_recipe
from tidymargin.services.workshop.states import to_state
from tidymargin.store import aside
from tidymargin.store.database import open_database
from tidymargin.store.originals import Originals
from tidymargin.store.sheets import Sheets
from tidymargin.store.values import NewSheet

NEW = NewSheet("a.png", "0" * 64, "PNG", 10, 20, 300.0, ("Said.",))


def at(tolerance):
    return change_recipe(Recipe(), "reach", tolerance=tolerance)


@pytest.fixture
def sheets(tmp_path):
    found = Sheets(open_database(tmp_path / "db.sqlite"))
    yield found
    found.close()


def tune(sheets, sheet, tolerance):
    return sheets.commit(sheet.id, sheet.head, to_state(at(tolerance), "tolerance", {}))


def test_undo_and_redo_walk_the_history_and_name_what_they_do(sheets):
    first = sheets.add(NEW, to_state(Recipe(), "begin", {}))
    assert (first.undo, first.redo) == (None, None)
    third = tune(sheets, tune(sheets, first, 3), 7)
    back = sheets.undo(third.id, third.head)
    assert (back.recipe.reach.tolerance, back.undo, back.redo) == (
        3,
        "tolerance",
        "tolerance",
    )
    again = sheets.redo(back.id, back.head)
    assert (again.head, again.recipe, again.redo) == (third.head, at(7), None)
    start = sheets.undo(first.id, sheets.undo(first.id, again.head).head)
    assert sheets.undo(first.id, start.head).head == start.head == first.head


def test_a_change_after_an_undo_starts_a_branch_and_the_old_one_stays_stored(sheets):
    first = sheets.add(NEW, to_state(Recipe(), "begin", {}))
    left = tune(sheets, first, 3)
    back = sheets.undo(first.id, left.head)
    right = tune(sheets, back, 9)
    assert right.redo is None
    home = sheets.undo(first.id, right.head)
    assert sheets.redo(first.id, home.head).recipe == at(9)


def test_a_stale_head_is_refused_and_changes_nothing(sheets):
    first = sheets.add(NEW, to_state(Recipe(), "begin", {}))
    newer = tune(sheets, first, 3)
    for call in (lambda: tune(sheets, first, 8), lambda: sheets.undo(first.id, first.head)):
        with pytest.raises(StaleHeadError, match="another tab"):
            call()
    assert sheets.load(first.id) == newer


def test_everything_is_there_after_a_restart(tmp_path):
    sheets = Sheets(open_database(tmp_path / "db.sqlite"))
    saved = tune(sheets, sheets.add(NEW, to_state(Recipe(), "begin", {})), 4.2)
    undone = sheets.undo(saved.id, saved.head)
    sheets.close()
    again = Sheets(open_database(tmp_path / "db.sqlite"))
    assert again.load(saved.id) == undone
    assert again.redo(saved.id, undone.head).head == saved.head
    again.close()


def test_a_sheet_that_is_not_there_is_said(sheets):
    with pytest.raises(NotFoundError, match="no picture 7"):
        sheets.load(7)


def test_originals_are_kept_once_under_their_hash_and_strays_cleared(tmp_path):
    (tmp_path / "o").mkdir()
    (tmp_path / "o" / "half.part").write_bytes(b"x")
    folder = Originals(tmp_path / "o", tmp_path / "aside")
    folder.drop_parts()
    name = folder.save(b"picture")
    assert folder.save(b"picture") == name
    assert folder.load(name) == b"picture"
    assert [p.name for p in (tmp_path / "o").rglob("*") if p.is_file()] == [name]
    with pytest.raises(NotFoundError, match="missing"):
        folder.load("f" * 64)


def test_originals_that_no_sheet_names_are_set_aside_and_come_back_when_one_does(tmp_path):
    folder = Originals(tmp_path / "o", tmp_path / "aside")
    named, orphan = (folder.save(data) for data in (b"named", b"orphan"))
    os.utime(tmp_path / "o" / orphan[:2] / orphan, (0, 0))
    folder.reconcile({named})
    assert folder.load(named) == b"named"
    assert not folder.is_there(orphan)
    assert folder.list_aside() == {orphan}
    assert folder.load_aside(orphan) == b"orphan"
    folder.reconcile({named, orphan})
    assert folder.load(orphan) == b"orphan"
    assert folder.list_aside() == set()


def test_an_original_that_was_changed_on_the_disk_is_not_taken_for_itself_and_mended_by_adding_it(
    tmp_path,
):
    folder = Originals(tmp_path / "o", tmp_path / "aside")
    name = folder.save(b"picture")
    place = tmp_path / "o" / name[:2] / name
    place.write_bytes(b"pictury")
    with pytest.raises(DamagedFileError, match="changed or damaged"):
        folder.load(name)
    assert not folder.is_whole(name)
    assert folder.save(b"picture") == name
    assert folder.load(name) == b"picture"


def test_a_full_disk_is_said_and_leaves_nothing_half(tmp_path, monkeypatch):
    folder = Originals(tmp_path / "o", tmp_path / "aside")

    def fail(_handle):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(aside.os, "fsync", fail)
    with pytest.raises(StorageFullError, match="disk is full"):
        folder.save(b"picture")
    assert [p for p in tmp_path.rglob("*") if p.is_file()] == []


def test_a_list_holds_what_each_sheet_holds_and_asks_as_little_for_many_as_for_one(tmp_path):
    engine = open_database(tmp_path / "db.sqlite")
    sheets, asked = Sheets(engine), []
    event.listen(engine, "before_cursor_execute", lambda *seen: asked.append(seen[2]))

    def count_asked():
        asked.clear()
        sheets.list_all()
        return len(asked)

    assert sheets.list_all() == []
    one = tune(sheets, sheets.add(NEW, to_state(Recipe(), "begin", {})), 3)
    sheets.undo(one.id, one.head)
    for_one = count_asked()
    for number in range(12):
        new = replace(NEW, name=f"{number}.png", original=f"{number:064}")
        changed = tune(sheets, sheets.add(new, to_state(Recipe(), "begin", {})), number)
        if number % 3 == 0:
            sheets.undo(changed.id, changed.head)
        if number % 4 == 0:
            sheets.bin(changed.id)
    assert count_asked() == for_one
    assert sheets.list_all() == [sheets.load(n) for n in range(13, 0, -1) if n not in (2, 6, 10)]
    assert (sheets.list_all(4), len(sheets.list_all())) == (sheets.list_all()[:4], 10)
    assert [sheet.name for sheet in sheets.list_binned()] == ["8.png", "4.png", "0.png"]
    # the first sheet has the original of 0.png, and stays
    assert sheets.list_binned_originals() == {f"{4:064}", f"{8:064}"}
    sheets.add(replace(NEW, original=f"{4:064}"), to_state(Recipe(), "begin", {}))
    assert sheets.list_binned_originals() == {f"{8:064}"}
    sheets.close()
