"""Marks as they are kept: each stored once, bad ones refused with nothing lost, resting beyond the work area."""

import json
import sqlite3

import numpy as np
import pytest
from click.testing import CliRunner

from benchmarks.keying import key_file
from tests.conftest import read_png, to_png
from tidymargin.cli.commands import main
from tidymargin.core.base.errors import DomainError, NotFoundError, StaleHeadError
from tidymargin.formats.recipe import change_recipe, read_recipe
from tidymargin.formats.steps import ByHandStep
from tidymargin.services.edits import history, marking, roughing, settings
from tidymargin.services.edits.changing import begin, commit_recipe
from tidymargin.services.edits.deciding import pick_place
from tidymargin.services.edits.history import undo_change
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.folder.keeping import bin_sheet, empty_bin
from tidymargin.services.views.measuring import load_measured
from tidymargin.services.workshop.workshop import open_workshop
from tidymargin.store.merging import bring_over
from tidymargin.store.rows import find_fault
from tidymargin.web.sentences.by_hand import list_groups

ALL = [
    {"kind": "area", "verdict": "keep", "rings": [[(5, 5), (40, 5), (40, 30)]]},
    {"kind": "area", "verdict": "solve", "rings": [[(50, 50), (90, 50), (90, 110), (50, 110)]]},
    {"kind": "stroke", "verdict": "clear", "places": [(60, 60), (70, 90), (90, 95)], "hardness": 0.4},
    {"kind": "stroke", "verdict": "keep", "places": [(10, 140, 0.3), (30, 150, 1.0)], "strength": 0.5},
    {"kind": "stroke", "verdict": "clear", "places": [(20, 30), (20, 130)], "like": {"colour": "first", "tolerance": 6}},
    {"kind": "stroke", "verdict": "keep", "places": [(60, 20), (100, 30)], "like": {"is_joined": False}},
    {"kind": "outline", "does": "clear_outside", "is_closed": True, "points": [
        {"x": 8, "y": 8, "is_smooth": True}, {"x": 152, "y": 8, "bend": (156, 80)}, {"x": 150, "y": 150}, {"x": 8, "y": 150}]},
    {"kind": "outline", "points": [{"x": 3, "y": 3}]},
    {"kind": "rough", "keep": [[(60, 60), (90, 90)]], "rings": [[(30, 30), (130, 30), (130, 130), (30, 130)]]},
]  # fmt: skip


@pytest.fixture
def sheet(workshop, badge_png):
    sheet = add_sheet(workshop, badge_png, "badge.png")
    load_measured(workshop, sheet)
    return sheet


def test_a_recipe_with_every_kind_of_mark_comes_back_through_json_to_the_same_pixels(badge_png):
    recipe = change_recipe(read_recipe("{}"), "by_hand", marks=ALL)
    again = read_recipe(recipe.to_json())
    assert again == recipe
    assert again.names == recipe.names
    assert key_file(badge_png, again) == key_file(badge_png, recipe)
    assert key_file(badge_png, recipe) != key_file(badge_png, read_recipe("{}"))
    for without in range(len(ALL)):
        if without in (
            5,
            7,
        ):  # nothing was cleared that is figure; an outline that is still open decides nothing
            continue
        alone = change_recipe(recipe, "by_hand", marks=[ALL[without]])
        assert key_file(badge_png, alone) != key_file(badge_png, read_recipe("{}")), without


def test_areas_of_the_first_version_are_marks_now_and_keep_the_name_they_were_stored_under():
    text = json.dumps({"areas": [{"verdict": "keep", "rings": [[[1, 1], [9, 1], [9, 9]]], "is_on": False}]})  # fmt: skip
    step = ByHandStep.read(text)
    assert step.to_json() == text
    assert [(mark.kind, mark.verdict, mark.is_on) for mark in step.marks] == [("area", "keep", False)]  # fmt: skip


