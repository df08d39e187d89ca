import dataclasses

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from benchmarks.score import find_rim, score_cut
from tidymargin.core.cut import Decisions, cut_out, find_spot, measure_sheet
from tidymargin.core.difference import STEP
from tidymargin.core.picture import Picture, Region
from tidymargin.core.reach import Pick
from tidymargin.demo.almanac import make_almanac
from tidymargin.demo.drawing import Drawing, lay_over, to_true_cut
from tidymargin.formats.decode import decode_picture

GAP = Pick(80, 20)  # in the see-through gap of the badge


@pytest.fixture(scope="module")
def measured(badge):
    return badge[0], measure_sheet(badge[0]), badge[1]


def test_a_lossless_rim_is_solved_to_a_hundredth(measured):
    picture, facts, true = measured
    found = cut_out(picture, facts, Decisions(picks=(GAP,))).render_whole()
    assert np.abs(found[..., 3].astype(int) - true[..., 3]).max() <= 3
    assert score_cut(found, true).rim < 0.03


def test_laid_back_over_its_ground_the_cut_gives_the_picture_again(measured):
    picture, facts, _ = measured
    found = cut_out(picture, facts, Decisions(picks=(GAP,))).render_whole().astype(float)
    share = found[..., 3:] / 255
    again = found[..., :3] * share + np.array(facts.ground.rgb_srgb) * (1 - share)
    assert np.abs(again - picture.rgb).max() <= 2


def test_white_insides_stay_solid_and_the_gap_opens_by_one_pick(measured):
    picture, facts, true = measured
    closed = cut_out(picture, facts).render_whole()[..., 3]
    opened = cut_out(picture, facts, Decisions(picks=(GAP,))).render_whole()[..., 3]
    face = (true == (255, 255, 255, 255)).all(axis=2)
    assert face.sum() > 1000
    assert (opened[face] == 255).all()
    assert closed[80, 20] == 255
    assert opened[80, 20] == 0


def test_a_pastel_rim_keeps_its_colour_and_its_edge():
    d = Drawing(120, 120, 8)
    pale = d.colour("#F7C9C8")
    d.ellipse(60.2, 59.7, 40, pale)
    d.ellipse(60.2, 59.7, 36, d.colour("#14213D"))
    rgba = d.render()
    picture = Picture(lay_over(rgba, np.array((255.0, 255.0, 255.0))))
    score = score_cut(cut_out(picture, measure_sheet(picture)).render_whole(), to_true_cut(rgba))
    assert score.rim < 0.05
    assert score.eaten == score.left == 0


def test_a_colour_is_carried_on_under_transparent_pixels(measured):
    picture, facts, true = measured
    found = cut_out(picture, facts).render_whole()
    beside = (found[..., 3] == 0) & find_rim(true[..., 3])
    assert beside.any()
    # a white carried on here would be the pale rim of a scaled copy
    assert (found[beside][:, :3].max(axis=1) < 130).mean() > 0.95


@settings(max_examples=40, deadline=None)
@given(
    box=st.tuples(*[st.integers(0, 159)] * 4),
    tolerance=st.floats(0, 50),
    pick=st.tuples(st.integers(0, 159), st.integers(0, 159)),
    lossy=st.booleans(),
)
def test_any_region_alone_equals_the_crop_of_the_whole(
    badge, badge_jpg, box, tolerance, pick, lossy
):
    picture = decode_picture(badge_jpg).picture if lossy else badge[0]
    cutter = cut_out(
        picture, measure_sheet(picture), Decisions(picks=(Pick(*pick),), tolerance=tolerance)
    )
    top, bottom = sorted((box[0], box[1] + 1))
    left, right = sorted((box[2], box[3] + 1))
    region = Region(top, left, max(bottom, top + 1), max(right, left + 1))
    whole_cut = cutter.render_whole()
    np.testing.assert_array_equal(cutter.render(region), whole_cut[region.slices])


def test_alpha_that_came_in_is_multiplied_in_and_never_unmixed(measured):
    picture, facts, true = measured
    came = Picture(picture.rgb, true[..., 3])
    found = cut_out(came, measure_sheet(came)).render_whole()
    np.testing.assert_array_equal(found[..., 3], true[..., 3])
    half = np.full(picture.rgb.shape[:2], 128, np.uint8)
    opaque = cut_out(picture, facts).render_whole()[..., 3].astype(int)
    with_half = cut_out(dataclasses.replace(picture, alpha=half), facts).render_whole()[..., 3]
    np.testing.assert_array_equal(with_half, (opaque * 128 + 127) // 255)


MOST_RIM = {  # the demo at 0.6 of its size: mean difference of the rim, with room for other machines
    "compass-rose": 1.0,
    "tide-stamp": 0.1,
    "buoy-sticker": 1.6,
    "harbour-signature": 1.2,
    "knot-chart": 1.2,
    "pencil-lighthouse": 1.2,
    "brass-bell": 3.5,
    "feather": 6.0,
}


def test_every_demo_sheet_is_told_what_it_is_and_cuts_itself_within_its_bound():
    for case in make_almanac(0.6):
        picture = decode_picture(case.encoded).picture
        facts = measure_sheet(picture)
        assert (facts.ground.kind, facts.nature) == (case.ground, case.nature), case.name
        picks = tuple(Pick(y, x) for x, y in case.picks)
        found = cut_out(picture, facts, Decisions(picks=picks)).render_whole()
        ours = score_cut(found, case.true_rgba)
        assert ours.rim < MOST_RIM[case.name], case.name
        assert ours.eaten < 2e-4 * ours.area, case.name


def test_the_proof_begins_at_a_rim_with_contrast(measured):
    _, facts, true = measured
    row, col = find_spot(facts, facts.calm.tolerance)
    assert find_rim(true[..., 3])[row, col]
    near = facts.difference.steps[row - 3 : row + 4, col - 3 : col + 4]
    assert near.max() * STEP > 40
