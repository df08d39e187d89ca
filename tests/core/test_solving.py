import dataclasses

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from benchmarks.score import find_rim, score_cut
from tidymargin.core.base.picture import Picture, Region
from tidymargin.core.cut import cut_out
from tidymargin.core.facts import measure_sheet
from tidymargin.core.first_look import find_spot
from tidymargin.core.ground.difference import STEP
from tidymargin.core.plan import Plan
from tidymargin.core.reach.clearing import Pick
from tidymargin.core.reach.plan import ReachPlan
from tidymargin.core.suggest.crumbs import tidy_small
from tidymargin.demo.almanac import make_almanac
from tidymargin.demo.drawing import Drawing, lay_over, mix_over, to_true_cut
from tidymargin.demo.grounds import add_grain, make_screen
from tidymargin.demo.truth import encode_picture
from tidymargin.formats.decode import decode_picture

GAP = Pick(80, 20)  # in the see-through gap of the badge


@pytest.fixture(scope="module")
def measured(badge):
    return badge[0], measure_sheet(badge[0]), badge[1]


def test_a_lossless_rim_is_solved_to_a_hundredth(measured):
    picture, facts, true = measured
    found = cut_out(picture, facts, Plan(reach=ReachPlan(picks=(GAP,)))).render_whole()
    assert np.abs(found[..., 3].astype(int) - true[..., 3]).max() <= 3
    assert score_cut(found, true).rim < 0.03


def test_laid_back_over_its_ground_the_cut_gives_the_picture_again(measured):
    picture, facts, _ = measured
    found = (
        cut_out(picture, facts, Plan(reach=ReachPlan(picks=(GAP,)))).render_whole().astype(float)
    )
    share = found[..., 3:] / 255
    again = found[..., :3] * share + np.array(facts.ground.rgb_srgb) * (1 - share)
    assert np.abs(again - picture.rgb).max() <= 2


def test_white_insides_stay_solid_and_the_gap_opens_by_one_pick(measured):
    picture, facts, true = measured
    closed = cut_out(picture, facts).render_whole()[..., 3]
    opened = cut_out(picture, facts, Plan(reach=ReachPlan(picks=(GAP,)))).render_whole()[..., 3]
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
        picture,
        measure_sheet(picture),
        Plan(reach=ReachPlan(picks=(Pick(*pick),), tolerance=tolerance)),
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
    "feather": 2.5,
}


def test_every_demo_sheet_is_told_what_it_is_and_cuts_itself_within_its_bound():
    for case in make_almanac(0.6):
        picture = decode_picture(case.encoded).picture
        facts = measure_sheet(picture)
        assert (facts.ground.kind, facts.nature) == (case.ground, case.nature), case.name
        picks = tuple(Pick(y, x) for x, y in case.picks)
        found = cut_out(picture, facts, Plan(reach=ReachPlan(picks=picks))).render_whole()
        ours = score_cut(found, case.true_rgba)
        assert ours.rim < MOST_RIM[case.name], case.name
        assert ours.eaten < 2e-4 * ours.area, case.name


def test_the_proof_begins_at_a_rim_with_contrast(measured):
    _, facts, true = measured
    row, col = find_spot(facts, facts.calm.tolerance)
    assert find_rim(true[..., 3])[row, col]
    near = facts.difference.steps[row - 3 : row + 4, col - 3 : col + 4]
    assert near.max() * STEP > 40


def outlined(outline: str, *, quality: int = 90) -> tuple[Picture, np.ndarray]:
    """A dark disc with a pastel outline of 3 px on white, as JPEG, and its true cut."""
    d = Drawing(300, 300, 4)
    d.ellipse(150.3, 149.6, 110, d.colour(outline))
    d.ellipse(150.3, 149.6, 107, d.colour("#8C1420"))
    rgba = d.render()
    encoded = encode_picture(lay_over(rgba, np.array((255.0, 255.0, 255.0))), "jpg", quality)
    return decode_picture(encoded).picture, to_true_cut(rgba)


@pytest.mark.parametrize("outline", ["#CDB4DB", "#A8C5F7", "#F7C9A8"])
def test_a_thin_pastel_outline_is_kept_whole_under_lossy_coding(outline):
    picture, true = outlined(outline)
    found = cut_out(picture, measure_sheet(picture)).render_whole()
    row, col = np.mgrid[:300, :300]
    away = np.hypot(row + 0.5 - 149.6, col + 0.5 - 150.3)
    middle = (away > 107.8) & (away < 109.2)
    assert found[middle, 3].mean() > 235
    assert np.abs(found[middle, :3].mean(axis=0) - true[middle, :3].mean(axis=0)).max() < 22
    assert (found[away > 117, 3] == 0).all()


def test_a_pale_outline_is_not_taken_for_ringing():
    with_outline, _ = outlined("#CDB4DB")
    without, _ = outlined("#8C1420")
    rings = [measure_sheet(picture).difference.ringing for picture in (with_outline, without)]
    assert 0 < rings[0] < 1.6 * rings[1] + 0.5


def test_a_faint_leftover_is_a_crumb_and_a_strong_one_of_its_size_is_not():
    steps = np.zeros((60, 60), np.uint8)
    steps[10:20, 10:20] = 8
    steps[40:50, 40:50] = 60
    cleared = steps == 0
    tidied = tidy_small(cleared, 5, 0, haze=(steps, 12))
    assert tidied.dropped == 1
    assert tidied.cleared[15, 15]
    assert not tidied.cleared[45, 45]
    assert not tidy_small(cleared, 5, 0).cleared[15, 15]
    assert not cleared[15, 15]


@pytest.mark.parametrize(("wide_px", "edge"), [(12, (139, 106, 46)), (30, (148, 114, 49))])
def test_a_figure_that_grows_as_dark_as_the_screen_keeps_its_edge(wide_px, edge):
    height, width = 300, 360
    row, col = np.mgrid[:height, :width].astype(np.float32)
    deep = 200 + 0.07 * col - row - 0.5
    rgba = np.zeros((height, width, 4), np.float32)
    lit = np.clip(deep / wide_px, 0, 1)[..., None]
    rgba[..., :3] = np.array((250, 200, 90)) * lit + np.array(edge) * (1 - lit)
    rgba[..., 3] = np.clip(deep + 0.5, 0, 1) * ((col > 40) & (col < 320) & (row > 60))
    cloth = make_screen(height, width, np.random.default_rng(1), code="#3E9B4F")
    shot = add_grain(mix_over(rgba, cloth), np.random.default_rng(2), 2.0)
    picture = decode_picture(encode_picture(shot, "jpg", 90)).picture
    score = score_cut(cut_out(picture, measure_sheet(picture)).render_whole(), to_true_cut(rgba))
    assert score.rim < 0.7  # as dark as the screen for sure, it would be 0.8 to 0.9
