import cv2
import numpy as np
import pytest

from tests.conftest import draw_badge
from tests.core.test_nature import WHITE, as_jpeg, draw_pen
from tidymargin.core.base.drawings import group_drawings
from tidymargin.core.base.picture import Region
from tidymargin.core.cut import cut_out
from tidymargin.core.facts import measure_sheet
from tidymargin.core.faults.doubt import weigh_doubt
from tidymargin.core.faults.finding import find_faults
from tidymargin.core.faults.judged import JudgedSheet
from tidymargin.core.ground.plan import GroundPlan
from tidymargin.core.plan import Plan
from tidymargin.demo.drawing import lay_over
from tidymargin.services.picture.reasons import find_reasons

GAP = 60
TALL, WIDE = 160, 320


def draw_letter():
    """A page with a printed badge above loops by hand, as JPEG, and its true cut."""
    true = np.zeros((TALL + 2 * GAP + WIDE, WIDE + 2 * GAP, 4), np.float32)
    true[GAP : GAP + TALL, GAP : GAP + TALL] = draw_badge(TALL).render()
    true[TALL + 2 * GAP :, GAP : GAP + WIDE] = draw_pen(np.random.default_rng(1), WIDE)
    return as_jpeg(lay_over(true, WHITE)), true


@pytest.fixture(scope="module")
def letter():
    return draw_letter()


def test_handwriting_under_a_printed_badge_is_cut_as_ink_and_the_badge_is_not(letter):
    picture, true = letter
    facts = measure_sheet(picture)
    assert (facts.nature, len(facts.ink_parts.boxes)) == ("opaque", 1)
    (box,) = facts.ink_parts.boxes
    assert box.top > TALL + GAP
    assert facts.ink_parts.hold(np.array([[TALL // 2 + GAP, GAP], [box.top + 5, box.left + 5]])).tolist() == [False, True]  # fmt: skip
    cutter = cut_out(picture, facts)
    cut = cutter.render_whole()
    as_ink, as_opaque = (
        cut_out(picture, measure_sheet(picture, GroundPlan(nature=nature))).render_whole()
        for nature in ("ink", "opaque")
    )
    inside = cv2.erode((true[..., 3] == 1).astype(np.uint8), np.ones((5, 5))) > 0
    inside[box.top :] = False  # of the badge
    assert (cut[inside][:, 3] == 255).all()
    assert (as_ink[inside][:, 3] < 255).mean() > 0.1
    pen = box.slices
    assert (cut[pen][..., 3] > 250).mean() < 0.05 < 0.15 < (as_opaque[pen][..., 3] > 250).mean()
    share = cut[pen][..., 3:] / 255
    laid_back = cut[pen][..., :3] * share + WHITE * (1 - share)
    assert np.abs(laid_back - picture.rgb[pen]).mean() < 2  # as ink should
    loops = [pocket for pocket in cutter.pockets.listed if pocket.row > box.top]
    assert loops
    assert {pocket.reason for pocket in loops} == {"ink"}  # what a loop closes in is paper
    inner = Region(box.top + 40, box.left + 17, box.top + 77, box.left + 70)
    np.testing.assert_array_equal(cutter.render(inner), cut[inner.slices])


def test_a_figure_in_both_natures_says_so_and_one_that_somebody_decided_is_in_one(letter):
    picture, _ = letter
    facts = measure_sheet(picture)
    assert any("Ink in places: 1 of its drawings" in str(reason) for reason in find_reasons(facts))
    cutter = cut_out(picture, facts)
    faults = find_faults(JudgedSheet(cutter))
    assert not {fault.kind for fault in faults} & {"see_through", "leftover"}  # as pale ink may be
    doubt = weigh_doubt(cutter, faults)
    assert doubt.is_to_look_at
    assert facts.ink_parts.boxes[0] in [reason.box for reason in doubt.reasons]
    for nature in ("ink", "opaque"):
        said = measure_sheet(picture, GroundPlan(nature=nature))
        assert (said.nature, said.ink_parts) == (nature, None)
        assert "ink_parts" not in [r.kind for r in weigh_doubt(cut_out(picture, said, Plan(GroundPlan(nature=nature))), []).reasons]  # fmt: skip


def test_drawings_stand_apart_by_their_own_size_and_specks_go_with_the_nearest():
    stands = np.zeros((300, 700), bool)
    stands[100:200, 50:100] = stands[100:200, 104:150] = True  # one, in two pieces
    stands[100:200, 500:600] = stands[150, 480] = True
    found = group_drawings(stands)
    assert (found.count, found.scale) == (2, 1)
    assert found.nearest[150, 60] == found.nearest[150, 140] != found.nearest[150, 550]
    assert found.nearest[150, 480] == found.nearest[150, 550]
    assert found.numbers[150, 300] == 0
    assert group_drawings(np.zeros((9, 9), bool)) is None
    lone = np.zeros((99, 99), bool)
    lone[[5, 90], [5, 90]] = True
    assert group_drawings(lone).count == 2