def test_a_mark_is_stored_once_however_many_states_have_it_and_goes_with_the_last(workshop, sheet):
    head = sheet.head
    places = [(x + 0.25, 40 + x % 7) for x in range(100)]
    for number in range(20):
        said = {"verdict": "clear", "across_px": 2 + number / 10}
        head = marking.add_stroke(begin(workshop, sheet.id, head), places, said).head
    with sqlite3.connect(workshop.database) as database:
        sizes = [len(body) for (body,) in database.execute("SELECT body FROM step")]
    assert sum(size > 1000 for size in sizes if size < 2500) <= 20 + 20
    assert sum(sizes) < 20 * 2000 + 20 * 20 * 130  # not twenty times twenty times all places
    loaded = workshop.sheets.load(sheet.id)
    assert len(loaded.recipe.by_hand.marks) == 20
    assert [len(group.rows) for group in list_groups(loaded.recipe)[0]] == [20]
    undo_change(begin(workshop, sheet.id, loaded.head))
    assert len(workshop.sheets.load(sheet.id).recipe.by_hand.marks) == 19
    bin_sheet(workshop, sheet.id)
    empty_bin(workshop)
    with sqlite3.connect(workshop.database) as database:
        assert database.execute("SELECT count(*) FROM step").fetchone() == (0,)


def test_a_mark_beyond_the_work_area_rests_and_comes_back_with_it(workshop, sheet, badge_png):
    marked = marking.add_area(
        begin(workshop, sheet.id, sheet.head),
        "clear",
        [[(100, 60), (150, 60), (150, 100), (100, 100)]],
    )
    cut = read_png(key_file(badge_png, marked.recipe))
    assert not cut[65:95, 105:145, 3].any()
    cropped = settings.set_area(begin(workshop, sheet.id, marked.head), ((0, 0), (90, 0), (90, 160), (0, 160)))  # fmt: skip
    recipe = cropped.recipe
    assert len(recipe.by_hand.marks) == 1
    plain = change_recipe(recipe, "by_hand", marks=[])
    assert key_file(badge_png, recipe) == key_file(badge_png, plain)
    turned = settings.set_area(begin(workshop, sheet.id, cropped.head), ((160, 0), (160, 160), (0, 160), (0, 0)))  # fmt: skip
    quarter = read_png(key_file(badge_png, turned.recipe))
    np.testing.assert_array_equal(np.rot90(quarter, -1)[62:98, 102:148, 3], cut[62:98, 102:148, 3])


def test_a_spell_of_work_ends_where_something_else_is_done(workshop, sheet):
    head = sheet.head
    for verdict in ("clear", "clear", "keep"):
        head = marking.add_stroke(begin(workshop, sheet.id, head), [(9, 9), (30, 9)], {"verdict": verdict}).head  # fmt: skip
    head = pick_place(begin(workshop, sheet.id, head), 80, 20).head
    sheet = marking.add_stroke(
        begin(workshop, sheet.id, head), [(9, 9), (30, 9)], {"verdict": "keep"}
    )
    groups, earlier = list_groups(sheet.recipe)
    assert not earlier
    assert [[row.number for row in group.rows] for group in groups] == [[4], [3], [2, 1]]
    sheet = marking.switch_marks(begin(workshop, sheet.id, sheet.head), [1, 2], is_on=False)
    assert [mark.is_on for mark in marking.list_marks(sheet)] == [False, False, True, True]
    sheet = marking.remove_marks(begin(workshop, sheet.id, sheet.head), [2, 3])
    assert len(marking.list_marks(sheet)) == 2


