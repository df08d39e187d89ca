import json

import numpy as np
import pytest

from benchmarks.score import score_cut
from tests.conftest import draw_badge
from tidymargin.core.base.picture import Picture
from tidymargin.core.base.weighing import expand, table_of
from tidymargin.core.cut import cut_out
from tidymargin.core.facts import measure_sheet
from tidymargin.core.figure import nature
from tidymargin.core.figure.inks import InkFacts
from tidymargin.core.figure.nature import MEASURES, find_ink_probability
from tidymargin.core.reach import pocket_signs
from tidymargin.demo.drawing import Drawing, lay_over, to_true_cut
from tidymargin.demo.truth import encode_picture
from tidymargin.formats.decode import decode_picture

WHITE = np.array((255.0, 255.0, 255.0))


def draw_pen(random, size=320):
    """Loops by hand whose pressure changes along them, as RGBA."""
    drawing = Drawing(size, size, 4)
    for row in range(4):
        for x in range(20, size - 60, 34):
            drawing.ring(x + 20, 50 + 70 * row, 18 + random.uniform(-4, 4), 5, drawing.colour("#22305E"))  # fmt: skip
    rgba = drawing.render().astype(np.float32)
    side = np.linspace(0, 6.28, size, dtype=np.float32)
    rgba[..., 3] *= 0.62 + 0.3 * np.sin(3 * side)[:, None] * np.cos(2.3 * side)
    return rgba


def as_jpeg(rgb, quality=88):
    return decode_picture(encode_picture(np.asarray(rgb), "jpg", quality)).picture


@pytest.mark.parametrize("ground", [(255, 255, 255), (0, 0, 0)])
def test_strokes_in_two_even_colours_of_one_hue_are_no_ink_and_not_of_one_colour(ground):
    drawing = Drawing(420, 420, 8)
    for number in range(18):
        turn = 0.3 + number * np.pi / 9
        ends = [(210 + far * np.cos(turn), 210 + far * np.sin(turn)) for far in (45, 180)]
        drawing.stroke(
            ends, 1.5 + number % 6 / 2, drawing.colour(("#6A040F", "#C1121F")[number % 2])
        )
    rgba = drawing.render()
    picture = Picture(lay_over(rgba, np.array(ground, float)))
    facts = measure_sheet(picture)
    assert facts.inks.in_steps
    assert facts.ink_probability <= 0.5
    assert facts.rim.one_rgb is None
    assert score_cut(cut_out(picture, facts).render_whole(), to_true_cut(rgba)).rim < 0.05


def test_a_pen_whose_pressure_changes_is_ink_and_a_coloured_badge_is_not():
    pen = as_jpeg(lay_over(draw_pen(np.random.default_rng(1)), WHITE))
    assert measure_sheet(pen).ink_probability > 0.8
    said = dict(zip(MEASURES, measure_sheet(pen).measures, strict=True))
    coloured = tuple(
        (said | {"misfit_far": 0.1}).values()
    )  # a tenth of it would come out in another colour
    inks = measure_sheet(pen).inks
    assert find_ink_probability(coloured, inks) <= 0.5
    badge = as_jpeg(lay_over(draw_badge().render(), WHITE))
    assert measure_sheet(badge).ink_probability < 0.2


def test_how_much_of_a_figure_is_on_the_other_side_of_its_ground_than_its_ink_is_counted():
    counted = []
    for side in (0, 30, 60):
        drawing = Drawing(240, 240, 4)
        drawing.ring(120, 120, 80, 8, drawing.colour("#101010"))
        rgb = lay_over(drawing.render(), np.full(3, 180.0))
        rgb[90 : 90 + side, 90 : 90 + side] = 255
        said = measure_sheet(Picture(np.rint(rgb).astype(np.uint8))).measures
        counted.append(float(np.expm1(dict(zip(MEASURES, said, strict=True))["opposite"])))
    ring = 2 * np.pi * 80 * 8
    wanted = [100 * white / (ring + white) for white in (0, 30**2, 60**2)]
    assert counted == pytest.approx(wanted, rel=0.15)


def test_a_cut_laid_back_on_its_ground_gives_the_picture_again():
    """The cut explains the picture, where it was not cleared, whatever the nature is told for."""
    for rgba in (draw_pen(np.random.default_rng(2)), draw_badge().render()):
        picture = as_jpeg(lay_over(rgba, WHITE))
        facts = measure_sheet(picture)
        cut = cut_out(picture, facts).render_whole().astype(np.float64)
        alpha = cut[..., 3:] / 255
        again = cut[..., :3] * alpha + WHITE * (1 - alpha)
        away = np.abs(again - picture.rgb).max(axis=2)
        assert np.quantile(away, 0.99) < 30
        assert away.mean() < 3


@pytest.mark.parametrize(
    ("question", "measures"), [("nature", nature.MEASURES), ("pockets", pocket_signs.MEASURES)]
)
def test_a_table_has_its_origin_and_a_weight_for_every_measure_and_every_two(question, measures):
    said = json.loads(table_of(question).read_text())
    assert "each left out in turn" in said["origin"]
    assert tuple(said["measures"]) == measures
    count = len(measures)
    assert len(said["weights"]) == count + count * (count + 1) // 2
    assert np.isfinite(said["weights"]).all()


def test_products_are_of_every_two_and_no_measure_runs_away():
    np.testing.assert_array_equal(expand(np.array([2.0, -3.0])), [2, -3, 4, -6, 9])
    np.testing.assert_array_equal(expand(np.array([[9.0, -9.0]])), [[4, -4, 16, -16, 16]])


@pytest.mark.parametrize("value", [0.0, 1e9, -1e9])
def test_a_probability_is_one_whatever_was_measured(value):
    none = InkFacts(np.zeros((0, 3), np.float32), (), 0.0, 0.0, 0.0, 0.0)
    assert 0 <= find_ink_probability((value,) * len(MEASURES), none) <= 1
    assert find_ink_probability((), none) == 0
