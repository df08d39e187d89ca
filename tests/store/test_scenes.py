"""Scenes in the store: a history with branches, versions, a bin, and what is brought over from a damaged database."""

import json
from contextlib import closing

import pytest

from tidymargin.core.base.errors import NotFoundError, StaleHeadError, UnreadableStepError
from tidymargin.formats.arrangement import ArrangedBase, ArrangedCut, Arrangement
from tidymargin.formats.recipe import Recipe
from tidymargin.services.workshop.states import to_state
from tidymargin.store.database import check_database, connect_to_read, open_database
from tidymargin.store.merging import bring_over
from tidymargin.store.scenes import Scenes
from tidymargin.store.sheets import Sheets
from tidymargin.store.values import NewSheet

EMPTY = Arrangement(width=100, height=50)


@pytest.fixture
def scenes(tmp_path):
    engine = open_database(tmp_path / "db.sqlite")
    yield Scenes(engine)
    engine.dispose()


def wide(width):
    return Arrangement(width=width, height=50).to_json()


def test_undo_redo_and_a_second_way_lose_no_state(scenes):
    first = scenes.add("card", EMPTY.to_json())
    assert (first.undo, first.redo, first.arrangement) == (None, None, EMPTY)
    second = scenes.commit(first.id, first.head, wide(200), "sized")
    assert second.undo == "sized"
    with pytest.raises(StaleHeadError):
        scenes.commit(first.id, first.head, wide(300), "sized")
    back = scenes.undo(first.id, second.head)
    assert (back.head, back.redo) == (first.head, "sized")
    assert scenes.undo(first.id, back.head).head == first.head  # there is nothing before it
    other = scenes.commit(first.id, back.head, wide(400), "sized")
    assert scenes.undo(first.id, other.head).redo == "sized"
    there = scenes.visit(first.id, first.head, second.head)
    assert there.arrangement.width == 200
    assert scenes.redo(first.id, scenes.undo(first.id, there.head).head).head == second.head
    assert [state.id for state in scenes.list_states(first.id)] == [first.head, second.head, other.head]  # fmt: skip
    stranger = scenes.add("other", EMPTY.to_json())
    with pytest.raises(NotFoundError):
        scenes.visit(first.id, second.head, stranger.head)


def test_versions_the_bin_and_what_is_emptied(scenes):
    card = scenes.add("card", EMPTY.to_json())
    kept = scenes.keep_version(card.id, card.head, "first proof")
    assert [version.name for version in scenes.list_versions(card.id)] == ["first proof"]
    scenes.commit(card.id, kept.head, wide(200), "sized")
    with pytest.raises(StaleHeadError):
        scenes.keep_version(card.id, card.head, "too late")
    assert scenes.rename(card.id, "evening").name == "evening"
    scenes.bin(card.id)
    with pytest.raises(NotFoundError, match="in the bin"):
        scenes.load(card.id)
    assert [scene.name for scene in scenes.list_all(in_bin=True)] == ["evening"]
    scenes.take_out(card.id)
    assert scenes.load(card.id).arrangement.width == 200
    (version,) = scenes.list_versions(card.id)
    scenes.forget_version(card.id, version.id)
    assert scenes.list_versions(card.id) == []
    scenes.bin(card.id)
    scenes.empty_bin()
    assert scenes.list_all(in_bin=True) == scenes.list_states(card.id) == []


def test_what_another_version_saved_is_said_and_stays(scenes):
    newer = scenes.add("card", json.dumps({"width": 10, "height": 10, "warp": 3}))
    with pytest.raises(UnreadableStepError, match="cannot read"):
        _ = scenes.load(newer.id).arrangement
    assert "warp" in scenes.load(newer.id).body


def add_sheet(engine, name):
    sheets = Sheets(engine)
    new = NewSheet(f"{name}.png", name * 64, "PNG", 10, 20, None, ())
    return sheets.add(new, to_state(Recipe(), "begin", {}))


def test_brought_over_a_scene_names_its_sheets_by_the_numbers_that_they_have_there(tmp_path):
    source, target = (open_database(tmp_path / f"{name}.sqlite") for name in ("a", "b"))
    add_sheet(target, "c")
    bell, rose = add_sheet(source, "a"), add_sheet(source, "b")
    cuts = [
        ArrangedCut(key=1, name="bell", sheet=bell.id, state=bell.head),
        ArrangedCut(key=2, name="gone", sheet=99),
    ]
    made = Arrangement(width=9, height=9, base=ArrangedBase(sheet=rose.id), cuts=tuple(cuts))
    card = Scenes(source).add("card", EMPTY.to_json())
    card = Scenes(source).commit(card.id, card.head, made.to_json(), "added")
    Scenes(source).keep_version(card.id, card.head, "proof")
    for engine in (source, target):
        engine.dispose()
    for _ in range(2):  # a second time there is nothing to bring
        bring_over(tmp_path / "a.sqlite", tmp_path / "b.sqlite", {"a" * 64, "b" * 64, "c" * 64})
    check_database(tmp_path / "b.sqlite")
    with closing(connect_to_read(tmp_path / "b.sqlite")) as read:
        numbers = dict(read.execute("SELECT original, id FROM sheet"))
        heads = dict(read.execute("SELECT id, head_id FROM sheet"))
    engine = open_database(tmp_path / "b.sqlite")
    (found,) = Scenes(engine).list_all()
    own = numbers["a" * 64]
    first, second = found.arrangement.cuts
    assert (first.sheet, first.state) == (own, heads[own])
    assert found.arrangement.base.sheet == numbers["b" * 64]
    assert second.sheet > 1000  # what it named could not be brought, and is no other sheet
    assert found.undo == "added"
    assert [version.name for version in Scenes(engine).list_versions(found.id)] == ["proof"]
    engine.dispose()
