"""Misread places of a screen's rim: what stands beside a place says which of two readings is right."""

import numpy as np
import pytest

from tidymargin.core.misread import MISREAD_HALO_PX, mend_misread

PALE, GREY, BLUE = (241.0, 236.0, 224.0), (169.0, 165.0, 156.0), (46.0, 85.0, 166.0)
PALETTE = np.array([PALE, GREY], np.float32)
SIZE = 24


def mix(colour, share):
    return np.rint(share * np.array(colour) + (1 - share) * np.array(BLUE))


def without_chroma(rgb):
    """Return the grey of the same luma, as the chroma of a narrow place is coded away."""
    return np.full(3, np.rint(np.dot(rgb, (0.299, 0.587, 0.114))))


class Solved:
    """A pale sheet left of column 12 and screen right of it, solved without fault."""

    def __init__(self, size=SIZE):
        self.rgb = np.full((size, size, 3), BLUE, np.uint8)
        self.rgb[:, :12] = PALE
        self.share = np.zeros((size, size), np.float32)
        self.share[:, :12] = 1
        self.figure = np.full((size, size, 3), PALE, np.float32)

    def put(self, row, col, seen, share, figure):
        self.rgb[row, col], self.share[row, col], self.figure[row, col] = seen, share, figure

    def mend(self, at=slice(None), grain=1.0, lines=()):
        """Return share and figure after mending the part of it that is asked for."""
        ground = np.full(self.rgb.shape, BLUE, np.float32)
        share, figure = (a[at, at].copy() for a in (self.share, self.figure))
        corner = (at.start or 0, at.start or 0)
        cleared = self.share == 0
        known = np.zeros(share.shape, np.bool_)
        for place in lines:
            known[place] = True
        mend_misread(self.rgb, ground, cleared, PALETTE, grain, corner, known, share, figure)
        return share, figure


def test_what_was_solved_without_fault_stays():
    solved = Solved()
    solved.put(slice(None), 11, mix(PALE, 0.4), 0.4, PALE)
    share, figure = solved.mend()
    assert np.array_equal(share, solved.share)
    assert np.array_equal(figure, solved.figure)


def test_a_notch_of_a_line_gets_the_lines_colour():
    solved = Solved()
    solved.rgb[:, 10:12] = GREY
    solved.figure[:, 10:12] = GREY
    for row in (6, 7, 15):  # two in a row need two steps
        solved.put(row, 11, mix(GREY, 0.9), 0.5, PALE)
    share, figure = solved.mend()
    assert share[[6, 7, 15], 11] == pytest.approx(0.9, abs=0.02)
    assert (figure[[6, 7, 15], 11] == GREY).all()


def test_a_tooth_between_an_even_colour_and_the_screen_is_a_mixture_of_both():
    solved = Solved()
    seen = mix(PALE, 0.55)
    solved.put(10, 11, seen, 1.0, seen)
    share, figure = solved.mend()
    assert share[10, 11] == pytest.approx(0.55, abs=0.02)
    assert (figure[10, 11] == PALE).all()


def test_what_is_known_for_a_line_of_the_figures_own_is_no_tooth():
    solved = Solved()
    solved.put(slice(None), 11, GREY, 1.0, GREY)
    along = [(row, 11) for row in range(SIZE)]
    assert (solved.mend()[0][2:-2, 11] < 0.8).all()
    share, figure = solved.mend(lines=along)
    assert np.array_equal(share, solved.share)
    assert np.array_equal(figure, solved.figure)


def test_a_dot_nearer_to_the_screens_luma_than_all_beside_it_is_a_hole():
    solved = Solved()
    seen = without_chroma(mix(PALE, 0.45))
    solved.put(10, 10, seen, 1.0, seen)
    solved.put(10, 4, seen, 1.0, seen)  # far from the screen: the figure's own
    for row in (15, 16):
        solved.put(row, 10, seen, 1.0, seen)  # two that are alike: a mark
    share, figure = solved.mend()
    assert share[10, 10] == pytest.approx(0.45, abs=0.02)
    assert figure[10, 10] == pytest.approx(PALE, abs=1)
    share[10, 10] = 1
    assert np.array_equal(share, solved.share)


@pytest.mark.parametrize(("grain", "mended"), [(1.0, True), (12.0, False)])
def test_a_place_without_any_chroma_of_the_screen_is_solid_where_noise_allows_to_say_so(
    grain, mended
):
    solved = Solved()
    seen = np.array(PALE) - 40  # as warm as the figure, but darker
    solved.put(10, 5, seen, 0.75, PALE)
    share, figure = solved.mend(grain=grain)
    assert share[10, 5] == (1.0 if mended else 0.75)
    assert np.array_equal(figure[10, 5], seen if mended else PALE)


BRASS, HIGHLIGHT = np.array((139.0, 106.0, 46.0)), np.array((255.0, 238.0, 108.0))


