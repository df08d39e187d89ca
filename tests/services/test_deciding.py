"""Decisions through the services: each one is kept with its place, and views follow."""

import numpy as np
import pytest

from benchmarks.keying import key_file
from tests.conftest import PAD_PX, PAGE_CORNERS, draw_pad, photograph_letter, to_png
from tidymargin.core.base.errors import BadParameterError
from tidymargin.demo.drawing import Drawing, lay_over
from tidymargin.formats.decode import decode_picture
from tidymargin.formats.recipe import change_recipe
from tidymargin.services.edits import deciding, history, settings
from tidymargin.services.edits.changing import begin
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.picture.reasons import explain_tolerance, find_reasons
from tidymargin.services.picture.reporting import report_picture
from tidymargin.services.views import finding
from tidymargin.services.views.cutting import load_tolerance
from tidymargin.services.views.exporting import export_sheet
from tidymargin.services.views.measuring import load_measured
from tidymargin.services.views.proofs import make_thumbnail
from tidymargin.services.views.viewing import make_crop, render_view
from tidymargin.services.views.windows import View


@pytest.fixture
def sheet(workshop):
    return add_sheet(workshop, draw_pad(), "pad.png")


def alpha_of(workshop, sheet):
    alpha = decode_picture(export_sheet(workshop, sheet).data).picture.alpha
    return np.full((PAD_PX, PAD_PX), 255, np.uint8) if alpha is None else alpha


def test_a_pockets_decision_replaces_the_one_before_and_leaves_the_others(workshop, sheet):
    first, second = finding.load_pockets(workshop, sheet).listed
    now = deciding.decide_pocket(
        begin(workshop, sheet.id, sheet.head), first.row, first.col, "clear"
    )
    assert alpha_of(workshop, now)[first.row, first.col] == 0
    assert alpha_of(workshop, now)[second.row, second.col] == 255
    # another place of the same pocket says otherwise
    now = deciding.decide_pocket(begin(workshop, now.id, now.head), first.row, first.col, "keep")
    entries = now.recipe.reach.pockets
    assert [entry.verdict for entry in entries] == ["keep"]
    assert alpha_of(workshop, now)[first.row, first.col] == 255
    both = deciding.decide_pockets(begin(workshop, now.id, now.head), "clear")
    assert finding.load_pockets(workshop, both).to_decide == 0
    assert alpha_of(workshop, both)[[first.row, second.row], [first.col, second.col]].tolist() == [0, 0]  # fmt: skip


def draw_barbell(size=240):
    """A dark plate with two white rooms joined by a passage of pale grey: one pocket or two."""
    d = Drawing(size, size, 4)
    d.rounded(20, 60, 220, 180, 10, d.colour("#203050"))
    d.rounded(90, 110, 150, 130, 0, d.colour("#F0F0F0"))
    for x in (70, 170):
        d.ellipse(x, 120, 32, d.colour("#FFFFFF"))
    return to_png(lay_over(d.render(), np.array((255.0, 255.0, 255.0))))


def test_a_pocket_that_splits_hands_its_decision_on_and_of_merged_ones_the_later_counts(workshop):
    sheet = add_sheet(workshop, draw_barbell(), "barbell.png")
    wide = settings.set_values(begin(workshop, sheet.id, sheet.head), "tolerance", tolerance=8.0)
    (joined,) = finding.load_pockets(workshop, wide).listed
    cleared = deciding.decide_pocket(
        begin(workshop, wide.id, wide.head), joined.row, joined.col, "clear"
    )
    split = settings.set_values(
        begin(workshop, cleared.id, cleared.head), "tolerance", tolerance=1.0
    )
    parts = finding.load_pockets(workshop, split).listed
    assert sorted((p.verdict, p.reason) for p in parts) == [("clear", "split"), ("clear", "yours")]
    alpha = decode_picture(export_sheet(workshop, split).data).picture.alpha
    assert alpha[120, [70, 120, 170]].tolist() == [0, 255, 0]

    one = next(p for p in parts if p.reason == "split")
    kept = deciding.decide_pocket(begin(workshop, split.id, split.head), one.row, one.col, "keep")
    assert {p.reason for p in finding.load_pockets(workshop, kept).listed} == {"yours"}
    merged = settings.set_values(begin(workshop, kept.id, kept.head), "tolerance", tolerance=8.0)
    (again,) = finding.load_pockets(workshop, merged).listed
    assert (again.verdict, again.reason) == ("keep", "merged")


