"""A ground of several flat colours is cleared whole, seams included, and rims are solved against each."""

import numpy as np
import pytest

from benchmarks.score import score_cut
from tidymargin.core.base.picture import Picture
from tidymargin.core.cut import cut_out
from tidymargin.core.facts import measure_sheet
from tidymargin.core.ground.kinds import border_pixels
from tidymargin.core.ground.plan import GroundPlan
from tidymargin.demo.drawing import Drawing, lay_over, to_true_cut
from tidymargin.demo.grounds import add_grain

SIZE = 240
HALVES = {"#2A9D8F": (42, 157, 143), "#F4E3C1": (244, 227, 193)}


def halved(seam_from: float, seam_to: float):
    """A figure across a slanted, soft seam of two colours; the picture and its true cut."""
    ground = Drawing(SIZE, SIZE, 4)
    teal, cream = (ground.colour(code) for code in HALVES)
    ground.polygon([(0, 0), (SIZE, 0), (SIZE, SIZE), (0, SIZE)], cream)
    ground.polygon([(0, 0), (seam_from, 0), (seam_to, SIZE), (0, SIZE)], teal)
    d = Drawing(SIZE, SIZE, 8)
    d.ellipse(120.4, 119.7, 70, d.colour("#8C1420"))
    d.ellipse(120.4, 119.7, 40, d.colour("#FFFFFF"))
    rgba = d.render()
    return Picture(lay_over(rgba, ground.render()[..., :3])), to_true_cut(rgba)


def test_both_halves_and_the_seam_go_and_the_rim_is_solved_against_each():
    picture, true = halved(90.3, 150.6)
    first, second = (tuple(float(v) for v in rgb) for rgb in HALVES.values())
    found = cut_out(
        picture, measure_sheet(picture, GroundPlan(rgb=first, also_rgb=(second,)))
    ).render_whole()
    away = np.hypot(*(np.mgrid[:SIZE, :SIZE] + 0.5 - np.array((119.7, 120.4))[:, None, None]))
    assert (found[away > 73, 3] == 0).all()
    assert (found[away < 67, 3] == 255).all()
    assert score_cut(found, true).rim < 0.6
    alone = cut_out(picture, measure_sheet(picture, GroundPlan(rgb=first))).render_whole()
    assert (alone[:20, 200:, 3] == 255).all()  # one colour alone leaves the other half


def test_colours_that_do_not_show_change_nothing():
    picture, _ = halved(SIZE, SIZE)
    first = tuple(float(v) for v in HALVES["#2A9D8F"])
    one = cut_out(picture, measure_sheet(picture, GroundPlan(rgb=first))).render_whole()
    two = cut_out(
        picture, measure_sheet(picture, GroundPlan(rgb=first, also_rgb=((255.0, 0.0, 255.0),)))
    )
    assert np.abs(one.astype(int) - two.render_whole()).max() <= 1


@pytest.mark.parametrize(
    ("drawn", "found"),
    [
        ("halves", True),
        ("one side", False),
        ("two corners", True),
        ("even", False),
        ("grain", False),
    ],
)
def test_another_colour_of_the_border_is_found_where_it_is_on_two_sides(drawn, found):
    rgb = np.full((SIZE, SIZE, 3), HALVES["#F4E3C1"], np.uint8)
    teal = HALVES["#2A9D8F"]
    if drawn == "halves":
        rgb[:, :90] = teal
    elif drawn == "one side":
        rgb[60:200, :100] = teal  # a figure that is cut off by the picture's end
    elif drawn == "two corners":
        rgb[:70, :70] = rgb[-70:, -70:] = teal
    elif drawn == "grain":
        rgb = add_grain(rgb.astype(np.float32), np.random.default_rng(2), 4.0)
    picture = Picture(rgb)
    facts = measure_sheet(picture)
    assert facts.ground.kind == ("paper" if drawn == "grain" else "flat")
    assert (facts.further is not None) == found
    if facts.further is not None:
        share = float((border_pixels(picture) == teal).all(axis=1).mean())
        assert facts.further.hex == "#2A9D8F"
        assert facts.further.border_share == pytest.approx(share, abs=0.02)
        both = measure_sheet(picture, GroundPlan(also_rgb=(tuple(map(float, teal)),)))
        assert both.further is None
        assert cut_out(picture, both).render_whole()[..., 3].max() == 0
