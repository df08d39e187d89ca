"""A picture parted along its edges: regions are what a person sees, and an answer is a wall or a hole."""

import cv2
import numpy as np
import pytest

from tidymargin.core.base.picture import Picture, Region
from tidymargin.core.cut import cut_out
from tidymargin.core.facts import measure_sheet
from tidymargin.core.levels import find_regions
from tidymargin.core.plan import Plan
from tidymargin.core.questions.asking import find_resting
from tidymargin.core.reach.plan import ReachPlan
from tidymargin.core.reach.regions import RegionChoice, Regions

SIDE = 300


@pytest.fixture(scope="module")
def picture():
    """A ring with a white inside that touches a grey shadow, and a pale bar; on white."""
    rgb = np.full((SIDE, SIDE, 3), 255, np.uint8)
    cv2.ellipse(rgb, (170, 190), (100, 40), 0, 0, 360, (214, 214, 214), -1)
    cv2.circle(rgb, (120, 120), 70, (180, 40, 30), -1)
    cv2.circle(rgb, (120, 120), 35, (255, 255, 255), -1)
    cv2.rectangle(rgb, (240, 30), (280, 110), (250, 246, 236), -1)
    return Picture(cv2.GaussianBlur(rgb, (0, 0), 0.7))


@pytest.fixture(scope="module")
def facts(picture):
    return measure_sheet(picture)


def test_what_an_answer_surely_changes_lies_off_the_edge_of_a_region():
    labels = np.zeros((60, 80), np.int32)
    labels[20:40, 30:50] = 1
    labels[5:8, 5:75] = 2
    empty = np.zeros((0, 0), np.float32)
    regions = Regions(labels, 60, 80, empty, empty)
    assert regions.measure_insides(0.0)[1:].tolist() == [18**2, 68]  # 1.5 px off, and more
    assert regions.measure_insides(1.0)[1:].tolist() == [16**2, 0]
    twice = Regions(labels, 120, 160, empty, empty)  # a picture twice as large: all of it is
    assert twice.measure_insides(0.0)[1] == 4 * 20**2
    assert twice.measure_insides(1.0)[1] == 4 * 18**2


def test_an_answer_rests_where_another_region_is_than_was_meant(picture, facts):
    regions = find_regions(picture, facts)
    inside = int((regions.labels == regions.at(120, 120)).sum())
    for area_px, follows in ((None, True), (inside, True), (2 * inside, True), (3 * inside, False), (inside // 3, False)):  # fmt: skip
        choice = RegionChoice(120, 120, "clear", area_px)
        cutter = cut_out(picture, facts, Plan(reach=ReachPlan(regions=(choice,))))
        assert bool(cutter.cleared(Region(120, 120, 121, 121)).all()) == follows
        assert find_resting(cutter) == (() if follows else (choice,))


def test_each_even_part_is_one_region_of_its_own(picture, facts):
    regions = find_regions(picture, facts)
    places = {"ground": (10, 10), "ring": (120, 67), "inside": (120, 120), "shadow": (200, 240), "bar": (70, 260)}  # fmt: skip
    numbers = {name: regions.at(*at) for name, at in places.items()}
    assert len(set(numbers.values())) == len(places)
    shadow = regions.mask(np.array([numbers["shadow"]]))
    expected = np.abs(picture.rgb.astype(int) - 214).max(axis=2) <= 2
    both = (shadow & expected).sum() / (shadow | expected).sum()
    assert both > 0.9
    assert regions.at(199, 239) == regions.at(205, 220)


def test_an_answer_is_a_hole_or_a_wall_at_every_tolerance(picture, facts):
    shadow, bar, ring = (200, 240), (70, 260), (120, 67)
    choices = (RegionChoice(*shadow, "clear"), RegionChoice(*bar, "keep"))
    for tolerance in (0.4, 6.0, 14.0, 30.0):
        plan = Plan(reach=ReachPlan(tolerance=tolerance, regions=choices))
        alpha = cut_out(picture, facts, plan).render_whole()[..., 3]
        assert alpha[shadow] == 0, tolerance
        assert alpha[bar] == 255, tolerance
        assert alpha[ring] == 255, tolerance
    taken_back = (*choices, RegionChoice(*shadow, "keep"))
    plan = Plan(reach=ReachPlan(tolerance=30.0, regions=taken_back))
    assert cut_out(picture, facts, plan).render_whole()[shadow][3] == 255


def test_a_large_picture_is_parted_at_a_megapixel_with_its_borders_within_a_few_pixels(picture, facts):  # fmt: skip
    small = find_regions(picture, facts)
    large = Picture(cv2.resize(picture.rgb, None, fx=5, fy=5, interpolation=cv2.INTER_CUBIC))
    regions = find_regions(large, measure_sheet(large))
    assert regions.labels.size <= 1_000_000
    one = regions.mask(np.array([regions.at(1000, 1200)]))
    other = cv2.resize(small.mask(np.array([small.at(200, 240)])).view(np.uint8), None, fx=5, fy=5) > 0  # fmt: skip
    differs = cv2.morphologyEx((one != other).view(np.uint8), cv2.MORPH_OPEN, np.ones((17, 17)))
    assert not differs.any()