def test_a_decision_stays_with_its_place_when_the_work_area_changes(workshop, sheet):
    first = finding.load_pockets(workshop, sheet).listed[0]
    cleared = deciding.decide_pocket(
        begin(workshop, sheet.id, sheet.head), first.row, first.col, "clear"
    )
    corners = [(40, 60), (230, 60), (230, 235), (40, 235)]
    cropped = settings.set_area(begin(workshop, cleared.id, cleared.head), corners)
    alpha = decode_picture(export_sheet(workshop, cropped).data).picture.alpha
    assert alpha.shape == (175, 190)
    assert alpha[first.row - 60, first.col - 40] == 0
    turned = settings.turn_area(begin(workshop, cropped.id, cropped.head), 1)
    alpha = decode_picture(export_sheet(workshop, turned).data).picture.alpha
    assert alpha.shape == (190, 175)
    assert alpha[first.col - 40, 174 - (first.row - 60)] == 0
    # what is decided on the turned crop is kept in the picture's own places
    other = finding.load_pockets(workshop, turned).listed[1]
    kept = deciding.keep_place(begin(workshop, turned.id, turned.head), 100, 20)
    pick = kept.recipe.reach.picks[0]
    assert (pick.x, pick.y) == (40 + 100, 60 + 174 - 20)
    both = deciding.decide_pocket(
        begin(workshop, kept.id, kept.head), other.row, other.col, "clear"
    )
    whole = settings.set_area(begin(workshop, both.id, both.head), "auto")
    assert alpha_of(workshop, whole)[120, 90] == 0
    assert alpha_of(workshop, whole)[120, 180] == 0
    beside = settings.set_area(
        begin(workshop, whole.id, whole.head), [(0, 0), (60, 0), (60, 60), (0, 60)]
    )
    assert decode_picture(export_sheet(workshop, beside).data).picture.alpha.shape == (60, 60)


def test_a_tilted_area_is_undone_and_a_page_is_squared_up(workshop):
    photo, _ = photograph_letter(1)
    sheet = add_sheet(workshop, to_png(photo), "letter.png")
    tilted = settings.tilt_area(begin(workshop, sheet.id, sheet.head), -4)
    assert not tilted.area.is_upright
    with pytest.raises(BadParameterError, match="No page"):
        settings.square_up(begin(workshop, tilted.id, tilted.head))  # somebody has set the area
    back = history.undo_change(begin(workshop, tilted.id, tilted.head))
    assert back.area.is_whole
    squared = settings.square_up(begin(workshop, back.id, back.head))
    assert np.abs(np.array(squared.area.corners) - PAGE_CORNERS).max() < 3


def test_a_group_goes_together_and_comes_back_together(workshop, sheet):
    groups = finding.load_unwanted(workshop, sheet).groups
    assert [len(group.places) for group in groups] == [7]
    dropped = deciding.drop_group(begin(workshop, sheet.id, sheet.head), 1)
    assert (alpha_of(workshop, dropped)[:, :30] == 0).all()
    assert finding.load_unwanted(workshop, dropped).groups == ()
    back = deciding.bring_back_drops(begin(workshop, dropped.id, dropped.head))
    np.testing.assert_array_equal(alpha_of(workshop, back), alpha_of(workshop, sheet))
    again = deciding.drop_group(begin(workshop, back.id, back.head), 1)
    with pytest.raises(BadParameterError, match="There is no group here"):
        deciding.drop_group(begin(workshop, dropped.id, again.head), 1)


def test_tuning_at_a_place_takes_it_or_just_spares_it(workshop, sheet):
    row, col = 200, 140
    up = deciding.tune_at(begin(workshop, sheet.id, sheet.head), row, col, takes=True)
    assert alpha_of(workshop, up)[row, col] == 0
    short = deciding.tune_at(begin(workshop, up.id, up.head), row, col, takes=False)
    assert alpha_of(workshop, short)[row, col] == 255
    assert load_tolerance(workshop, up) - load_tolerance(workshop, short) == pytest.approx(0.2)
    with pytest.raises(BadParameterError, match="No tolerance up to 50"):
        deciding.tune_at(begin(workshop, short.id, short.head), 120, 62, takes=True)
    with pytest.raises(BadParameterError, match="ground at every tolerance"):
        deciding.tune_at(begin(workshop, short.id, short.head), 2, 2, takes=False)


