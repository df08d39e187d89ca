"""Pale and grey lines before a blue screen, read together where coding has blurred their chroma."""

import cv2
import numpy as np
import pytest

from tests.core.test_slivers import halve_chroma
from tidymargin.core.weighing import READINGS_HALO_PX, weigh_readings

PALE, GREY, BLUE = (241, 236, 224), (169, 165, 156), (47, 87, 168)
OWN = np.array([PALE, GREY], np.float32)
LUMA = np.array([0.299, 0.587, 0.114])
SIZE, GRAIN = 120, 2.5


def draw_lines(slope, shift=0.0):
    """Lines of two and a half pixels, every other one grey; the true matte and colour.

    Drawn at four times the size, some of them touching, as barbs do.
    """
    rows, cols = (np.mgrid[: 4 * SIZE, : 4 * SIZE] + 0.5) / 4
    away = (rows - slope * cols + shift) / np.hypot(1, slope)
    beat, number = np.mod(away, 4.3), np.floor(away / 4.3).astype(int)
    width = np.where(number % 4 == 0, 4.3, 2.5)
    is_line, is_grey = beat < width, number % 2 == 0
    solid = cv2.resize(is_line.astype(np.float32), (SIZE, SIZE), interpolation=cv2.INTER_AREA)
    colour = np.where(is_grey[..., None], np.array(GREY), np.array(PALE)).astype(np.float32)
    mixed = cv2.resize(colour * is_line[..., None], (SIZE, SIZE), interpolation=cv2.INTER_AREA)
    return solid, mixed / np.maximum(solid, 1e-3)[..., None]


def see(solid, colour):
    """Lay the lines over the screen, with coded chroma, and read them pixel by pixel: what is lighter is pale."""
    ground = np.full((SIZE, SIZE, 3), BLUE, np.float32)
    over = colour * solid[..., None] + ground * (1 - solid[..., None])
    rgb = halve_chroma(np.rint(over).astype(np.uint8))
    seen = rgb @ LUMA - np.array(BLUE) @ LUMA
    is_grey = np.abs(rgb @ LUMA - np.array(GREY) @ LUMA) < 12
    figure = np.where(is_grey[..., None], OWN[1], OWN[0])
    share = np.clip(seen / (figure @ LUMA - np.array(BLUE) @ LUMA), 0, 1)
    return rgb, ground, share.astype(np.float32), figure.astype(np.float32)


def weigh(rgb, ground, share, figure, grain=GRAIN):
    share, figure = share.copy(), figure.copy()
    weigh_readings(rgb, ground, (0, 0), OWN, grain, share, figure)
    return share, figure


def far_from(true, found):
    """How far two cuts are apart on white, in levels of luma."""
    one, other = ((colour @ LUMA) * solid + 255 * (1 - solid) for solid, colour in (true, found))
    return np.abs(one - other)[8:-8, 8:-8]


@pytest.mark.parametrize("slope", [0.35, 0.8, -0.6, 2.2])
def test_lines_that_were_dashed_are_read_whole(slope):
    true = draw_lines(slope)
    rgb, ground, share, figure = see(*true)
    before, after = (
        far_from(true, (share, figure)),
        far_from(true, weigh(rgb, ground, share, figure)),
    )
    assert (before > 45).mean() > 0.01
    assert (after > 45).sum() < 0.2 * (before > 45).sum()
    assert after.std() < 0.7 * before.std()


def test_a_place_is_as_light_over_the_screen_as_it_was_seen():
    rgb, ground, share, figure = see(*draw_lines(0.35))
    now, colour = weigh(rgb, ground, share, figure)
    changed = np.abs(now - share) > 0.05
    assert changed.sum() > 100
    over = now * (colour @ LUMA) + (1 - now) * (ground @ LUMA)
    assert np.abs(over - rgb @ LUMA)[changed].max() < 6


def test_a_figure_of_many_shades_is_left_as_it_was_solved():
    solid, _ = draw_lines(0.35)
    luma = np.linspace(150, 250, SIZE)[:, None]
    colour = np.repeat(np.broadcast_to(luma, solid.shape)[..., None], 3, axis=2).astype(np.float32)
    rgb, ground, share, _ = see(solid, colour)
    now, _ = weigh(rgb, ground, share, colour)
    assert np.array_equal(now, share)


def test_a_dark_line_between_pale_ones_stays_as_it_was_solved():
    dark = np.array((111, 105, 91), np.float32)  # as light as the screen, near enough
    solid, colour = draw_lines(0.35)
    is_dark = np.abs(colour - GREY).max(axis=2) < 20
    colour[is_dark] = dark
    rgb, ground, share, _ = see(solid, colour)
    own = np.array([PALE, GREY, dark], np.float32)
    figure, now = colour.copy(), np.where(is_dark, solid, share)
    weigh_readings(rgb, ground, (0, 0), own, GRAIN, now, figure)
    deep = cv2.erode((is_dark & (solid == 1)).view(np.uint8), np.ones((3, 3), np.uint8)) > 0
    assert deep.sum() > 50
    assert np.array_equal(now[deep], solid[deep])


def test_a_part_is_read_as_in_the_whole():
    random = np.random.default_rng(7)
    rgb, ground, share, figure = see(*draw_lines(0.5, shift=1.3))
    share = np.where(random.random(share.shape) < 0.1, random.random(share.shape), share)
    share = share.astype(np.float32)
    far, part = READINGS_HALO_PX, np.s_[9:113, 5:118]
    whole = weigh(rgb, ground, share, figure)
    own_share, own_figure = share[part].copy(), figure[part].copy()
    weigh_readings(rgb, ground, (9, 5), OWN, GRAIN, own_share, own_figure)
    inner = np.s_[far:-far, far:-far]
    assert (np.abs(own_share - share[part]) > 0.05)[inner].sum() > 50
    for one, other in zip(whole, (own_share, own_figure), strict=True):
        assert np.array_equal(one[part][inner], other[inner])
