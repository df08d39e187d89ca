"""Tips of acute corners of the ground are cut as thin as they are, and shading beside a rim is left alone."""

import numpy as np
import pytest

from tests.conftest import to_png
from tidymargin.core.cut import cut_out
from tidymargin.core.facts import measure_sheet
from tidymargin.core.plan import Plan
from tidymargin.demo.drawing import Drawing, lay_over, to_true_cut
from tidymargin.formats.decode import decode_picture

BLACK = np.zeros(3)


def cut_of(drawing):
    picture = decode_picture(to_png(lay_over(drawing.render(), BLACK))).picture
    return cut_out(picture, measure_sheet(picture), Plan()).render_whole()


@pytest.mark.parametrize("lean", [14.0, 18.0, 22.5])
def test_no_dark_dot_stays_in_the_tip_of_a_narrow_wedge(lean):
    d = Drawing(160, 160, 8)
    label = d.colour("#FFFFFF")
    d.polygon([(20, 20), (80 - lean, 20), (80, 120), (80 + lean, 20), (140, 20), (140, 140), (20, 140)], label)  # fmt: skip
    true = to_true_cut(d.render())
    found = cut_of(d)
    solid = found[..., 3] > 250
    assert found[solid, :3].min() > 225  # what is left is hardly seen
    away = np.abs(found[..., 3].astype(int) - true[..., 3])
    assert away.max() <= 30


def test_a_figure_darker_towards_its_rim_stays_solid():
    d = Drawing(160, 160, 8)
    for step in range(40):  # shaded, in flat bands a pixel wide
        grey = 90 + 4 * step
        d.ellipse(80, 80, 60 - step, d.colour(f"#{grey:02X}{grey:02X}{grey:02X}"))
    true = to_true_cut(d.render())
    found = cut_of(d)
    inside = true[..., 3] == 255
    inside[1:-1, 1:-1] &= (true[:-2, 1:-1, 3] == 255) & (true[2:, 1:-1, 3] == 255)
    inside[1:-1, 1:-1] &= (true[1:-1, :-2, 3] == 255) & (true[1:-1, 2:, 3] == 255)
    assert found[inside, 3].min() == 255
