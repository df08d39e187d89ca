"""Decisions through the services: each one is kept with its place, and views follow."""

import numpy as np
import pytest

from tests.conftest import to_png
from tidymargin.core.errors import BadParameterError
from tidymargin.demo.drawing import Drawing, lay_over
from tidymargin.formats.decode import decode_picture
from tidymargin.formats.recipe import change_recipe
from tidymargin.services import deciding
from tidymargin.services.exporting import export_sheet, key_file
from tidymargin.services.opening import add_sheet, load_measured, load_tolerance, read_recipe_of
from tidymargin.services.reporting import explain, report_file
from tidymargin.services.viewing import View, make_crop, make_thumbnail, render_view

SIDE = 240


def draw_pad():
    d = Drawing(SIDE, SIDE, 6)
    for y in np.linspace(15, 225, 7):
        d.ellipse(14, float(y), 5, d.colour("#404040"))
    for x in (90, 180):
        d.ellipse(x, 120, 32, d.colour("#204080"))
        d.ellipse(x, 120, 18, d.colour("#FFFFFF"))
    d.rounded(80, 180, 200, 220, 0, d.colour("#E8D5C4"))
    return to_png(lay_over(d.render(), np.array((255.0, 255.0, 255.0))))


@pytest.fixture
def sheet(workshop):
    return add_sheet(workshop, draw_pad(), "pad.png")


def alpha_of(workshop, sheet):
    alpha = decode_picture(export_sheet(workshop, sheet)).picture.alpha
    return np.full((SIDE, SIDE), 255, np.uint8) if alpha is None else alpha


def test_a_pockets_decision_replaces_the_one_before_and_leaves_the_others(workshop, sheet):
    first, second = deciding.load_pockets(workshop, sheet).listed
    now = deciding.decide_pocket(workshop, sheet.id, sheet.head, first.row, first.col, "clear")
    assert alpha_of(workshop, now)[first.row, first.col] == 0
    assert alpha_of(workshop, now)[second.row, second.col] == 255
    # another place of the same pocket says otherwise
    now = deciding.decide_pocket(workshop, now.id, now.head, first.row, first.col, "keep")
    entries = read_recipe_of(now).reach.pockets
    assert [entry.verdict for entry in entries] == ["keep"]
    assert alpha_of(workshop, now)[first.row, first.col] == 255
    both = deciding.decide_pockets(workshop, now.id, now.head, "clear")
    assert deciding.load_pockets(workshop, both).to_decide == 0
    assert alpha_of(workshop, both)[[first.row, second.row], [first.col, second.col]].tolist() == [0, 0]  # fmt: skip


def test_a_group_goes_together_and_comes_back_together(workshop, sheet):
    groups = deciding.load_strays(workshop, sheet)
    assert [len(group.places) for group in groups] == [7]
    dropped = deciding.drop_group(workshop, sheet.id, sheet.head, 1)
    assert (alpha_of(workshop, dropped)[:, :30] == 0).all()
    assert deciding.load_strays(workshop, dropped) == ()
    back = deciding.bring_back_drops(workshop, dropped.id, dropped.head)
    np.testing.assert_array_equal(alpha_of(workshop, back), alpha_of(workshop, sheet))
    again = deciding.drop_group(workshop, back.id, back.head, 1)
    with pytest.raises(BadParameterError, match="group from 1 to 0"):
        deciding.drop_group(workshop, dropped.id, again.head, 1)


def test_tuning_at_a_place_takes_it_or_just_spares_it(workshop, sheet):
    row, col = 200, 140
    up = deciding.tune_at(workshop, sheet.id, sheet.head, row, col, takes=True)
    assert alpha_of(workshop, up)[row, col] == 0
    short = deciding.tune_at(workshop, up.id, up.head, row, col, takes=False)
    assert alpha_of(workshop, short)[row, col] == 255
    assert load_tolerance(workshop, up) - load_tolerance(workshop, short) == pytest.approx(0.2)
    with pytest.raises(BadParameterError, match="No tolerance up to 50"):
        deciding.tune_at(workshop, short.id, short.head, 120, 62, takes=True)
    with pytest.raises(BadParameterError, match="ground at every tolerance"):
        deciding.tune_at(workshop, short.id, short.head, 2, 2, takes=False)