def test_a_figure_pick_and_a_guard_hold_what_a_high_tolerance_would_take(workshop, sheet):
    wide = settings.set_values(begin(workshop, sheet.id, sheet.head), "tolerance", tolerance=30)
    assert alpha_of(workshop, wide)[200, 140] == 0
    picked = deciding.keep_place(begin(workshop, wide.id, wide.head), 200, 140)
    assert alpha_of(workshop, picked)[200, 140] == 255
    undone = history.undo_change(begin(workshop, picked.id, picked.head))
    guarded = deciding.guard_place(begin(workshop, undone.id, undone.head), 200, 140)
    assert guarded.recipe.reach.guards[0].colour == "#E8D5C4"
    assert alpha_of(workshop, guarded)[200, 140] == 255
    with pytest.raises(BadParameterError, match="outside the picture"):
        deciding.guard_place(begin(workshop, guarded.id, guarded.head), -1, 3)


def test_what_is_seen_is_what_is_exported_after_every_kind_of_decision(workshop, sheet):
    now = deciding.drop_group(begin(workshop, sheet.id, sheet.head), 1)
    now = deciding.decide_pockets(begin(workshop, now.id, now.head), "clear")
    now = settings.set_values(
        begin(workshop, now.id, now.head), "crumbs", crumbs_px=30, pinholes_px=10
    )
    now = deciding.add_fence(begin(workshop, now.id, now.head), [(60, 170), (220, 170)])
    now = settings.set_values(begin(workshop, now.id, now.head), "start", start="everywhere")
    cut = decode_picture(export_sheet(workshop, now).data).picture
    view = render_view(workshop, now, View(20, 30, 1, 200, 190))
    np.testing.assert_array_equal(view[..., 3], cut.alpha[30:220, 20:220])
    np.testing.assert_array_equal(view[..., :3], cut.rgb[30:220, 20:220])
    again = key_file(workshop.originals.load(now.original), now.recipe)
    np.testing.assert_array_equal(decode_picture(again).picture.alpha, cut.alpha)


def test_small_pictures_are_small_and_of_what_they_say(workshop, sheet):
    thumbnail = decode_picture(make_thumbnail(workshop, sheet)).picture
    assert (thumbnail.height, thumbnail.width) == (PAD_PX, PAD_PX)
    pocket = finding.load_pockets(workshop, sheet).listed[0]
    crop = decode_picture(make_crop(workshop, sheet, pocket.box)).picture
    assert max(crop.height, crop.width) <= 48
    assert (crop.rgb[crop.height // 2, crop.width // 2] > 250).all()


def test_the_kind_and_nature_that_a_person_says_are_measured_and_reported(workshop, sheet):
    now = settings.set_values(begin(workshop, sheet.id, sheet.head), "figure", figure="ink")
    now = settings.set_ground(begin(workshop, now.id, now.head), "paper")
    facts = load_measured(workshop, now).facts
    assert (facts.ground.kind, facts.nature) == ("paper", "ink")
    assert now.resolved["ground"] == "paper"
    said = [str(reason) for reason in (*find_reasons(facts), explain_tolerance(facts))]
    assert any("darker at the" in line for line in said)
    assert any("density varies" in line for line in said)
    picture = decode_picture(workshop.originals.load(now.original)).picture
    report = report_picture(picture, now.recipe)
    assert (report["ground"], report["nature"], report["width"]) == ("paper", "ink", PAD_PX)
    assert report["inks"]
    auto = change_recipe(now.recipe, "ground", kind="auto", figure="auto")
    told = report_picture(picture, auto)
    assert (told["ground"], told["nature"]) == ("flat", "opaque")
    assert told["groups"] == [{"count": 7, "edge": "left", "area_px": told["groups"][0]["area_px"]}]
