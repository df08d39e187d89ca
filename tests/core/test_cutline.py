"""Cutting lines, through a simulated machine: what comes off is what was asked for."""

import cv2
import numpy as np
import pytest
import shapely

from tidymargin.core.base.errors import BadParameterError
from tidymargin.core.outlines.cutline import CutLinePlan, make_cutline, to_shape
from tidymargin.core.outlines.figures import trace_cut
from tidymargin.core.outlines.machine import Machine, cut_lines, draw_outcome
from tidymargin.core.outlines.plan import OutlinePlan
from tidymargin.formats.cut_files import read_cut_file
from tidymargin.formats.vectors import write_cutline

DPI = 254.0  # ten px a mm


def outline(*polygons, holes=()):
    alpha = np.zeros((400, 600), np.uint8)
    for shapes, value in ((polygons, 255), (holes, 0)):
        for shape in shapes:
            cv2.fillPoly(alpha, [np.array(shape, np.int32)], value)
    return trace_cut(np.dstack([np.zeros((400, 600, 3), np.uint8), alpha]), OutlinePlan())


def box(left, top, right, bottom):
    return [(left, top), (right, top), (right, bottom), (left, bottom)]


def cut(line, kind="svg", machine=Machine()):  # noqa: B008 - a frozen value
    return cut_lines(read_cut_file(write_cutline(line, kind), f"line.{kind}"), machine)


@pytest.mark.parametrize("kind", ["svg", "dxf"])
@pytest.mark.parametrize("offset", [2.0, 0.0, -1.5])
def test_a_line_lies_as_far_outside_as_is_said_and_one_piece_comes_off(kind, offset):
    found = outline(box(200, 150, 400, 250))
    line = make_cutline(found, CutLinePlan(offset_mm=offset), DPI)
    outcome = cut(line, kind)
    (piece,) = outcome.pieces
    left, top, right, bottom = piece.bounds
    figure = to_shape(found).bounds
    assert right - left == pytest.approx((figure[2] - figure[0]) / 10 + 2 * offset, abs=0.05)
    assert bottom - top == pytest.approx((figure[3] - figure[1]) / 10 + 2 * offset, abs=0.05)
    assert not outcome.uncut
    assert not outcome.twice
    assert outcome.lifts == 1
    assert outcome.length_mm == pytest.approx(piece.exterior.length, rel=0.01)


def test_every_place_of_the_line_is_as_far_from_the_figure_as_the_others():
    found = outline([(200, 150), (400, 180), (350, 300), (300, 220), (220, 280)])
    line = make_cutline(found, CutLinePlan(offset_mm=2.0), DPI)
    figure = to_shape(found)
    far = [figure.distance(shapely.Point(place)) / 10 for place in line.paths[0].flatten(0.05)]
    assert max(far) == pytest.approx(2.0, abs=0.05)
    assert min(far) == pytest.approx(2.0, abs=0.05)


def test_islands_are_joined_dropped_or_kept_and_what_falls_off_is_listed():
    islands = [box(50, 50, 150, 150), box(250, 60, 330, 140), box(420, 80, 432, 92)]
    found = outline(*islands)
    apart = make_cutline(found, CutLinePlan(offset_mm=1), DPI)
    assert len(cut(apart).pieces) == apart.count("piece") == 3
    fewer = make_cutline(found, CutLinePlan(offset_mm=1, smallest_mm=6), DPI)
    assert len(cut(fewer).pieces) == 2
    assert fewer.count("dropped_piece") == 1
    said = make_cutline(found, CutLinePlan(offset_mm=1, dropped=((290, 100),)), DPI)
    assert len(cut(said).pieces) == 2
    joined = make_cutline(found, CutLinePlan(offset_mm=1, bridges_mm=1.5), DPI)
    assert joined.count("bridge") == 2
    assert len(cut(joined).pieces) == 1
    assert not cut(joined).waste


def test_counters_are_cut_or_closed_by_their_size():
    found = outline(box(100, 100, 300, 300), holes=[box(150, 150, 200, 200), box(240, 240, 250, 250)])  # fmt: skip
    both = cut(make_cutline(found, CutLinePlan(offset_mm=0), DPI))
    assert len(both.waste) == 2
    assert len(both.pieces[0].interiors) == 2
    large = make_cutline(found, CutLinePlan(offset_mm=0, smallest_mm=3), DPI)
    assert len(cut(large).waste) == 1
    assert large.count("dropped_hole") == 1
    assert not cut(make_cutline(found, CutLinePlan(offset_mm=0, cuts_holes=False), DPI)).waste


def test_places_too_narrow_for_the_blade_are_listed():
    comb = outline(box(100, 100, 300, 140), box(100, 140, 180, 240), box(183, 140, 300, 240))
    narrow = make_cutline(comb, CutLinePlan(offset_mm=0, blade_mm=0.8), DPI)
    assert narrow.count("narrow") == 1
    part = next(part for part in narrow.parts if part.kind == "narrow")
    assert part.wide_mm < 0.8
    assert 180 <= part.x <= 184
    assert not make_cutline(comb, CutLinePlan(offset_mm=0, blade_mm=0.1), DPI).count("narrow")


def test_sharp_corners_stay_sharp():
    found = outline(box(200, 150, 400, 250))
    line = make_cutline(found, CutLinePlan(offset_mm=2, corners="sharp"), DPI)
    assert [piece.kind for piece in line.paths[0].pieces] == ["line"] * 4


def test_an_offset_that_leaves_nothing_says_so():
    with pytest.raises(BadParameterError, match="nothing is left to cut"):
        make_cutline(outline(box(200, 150, 240, 180)), CutLinePlan(offset_mm=-5), DPI)


def test_the_machine_says_what_is_not_cut_through_and_what_is_cut_twice():
    square = np.array([(0, 0), (20, 0), (20, 20), (0, 20), (0, 0)], float)
    opened = square + 40
    opened[-1] += (0.0, 3.0)
    outcome = cut_lines([square, square.copy(), opened], Machine())
    assert len(outcome.pieces) == 1
    assert outcome.twice == 1
    assert outcome.uncut == ((40.0, 43.0),)
    assert draw_outcome(outcome).shape[2] == 3


def test_a_dragged_blade_needs_to_go_on_beyond_where_it_began():
    square = np.array([(0, 0), (20, 0), (20, 20), (0, 20), (0, 0)], float)
    short = cut_lines([square], Machine(blade_mm=0.5))
    assert short.uncut
    enough = cut_lines([square], Machine(blade_mm=0.5, overcut_mm=2.0))
    assert not enough.uncut
    assert enough.pieces[0].area == pytest.approx(400, rel=0.01)
