"""What is measured of a pocket: known answers on a map of differences that is written down."""

from dataclasses import replace

import numpy as np
import pytest

from tidymargin.core.base.components import find_pieces
from tidymargin.core.figure.inks import InkFacts
from tidymargin.core.figure.nature import MEASURES as NATURE_MEASURES
from tidymargin.core.ground.difference import STEP
from tidymargin.core.ground.kinds import FlatGround
from tidymargin.core.reach.pocket_signs import (
    MEASURES,
    OPEN_FROM,
    find_open_probability,
    measure_pockets,
    to_evidence,
)
from tidymargin.core.reach.pockets import PocketChoice, PocketRule, Pockets, find_pockets

WHITE = FlatGround((255.0, 255.0, 255.0), 0.0, 1.0)
INKS = InkFacts(np.zeros((1, 3), np.float32), (1.0,), 1.0, 0.0, 0.5, 3.0)
EVIDENCE = to_evidence((0.0,) * len(NATURE_MEASURES), INKS)


def make_map(pocket_step=0):
    """A figure, 60 by 80, with a pocket of 20 by 10 and one of 4 by 4; what is cleared around it is 0 or 2 steps off."""
    steps = np.full((100, 120), 200, np.uint8)
    steps[:20] = steps[80:] = 0
    steps[:, :20] = steps[:, 100:] = 0
    steps[:20:2] = 2
    steps[30:50, 40:50] = pocket_step
    steps[60:64, 70:74] = pocket_step
    outside = np.where(steps <= 5, 0, 255).astype(np.uint8)
    outside[25:70, 35:90] = 255
    return steps, outside


def measured(pocket_step=0):
    steps, outside = make_map(pocket_step)
    cleared = outside <= 5
    pieces = find_pieces((steps <= 5) & ~cleared)
    rows = measure_pockets(steps, cleared, pieces, WHITE, EVIDENCE)
    assert rows.shape == (3, len(MEASURES))
    return [dict(zip(MEASURES, row, strict=True)) for row in rows[1:]]


def test_size_shape_and_company_of_a_pocket_are_what_they_are():
    large, small = measured()
    assert np.exp(large["area"]) == pytest.approx(200 / 12_000)
    assert np.exp(small["over_half"]) == pytest.approx(4 / INKS.half_px)
    for one in (large, small):
        assert (one["white"], one["is_paper"]) == (pytest.approx(0, abs=1e-3), 0)
        assert one["fill"] == 1
        assert np.exp(one["count"]) == pytest.approx(2)


def test_what_differs_as_the_ground_does_is_not_beyond_it_and_more_is():
    like, unlike = measured(0)[0], measured(5)[0]
    assert (like["away"], unlike["away"]) == (0, pytest.approx(5 * STEP))
    assert like["beyond"] <= 0 < unlike["beyond"]
    assert like["uneven"] == unlike["uneven"] == 0


def test_only_what_is_twenty_to_one_likely_is_cleared_unasked(monkeypatch):
    steps, outside = make_map()
    pieces = find_pieces((steps <= 5) & (outside > 5))
    likely, signs = find_open_probability(steps, outside <= 5, pieces, WHITE, EVIDENCE)
    assert ((likely >= 0) & (likely <= 1)).all()
    assert len(signs) == len(likely)
    for sure, told in ((OPEN_FROM, "open"), (OPEN_FROM - 0.01, "undecided"), (0.1, "closed")):
        monkeypatch.setattr(
            "tidymargin.core.reach.pockets.find_open_probability",
            lambda *_, sure=sure: (np.full(len(likely), sure), signs),
        )
        found = find_pockets(steps, outside, 5, WHITE, "opaque", EVIDENCE)
        assert {p.reason for p in found.listed} == {told}
        assert (found.opened is not None) == (told == "open")


def test_rules_decide_by_size_the_later_first_and_places_over_all_of_them():
    steps, outside = make_map()

    def verdicts(*rules, choices=()):
        found = find_pockets(steps, outside, 5, WHITE, "opaque", choices=choices, rules=rules)
        return [(pocket.verdict, pocket.reason) for pocket in found.listed]

    small = PocketRule(100, "clear")
    assert verdicts(small) == [("keep", "undecided"), ("clear", "rule")]
    assert verdicts(PocketRule(16, "clear")) == [("keep", "undecided")] * 2  # it has 16
    assert verdicts(PocketRule(201, "clear"), PocketRule(50, "keep")) == [("clear", "rule"), ("keep", "rule")]  # fmt: skip
    kept = PocketChoice(61, 71, "keep")
    assert verdicts(small, choices=(kept,)) == [("keep", "undecided"), ("keep", "yours")]
    steps[30:50, 40:50] = steps[60:64, 70:74] = 200  # none is there
    assert verdicts(small) == []


def test_pockets_are_alike_in_size_and_in_what_is_measured():
    large, small = find_pockets(*make_map(), 5, WHITE, "opaque", EVIDENCE).listed
    assert large.signs
    assert large.is_like(large)
    assert not large.is_like(small)
    assert not small.is_like(large)
    assert not large.is_like(replace(large, chance=large.chance + 0.2))
    assert not large.is_like(replace(large, signs=tuple(sign + 1 for sign in large.signs)))
    assert not large.is_like(replace(large, signs=()))
    near = replace(large, chance=large.chance - 0.1)
    assert Pockets((large, near, small), None).alike == ((large, near), (small,))
    assert Pockets((), None).alike == ()


def test_without_anything_measured_nothing_is_said_of_pockets():
    assert to_evidence((), INKS) is None
    steps, outside = make_map()
    assert find_pockets(steps, outside, 5, WHITE, "opaque").to_decide == 2


@pytest.mark.parametrize(
    ("said", "is_ground"),
    [({}, True), ({"inks": 2}, False), ({"misfit_90": 2.2}, False), ({"misfit_far": 0.02}, False)],
)
def test_what_a_figure_of_one_colour_closes_in_is_ground(said, is_ground):
    known = {**dict.fromkeys(NATURE_MEASURES, 0.0), "inks": 1, "misfit_90": 1.9, **said}
    evidence = to_evidence(tuple(known[name] for name in NATURE_MEASURES), INKS)
    steps, outside = make_map()
    found = find_pockets(steps, outside, 5, WHITE, "opaque", evidence)
    assert len(found.listed) == 2
    for pocket in found.listed:
        is_said = pocket.reason == "one_colour"
        assert (is_said, is_said and pocket.verdict == "clear") == (is_ground, is_ground)
