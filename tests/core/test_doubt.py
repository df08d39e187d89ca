"""Doubt: how likely a cut is wrong, out of what was measured of its sheet and what is wrong in it."""

import numpy as np
import pytest

from tests.conftest import to_png
from tidymargin.core.base.picture import Picture, Region
from tidymargin.core.cut import cut_out
from tidymargin.core.facts import measure_sheet
from tidymargin.core.faults import doubt
from tidymargin.core.faults.doubt import TO_LOOK_AT, Cause, Doubt, weigh_doubt
from tidymargin.core.faults.evidence import EVIDENCE, measure_evidence
from tidymargin.core.faults.kinds import Fault
from tidymargin.core.ground.plan import GroundPlan
from tidymargin.core.plan import Plan
from tidymargin.core.reach.plan import ReachPlan
from tidymargin.core.rim.plan import RimPlan
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


def test_without_evidence_reasons_add_up_as_if_they_were_independent_and_nothing_is_no_doubt():
    assert Doubt(()).score == 0
    assert Doubt((Cause("strays", 0.5),)).score == pytest.approx(0.5)
    two = Doubt((Cause("strays", 0.5), Cause("nature", 0.4)))
    assert two.score == pytest.approx(1 - 0.5 * 0.6)
    assert Doubt((Cause("no_ground", 0.9), Cause("strays", 0.5))).score > 0.9
    assert not Doubt((Cause("nature", TO_LOOK_AT - 0.01),)).is_to_look_at
    assert Doubt((Cause("nature", TO_LOOK_AT + 0.01),)).is_to_look_at


def test_nothing_is_named_of_a_plain_cut_and_of_each_kind_of_fault_the_worst():
    picture = draw()
    assert {r.kind for r in doubt_of(picture).reasons} <= {"unsure"}  # no such edge is ever scanned
    found = doubt_of(picture, [fault("crumb", 0.2), fault("crumb", 0.6), fault("fringe", 0.3)])
    assert [(r.fault.kind, r.weight) for r in found.reasons] == [("crumb", 0.6), ("fringe", 0.3)]
    assert found.reasons[0].box == BOX
    assert found.score == found.probability > doubt_of(picture).score


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


def test_what_measures_like_wrong_cuts_is_one_to_look_at_though_nothing_wrong_is_seen(monkeypatch):
    picture = draw()
    for probability in (0.1, TO_LOOK_AT, 0.9):
        monkeypatch.setattr(doubt, "find_wrong_probability", lambda _, p=probability: p)
        found = doubt_of(picture)
        assert (found.score, found.is_to_look_at) == (probability, probability >= TO_LOOK_AT)
        assert [r.kind for r in found.reasons] == ["unsure"] * found.is_to_look_at
        named = doubt_of(picture, [fault("eaten", 0.7)])
        assert [r.kind for r in named.reasons] == ["fault"]  # it says why


def test_evidence_is_of_the_key_alone_and_grows_with_what_is_wrong():
    (bell,) = make_almanac(0.25, ["brass-bell"])
    picture = decode_picture(bell.encoded).picture
    facts = measure_sheet(picture)

    def measured(plan=Plan(), faults=()):
        cutter = cut_out(picture, facts, plan)
        return dict(zip(EVIDENCE, measure_evidence(cutter, faults), strict=True))

    usual = measured()
    assert len(usual) == len(EVIDENCE)
    assert all(np.isfinite(list(usual.values())))
    assert measured(faults=[fault("eaten", 0.7)])["fault_eaten"] > usual["fault_eaten"]
    eaten = measured(Plan(reach=ReachPlan(tolerance=5.0)))
    assert eaten["edge_least"] > usual["edge_least"]  # only what differs that much is left
    assert eaten["stands"] < usual["stands"]
    assert doubt_of(picture).probability == doubt_of(picture, plan=Plan(rim=RimPlan(choke_px=2))).probability  # fmt: skip


@pytest.mark.parametrize(
    "name", ["compass-rose", "tide-stamp", "harbour-signature", "knot-chart", "pencil-lighthouse", "brass-bell", "feather"]
)  # fmt: skip
def test_cuts_of_the_almanac_that_come_out_right_are_in_little_doubt_and_a_spoilt_one_is(name):
    (case,) = make_almanac(0.5, [name])
    picture = decode_picture(case.encoded).picture
    assert doubt_of(picture).score < 0.15
    assert doubt_of(
        picture, [fault("eaten", 0.9)], Plan(reach=ReachPlan(tolerance=40.0))
    ).is_to_look_at
