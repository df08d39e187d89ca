"""What a rim pixel may be made of: exact mixtures are solved exactly, and odd ones are told as such."""

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from tidymargin.core.base.colour import to_luma_chroma_kernel, to_rgb_kernel
from tidymargin.core.rim.candidates import (
    doubt_share,
    find_even,
    find_stained,
    mark_sure_kernel,
    mix_two,
    solve_share,
)

WHITE, NAVY, RED, CLOTH = (255.0, 255, 255), (29.0, 53, 87), (200.0, 85, 61), (62.0, 155, 79)
NO_COLOURS = np.empty((0, 3), np.float32)
rgb_st = st.tuples(*[st.floats(0, 255)] * 3)


def yuv(rgb):
    return np.array(to_luma_chroma_kernel(*map(float, rgb)))


def solve(seen, figure, ground, grain=1.0, ringing=0.05, blur=0.3):
    below = yuv(ground)
    return solve_share(*(yuv(seen) - below), *(yuv(figure) - below), grain, ringing, blur)


@settings(deadline=None)
@given(figure=rgb_st, ground=rgb_st, share=st.floats(0, 1))
def test_a_mixture_is_solved_and_leaves_nothing_over(figure, ground, share):
    figure, ground = np.array(figure), np.array(ground)
    assume(np.abs(figure - ground).max() > 20)
    found, misfit = solve(share * figure + (1 - share) * ground, figure, ground)
    assert found == pytest.approx(share, abs=1e-6)
    assert misfit == pytest.approx(0, abs=1e-6)


@settings(deadline=None)
@given(figure=rgb_st, ground=rgb_st, seen=rgb_st)
def test_misfit_grows_with_what_is_beside_the_line_and_no_share_is_more_than_sure(
    figure, ground, seen
):
    assume(np.abs(np.array(figure) - ground).max() > 20)
    _, misfit = solve(seen, figure, ground)
    assert misfit >= 0
    _, calmer = solve(seen, figure, ground, grain=4.0)
    assert calmer <= misfit + 1e-9  # more noise explains more
    below = yuv(figure) - yuv(ground)
    assert doubt_share(*below, 4.0, 0.05, 0.3) > doubt_share(*below, 1.0, 0.05, 0.3) > 0


def test_a_figure_like_its_ground_is_no_explanation():
    share, misfit = solve(RED, WHITE, WHITE)
    assert (share, misfit) == (0.0, 1e9)


def test_where_luma_and_chroma_disagree_the_surer_one_is_followed():
    seen = np.array(
        to_grey(0.25 * np.array(WHITE) + 0.75 * np.array(CLOTH))
    )  # its chroma coded away
    follows_luma, _ = solve(seen, WHITE, CLOTH, blur=1.0)
    follows_chroma, _ = solve(seen, WHITE, CLOTH, ringing=1.0, blur=0.01)
    assert follows_luma == pytest.approx(0.25, abs=0.1)
    assert follows_chroma == pytest.approx(1.0, abs=0.1)


def to_grey(rgb):
    return (float(yuv(rgb)[0]),) * 3


def test_two_parts_over_the_ground_are_told_as_a_mixture_of_both():
    rgb = np.full((9, 9, 3), WHITE, np.uint8)
    rgb[:, :4], rgb[:, 5:] = NAVY, RED
    sure = np.zeros((9, 9), bool)
    sure[:, :4] = sure[:, 5:] = True
    half = 0.5 * np.array(NAVY) + 0.5 * np.array(RED)
    below = yuv(WHITE)
    seen = yuv(0.6 * half + 0.4 * np.array(WHITE)) - below
    found, *colour = mix_two(rgb, sure, 4, 4, *below, *seen, 0.6, 0.0, 0.0, NO_COLOURS, 2.0)
    assert found
    assert colour == pytest.approx(half, abs=1)
    off = yuv((0, 255, 0)) - below  # green is none of navy, red and white
    assert not mix_two(rgb, sure, 4, 4, *below, *off, 0.6, 0.0, 0.0, NO_COLOURS, 2.0)[0]


def test_even_colours_near_by_are_counted_once_looked_at_or_not():
    random = np.random.default_rng(3)
    rgb = np.array([WHITE, NAVY, RED], np.uint8)[random.integers(0, 3, (12, 12))]
    inside_px = random.integers(0, 3, (12, 12)).astype(np.float32)
    even_yuv = np.array([yuv(NAVY), yuv(RED)])
    known, counts = np.zeros((12, 12), np.int64), np.zeros(2, np.int64)
    for row in range(12):
        for col in range(12):
            find_even(rgb, inside_px, row, col, even_yuv, 5.0, known, counts)
            near = (slice(max(0, row - 2), row + 3), slice(max(0, col - 2), col + 3))
            standing = rgb[near][inside_px[near] > 0]
            assert counts.tolist() == [(standing == c).all(axis=1).sum() for c in (NAVY, RED)]


@pytest.mark.parametrize(
    ("share", "entry"),
    [(0.0, -1), (0.02, -1), (0.25, 1), (0.45, 1), (0.7, -1), (-0.15, 1), (-0.4, -1)],
)
def test_a_colour_stained_by_the_ground_is_told_from_its_own(share, entry):
    palette = np.array([NAVY, (170.0, 165, 156)], np.float32)
    luma, *own = yuv(palette[1])
    _, *ground = yuv(CLOTH)
    u, v = np.array(own) + share * (np.array(ground) - own)
    red, green, blue = to_rgb_kernel(luma, u, v)
    found = find_stained(red, green, blue, *yuv(CLOTH), palette, 0.05, 0.2)
    assert found == entry


def test_an_even_patch_is_sure_and_a_soft_edge_is_not():
    rgb = np.full((20, 20, 3), 255, np.uint8)
    rgb[:, 8:] = np.array(NAVY)
    for col, share in ((6, 0.25), (7, 0.6), (8, 0.85)):
        rgb[:, col] = np.rint((1 - share) * 255 + share * np.array(NAVY))
    inside_px = np.maximum(0, np.arange(20) - 5).astype(np.float32)[None].repeat(20, axis=0)
    sure = np.zeros((20, 20), bool)
    mark_sure_kernel(
        rgb, np.full((20, 20, 3), 255, np.float32), inside_px, 9.0, 1.0, 2.0, 5.0, sure
    )
    assert not sure[:, :9].any()
    assert sure[1:-1, 9:].all()  # at the picture's end there are fewer places to be alike


def test_of_wide_edges_neither_the_foot_nor_a_step_of_two_is_sure():
    shares = np.array([0, 0, 0.02, 0.025, 0.03, 0.3, 0.5, 0.51, 0.8, 1, 1, 1, 1, 1])
    row = (1 - shares)[:, None] * 255 + shares[:, None] * np.array(NAVY)
    rgb = np.rint(row).astype(np.uint8)[None].repeat(9, axis=0)
    inside_px = np.maximum(0, np.arange(14) - 1).astype(np.float32)[None].repeat(9, axis=0)
    for softness, sure_steps in ((1.0, True), (5.0, False)):
        sure = np.zeros(inside_px.shape, bool)
        ground = np.full(rgb.shape, 255, np.float32)
        mark_sure_kernel(rgb, ground, inside_px, 12.5, softness, 2.0, 5.0, sure)
        assert not sure[:, :6].any()
        assert (sure[1:-1, 6:8].all(), sure[1:-1, 6:8].any()) == (sure_steps, sure_steps)
        assert sure[1:-1, 10:13].all()
