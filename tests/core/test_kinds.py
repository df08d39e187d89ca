import cv2
import numpy as np
import pytest

from tidymargin.core.base.errors import BadImageError, NoGroundError
from tidymargin.core.base.picture import Picture
from tidymargin.core.cut import cut_out
from tidymargin.core.facts import measure_sheet
from tidymargin.core.ground.difference import STEP, measure_difference
from tidymargin.core.ground.kinds import (
    border_places,
    frame_mask,
    frame_places,
    measure_flat_ground,
    stands_on_nothing,
)
from tidymargin.core.ground.plan import GroundPlan
from tidymargin.demo.drawing import Drawing, to_true_cut
from tidymargin.formats.decode import decode_picture


def sheet_of(colour, figure=(20, 30, 60), size=120):
    rgb = np.full((size, size, 3), colour, np.uint8)
    rgb[30:90, 30:90] = figure
    return rgb


@pytest.mark.parametrize("colour", [(255, 255, 255), (0, 0, 0), (42, 157, 143), (3, 2, 250)])
def test_an_even_border_is_measured_exactly_and_without_noise(colour):
    ground = measure_flat_ground(Picture(sheet_of(colour)))
    assert ground.rgb_srgb == colour
    assert (ground.noise, ground.border_share) == (0.0, 1.0)


def test_a_figure_that_covers_most_of_one_side_does_not_move_the_ground():
    rgb = sheet_of((250, 250, 240))
    rgb[:80, :40] = (10, 10, 10)
    ground = measure_flat_ground(Picture(rgb))
    assert ground.rgb_srgb == (250, 250, 240)
    assert 0.5 < ground.border_share < 0.9


def test_transparent_pixels_are_never_evidence():
    rgb = sheet_of((200, 220, 240))
    alpha = np.full((120, 120), 255, np.uint8)
    rgb[:100] = (9, 9, 9)
    alpha[:100] = 0
    assert measure_flat_ground(Picture(rgb, alpha)).rgb_srgb == (200, 220, 240)
    with pytest.raises(NoGroundError, match="transparent already"):
        measure_flat_ground(Picture(rgb, np.zeros((120, 120), np.uint8)))


def test_a_colour_that_was_said_is_taken_as_it_is():
    ground = measure_flat_ground(Picture(sheet_of((255, 255, 255))), (20.0, 30.0, 60.0))
    assert ground.hex == "#141E3C"
    assert ground.border_share == 0.0


def test_grain_becomes_noise_and_then_no_difference():
    grain = np.random.default_rng(3).normal(0, 3, (120, 120, 3))
    rgb = np.clip(sheet_of((180, 190, 200)) + grain, 0, 255).astype(np.uint8)
    ground = measure_flat_ground(Picture(rgb))
    assert np.abs(np.array(ground.rgb_srgb) - (180, 190, 200)).max() < 1
    assert ground.noise > 1
    steps = measure_difference(Picture(rgb), ground).steps
    assert np.quantile(steps[:25], 0.99) == 0
    assert (steps[40:80, 40:80] > 100).all()


def test_difference_is_oklab_distance_in_steps_of_a_fifth(badge):
    picture, _ = badge
    difference = measure_difference(picture, measure_flat_ground(picture))
    assert difference.ringing == 0
    assert difference.steps[0, 0] == 0
    red = sheet_of((255, 255, 255), (253, 250, 250))
    steps = measure_difference(Picture(red), measure_flat_ground(Picture(red))).steps
    # 100 x |OKLab(#FDFAFA) - OKLab(white)|, worked out from the published matrices: 1.294
    assert steps[60, 60] * STEP == pytest.approx(1.294, abs=0.1)


def test_ringing_of_lossy_edges_is_measured_and_allowed_for(badge_jpg):
    picture = decode_picture(badge_jpg).picture
    difference = measure_difference(picture, measure_flat_ground(picture))
    assert 0.5 < difference.ringing < 4
    near = cv2.dilate((difference.steps > 60).astype(np.uint8), np.ones((9, 9))) == 1
    near &= cv2.dilate((difference.steps > 60).astype(np.uint8), np.ones((5, 5))) == 0
    assert np.mean(difference.steps[near] <= 5) > 0.9


