import os
import threading
import time
from itertools import pairwise

import numpy as np
import pytest

from benchmarks.keying import key_file
from tests.conftest import read_png, say_history
from tidymargin.core.base.area import whole_area
from tidymargin.core.base.errors import BadParameterError
from tidymargin.core.base.picture import Region
from tidymargin.core.reach.clearing import Pick
from tidymargin.formats.decode import decode_picture
from tidymargin.formats.names import to_shown_name
from tidymargin.formats.recipe import Recipe, change_recipe
from tidymargin.services.edits import deciding, history, settings
from tidymargin.services.edits.changing import begin
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.folder.keeping import bin_sheet, empty_bin
from tidymargin.services.picture.warming import drop_old_kernels
from tidymargin.services.picture.writing import crop_bands, find_extent
from tidymargin.services.views import measuring
from tidymargin.services.views.cutting import load_cutter
from tidymargin.services.views.exporting import export_sheet, to_download_name
from tidymargin.services.views.measuring import load_measured
from tidymargin.services.views.viewing import render_view
from tidymargin.services.views.windows import View
from tidymargin.services.workshop.cache import ByteCache
from tidymargin.services.workshop.workshop import open_workshop


def test_a_cache_never_holds_more_than_its_limit_and_forgets_the_longest_unused():
    cache = ByteCache[str](100)
    for name in "abcd":
        cache.put(name, name.upper(), 30)
        cache.get("a")
    assert [cache.get(name) for name in "abcd"] == ["A", None, "C", "D"]
    cache.put("huge", "x", 101)
    assert cache.get("huge") is None
    few = ByteCache[str](100, 2)
    for name in "abc":
        few.put(name, name, 1)
    assert [few.get(name) for name in "abc"] == [None, "b", "c"]


@pytest.fixture
def sheet(workshop, badge_png):
    return add_sheet(workshop, badge_png, "a/b\\badge.png")


def test_a_sheet_keeps_its_original_and_shows_no_path(workshop, sheet, badge_png):
    assert sheet.name == "badge.png"
    assert workshop.originals.load(sheet.original) == badge_png
    assert to_shown_name("../..\n/") == "Untitled picture"
    again = add_sheet(workshop, badge_png, "copy.png")
    assert again.original == sheet.original
    assert "also here as badge.png" in again.remarks[-1]


def test_every_decision_is_one_row_that_undo_takes_back(workshop, sheet):
    steps = [
        lambda e: settings.set_values(e, "tolerance", tolerance=6.4),
        lambda e: deciding.pick_place(e, 80, 20),
        lambda e: settings.set_values(e, "ground_colour", colour="#FFFFFE"),
        lambda e: settings.set_values(e, "backdrop", backdrop="#112233"),
        lambda e: settings.set_values(e, "trim", trim=True, margin_px=5, pieces=False),
        lambda e: deciding.keep_place(e, 80, 80),
        lambda e: deciding.remove_thing(e, "pick", 1),
        lambda e: deciding.guard_place(e, 80, 80),
        lambda e: deciding.set_guard(e, 1, 9),
        lambda e: deciding.remove_thing(e, "guard", 1),
        lambda e: deciding.add_fence(e, [(3, 3), (90, 40)]),
        lambda e: deciding.decide_pockets(e, "keep"),
        lambda e: settings.set_values(e, "start", start="everywhere"),
        lambda e: settings.set_values(e, "crumbs", crumbs_px=9, pinholes_px=4),
        lambda e: settings.set_values(e, "figure", figure="ink"),
        lambda e: settings.set_ground(e, "paper"),
    ]
    states = [sheet]
    for step in steps:
        states.append(step(begin(workshop, sheet.id, states[-1].head)))
    assert len({state.head for state in states}) == len(states)
    assert states[1].resolved == {"ground": "flat", "colour": "#FFFFFF", "figure": "opaque", "tolerance": 6.4, "measured": 1.0}  # fmt: skip
    said = say_history(workshop, states[-1])
    assert said[-1] == "Opened"
    assert said[-2:-5:-1] == ["Tolerance 1.0 to 6.4", "Enclosed area at 20, 80 cleared", "Background colour #FFFFFE"]  # fmt: skip
    assert not any("%(" in words for words in said)
    assert all(words[0].isupper() for words in said)  # none is a bare key of the catalogue
    now = states[-1]
    for expected in reversed(states[:-1]):
        now = history.undo_change(begin(workshop, now.id, now.head))
        assert now.recipe == expected.recipe
    same = settings.set_values(begin(workshop, now.id, now.head), "tolerance", tolerance="auto")
    assert same.head == now.head  # what changes nothing makes no row