def test_a_mark_of_any_kind_is_moved_and_a_stroke_set_otherwise(workshop, sheet):
    step = change_recipe(sheet.recipe, "by_hand", marks=ALL)
    sheet = commit_recipe(begin(workshop, sheet.id, sheet.head), step, "marks_on")
    for number, before in enumerate(marking.list_marks(sheet), 1):
        sheet = marking.move_mark(begin(workshop, sheet.id, sheet.head), number, (3.5, -2.0))
        after = marking.list_marks(sheet)[number - 1]
        x, y = before.place
        assert after.place == (x + 3.5, y - 2)
        assert after.moved(-3.5, 2.0) == before
    sheet = marking.set_mark(
        begin(workshop, sheet.id, sheet.head), 3, {"verdict": "keep", "across_px": 8}
    )
    stroke = marking.list_marks(sheet)[2]
    assert (stroke.verdict, stroke.across_px, stroke.hardness) == ("keep", 8, 0.4)
    with pytest.raises(DomainError, match="Nothing of that"):
        marking.set_mark(begin(workshop, sheet.id, sheet.head), 7, {"across_px": 8})
    with pytest.raises(DomainError, match="within 1,000,000"):
        marking.move_mark(begin(workshop, sheet.id, sheet.head), 1, (1e9, 0))


def ring(count):
    angles = np.linspace(0, 6.28, count)
    return np.column_stack([80 + 60 * np.cos(angles), 80 + 60 * np.sin(angles)]).tolist()


@pytest.mark.parametrize(
    ("path", "values", "said"),
    [
        ("stroke", {"verdict": "clear", "places": []}, "at least 1"),
        ("stroke", {"verdict": "clear", "places": ring(100_000)}, "2 MB|at most 20000"),
        ("stroke", {"verdict": "clear", "places": [[1e9, 3], [4, 4]]}, "within 1,000,000 px"),
        ("stroke", {"verdict": "clear", "places": [[float("nan"), 3]]}, "number"),
        ("stroke", {"verdict": "clear", "places": [["3", 3]]}, "pairs of numbers"),
        ("stroke", {"verdict": "clear", "places": [[3]]}, "pairs"),
        ("stroke", {"verdict": "clear", "places": "all of it"}, "list of places"),
        ("stroke", {"verdict": "burn", "places": [[3, 3]]}, "clear"),
        ("stroke", {"verdict": "clear", "places": [[3, 3]], "across_px": 1e6}, "2000"),
        ("stroke", {"verdict": "solve", "places": [[3, 3]], "like": {}}, "like a colour"),
        ("area/clear", {"rings": [[[1, 1], [2, 2]]]}, "at least three"),
        ("area/clear", {"rings": []}, "at least three"),
        ("area/clear", {"rings": 7}, "lists of places"),
        ("outline", {"number": 0, "points": []}, "at least 1"),
        ("outline", {"number": 9, "points": [{"x": 1, "y": 1}], "did": "moved"}, "There is no outline here"),
        ("outline", {"number": 0, "points": [{"x": None, "y": 1}]}, "pairs of numbers"),
        ("outline/parts", {"points": [{"x": "a", "y": 1}]}, "with x and y"),
        ("rough", {"number": 0, "across_px": 20, "keep": [], "clear": [[[9, 9], [20, 20]]]}, "scribble"),
        ("rough", {"number": 0, "across_px": 20, "keep": [[[900, 900], [990, 990]]]}, "scribble"),
        ("remove", {"numbers": "1"}, "There is no mark here"),
        ("switch/on", {"numbers": "one"}, "numbers of marks"),
        ("1/does/clear_inside", {}, "There is no mark here"),
    ],
)  # fmt: skip
def test_a_bad_mark_is_refused_in_a_sentence_and_nothing_is_lost(
    workshop, sheet, client, token, path, values, said
):
    body = json.dumps({**values, "seen": sheet.head, "open": "by_hand"})
    answer = client.post(
        f"/sheets/{sheet.id}/marks/{path}", data=body, content_type="application/json",
        headers={"X-CSRFToken": token, "Accept": "application/json"},
    )  # fmt: skip
    assert 400 <= answer.status_code < 500
    words = " ".join(str(answer.json[name]) for name in ("message", "hint") if answer.json.get(name))  # fmt: skip
    assert any(part in words for part in said.split("|")), words
    assert workshop.sheets.load(sheet.id).head == sheet.head


