"""Misread places of a broad part's edge are drawn to the edge; colours follow a share that has risen."""

import numpy as np
import pytest

from tidymargin.core.colour import to_luma_chroma_kernel
from tidymargin.core.distance import distance_px
from tidymargin.core.level import LEVEL_HALO_PX, level_edges, recolour_kernel
from tidymargin.demo.drawing import Drawing

SCREEN, BRASS = (62, 155, 79), (133, 114, 60)  # about as light
PALE = (240, 235, 220)
SIZE = 72
MISREAD = [(0.0, 1), (1.0, 3), (0.2, 1), (1.0, 2)]  # what was told one by one, from place to place


def draw(broad):
    """Return the matte of a slanting edge: of half the sheet, or of a strip three pixels wide."""
    drawing = Drawing(SIZE, SIZE, 8)
    label = drawing.colour("#000000")
    if broad:
        drawing.polygon([(-5, 30), (77, 38), (77, 77), (-5, 77)], label)
    else:
        drawing.polygon([(-5, 30), (77, 38), (77, 41), (-5, 33)], label)
    return drawing.render()[..., 3].astype(np.float32)


def level(true, read, before, doubt=0.02, corner=(0, 0), size=SIZE, colour=BRASS):
    """Return share and figure levelled in the square part at `corner`."""
    ground = np.full((*true.shape, 3), SCREEN, np.float32)
    rgb = np.rint(true[..., None] * np.array(colour) + (1 - true[..., None]) * ground)
    at = (slice(corner[0], corner[0] + size), slice(corner[1], corner[1] + size))
    share, before = read[at].copy(), before[at].copy()
    figure = np.full((*share.shape, 3), colour, np.float32)
    doubts = np.full(share.shape, doubt, np.float32)
    inside_px = distance_px(true > 0.5)
    level_edges(rgb.astype(np.uint8), ground, inside_px, corner, before, doubts, 1.0, share, figure)
    return share, figure


def misread(true):
    """Return the matte with its edge told one by one."""
    read, col = true.copy(), 12
    for value, count in MISREAD * 8:
        rows = np.flatnonzero((true[:, col] > 0.02) & (true[:, col] < 0.98))
        for there in range(col, min(col + count, SIZE - 12)):
            read[rows, there] = value
        col += count
    return read


def test_a_ragged_edge_of_a_broad_part_is_drawn_to_its_line():
    true = draw(broad=True)
    read = misread(true)
    share, _ = level(true, read, np.where(read != true, np.float32(0.5), true))
    # how far the edge lies from the true one, column by column, in pixels
    was, now = ((one - true).sum(axis=0)[8:-8] for one in (read, share))
    assert np.abs(was).mean() > 0.4
    assert np.abs(now).mean() < 0.7 * np.abs(was).mean()
    ragged, even = (np.abs(np.diff(edge)) for edge in (was, now))
    assert even.mean() < 0.2 * ragged.mean()
    assert ragged.max() > 1.5
    assert even.max() < 0.5


@pytest.mark.parametrize("broad", [True, False])
def test_where_nothing_was_misread_or_the_part_is_thin_all_stays(broad):
    true = draw(broad)
    read = true if broad else misread(true)
    before = true if broad else np.where(read != true, np.float32(0.5), true)
    share, figure = level(true, read, before, colour=PALE)
    assert np.array_equal(share, read)
    assert (figure == PALE).all()


@pytest.mark.parametrize("colour", [BRASS, PALE])
def test_an_edge_as_light_as_the_screen_is_evened_and_any_other_stays(colour):
    true = draw(broad=True)
    wave = np.float32(0.4) * np.sin(np.arange(SIZE) * 1.1).astype(np.float32)
    read = np.where((true > 0.02) & (true < 0.98), np.clip(true + wave, 0.01, 0.99), true)
    share, _ = level(true, read, read, colour=colour)  # nothing was told to be misread
    if colour == PALE:
        assert np.array_equal(share, read)
        return
    was, now = ((one - true).sum(axis=0)[8:-8] for one in (read, share))
    assert now.std() < 0.5 * was.std()


def test_a_part_is_levelled_as_in_the_whole():
    true = draw(broad=True)
    read = misread(true)
    before = np.where(read != true, np.float32(0.5), true)
    whole, far = level(true, read, before), LEVEL_HALO_PX
    part = level(true, read, before, corner=(12, 8), size=48)
    assert (whole[0] != read).sum() > 30
    for one, other in zip(whole, part, strict=True):
        assert np.array_equal(
            one[12 + far : 60 - far, 8 + far : 56 - far], other[far:-far, far:-far]
        )


def test_a_risen_share_takes_the_chroma_beside_it_and_the_luma_that_it_asks():
    solved = np.ones((9, 9), np.float32)
    solved[:, 5:] = 0
    solved[4, 4], share = 0.1, solved.copy()
    share[4, 4] = 0.5
    ground = np.full((9, 9, 3), SCREEN, np.float32)
    rgb = np.full((9, 9, 3), BRASS, np.uint8)
    rgb[:, 5:] = SCREEN
    rgb[4, 4] = np.rint(0.5 * np.array(BRASS) + 0.5 * np.array(SCREEN))
    figure = np.full((9, 9, 3), BRASS, np.float32)
    figure[4, 4] = (255, 0, 0)  # a little of a colour out of all proportion
    figure[4, 2] = (153, 134, 80)  # lighter, so that luma may be what the place asks
    recolour_kernel(rgb, ground, 0, 0, solved, share, figure)
    y, u, v = to_luma_chroma_kernel(*map(float, figure[4, 4]))
    assert (y, u, v) == pytest.approx(to_luma_chroma_kernel(*map(float, BRASS)), abs=2.5)
    share[:] = solved
    figure[4, 4] = (255, 0, 0)
    recolour_kernel(rgb, ground, 0, 0, solved, share, figure)
    assert tuple(figure[4, 4]) == (255, 0, 0)


def test_an_edge_far_from_anything_misread_stays_as_it_was_solved():
    true = draw(broad=True)
    edge = (true > 0.02) & (true < 0.98)
    solved = true + edge * np.random.default_rng(3).normal(0, 0.08, true.shape).astype(np.float32)
    read = misread(np.clip(solved, 0, 1))
    read[:, 30:] = np.clip(solved, 0, 1)[:, 30:]
    share, _ = level(true, read, np.clip(solved, 0, 1), colour=PALE)
    assert (share != read)[:, :30].any()
    assert np.array_equal(share[:, 40:], read[:, 40:])