def test_a_click_that_means_nothing_changes_nothing(workshop, sheet):
    assert deciding.pick_place(begin(workshop, sheet.id, sheet.head), 2, 2).head == sheet.head
    with pytest.raises(BadParameterError, match="There is no pick here"):
        deciding.remove_thing(begin(workshop, sheet.id, sheet.head), "pick", 1)


def test_the_bench_and_the_command_line_make_the_same_file(workshop, sheet, badge_png):
    assert export_sheet(workshop, sheet).data == key_file(badge_png, Recipe())
    picked = deciding.pick_place(begin(workshop, sheet.id, sheet.head), 80, 20)
    assert export_sheet(workshop, picked).data == key_file(badge_png, picked.recipe)


def test_a_change_of_colours_finds_nothing_of_reach_anew(workshop, sheet):
    before = load_cutter(workshop, sheet)
    sheet = settings.set_values(begin(workshop, sheet.id, sheet.head), "spill", spill=0.5)
    after = load_cutter(workshop, sheet)
    assert (before.plan.tint.spill, after.plan.tint.spill) == (1.0, 0.5)
    assert after.pockets is before.pockets
    assert after.levels is before.levels
    sheet = settings.set_values(begin(workshop, sheet.id, sheet.head), "tolerance", tolerance=9.0)
    assert load_cutter(workshop, sheet).pockets is not before.pockets


def test_a_restart_finds_the_same_cut(workshop, sheet):
    before = export_sheet(
        workshop,
        settings.set_values(begin(workshop, sheet.id, sheet.head), "tolerance", tolerance=9),
    ).data
    workshop.close()
    again = open_workshop(workshop.folder)
    assert export_sheet(again, again.sheets.load(sheet.id)).data == before
    again.close()


def test_what_was_measured_is_read_back_after_a_restart_and_not_measured_again(
    workshop, sheet, monkeypatch
):
    before = load_measured(workshop, sheet).facts
    assert before.pockets.listed
    kept = workshop.folder / "cache"
    for _ in range(200):
        if any(place.is_file() for place in kept.rglob("*")):
            break
        time.sleep(0.05)
    workshop.close()
    monkeypatch.setattr(measuring, "measure_sheet", lambda *_: pytest.fail("measured again"))
    again = open_workshop(workshop.folder)
    after = load_measured(again, again.sheets.load(sheet.id)).facts
    again.close()
    assert after.pockets.listed == before.pockets.listed
    assert after.calm == before.calm
    np.testing.assert_array_equal(after.outside, before.outside)
    np.testing.assert_array_equal(after.difference.steps, before.difference.steps)


def test_trimming_leaves_the_figure_and_an_even_transparent_margin(workshop, sheet):
    facts = load_measured(workshop, sheet).facts
    assert facts.outside.shape == (160, 160)
    cut = render_view(workshop, sheet, View(0, 0, 1, 160, 160))
    rows = np.flatnonzero(cut[..., 3].any(axis=1))
    cols = np.flatnonzero(cut[..., 3].any(axis=0))
    for margin in (0, 3, 200):
        sheet = settings.set_values(
            begin(workshop, sheet.id, sheet.head), "trim", trim=True, margin_px=margin, pieces=False
        )
        out = read_png(export_sheet(workshop, sheet).data).copy()
        core = cut[rows[0] : rows[-1] + 1, cols[0] : cols[-1] + 1]
        shown = out[margin : len(out) - margin, margin : out.shape[1] - margin]
        np.testing.assert_array_equal(shown, core)
        out[margin : len(out) - margin, margin : out.shape[1] - margin, 3] = 0
        assert not out[..., 3].any()