def test_a_picture_that_came_in_cut_already_has_nothing_to_clear(badge):
    picture, true = badge
    facts = measure_sheet(Picture(picture.rgb, true[..., 3]))
    assert facts.ground.border_share == 0
    assert (facts.difference.steps[true[..., 3] > 0] == 255).all()


@pytest.mark.parametrize(
    ("bad", "said"),
    [
        (np.zeros((3, 3), np.uint8), "shape"),
        (np.zeros((0, 4, 3), np.uint8), "This picture is empty"),
    ],
)
def test_arrays_that_are_no_picture_are_refused(bad, said):
    with pytest.raises(BadImageError, match=said):
        Picture(bad)


@pytest.mark.parametrize("shape", [(1, 1), (1, 5), (3, 9), (5, 1), (40, 33), (120, 700), (2, 90)])
def test_the_places_of_the_frame_are_those_of_its_mask(shape):
    for places, masked in zip(frame_places(*shape), np.nonzero(frame_mask(*shape)), strict=True):
        assert np.array_equal(places, masked)


def test_what_came_in_transparent_is_no_place_of_the_border():
    alpha = np.full((60, 50), 255, np.uint8)
    alpha[0, :20] = 254
    rows, cols = border_places(Picture(np.zeros((60, 50, 3), np.uint8), alpha))
    assert len(rows) == frame_mask(60, 50).sum() - 20
    assert (alpha[rows, cols] == 255).all()


def test_a_large_border_is_looked_at_all_around_by_chance_and_a_small_one_whole():
    small = border_places(Picture(np.zeros((700, 900, 3), np.uint8)))
    assert len(small[0]) == frame_mask(700, 900).sum()
    height, width = 4000, 6000
    rows, cols = border_places(Picture(np.zeros((height, width, 3), np.uint8)))
    frame = frame_mask(height, width)
    assert 65_536 <= len(rows) < 2 * 65_536 < frame.sum()
    assert frame[rows, cols].all()
    assert len(np.unique(rows * width + cols)) == len(rows)
    for places, count in ((rows, height), (cols, width)):
        found, _ = np.histogram(places, bins=20, range=(0, count))
        every = np.histogram(np.nonzero(frame)[0 if count == height else 1], 20, (0, count))[0]
        np.testing.assert_allclose(found / len(rows), every / frame.sum(), rtol=0.03)
    for period in (2, 3, 4, 5, 8):  # no regular step, which a pattern could go along with
        assert np.bincount(cols % period).min() > 0.9 * len(cols) / period


def lettering_on_nothing(colour):
    """Strokes of varying density that touch the border, and a white band, on nothing."""
    drawing = Drawing(120, 90, 4)
    for x in range(6, 120, 14):
        drawing.rounded(x, -4, x + 6, 96, 2, drawing.colour(colour))
    drawing.rounded(-4, 40, 124, 50, 0, drawing.colour("#FFFFFF"))
    return to_true_cut(drawing.render())


@pytest.mark.parametrize("colour", ["#C8202C", "#101010", "#F4F4F4"])
def test_nothing_is_taken_from_a_picture_that_came_in_cut_out_and_touches_its_border(colour):
    rgba = lettering_on_nothing(colour)
    picture = Picture(np.ascontiguousarray(rgba[..., :3]), np.ascontiguousarray(rgba[..., 3]))
    assert stands_on_nothing(picture)
    facts = measure_sheet(picture)
    assert (facts.ground.border_share, facts.nature) == (0.0, "opaque")
    cut = cut_out(picture, facts).render_whole()
    np.testing.assert_array_equal(cut[..., 3], rgba[..., 3])
    shown = rgba[..., 3] > 0
    np.testing.assert_array_equal(cut[shown], rgba[shown])
    asked = measure_sheet(
        picture, GroundPlan(kind="flat")
    )  # somebody says that there is a ground after all
    assert asked.ground.border_share > 0


def test_round_corners_that_came_in_transparent_leave_the_ground_to_be_measured():
    drawing = Drawing(120, 90, 4)
    drawing.rounded(0, 0, 120, 90, 12, drawing.colour("#FFFFFF"))
    drawing.ellipse(60, 45, 20, drawing.colour("#204080"))
    rgba = to_true_cut(drawing.render())
    picture = Picture(np.ascontiguousarray(rgba[..., :3]), np.ascontiguousarray(rgba[..., 3]))
    assert not stands_on_nothing(picture)
    assert measure_sheet(picture).ground.border_share > 0.9