def test_marks_of_no_length_and_lines_that_cross_themselves_work(workshop, sheet):
    head = marking.add_stroke(begin(workshop, sheet.id, sheet.head), [(80, 80), (80, 80)], {"verdict": "clear", "across_px": 9}).head  # fmt: skip
    eight = [(20, 20), (60, 60), (60, 20), (20, 60)]
    sheet = marking.add_area(begin(workshop, sheet.id, head), "clear", [eight])
    cut = read_png(key_file(workshop.originals.load(sheet.original), sheet.recipe))
    assert not cut[78:83, 78:83, 3].any()
    assert not cut[40, 25:35, 3].any() or not cut[25:35, 40, 3].any()


def test_a_version_is_a_name_on_a_state_and_other_ways_to_see_a_sheet_change_nothing(
    workshop, sheet
):
    marked = marking.add_area(begin(workshop, sheet.id, sheet.head), "clear", [ring(9)])
    with pytest.raises(StaleHeadError):  # what was seen is another state by now
        history.keep_version(begin(workshop, sheet.id, sheet.head), "round hole")
    assert workshop.sheets.list_versions(marked.id) == []
    history.keep_version(begin(workshop, sheet.id, marked.head), "  round   hole ")
    (version,) = workshop.sheets.list_versions(marked.id)
    assert (version.name, version.state) == ("round hole", marked.head)
    assert not history.see_as(workshop, marked, "key").recipe.by_hand.marks
    assert history.see_as(workshop, marked, str(sheet.head)).names == sheet.names
    assert workshop.sheets.load(sheet.id).head == marked.head
    for bad in ("", " ", "x" * 81):
        with pytest.raises(DomainError, match="name"):
            history.keep_version(begin(workshop, sheet.id, marked.head), bad)
    for bad in ("..", "99999", "-1", "½"):
        with pytest.raises(NotFoundError):
            history.see_as(workshop, marked, bad)
    other = add_sheet(workshop, to_png(np.zeros((9, 9, 3), np.uint8)), "other.png")
    with pytest.raises(NotFoundError):  # another sheet's
        workshop.sheets.forget_version(other.id, version.id)
    workshop.sheets.forget_version(sheet.id, version.id)
    with pytest.raises(NotFoundError):
        workshop.sheets.forget_version(sheet.id, version.id)
    workshop.sheets.bin(sheet.id)
    with pytest.raises(NotFoundError):
        history.keep_version(begin(workshop, sheet.id, marked.head), "in the bin")
    workshop.sheets.take_out(sheet.id)
    assert workshop.sheets.list_versions(marked.id) == []


