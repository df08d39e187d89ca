"""Doubt: how likely a cut is wrong, out of what was measured of its sheet and what is wrong in it."""

import numpy as np
import pytest

from tests.conftest import to_png
from tidymargin.core.base.picture import Picture, Region
from tidymargin.core.cut import cut_out
from tidymargin.core.facts import measure_sheet
from tidymargin.core.faults.doubt import TO_LOOK_AT, Cause, Doubt, weigh_doubt
from tidymargin.core.faults.kinds import Fault
from tidymargin.core.ground.plan import GroundPlan
from tidymargin.core.plan import Plan
from tidymargin.core.reach.plan import ReachPlan
from tidymargin.demo.almanac import make_almanac
from tidymargin.formats.decode import decode_picture

BOX = Region(10, 20, 30, 50)


def fault(kind, severity):
    return Fault(kind, severity, 20, 35, BOX, 40.0)


def draw(figure=(30, 40, 90), ground=(255, 255, 255), side=120):
    """A disc of one colour on another."""
    rows, cols = np.mgrid[:side, :side]
    disc = (rows - side / 2) ** 2 + (cols - side / 2) ** 2 < (side / 3) ** 2
    return Picture(np.where(disc[..., None], figure, ground).astype(np.uint8))


def doubt_of(picture, faults=(), plan=Plan()):
    return weigh_doubt(cut_out(picture, measure_sheet(picture, plan.ground), plan), faults)


def test_reasons_add_up_as_if_they_were_independent_and_nothing_is_no_doubt():
    assert Doubt(()).score == 0
    assert Doubt((Cause("strays", 0.5),)).score == pytest.approx(0.5)
    two = Doubt((Cause("strays", 0.5), Cause("nature", 0.4)))
    assert two.score == pytest.approx(1 - 0.5 * 0.6)
    assert Doubt((Cause("no_ground", 0.9), Cause("strays", 0.5))).score > 0.9
    assert not Doubt((Cause("nature", TO_LOOK_AT - 0.01),)).is_to_look_at
    assert Doubt((Cause("nature", TO_LOOK_AT + 0.01),)).is_to_look_at


def test_a_plain_cut_is_in_no_doubt_and_of_each_kind_of_fault_the_worst_counts():
    picture = draw()
    assert doubt_of(picture).reasons == ()
    found = doubt_of(picture, [fault("crumb", 0.2), fault("crumb", 0.6), fault("fringe", 0.3)])
    assert [(r.fault.kind, r.weight) for r in found.reasons] == [("crumb", 0.6), ("fringe", 0.3)]
    assert found.reasons[0].box == BOX
    assert found.score == pytest.approx(1 - 0.4 * 0.7)
    # more of the same is no more likely to be wrong
    many = doubt_of(picture, [fault("crumb", 0.6)] * 50)
    assert many.score == pytest.approx(0.6)


def test_a_tolerance_beyond_the_calm_strays_and_one_within_it_does_not():
    rgb = np.full((160, 160, 3), 255, np.uint8)
    rgb[40:120, 40:120] = (205, 200, 190)  # a pale thing, which a high tolerance takes
    rgb[70:90, 70:90] = (20, 30, 60)
    picture = Picture(rgb)
    facts = measure_sheet(picture)
    assert facts.calm.next_jump is not None
    for tolerance, strays in (
        (facts.calm.tolerance, False),
        (facts.calm.next_jump * 0.95, False),
        (facts.calm.next_jump + 1, True),
    ):
        found = doubt_of(picture, plan=Plan(reach=ReachPlan(tolerance=tolerance)))
        assert ("strays" in [r.kind for r in found.reasons]) is strays, tolerance
    noisy = np.clip(rgb + np.random.default_rng(2).normal(0, 5, rgb.shape), 0, 255).astype(np.uint8)
    below = doubt_of(Picture(noisy), plan=Plan(reach=ReachPlan(tolerance=0.1)))
    assert "strays" in [r.kind for r in below.reasons]


def test_no_ground_nothing_cleared_and_nothing_left_are_each_named():
    random = np.random.default_rng(1)
    busy = Picture(random.integers(0, 255, (40, 40, 3), np.uint8).repeat(4, 0).repeat(4, 1))
    assert "no_ground" in [r.kind for r in doubt_of(busy).reasons]
    picture = draw()
    other = Plan(ground=GroundPlan(kind="flat", rgb=(10.0, 200.0, 30.0)))
    assert "nothing_cleared" in [r.kind for r in doubt_of(picture, plan=other).reasons]
    all_of_it = Plan(reach=ReachPlan(start="everywhere", tolerance=50.0))
    pale = draw((250, 252, 255))
    assert "nothing_left" in [r.kind for r in doubt_of(pale, plan=all_of_it).reasons]
    for found in (doubt_of(busy), doubt_of(picture, plan=other), doubt_of(pale, plan=all_of_it)):
        assert found.is_to_look_at


def test_what_came_transparent_needs_no_ground():
    rgba = np.zeros((90, 90, 4), np.uint8)
    rgba[20:70, 20:70] = (200, 40, 60, 255)
    picture = decode_picture(to_png(rgba)).picture
    assert picture.alpha is not None
    assert [r.kind for r in doubt_of(picture).reasons if r.kind in ("no_ground", "nothing_cleared")] == []  # fmt: skip


def test_a_figure_cut_as_the_other_nature_is_in_doubt_as_far_as_it_was_told():
    (signature,) = make_almanac(0.25, ["harbour-signature"])
    picture = decode_picture(signature.encoded).picture
    facts = measure_sheet(picture)
    assert facts.nature == "ink"
    assert "nature" not in [r.kind for r in doubt_of(picture).reasons]
    said = doubt_of(picture, plan=Plan(ground=GroundPlan(nature="opaque")))
    (reason,) = [r for r in said.reasons if r.kind == "other_nature"]
    assert reason.weight == pytest.approx(facts.ink_probability)
