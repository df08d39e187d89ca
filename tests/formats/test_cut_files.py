"""Cutting files of others are read as they are: units, transforms, and what lines are made of."""

import io

import ezdxf
import numpy as np
import pytest
import shapely

from tidymargin.core.base.errors import BadImageError
from tidymargin.core.outlines.machine import Machine, cut_lines
from tidymargin.formats.cut_files import read_cut_file


def svg(body, head='width="100mm" height="50mm" viewBox="0 0 100 50"'):
    return f'<svg xmlns="http://www.w3.org/2000/svg" {head}>{body}</svg>'.encode()


def dxf(draw, units=4):
    document = ezdxf.new("R2010")
    document.header["$INSUNITS"] = units
    draw(document.modelspace())
    out = io.StringIO()
    document.write(out)
    return out.getvalue().encode()


def extent(lines):
    places = np.concatenate(lines)
    return (places.max(axis=0) - places.min(axis=0)).tolist()


@pytest.mark.parametrize(
    ("head", "times"),
    [
        ('width="100mm" height="50mm" viewBox="0 0 100 50"', 1.0),
        ('width="10cm" height="5cm" viewBox="0 0 200 100"', 0.5),
        ('width="1in" height="0.5in" viewBox="0 0 100 50"', 0.254),
        ('width="96" height="48" viewBox="0 0 100 50"', 0.254),
    ],
)
def test_an_svg_is_as_large_as_its_size_and_view_say(head, times):
    (line,) = read_cut_file(svg('<rect x="10" y="5" width="40" height="20"/>', head), "a.svg")
    assert extent([line]) == pytest.approx([40 * times, 20 * times], abs=0.01)
    assert line[0] == pytest.approx(line[-1])


def test_circles_curves_and_what_is_turned_are_followed():
    lines = read_cut_file(
        svg('<circle cx="20" cy="20" r="10"/><g transform="translate(50 10) rotate(90)"><path d="M0 0c0 10 20 10 20 0z"/></g>'),
        "a.svg",
    )  # fmt: skip
    circle, curve = lines
    assert np.hypot(*(circle - (20, 20)).T) == pytest.approx(np.full(len(circle), 10.0), abs=0.01)
    assert extent([curve]) == pytest.approx([7.5, 20], abs=0.02)


def test_loose_lines_and_arcs_of_a_dxf_are_joined_where_they_meet():
    def draw(space):
        space.add_line((0, 0), (20, 0))
        space.add_line((20, 10), (20, 0))  # the other way round
        space.add_arc((10, 10), 10, 0, 180)
        space.add_line((0, 10), (0, 0))

    (line,) = read_cut_file(dxf(draw), "a.dxf")
    outcome = cut_lines([line], Machine())
    assert outcome.pieces[0].area == pytest.approx(200 + np.pi * 50, rel=0.001)
    assert not outcome.uncut


@pytest.mark.parametrize(("units", "mm"), [(4, 1.0), (5, 10.0), (1, 25.4)])
def test_units_of_a_dxf_are_kept(units, mm):
    (line,) = read_cut_file(dxf(lambda space: space.add_circle((3, 4), 2), units), "a.dxf")
    assert extent([line]) == pytest.approx([4 * mm, 4 * mm], rel=0.002)


def test_a_bulge_is_an_arc_and_a_spline_a_curve():
    def draw(space):
        space.add_lwpolyline([(0, 0, 1.0), (10, 0, 0.0)], format="xyb", close=True)
        space.add_spline([(20, 0), (25, 5), (30, 0)])

    lines = read_cut_file(dxf(draw), "a.dxf")
    half = next(line for line in lines if np.hypot(*(line[0] - line[-1])) < 0.01)
    assert shapely.Polygon(half).area == pytest.approx(np.pi * 25 / 2, rel=0.002)
    assert len(lines) == 2
    assert len(cut_lines(lines, Machine()).uncut) == 1


@pytest.mark.parametrize("data", [b"", b"\x89PNG\r\n", b"<svg", b"0\nSECTION\n", b"<svg></svg>", svg('<path d="M nan 0 L 1 1"/>')])  # fmt: skip
def test_what_is_no_cutting_file_says_so(data):
    with pytest.raises(BadImageError):
        read_cut_file(data, "a.svg")


def test_lines_inside_others_are_cut_first_so_that_nothing_is_cut_out_of_what_came_off():
    def square(at, side):
        return np.array([(at, at), (at + side, at), (at + side, at + side), (at, at + side), (at, at)], float)  # fmt: skip

    outcome = cut_lines([square(0, 60), square(20, 20), square(25, 10)], Machine())
    lengths = [np.hypot(*np.diff(cut, axis=0).T).sum() for cut in outcome.cuts]
    assert lengths == sorted(lengths)
    assert [round(p.area) for p in outcome.pieces] == [3600 - 400, 100]
    assert [round(p.area) for p in outcome.waste] == [300]
