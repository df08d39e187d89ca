"""Slivers of a screen: gaps of one pixel told from lines of one pixel, with the chroma of both coded away."""

import cv2
import numpy as np

from tidymargin.core.near_ground import GAPS_HALO_PX, find_gaps
from tidymargin.core.unexplained import unmatched_kernel

PALE, GREY, BLUE = (241, 236, 224), (150, 146, 138), (46, 85, 166)
SIZE = 120


def halve_chroma(rgb):
    """Keep one chroma for every four pixels, as lossy coding does."""
    coded = cv2.cvtColor(rgb, cv2.COLOR_RGB2YCrCb)
    small = cv2.resize(coded[..., 1:], None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
    coded[..., 1:] = cv2.resize(small, (rgb.shape[1], rgb.shape[0]), interpolation=cv2.INTER_LINEAR)
    return cv2.cvtColor(coded, cv2.COLOR_YCrCb2RGB)


def draw_lines(columns, colour, rgb):
    drawn = np.zeros((SIZE, SIZE), np.uint8)
    for col in columns:
        cv2.line(drawn, (col, 20), (col + 30, SIZE - 20), 255, 1, cv2.LINE_8)
    rgb[drawn > 0] = np.rint(0.7 * np.array(colour) + 0.3 * rgb[drawn > 0])
    return drawn > 0


def make_feather(first_line=58, apart=12):
    rgb = np.full((SIZE, SIZE, 3), PALE, np.uint8)
    gaps = draw_lines(range(10, 46, apart), BLUE, rgb)
    lines = draw_lines(range(first_line, first_line + 28, apart), GREY, rgb)
    cleared = np.zeros((SIZE, SIZE), np.bool_)
    cleared[:12] = cleared[:, :6] = cleared[:, -6:] = cleared[-12:] = True
    cleared[56:62] = True
    rgb[cleared] = BLUE
    ground = np.full((SIZE, SIZE, 3), BLUE, np.float32)
    inside = cv2.dilate(cleared.view(np.uint8), np.ones((7, 7), np.uint8)) == 0
    return halve_chroma(rgb), ground, cleared, gaps & inside, lines & inside


def find(rgb, ground, cleared):
    gaps, slivers = find_gaps(rgb, ground, cleared, np.array([PALE], np.float32), 1.0, 0.03)
    assert not (gaps & slivers).any()
    return gaps | slivers


def test_one_pixel_gaps_are_found_and_grey_lines_as_thin_and_dark_are_not():
    rgb, ground, cleared, gaps, lines = make_feather()
    found = find(rgb, ground, cleared)
    assert found[gaps].mean() > 0.9
    assert found[lines].mean() < 0.02
    assert not found[cleared].any()


def test_gaps_are_told_from_grey_lines_between_them():
    rgb, ground, cleared, gaps, lines = make_feather(first_line=13, apart=10)
    found = find(rgb, ground, cleared)
    assert found[gaps].mean() > 0.9
    assert found[lines].mean() < 0.05


def test_a_grey_barb_between_two_narrow_gaps_stays_whole():
    rgb = np.full((SIZE, SIZE, 3), PALE, np.uint8)
    for row, height, colour in ((47, 1, BLUE), (48, 2, GREY), (50, 1, BLUE)):
        rgb[row : row + height, 20:100] = colour
    rgb[:12] = BLUE
    cleared = np.zeros((SIZE, SIZE), np.bool_)
    cleared[:12] = True
    cleared[40:60, :16] = True  # so that the gaps lie near the ground
    rgb[cleared] = BLUE
    ground = np.full((SIZE, SIZE, 3), BLUE, np.float32)
    gaps, slivers = find_gaps(
        halve_chroma(rgb), ground, cleared, np.array([PALE, GREY], np.float32), 1.0, 0.03
    )
    found = (gaps | slivers)[:, 24:38]
    assert found[[47, 50]].mean() > 0.9
    assert not found[48:50].any()


def test_gaps_of_a_region_are_those_of_the_whole():
    rgb, ground, cleared, _, _ = make_feather()
    found = find(rgb, ground, cleared)
    part = (slice(50, 110), slice(10, 70))
    far = GAPS_HALO_PX
    wide = tuple(slice(max(0, s.start - far), min(SIZE, s.stop + far)) for s in part)
    alone = find(*(np.ascontiguousarray(a[wide]) for a in (rgb, ground, cleared)))
    own = tuple(slice(p.start - w.start, p.stop - w.start) for p, w in zip(part, wide, strict=True))
    assert np.array_equal(alone[own], found[part])


def fade(rgb, where):
    """Leave a fifth of the chroma, as coding does where gaps lie close."""
    luma = cv2.cvtColor(rgb, cv2.COLOR_RGB2GRAY)
    rgb[where] = np.rint(0.2 * rgb[where] + 0.8 * luma[where][:, None]).astype(np.uint8)


def test_a_speck_beside_a_gap_is_ground_and_a_dash_is_the_figures():
    _, ground, cleared, _, _ = make_feather()
    rgb = np.full((SIZE, SIZE, 3), PALE, np.uint8)
    rgb[cleared] = BLUE
    rgb[66:72, 15:105] = GREY  # shows as dark nearby
    specks, dashes = (np.zeros((SIZE, SIZE), bool) for _ in range(2))
    specks[62, 20:50:10] = specks[62:65, 25:55:10] = True
    dashes[62, 60:72] = dashes[62, 80:92] = True
    rgb[specks | dashes] = np.rint(0.4 * np.array(BLUE) + 0.6 * np.array(PALE))
    fade(rgb, specks | dashes)
    found = np.any(
        find_gaps(rgb, ground, cleared, np.array([PALE, GREY], np.float32), 1.0, 0.03), axis=0
    )
    assert found[specks].all()
    assert not (found & dashes).any()


def test_a_faded_gap_is_ground_unless_an_even_colour_as_dark_shows_near_it():
    rgb, ground, cleared, gaps, _ = make_feather()
    fade(rgb, gaps)
    assert find(rgb, ground, cleared)[gaps].mean() > 0.95
    luma = np.full((40, 40), 236, np.uint8)
    gap = np.zeros((40, 40), np.bool_)
    gap[4:36, 10] = True
    luma[gap] = 128
    own = np.array([(236, 0, 0), (125, 0, 0)], np.float64)

    def find_unmatched():
        found = np.zeros((40, 40), np.bool_)
        unmatched_kernel(luma, ground[:40, :40].copy(), gap, gap, own, found)
        return found

    assert np.array_equal(find_unmatched(), gap)
    luma[30:33, 15:17] = 125
    near = np.zeros((40, 40), np.bool_)
    near[23:, 10] = True  # two rows of it, four places
    assert np.array_equal(find_unmatched(), gap & ~near)