def test_a_figure_pick_and_a_guard_hold_what_a_high_tolerance_would_take(workshop, sheet):
    wide = deciding.set_tolerance(workshop, sheet.id, sheet.head, 30)
    assert alpha_of(workshop, wide)[200, 140] == 0
    picked = deciding.keep_place(workshop, wide.id, wide.head, 200, 140)
    assert alpha_of(workshop, picked)[200, 140] == 255
    undone = deciding.undo_change(workshop, picked.id, picked.head)
    guarded = deciding.guard_place(workshop, undone.id, undone.head, 200, 140)
    assert read_recipe_of(guarded).reach.guards[0].colour == "#E8D5C4"
    assert alpha_of(workshop, guarded)[200, 140] == 255
    with pytest.raises(BadParameterError, match="inside the picture"):
        deciding.guard_place(workshop, guarded.id, guarded.head, -1, 3)


def test_what_is_seen_is_what_is_exported_after_every_kind_of_decision(workshop, sheet):
    now = deciding.drop_group(workshop, sheet.id, sheet.head, 1)
    now = deciding.decide_pockets(workshop, now.id, now.head, "clear")
    now = deciding.set_small_pieces(workshop, now.id, now.head, 30, 10)
    now = deciding.add_fence(workshop, now.id, now.head, [(60, 170), (220, 170)])
    now = deciding.set_start(workshop, now.id, now.head, "everywhere")
    cut = decode_picture(export_sheet(workshop, now)).picture
    view = render_view(workshop, now, View(20, 30, 1, 200, 190))
    np.testing.assert_array_equal(view[..., 3], cut.alpha[30:220, 20:220])
    np.testing.assert_array_equal(view[..., :3], cut.rgb[30:220, 20:220])
    again = key_file(workshop.originals.load(now.original), read_recipe_of(now))
    np.testing.assert_array_equal(decode_picture(again).picture.alpha, cut.alpha)


def test_small_pictures_are_small_and_of_what_they_say(workshop, sheet):
    thumbnail = decode_picture(make_thumbnail(workshop, sheet)).picture
    assert (thumbnail.height, thumbnail.width) == (SIDE, SIDE)
    pocket = deciding.load_pockets(workshop, sheet).listed[0]
    crop = decode_picture(make_crop(workshop, sheet, pocket.box)).picture
    assert max(crop.height, crop.width) <= 48
    assert (crop.rgb[crop.height // 2, crop.width // 2] > 250).all()


def test_the_kind_and_nature_that_a_person_says_are_measured_and_reported(workshop, sheet):
    now = deciding.set_figure(workshop, sheet.id, sheet.head, "ink")
    now = deciding.set_ground(workshop, now.id, now.head, "paper")
    facts = load_measured(workshop, now).facts
    assert (facts.ground.kind, facts.nature) == ("paper", "ink")
    assert now.resolved["ground"] == "paper"
    said = explain(facts)
    assert any("darker at the" in line for line in said)
    assert any("density varies" in line for line in said)
    report = report_file(workshop.originals.load(now.original), read_recipe_of(now))
    assert (report["ground"], report["nature"], report["width"]) == ("paper", "ink", SIDE)
    assert report["inks"]
    auto = change_recipe(read_recipe_of(now), "ground", kind="auto", figure="auto")
    told = report_file(workshop.originals.load(now.original), auto)
    assert (told["ground"], told["nature"]) == ("flat", "opaque")
    assert told["groups"] == [{"count": 7, "edge": "left", "area_px": told["groups"][0]["area_px"]}]