def put_shade(solved, reading, seen_of_screen):
    """Make a strip of brass as light as the screen, two places of which were read as a little of a highlight."""
    solved.rgb[:, :12] = BRASS
    solved.figure[:, :12] = BRASS
    for row in (10, 11):
        own = BRASS + seen_of_screen * (np.array(BLUE) - BRASS)
        grey = np.dot(BRASS - own, (0.299, 0.587, 0.114))
        solved.put(row, 11, np.rint(own + grey), reading, HIGHLIGHT)


@pytest.mark.parametrize(("screen", "mended"), [(0.1, True), (0.4, False)])
def test_a_shade_that_goes_on_is_no_mixture_of_a_highlight_and_the_screen(screen, mended):
    solved = Solved()
    put_shade(solved, 0.3, screen)
    share, figure = solved.mend()
    assert share[10, 11] == pytest.approx(1.0 if mended else 0.3)
    assert figure[10, 11] == pytest.approx(BRASS if mended else HIGHLIGHT, abs=1)


def test_a_little_of_a_highlight_stays_one_where_no_shade_is_as_dark():
    solved = Solved()
    put_shade(solved, 0.3, 0.1)
    solved.rgb[:, :11] = HIGHLIGHT
    share, figure = solved.mend()
    assert share[10, 11] < 0.5
    assert figure[10, 11, 0] > 200


def shade_of(luma):
    """Return brass of that luma."""
    return np.rint(BRASS + luma - np.dot(BRASS, (0.299, 0.587, 0.114)))


BLUE_LUMA = float(np.dot(BLUE, (0.299, 0.587, 0.114)))


def put_fall(solved, past, of_screen, rows=slice(4, 20)):
    """Make a strip of brass whose shade falls to the screen's luma and so far past it, at its last column.

    `of_screen` is how much of the screen's chroma is seen there.
    """
    for col, over in enumerate(np.linspace(60, 12, 11)):
        solved.rgb[:, col] = solved.figure[:, col] = shade_of(BLUE_LUMA + over)
    seen = shade_of(BLUE_LUMA - past) * (1 - of_screen) + of_screen * (np.array(BLUE) - past)
    solved.put(rows, 11, np.rint(seen), 0.05, HIGHLIGHT)


@pytest.mark.parametrize(("of_screen", "mended"), [(0.2, True), (0.8, False)])
def test_a_row_whose_shade_falls_past_the_screens_luma_is_no_mixture_of_both(of_screen, mended):
    solved = Solved()
    put_fall(solved, 6.0, of_screen)
    share, figure = solved.mend()
    assert (share[6:18, 11] == (1.0 if mended else np.float32(0.05))).all()
    if mended:
        assert figure[12, 11] == pytest.approx(shade_of(BLUE_LUMA - 6), abs=3)
    assert (share[:, 12:] == 0).all()


def test_a_fall_is_followed_for_a_few_places_where_it_only_comes_to_the_screens_luma():
    solved = Solved()
    put_fall(solved, 0.0, 0.4, slice(None))
    solved.rgb[10, 11] = shade_of(BLUE_LUMA - 6)
    solved.rgb[20, 10] = BLUE  # it ends here
    mended = solved.mend()[0][:, 11] == 1
    assert mended[8:13].all()
    assert not mended[20]


@pytest.mark.parametrize(("over", "closed"), [(30.0, True), (4.0, False)])
def test_a_faint_place_whose_luma_lies_between_its_neighbours_is_no_hole(over, closed):
    solved = Solved()
    for row in range(SIZE):  # lighter from row to row
        solved.rgb[row, :12] = solved.figure[row, :12] = shade_of(BLUE_LUMA + 6 + 2 * row)
    seen = 0.4 * shade_of(BLUE_LUMA + over) + 0.6 * (np.array(BLUE) + over)
    solved.put(12, 6, np.rint(seen), 0.5, HIGHLIGHT)
    share, figure = solved.mend()
    assert share[12, 6] == (1.0 if closed else 0.5)
    if closed:
        assert figure[12, 6] == pytest.approx(shade_of(BLUE_LUMA + over), abs=3)


def test_a_part_is_mended_as_in_the_whole():
    random = np.random.default_rng(5)
    size, far = 70, MISREAD_HALO_PX
    solved = Solved(size)
    for row, col in zip(*np.nonzero(random.random((size, size)) < 0.7), strict=True):
        colour, share = (PALE, GREY, BRASS)[random.integers(3)], random.random()
        read = PALETTE[random.integers(2)]
        solved.put(row, col, without_chroma(mix(colour, share)), random.random(), read)
    whole = solved.mend()
    assert (whole[0] != solved.share).sum() > 20
    for one, part in zip(whole, solved.mend(slice(4, 66)), strict=True):
        assert part[far:-far, far:-far].size > 400
        assert np.array_equal(one[4 + far : 66 - far, 4 + far : 66 - far], part[far:-far, far:-far])
