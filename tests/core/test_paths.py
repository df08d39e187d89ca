"""Paths, and the parts that tracing is made of, each with a known answer."""

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidymargin.core.outlines.circles import fit_circle
from tidymargin.core.outlines.contours import measure_area, resample
from tidymargin.core.outlines.corners import find_corners
from tidymargin.core.outlines.paths import Path, Piece, find_circle, flatten_piece, to_curves
from tidymargin.core.outlines.skeleton import find_chains, thin
from tidymargin.core.outlines.tracing import measure_noise, trace_open, trace_ring

ANGLES = st.floats(0, 6.28)


def ring_of(*points, step=0.5):
    return resample(np.array(points, float), step)


@given(begin=ANGLES, sweep=st.floats(0.1, 6.1), is_clockwise=st.booleans())
def test_an_arc_is_found_again_from_its_ends_its_radius_and_its_way(begin, sweep, is_clockwise):
    end = begin + (sweep if is_clockwise else -sweep)
    start, last = ((30 + 12 * np.cos(a), 40 + 12 * np.sin(a)) for a in (begin, end))
    arc = Piece("arc", last, radius=12.0, is_long=sweep > np.pi, is_clockwise=is_clockwise)
    middle, _, found = find_circle(start, arc)
    if abs(sweep - np.pi) > 0.01:
        assert middle == pytest.approx((30, 40), abs=1e-3)
        assert abs(found) == pytest.approx(sweep, abs=1e-3)
    for places in (flatten_piece(start, arc, 0.02), *(np.array([p.end]) for p in to_curves(start, arc))):  # fmt: skip
        assert np.hypot(*(places - middle).T) == pytest.approx(np.full(len(places), 12.0), abs=1e-3)


def test_a_curve_is_flattened_within_what_is_said():
    curve = Piece("curve", (40.0, 0.0), (0.0, 50.0), (40.0, 50.0))
    rough, fine = (flatten_piece((0.0, 0.0), curve, apart) for apart in (0.5, 0.001))
    assert len(rough) < len(fine)
    far = [min(np.hypot(*(fine - place).T)) for place in rough]
    assert max(far) < 0.2
    middles = (rough[1:] + rough[:-1]) / 2
    assert max(min(np.hypot(*(fine - place).T)) for place in middles) < 0.5 + 0.2


def test_a_path_knows_its_area_and_a_place_that_it_goes_round():
    square = Path((0.0, 0.0), tuple(Piece("line", end) for end in ((10.0, 0.0), (10.0, 10.0), (0.0, 10.0), (0.0, 0.0))))  # fmt: skip
    assert square.area_px == pytest.approx(100)
    x, y = square.find_place()
    assert 0 < x < 10
    assert 0 < y < 10
    hole = Path((0.0, 0.0), tuple(Piece("line", end) for end in ((0.0, 10.0), (10.0, 10.0), (10.0, 0.0), (0.0, 0.0))))  # fmt: skip
    assert hole.area_px == pytest.approx(-100)
    assert cv2.pointPolygonTest(hole.flatten().astype(np.float32), hole.find_place(), False) > 0


def test_a_circle_is_fitted_through_noise():
    angles = np.linspace(0, 1.2, 60)  # a fifth of it
    places = np.array([50, 60]) + 80 * np.column_stack([np.cos(angles), np.sin(angles)])
    places += np.random.default_rng(2).normal(0, 0.02, places.shape)
    middle, radius = fit_circle(places)
    assert radius == pytest.approx(80, abs=0.5)
    assert middle == pytest.approx((50, 60), abs=0.5)


@pytest.mark.parametrize("degrees", [40, 60, 90, 120])
def test_corners_are_put_where_their_sides_meet(degrees):
    a = np.radians(degrees)
    tip = np.array([20.3, 30.7])
    far = tip + 40 * np.array([np.cos(a), np.sin(a)])
    found = find_corners(ring_of(tip, tip + np.array((40.0, 0.0)), far), 0.03)
    assert len(found.at) == 3
    assert np.hypot(*(found.tips - tip).T).min() < 0.1


def test_a_wide_bend_is_no_corner():
    angles = np.linspace(0, 2 * np.pi, 400, endpoint=False)
    oval = np.column_stack([60 + 40 * np.cos(angles), 50 + 15 * np.sin(angles)])
    assert len(find_corners(resample(oval, 0.5), 0.03).at) == 0
    path = trace_ring(oval, 0.25, 0.03)
    assert path.worst_px < 0.25
    assert len(path.pieces) <= 8
    assert path.area_px == pytest.approx(measure_area(oval), rel=0.002)


def test_noise_is_told_and_is_at_least_what_drawings_have():
    angles = np.linspace(0, 2 * np.pi, 1500, endpoint=False)
    ring = np.column_stack([200 + 150 * np.cos(angles), 200 + 150 * np.sin(angles)])
    assert measure_noise([ring]) == pytest.approx(0.03)
    rough = ring + np.random.default_rng(1).normal(0, 0.25, ring.shape)
    assert 0.06 < measure_noise([rough]) <= 0.3
    assert measure_noise([]) == pytest.approx(0.03)


def test_an_open_line_keeps_its_ends_and_its_corner():
    line = np.array([(10.0, 10.0), (60.0, 10.0), (60.0, 50.0)])
    start, pieces = trace_open(line, 0.25, 0.05)
    assert start == pytest.approx((10, 10), abs=0.1)
    assert [piece.kind for piece in pieces] == ["line", "line"]
    assert pieces[0].end == pytest.approx((60, 10), abs=0.2)
    assert pieces[-1].end == pytest.approx((60, 50), abs=0.1)


def test_a_skeleton_is_one_pixel_wide_and_hangs_together_as_the_lines_do():
    mask = np.zeros((80, 120), np.uint8)
    cv2.line(mask, (10, 40), (110, 40), 1, 7)
    cv2.line(mask, (60, 40), (60, 75), 1, 5)
    cv2.circle(mask, (30, 15), 9, 1, 3)
    skeleton = thin(mask > 0)
    assert skeleton.sum() < mask.sum() / 3
    count = cv2.connectedComponents(skeleton, connectivity=8)[0]
    assert count == cv2.connectedComponents(mask, connectivity=8)[0]
    chains, junctions = find_chains(skeleton)
    closed = [chain for chain in chains if chain.is_closed]
    assert len(closed) == 1
    assert len(junctions) == 1
    assert junctions[0] == pytest.approx((40, 60), abs=2.5)
    long = [chain for chain in chains if not chain.is_closed and len(chain.places) > 15]
    assert len(long) == 3
    assert all(max(chain.first_joins, chain.last_joins) == 0 for chain in long)
