"""Text drawn for a screen's stripes: told by its edges, read as one colour, and nothing else taken for it."""

import cv2
import numpy as np
import pytest

from tidymargin.core.base.picture import Picture, Region, whole
from tidymargin.core.cut import cut_out
from tidymargin.core.facts import measure_sheet
from tidymargin.core.figure.fringe import measure_fringe
from tidymargin.core.ground.kinds import measure_flat_ground
from tidymargin.core.ground.plan import GroundPlan
from tidymargin.core.plan import Plan

INK, PAPER = np.array((24.0, 20.0, 40.0)), np.array((250.0, 250.0, 246.0))


def draw_text(*, order):
    """Return a text's share of each stripe of a pixel, (h, w, 3): its letters three times as wide, then taken apart."""
    height, width = 90, 300
    large = np.zeros((4 * height, 4 * width), np.uint8)
    for line in range(4):
        at = (16, 4 * (22 * line + 18))
        cv2.putText(
            large, "Terms of trade, 7", at, cv2.FONT_HERSHEY_SIMPLEX, 1.2, 255, 3, cv2.LINE_AA
        )
    thirds = cv2.resize(large, (3 * width, height), interpolation=cv2.INTER_AREA) / 255
    soft = cv2.blur(thirds, (3, 1))
    stripes = np.stack([soft[:, part::3] for part in range(3)], axis=2)
    return stripes[..., ::order]


def print_for_stripes(order=1):
    """Return that text printed on paper, (h, w, 3) uint8."""
    return np.rint(PAPER + draw_text(order=order) * (INK - PAPER)).astype(np.uint8)


@pytest.mark.parametrize("nature", ["opaque", "ink"])
@pytest.mark.parametrize("order", [1, -1])
def test_text_drawn_for_stripes_is_cut_as_one_colour(order, nature):
    share = draw_text(order=order)
    rgb = print_for_stripes(order)
    facts = measure_sheet(Picture(rgb), GroundPlan(nature=nature))
    assert facts.fringe is not None
    np.testing.assert_allclose(facts.fringe.ink_rgb, INK, atol=30)
    cut = cut_out(Picture(rgb), facts, Plan()).render_whole()
    solid = cut[..., 3] > 60
    assert np.ptp(cut[solid][:, :3], axis=0).max() <= 2  # no colour is left of the stripes
    np.testing.assert_allclose(cut[..., 3] / 255, share.mean(axis=2), atol=0.1)


def test_coloured_figures_and_grey_text_are_not_taken_for_it():
    random = np.random.default_rng(3)
    share = draw_text(order=1).mean(axis=2, keepdims=True)
    grey = np.rint(PAPER + share * (INK - PAPER)).astype(np.uint8)
    coloured = np.full((200, 300, 3), 255, np.uint8)
    for _ in range(40):
        colour = tuple(int(v) for v in random.integers(0, 200, 3))
        at = tuple(int(v) for v in random.integers(20, 180, 2))
        cv2.circle(coloured, at, 12, colour, -1, cv2.LINE_AA)
    for rgb in (grey, coloured):
        picture = Picture(rgb)
        assert measure_fringe(picture, measure_flat_ground(picture)) is None


def test_colours_beside_such_text_stay_and_a_region_is_as_the_whole():
    rgb = print_for_stripes()
    rgb[20:70, 230:290] = (200, 30, 40)
    rgb[72:80, 230:290] = (205, 218, 240)  # pale, and dark with little hue
    rgb[80:88, 230:290] = (96, 106, 120)
    picture = Picture(rgb)
    fringe = measure_fringe(picture, measure_flat_ground(picture))
    everywhere = whole(*rgb.shape[:2])
    out = fringe.take_off(picture, everywhere)
    inside = np.s_[20:88, 236:284]
    np.testing.assert_array_equal(out[inside], rgb[inside])
    region = Region(13, 41, 64, 203)
    np.testing.assert_array_equal(fringe.take_off(picture, region), out[region.slices])
