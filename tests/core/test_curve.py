import cv2
import numpy as np
import pytest

from tidymargin.core.base.picture import Picture, Region
from tidymargin.core.facts import measure_sheet
from tidymargin.core.ground.difference import STEP
from tidymargin.core.reach.curve import Jump, find_calm
from tidymargin.core.reach.largest import find_largest_pieces
from tidymargin.demo.drawing import Drawing, lay_over


def facts_of(draw, size=200):
    d = Drawing(size, size, 8)
    draw(d)
    return measure_sheet(Picture(lay_over(d.render(), np.array((255.0, 255.0, 255.0)))))


def pale_patch(d):
    d.rounded(40, 40, 160, 160, 0, d.colour("#E8D8D0"))
    d.ellipse(100, 100, 30, d.colour("#203040"))


def pale_line(d):
    d.ellipse(100, 100, 70, d.colour("#F2D9D5"))
    d.ellipse(100, 100, 68, d.colour("#203040"))


def test_the_curve_is_the_share_cleared_and_never_falls():
    facts = facts_of(pale_patch)
    assert (np.diff(facts.curve) >= 0).all()
    for step in (0, 20, 200):
        assert facts.curve[step] == np.mean(facts.outside <= step)


def test_a_pale_patch_is_a_jump_at_its_own_difference_with_its_area_and_place():
    facts = facts_of(pale_patch)
    jump = facts.jumps[0]
    patch = facts.difference.steps[60, 60]
    assert round(jump.tolerance / 0.2) == patch
    assert abs(jump.area_px - (120 * 120 - np.pi * 30**2)) < 600
    assert (jump.box.top, jump.box.left, jump.box.bottom, jump.box.right) == (40, 40, 160, 160)
    assert facts.difference.steps[jump.row, jump.col] == patch
    assert not jump.ground_like


def test_the_start_lies_in_the_calm_before_what_would_go_next():
    for draw, next_difference in ((pale_patch, 10.0), (pale_line, 10.0)):
        calm = facts_of(draw).calm
        assert calm.next_jump is not None
        assert calm.noise_end <= calm.tolerance < calm.next_jump <= next_difference
        assert calm.tolerance <= calm.noise_end + (calm.next_jump - calm.noise_end) / 2


@pytest.mark.parametrize("grain", [0.0, 2.0, 6.0])
def test_a_jump_that_the_start_takes_in_already_is_not_the_next_one(grain):
    curve = np.linspace(0.5, 0.6, 255)
    for step in range(1, 60):
        news = Jump(step * STEP, 900, Region(0, 0, 30, 30), 15, 15, ground_like=False)
        calm = find_calm(curve, (news,), grain)
        assert calm.next_jump is None or calm.next_jump > calm.tolerance


def test_a_white_inside_is_a_ground_like_jump_only_when_its_wall_gives_way():
    def ringed(d):
        d.ring(100, 100, 70, 6, d.colour("#C0B8B0"))

    facts = facts_of(ringed)
    inside = [jump for jump in facts.jumps if jump.ground_like]
    assert len(inside) == 1
    assert np.pi * 67**2 < inside[0].area_px < np.pi * 74**2  # the wall goes with it
    assert facts.calm.tolerance < inside[0].tolerance


@pytest.mark.parametrize("seed", range(6))
def test_the_largest_pieces_of_one_pass_are_those_found_level_by_level(seed):
    rng = np.random.default_rng(seed)
    soft = cv2.GaussianBlur(rng.random((90, 70 + seed)).astype(np.float32), (0, 0), 1.5 + seed / 2)
    spread = (soft - soft.min()) / np.ptp(soft)
    values = np.floor(spread * 9).astype(np.uint8)
    wanted = np.arange(256) != 4
    found = find_largest_pieces(values, wanted)
    assert found[4].sum() == 0
    for value in set(range(10)) - {4}:
        of_value = (values == value).astype(np.uint8)
        solid = cv2.erode(of_value, np.ones((3, 3), np.uint8), borderValue=0) > 0
        _, labels, stats, _ = cv2.connectedComponentsWithStats(of_value, connectivity=4)
        thick = [n for n in np.unique(labels[solid]) if n]
        if not thick:
            assert found[value, 0] == 0
            continue
        left, top, width, height, area = stats[max(thick, key=lambda n: stats[n, 4])]
        assert found[value, :5].tolist() == [area, top, left, top + height, left + width]
        assert values[tuple(int(v) for v in found[value, 5:7])] == value
