import numpy as np

from tidymargin.core.cut import measure_sheet
from tidymargin.core.picture import Picture
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


def test_a_white_inside_is_a_ground_like_jump_only_when_its_wall_gives_way():
    def ringed(d):
        d.ring(100, 100, 70, 6, d.colour("#C0B8B0"))

    facts = facts_of(ringed)
    inside = [jump for jump in facts.jumps if jump.ground_like]
    assert len(inside) == 1
    assert np.pi * 67**2 < inside[0].area_px < np.pi * 74**2  # the wall goes with it
    assert facts.calm.tolerance < inside[0].tolerance