def test_rough_finds_a_figure_on_the_command_line_and_its_recipe_cuts_it_again(tmp_path):
    rows, cols = np.mgrid[:240, :300]
    disc = (rows - 120) ** 2 + (cols - 140) ** 2 < 70**2
    plaid = ((rows // 9 + cols // 12) % 2)[..., None] * np.array((70, 50, 90)) + (50, 90, 40)
    rgb = np.where(disc[..., None], (210, 130, 60), plaid) + np.random.default_rng(1).normal(0, 8, (240, 300, 3))  # fmt: skip
    (tmp_path / "busy.png").write_bytes(to_png(np.clip(rgb, 0, 255).astype(np.uint8)))

    def run(*arguments):
        return CliRunner().invoke(main, [str(argument) for argument in arguments])

    asked = ["--keep-scribble", "110,110,170,130", "--clear-scribble", "20,20,280,20"]
    done = run("rough", tmp_path / "busy.png", "-o", tmp_path / "cut.png", *asked, "--save-recipe", tmp_path / "r.json")  # fmt: skip
    assert (done.exit_code, done.output) == (0, "")
    cut = read_png((tmp_path / "cut.png").read_bytes())[..., 3] > 127
    assert (cut & disc).sum() / (cut | disc).sum() > 0.97
    again = run("key", tmp_path / "busy.png", "-o", tmp_path / "again.png", "--recipe", tmp_path / "r.json")  # fmt: skip
    assert again.exit_code == 0
    assert (tmp_path / "again.png").read_bytes() == (tmp_path / "cut.png").read_bytes()
    for bad, words in ((["--keep-scribble", "1,2,3"], "X,Y,X,Y"), (["--clear-scribble", "1,2,30,2"], "scribble"), (["--around", "x"], "X,Y")):  # fmt: skip
        refused = run("rough", tmp_path / "busy.png", "-o", tmp_path / "no.png", *bad)
        assert refused.exit_code == 64
        assert words in refused.output
        assert not (tmp_path / "no.png").exists()


def test_on_a_busy_picture_a_stroke_goes_by_colours_that_are_there_and_by_no_ground(workshop):
    random = np.random.default_rng(2)
    rows, cols = np.mgrid[:240, :240]
    plaid = ((rows // 11 + cols // 13) % 3)[..., None] * np.array((70, 40, 60)) + (40, 80, 50)
    rgb = np.clip(plaid + random.normal(0, 9, plaid.shape), 0, 255).astype(np.uint8)
    rgb[100:140] = (200, 40, 40)
    sheet = add_sheet(workshop, to_png(rgb), "busy.png")
    assert load_measured(workshop, sheet).facts.is_busy
    said = {"verdict": "clear", "across_px": 80, "like": {}}
    places = [(120, 120), (200, 120)]
    with pytest.raises(DomainError, match="too busy"):
        marking.add_stroke(begin(workshop, sheet.id, sheet.head), places, said)
    for colour in ("first", "middle"):
        like = {"colour": colour, "tolerance": 8}
        marked = marking.add_stroke(
            begin(workshop, sheet.id, sheet.head), places, {**said, "like": like}
        )
        cut = read_png(key_file(to_png(rgb), marked.recipe))[..., 3]
        assert (cut[104:136, 110:210] < 30).all()
        assert (cut[:96] == 255).all()
        sheet = undo_change(begin(workshop, sheet.id, marked.head))


def test_a_rough_in_is_never_worked_out_again_by_itself(workshop, sheet, monkeypatch):
    lines = {"keep": [[(50, 50), (100, 100)]]}
    found = roughing.rough_in(begin(workshop, sheet.id, sheet.head), 0, lines, None, 12.0)
    monkeypatch.setattr(roughing, "find_figure", lambda *_: pytest.fail("asked again"))
    assert read_png(key_file(workshop.originals.load(sheet.original), found.recipe)).any()
    (rough,) = marking.list_marks(found)
    assert rough.does == "cut_out"
    area = found.area
    assert [(mark.verdict, mark.is_outside) for mark in rough.to_marks(area)] == [("keep", False), ("clear", True)]  # fmt: skip
    inside = marking.decide_surrounding(
        begin(workshop, sheet.id, found.head), 1, "keep_inside", 0.0
    )
    assert [mark.edge_px for mark in marking.list_marks(inside)[0].to_marks(area)] == [0.0]


def test_marks_and_the_names_of_states_come_over_from_another_database(tmp_path, badge_png):
    origin, target = (open_workshop(tmp_path / name) for name in ("origin", "target"))
    try:
        sheet = add_sheet(origin, badge_png, "badge.png")
        load_measured(origin, sheet)
        places = [(9.5, 9.5), (60, 60), (90, 20)]
        sheet = marking.add_stroke(
            begin(origin, sheet.id, sheet.head), places, {"verdict": "clear"}
        )
        history.keep_version(begin(origin, sheet.id, sheet.head), "one stroke")
        target.originals.save(badge_png)
    finally:
        origin.close()
        target.close()
    for again in range(2):
        sheets, _ = bring_over(origin.database, target.database, {sheet.original})
        assert sheets == (0 if again else 1)
    target = open_workshop(tmp_path / "target")
    try:
        (brought,) = target.sheets.list_all()
        assert brought.recipe == sheet.recipe
        assert [(v.name, v.state) for v in target.sheets.list_versions(brought.id)] == [("one stroke", brought.head)]  # fmt: skip
    finally:
        target.close()
    with sqlite3.connect(target.database) as database:
        name = marking.list_marks(brought)[0].name
        database.execute("DELETE FROM step WHERE name = ?", (name,))
    with sqlite3.connect(target.database) as database:
        assert find_fault(database) == "a mark in it is missing"
