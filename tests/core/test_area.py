"""The work area: exact where it can be, true to a photograph's page, and found by itself."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import PAGE_CORNERS, photograph_letter
from tidymargin.core.base.area import Area, take_area, to_corners, whole_area
from tidymargin.core.base.errors import BadParameterError
from tidymargin.core.base.picture import Picture
from tidymargin.core.suggest.page import find_page
from tidymargin.demo.grounds import make_paper

NOISE = Picture(np.random.default_rng(4).integers(0, 256, (60, 90, 3), dtype=np.uint8))


@given(
    st.integers(0, 3),
    st.integers(0, 50),
    st.integers(0, 30),
    st.integers(8, 40),
    st.integers(8, 30),
)
def test_a_turned_box_holds_the_very_pixels_of_the_picture(quarters, left, top, width, height):
    right, bottom = left + width, top + height
    box = Area(((left, top), (right, top), (right, bottom), (left, bottom)), 60, 90)
    taken = take_area(NOISE, box.turned(quarters))
    assert (taken.rgb == np.rot90(NOISE.rgb[top:bottom, left:right], -quarters)).all()
    col, row = box.turned(quarters).to_area(left + 3, top + 5)
    assert (taken.rgb[round(row), round(col)] == NOISE.rgb[top + 5, left + 3]).all()


@given(st.lists(st.floats(-25, 25), min_size=8, max_size=8), st.floats(0, 1), st.floats(0, 1))
def test_places_go_to_the_area_and_back(shifts, across, down):
    corners = np.array([(60, 50), (240, 50), (240, 170), (60, 170)]) + np.reshape(shifts, (4, 2))
    area = Area(to_corners(corners), 220, 300)
    x, y = across * 300, down * 220
    assert area.to_picture(*area.to_area(x, y)) == pytest.approx((x, y), abs=1e-6)


def test_a_page_seen_askew_gets_its_own_proportion_back():
    turn_x = np.array([(1, 0, 0), (0, np.cos(0.5), -np.sin(0.5)), (0, np.sin(0.5), np.cos(0.5))])
    turn_y = np.array([(np.cos(0.3), 0, np.sin(0.3)), (0, 1, 0), (-np.sin(0.3), 0, np.cos(0.3))])
    sheet = np.array([(-1.05, -1.485, 0), (1.05, -1.485, 0), (1.05, 1.485, 0), (-1.05, 1.485, 0)])
    seen = sheet @ (turn_x @ turn_y).T + (0, 0, 5)
    corners = seen[:, :2] / seen[:, 2:] * 1200 + (800, 600)
    area = Area(to_corners(corners), 1200, 1600)
    assert area.width / area.height == pytest.approx(210 / 297, abs=2e-3)


def test_what_lies_beyond_the_picture_is_transparent():
    tilted = take_area(NOISE, whole_area(60, 90).tilted(10))
    assert tilted.alpha is not None
    assert tilted.alpha[0, 0] == 0
    assert tilted.alpha[30, 45] == 255


@pytest.mark.parametrize(
    "corners",
    [
        ((0, 0), (0, 60), (90, 60), (90, 0)),  # anticlockwise
        ((0, 0), (90, 0), (20, 20), (0, 60)),  # dented
        ((0, 0), (5, 0), (5, 60), (0, 60)),  # narrow
        ((0, 0), (float("nan"), 0), (90, 60), (0, 60)),
        ((0, 0), (90000, 0), (90000, 90000), (0, 90000)),
    ],
)
def test_corners_that_make_no_area_are_refused(corners):
    with pytest.raises(BadParameterError) as caught:
        Area(corners, 60, 90)
    assert caught.value.field == "area"


@pytest.mark.parametrize("seed", range(4))
def test_a_photographed_page_is_found_within_three_pixels_and_nothing_of_the_table_is_in_it(seed):
    photo, _ = photograph_letter(seed)
    page = find_page(Picture(photo))
    assert page is not None
    found = np.array(page.corners)
    assert np.abs(found - PAGE_CORNERS).max() < 3
    middle = PAGE_CORNERS.mean(axis=0)
    assert (np.hypot(*(found - middle).T) < np.hypot(*(PAGE_CORNERS - middle).T)).all()


def test_a_scan_without_anything_around_it_has_no_page_to_square_up():
    random = np.random.default_rng(2)
    paper = make_paper(500, 400, random)
    paper[200:300, 100:300] = (30, 40, 90)
    assert find_page(Picture(np.clip(np.round(paper), 0, 255).astype(np.uint8))) is None