def test_cropping_band_by_band_equals_padding_the_whole():
    random = np.random.default_rng(4)
    rgba = random.integers(0, 256, (37, 23, 4), np.uint8)
    padded = np.pad(rgba, ((9, 9), (9, 9), (0, 0)), "edge")
    padded[:9, :, 3] = padded[-9:, :, 3] = 0
    padded[:, :9, 3] = padded[:, -9:, 3] = 0
    for _ in range(40):
        ends = np.unique([0, *random.integers(1, 37, 3), 37])
        bands = [rgba[a:b] for a, b in pairwise(ends)]
        top, left = (int(v) for v in random.integers(-9, 10, 2))
        bottom, right = int(random.integers(20, 46)), int(random.integers(12, 32))
        got = np.concatenate(list(crop_bands(bands, Region(top, left, bottom, right), 37)))
        np.testing.assert_array_equal(got, padded[top + 9 : bottom + 9, left + 9 : right + 9])
    box, kept = find_extent([np.zeros((4, 5, 4), np.uint8)])
    assert (box, kept[0].unpack().shape) == (None, (4, 5, 4))


def test_a_figure_pick_in_a_recipe_holds_a_place_that_would_go(badge_png):
    wide = change_recipe(Recipe(), "reach", tolerance=50)
    pick = {"x": 80, "y": 50, "marks": "figure"}
    held = change_recipe(wide, "reach", picks=[pick])
    gone, kept = (decode_picture(key_file(badge_png, recipe)).picture for recipe in (wide, held))
    assert gone.alpha is not None
    assert kept.alpha is not None
    assert kept.alpha[50, 80] == 255
    assert kept.alpha.sum() >= gone.alpha.sum()
    assert Pick(50, 80, True) == held.to_plan(whole_area(160, 160)).reach.picks[0]
    fenced = change_recipe(Recipe(), "reach", fences=[[(5, 5), (500, 5)]])
    with pytest.raises(BadParameterError, match="inside 160 × 160 px") as caught:
        key_file(badge_png, fenced)
    assert caught.value.field == "fences"


def test_export_names_end_in_png():
    assert [to_download_name(n, Recipe()) for n in ("a.jpg", "b", ".x")] == [
        "a.png",
        "b.png",
        "cut.png",
    ]


def test_a_bin_emptied_while_its_picture_is_added_again_takes_no_original(
    workshop, badge_png, monkeypatch
):
    first = add_sheet(workshop, badge_png, "first.png")
    bin_sheet(workshop, first.id)
    add = workshop.sheets.add
    emptied = threading.Thread(target=empty_bin, args=(workshop,))

    def add_slowly(*given):
        emptied.start()
        time.sleep(0.2)  # the original is saved, and no sheet names it yet
        return add(*given)

    monkeypatch.setattr(workshop.sheets, "add", add_slowly)
    second = add_sheet(workshop, badge_png, "second.png")
    emptied.join()
    assert workshop.originals.load(second.original) == badge_png
    assert workshop.sheets.list_binned() == []


def test_only_kernels_of_other_versions_long_unused_are_dropped(tmp_path):
    own, old, recent = (tmp_path / f"kernels-{name}" for name in ("own", "old", "recent"))
    other = tmp_path / "else"
    for folder in (own, old, recent, other):
        folder.mkdir()
    for folder in (own, old, other):
        os.utime(folder, (0, 0))
    drop_old_kernels(other)
    assert old.exists()
    drop_old_kernels(own)
    assert [p.exists() for p in (own, old, recent, other)] == [True, False, True, True]
