"""Pieces on a sheet: all there, none nearer to another than the gap, none off the sheet, and as they were but for a quarter turn."""

import itertools

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.test_cutline import DPI, box, cut, outline
from tidymargin.core.base.errors import BadParameterError
from tidymargin.core.outlines.arranging import arrange, lay_pieces, split_pieces
from tidymargin.core.outlines.cutline import CutLinePlan, SheetPlan, make_cutline

SLACK_MM = 0.05
THREE = outline(box(10, 10, 150, 60), box(200, 20, 260, 300), box(300, 30, 380, 110), holes=[box(320, 50, 340, 70)])  # fmt: skip


def list_shapes(line):
    """Return a sheet's pieces as shapes, mm."""
    mm = line.mm_per_px
    return [
        shapely.Polygon(piece[0].flatten(0.02) * mm, [hole.flatten(0.02) * mm for hole in piece[1:]])
        for piece in split_pieces(line)
    ]  # fmt: skip


@settings(max_examples=20, deadline=None)
@given(
    copies=st.integers(1, 6),
    gap=st.floats(0, 8),
    offset=st.floats(0, 1.6),  # further out two of them, 3.4 mm apart, are rightly one
    side=st.floats(90, 300),
    with_marks=st.booleans(),
)
def test_pieces_keep_their_gap_and_stay_on_the_sheet_or_it_is_said_that_they_do_not_fit(copies, gap, offset, side, with_marks):  # fmt: skip
    line = make_cutline(THREE, CutLinePlan(offset_mm=offset), DPI)
    plan = SheetPlan(side, 1.4 * side, gap, copies, with_marks)
    try:
        found = arrange(line, plan).line
    except BadParameterError:
        # only what would fill a good part of the sheet may be refused
        area = sum(shape.buffer(gap / 2).envelope.area for shape in list_shapes(line)) * copies
        assert area > 0.4 * (side - 20) * (1.4 * side - 20)
        return
    shapes = list_shapes(found)
    assert len(shapes) == 3 * copies
    areas = sorted(shape.area for shape in list_shapes(line))
    assert sorted(shape.area for shape in shapes) == pytest.approx(sorted(copies * areas), rel=1e-3)
    edge = max(gap, 10.0 if with_marks else 0.0) - SLACK_MM
    sheet = shapely.box(edge, edge, side - edge, 1.4 * side - edge)
    assert all(sheet.covers(shape) for shape in shapes)
    for one, other in itertools.combinations(shapes, 2):
        assert one.distance(other) >= gap - SLACK_MM
        assert not one.intersects(other) or gap <= SLACK_MM


def test_a_long_piece_is_turned_where_the_sheet_is_narrow_and_the_machine_cuts_all_of_them():
    line = make_cutline(outline(box(20, 20, 320, 80)), CutLinePlan(offset_mm=0), DPI)
    arranged = arrange(line, SheetPlan(20, 40, 2.0))
    assert arranged.placements[0].is_turned
    (piece,) = cut(arranged.line).pieces
    left, top, right, bottom = piece.bounds
    assert (right - left, bottom - top) == pytest.approx((6.1, 30.1), abs=0.06)
    many = arrange(line, SheetPlan(100, 100, 2.0, copies=12))
    for kind in ("svg", "dxf"):
        outcome = cut(many.line, kind)
        assert len(outcome.pieces) == 12
        assert not outcome.twice
        assert not outcome.uncut


def test_one_too_many_is_refused_with_how_many_fit():
    line = make_cutline(outline(box(20, 20, 220, 220)), CutLinePlan(offset_mm=0), DPI)
    arrange(line, SheetPlan(45, 45, 1.0, copies=4))
    with pytest.raises(BadParameterError, match="4 of 5 pieces fit on a sheet of 45 × 45 mm"):
        arrange(line, SheetPlan(45, 45, 1.0, copies=5))


def test_the_picture_goes_with_its_piece():
    line = make_cutline(outline(box(20, 20, 320, 80)), CutLinePlan(offset_mm=0), DPI)
    rgba = np.zeros((400, 600, 4), np.uint8)
    rgba[20:81, 20:321, 3] = 255
    rgba[20:81, 20:60, 0] = 250  # its left end is red
    printed = lay_pieces(rgba, arrange(line, SheetPlan(20, 40, 2.0)), 1.0)
    assert printed.shape[:2] == (400, 200)
    rows, cols = np.nonzero((printed[..., 0] > 200) & (printed[..., 3] > 0))
    solid = np.argwhere(printed[..., 3] > 0)
    # turned clockwise, what was on the left is on top
    assert rows.min() == solid[:, 0].min()
    assert np.ptp(rows) + 1 == 40
    assert np.ptp(cols) + 1 == 61
    assert np.ptp(solid[:, 0]) + 1 == 301
