"""What stands out of a dark part's edge and may be a little of a light colour is read as that."""

import numpy as np
import pytest

from tidymargin.core.bumps import BUMPS_HALO_PX, smooth_bumps
from tidymargin.demo.drawing import Drawing

SCREEN, CREAM, QUILL = (47, 87, 168), (243, 240, 228), (111, 105, 91)
OWN = np.array([CREAM, QUILL], np.float32)
SIZE = 64
A_LITTLE = 0.15  # of the cream, which is as light as the quill


def draw(tall_px):
    """Return how much of a slanting dark quill each place holds, and the picture's parts of it and of cream."""
    drawing = Drawing(SIZE, SIZE, 8)
    label = drawing.colour("#000000")
    low = [(69, 34 + tall_px), (-5, 28 + tall_px)]
    drawing.polygon([(-5, 28), (69, 34), *low], label)
    return drawing.render()[..., 3].astype(np.float32)


def mix(dark, cream):
    """Return what is seen of both over the screen, and share and figure as they would be solved."""
    parts = np.stack([cream * (1 - dark), dark, (1 - cream) * (1 - dark)], axis=-1)
    rgb = np.rint(parts @ np.array([CREAM, QUILL, SCREEN], np.float32)).astype(np.uint8)
    figure = np.where(dark[..., None] > 0, np.float32(QUILL), np.float32(CREAM))
    return rgb, np.float32(1) - parts[..., 2].astype(np.float32), figure.astype(np.float32)


def smoothed(rgb, share, figure):
    ground = np.full(rgb.shape, SCREEN, np.float32)
    share, figure = share.copy(), figure.copy()
    smooth_bumps(rgb, ground, (0, 0), OWN, 1.0, share, figure)
    return share, figure


def bumpy(tall_px):
    """Return places above a quill's edge with a little cream, which are told for solid quill; and all that is seen."""
    dark = draw(tall_px)
    cream = np.zeros_like(dark)
    top = (dark > 0).argmax(axis=0)
    bumps = [(top[col] - 1, col) for col in range(14, 50, 6)]
    for row, col in bumps:
        cream[row - 6 : row, col], cream[row, col] = 1.0, A_LITTLE  # the end of a barb
    rgb, share, figure = mix(dark, cream)
    true = share.copy()
    for place in bumps:
        share[place], figure[place] = 1.0, QUILL
    return bumps, rgb, share, figure, true


def test_the_end_of_a_light_barb_is_no_bump_of_a_dark_quill():
    bumps, rgb, share, figure, true = bumpy(10)
    now, colours = smoothed(rgb, share, figure)
    for place in bumps:
        assert abs(now[place] - A_LITTLE) < 0.03
        assert (colours[place] == CREAM).all()
    others = np.ones(share.shape, bool)
    others[tuple(np.array(bumps).T)] = False
    assert np.array_equal(now[others], true[others])


def no_cream():
    dark = draw(10)
    rgb, share, figure = mix(dark, np.zeros_like(dark))
    above = (dark[:, 30] > 0).argmax() - 1
    share[above, 30], figure[above, 30] = 1.0, QUILL
    return rgb, share, figure


def no_screen():
    dark = draw(10)
    rgb, share, figure = mix(dark, np.ones_like(dark))
    above = (dark[:, 30] > 0).argmax() - 1
    rgb[above, 30] = figure[above, 30] = QUILL
    return rgb, share, figure


@pytest.mark.parametrize(
    ("what", "made"),
    [
        ("a thin line has no edge to go by", lambda: bumpy(2)[1:4]),
        ("no light colour is near", no_cream),
        ("no screen is near: a shade within the figure", no_screen),
    ],
)
def test_a_bump_that_nothing_speaks_against_stays(what, made):
    rgb, share, figure = made()
    now, colours = smoothed(rgb, share, figure)
    assert np.array_equal(now, share), what
    assert np.array_equal(colours, figure), what


def test_a_part_comes_out_as_in_the_whole_but_for_its_ends():
    _, rgb, share, figure, _ = bumpy(10)
    whole, _ = smoothed(rgb, share, figure)
    part = (slice(3, 57), slice(7, 60))
    alone, _ = smoothed(rgb[part], share[part], figure[part])
    inner = (slice(BUMPS_HALO_PX, -BUMPS_HALO_PX),) * 2
    assert (whole != share).any()
    assert np.array_equal(alone[inner], whole[part][inner])
