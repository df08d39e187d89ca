"""Gaps through which clearing runs: found where they are, shut by their fence, and not seen elsewhere."""

import numpy as np
import pytest

from tidymargin.core.base.picture import Picture, whole
from tidymargin.core.cut import cut_out
from tidymargin.core.facts import measure_sheet
from tidymargin.core.ground.plan import GroundPlan
from tidymargin.core.plan import Plan
from tidymargin.core.reach import narrows
from tidymargin.core.reach.narrows import find_narrows
from tidymargin.core.reach.plan import ReachPlan
from tidymargin.demo.drawing import Drawing, lay_over

SIZE = 300
WHITE = np.array((255.0, 255.0, 255.0))


def broken_ring(gap_px: float, turn: float = 0.0) -> Picture:
    """A ring that is broken over so many pixels, at an angle, and a whole one beside it."""
    d = Drawing(SIZE, SIZE, 4)
    ink, white = d.colour("#203050"), d.colour("#FFFFFF")
    d.ring(170, 170, 100, 8, ink)
    d.ring(40, 40, 30, 6, d.colour("#B0402A"))
    if gap_px:
        along = np.array((np.cos(turn), np.sin(turn)))
        d.stroke([tuple(170 + 85 * along), tuple(170 + 115 * along)], gap_px, white)
    return Picture(lay_over(d.render(), WHITE))


def cleared_of(picture, **decisions):
    cutter = cut_out(picture, measure_sheet(picture), Plan(reach=ReachPlan(**decisions)))
    return cutter.cleared(whole(picture.height, picture.width))


@pytest.mark.parametrize("turn", [0.0, 0.6, 2.2, 4.0])
@pytest.mark.parametrize("gap_px", [3.0, 8.0])
def test_a_gap_is_found_where_it_is_and_its_fence_shuts_it(gap_px, turn):
    picture = broken_ring(gap_px, turn)
    cleared = cleared_of(picture)
    assert cleared[170, 170]
    (narrow,) = find_narrows(cleared)
    expected = 170 + 100 * np.array((np.sin(turn), np.cos(turn)))
    assert np.hypot(*(np.array((narrow.row, narrow.col)) - expected)) < 7
    assert abs(narrow.width_px - gap_px) < 2.5
    assert narrow.area_px == pytest.approx(np.pi * 96**2, rel=0.05)
    fenced = cleared_of(picture, fences=(narrow.fence,))
    assert not fenced[170, 170]
    assert fenced[5, 290]
    assert find_narrows(fenced) == ()


def test_preparations_change_what_is_cleared_and_no_colour():
    broken = broken_ring(3.0)
    held = cut_out(broken, measure_sheet(broken, GroundPlan(preparations=("hold_lines",))))
    assert held.render_whole()[170, 170, 3] == 255
    assert (held.render_whole()[170, 170, :3] == 255).all()

    d = Drawing(SIZE, SIZE, 4)
    d.rounded(60, 60, 240, 240, 20, d.colour("#F0E6D2"))
    d.stroke([(30, 150), (270, 150)], 4, d.colour("#203050"))
    stained = Picture(lay_over(d.render(), WHITE))
    plain, lifted = (
        cut_out(stained, measure_sheet(stained, GroundPlan(preparations=chosen))).render_whole()
        for chosen in ((), ("lift_paper",))
    )
    assert (plain[100, 150, 3], lifted[100, 150, 3]) == (255, 0)
    assert (lifted[150, 150] == (32, 48, 80, 255)).all()

    random = np.random.default_rng(5)
    specked = broken_ring(0).rgb.copy()
    specked[random.random((SIZE, SIZE)) < 0.01] = (225, 225, 225)
    grainy = Picture(specked)
    left = [
        int((cut_out(grainy, measure_sheet(grainy, GroundPlan(preparations=chosen))).render_whole()[250:, :40, 3] > 0).sum())
        for chosen in ((), ("ignore_grain",))
    ]  # fmt: skip
    assert left[1] == 0 < left[0]


def test_what_is_whole_or_wide_open_has_no_gap():
    assert find_narrows(cleared_of(broken_ring(0))) == ()
    assert find_narrows(cleared_of(broken_ring(60))) == ()
    assert find_narrows(np.ones((50, 50), bool)) == ()
    assert find_narrows(np.zeros((50, 50), bool)) == ()


def test_gaps_are_told_where_they_are_wider_than_levels_are_fine(monkeypatch):
    """As on sheets wider than 7800 px; here the widest gap is a tenth of the sheet."""
    monkeypatch.setattr(narrows, "_WIDEST", 0.1)
    row, col = np.mgrid[:700, :700]
    away = np.hypot(row - 350, col - 350)
    wall = (np.abs(away - 280) < 8) & ~((np.abs(row - 350) < 5) & (col > 350))
    (narrow,) = find_narrows(~wall)
    assert (narrow.row, narrow.col) == (pytest.approx(350, abs=2), pytest.approx(630, abs=9))
    assert narrow.width_px == pytest.approx(10, abs=1)
    assert narrow.area_px == pytest.approx(np.pi * 272**2, rel=0.02)
