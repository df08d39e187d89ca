"""Outlines: known shapes come out as they were drawn, and what cannot be traced says so."""

import io
import itertools
import re
from contextlib import closing

import cv2
import numpy as np
import pypdfium2
import pytest
import resvg_py
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from tidymargin.core.base.errors import BadParameterError, StoppedError
from tidymargin.core.outlines.colours import find_colours
from tidymargin.core.outlines.contours import find_contours, measure_area
from tidymargin.core.outlines.figures import trace_cut
from tidymargin.core.outlines.paths import to_curves
from tidymargin.core.outlines.plan import OutlinePlan
from tidymargin.formats.vector_svg import to_path_data, write_svg


def draw(body, width=240, height=180):
    """Return an SVG drawing's pixels, (H, W, 4)."""
    svg = f'<svg xmlns="http://www.w3.org/2000/svg" width="{width}" height="{height}">{body}</svg>'
    with Image.open(io.BytesIO(bytes(resvg_py.svg_to_bytes(svg_string=svg)))) as image:
        return np.ascontiguousarray(np.asarray(image.convert("RGBA")))


def lay_on_magenta(rgba):
    share = rgba[..., 3:] / 255
    return np.round(rgba[..., :3] * share + np.array([255, 0, 255]) * (1 - share)).astype(int)


def test_contours_are_closed_keep_what_is_solid_on_one_side_and_take_its_area():
    rows, cols = np.mgrid[:60, :60] + 0.5
    far = np.hypot(cols - 30.2, rows - 29.7)
    ring = (np.clip(20.5 - far, 0, 1) * np.clip(far - 9.5, 0, 1) * 255).astype(np.uint8)
    outer, hole = sorted(find_contours(ring), key=measure_area, reverse=True)
    assert measure_area(outer) == pytest.approx(np.pi * 20**2, rel=0.003)
    assert measure_area(hole) == pytest.approx(-np.pi * 10**2, rel=0.01)


@pytest.mark.parametrize("level", [0.5, 127.5, 254.5])
def test_contours_of_noise_are_as_many_as_a_known_library_finds(level):
    import contourpy

    noise = np.random.default_rng(3).integers(0, 256, (90, 70), np.uint8)
    lines = contourpy.contour_generator(z=np.pad(noise, 1).astype(float)).lines(level)
    found = find_contours(noise, level)
    assert sum(map(len, found)) == sum(len(line) - 1 for line in lines)


def test_a_circle_is_two_arcs_and_a_square_four_lines_with_its_corners_where_they_are():
    found = trace_cut(draw('<circle cx="70.3" cy="80.6" r="50"/><path d="M150.25 40.5h70v90h-70z"/>'), OutlinePlan())  # fmt: skip
    circle, square = sorted(found.paths, key=lambda path: path.start[0])
    assert [piece.kind for piece in circle.pieces] == ["arc", "arc"]
    assert circle.pieces[0].radius == pytest.approx(50, abs=0.05)
    assert [piece.kind for piece in square.pieces] == ["line"] * 4
    true = np.array([(150.25, 40.5), (220.25, 40.5), (220.25, 130.5), (150.25, 130.5)])
    ends = np.array([piece.end for piece in square.pieces])
    assert np.hypot(*(true[:, None] - ends[None]).transpose(2, 0, 1)).min(axis=1).max() < 0.1


def test_round_corners_are_arcs_of_their_radius_between_straight_sides():
    found = trace_cut(draw('<rect x="30" y="20" width="160" height="120" rx="24"/>'), OutlinePlan())
    (path,) = found.paths
    kinds = [piece.kind for piece in path.pieces]
    assert sorted(kinds) == ["arc"] * 4 + ["line"] * 4
    assert not path.corners
    assert [p.radius for p in path.pieces if p.kind == "arc"] == pytest.approx([24] * 4, abs=0.6)
    assert found.measure_off()[0] < 0.05


def test_an_arc_as_curves_keeps_to_its_circle():
    circle = trace_cut(draw('<circle cx="90" cy="90" r="60"/>'), OutlinePlan()).paths[0]
    at = circle.start
    for arc in circle.pieces:
        curves = to_curves(at, arc)
        assert len(curves) == 2
        assert curves[-1].end == arc.end
        for curve in curves:
            assert np.hypot(curve.end[0] - 90, curve.end[1] - 90) == pytest.approx(60, abs=0.1)
        at = arc.end


@settings(max_examples=12, deadline=None)
@given(seed=st.integers(0, 10_000), coarse_px=st.sampled_from([7.0, 3.0, 1.5]))
def test_whatever_is_traced_is_closed_crosses_nothing_and_shows_the_same(seed, coarse_px):
    rng = np.random.default_rng(seed)
    field = cv2.GaussianBlur(rng.random((110, 140)).astype(np.float32), (0, 0), coarse_px)
    field = (field - field.mean()) / field.std()
    alpha = np.clip(127.5 + 1500 * field, 0, 255).astype(np.uint8)
    rgba = np.dstack([np.zeros((110, 140, 3), np.uint8), alpha])
    found = trace_cut(rgba, OutlinePlan())
    for path in found.paths:
        assert path.pieces[-1].end == path.start
    rings = [shapely.LinearRing(path.flatten(0.01)) for path in found.paths]
    assert all(ring.is_simple for ring in rings)
    assert not any(one.crosses(other) for one, other in itertools.combinations(rings, 2))
    shown = draw(f'<path fill-rule="evenodd" d="{"".join(map(to_path_data, found.paths))}"/>', 140, 110)[..., 3]  # fmt: skip
    assert ((shown > 127) != (alpha > 127)).mean() < 0.07 / coarse_px


def test_tolerance_is_kept_and_a_looser_one_takes_fewer_pieces():
    waves = "M20 90" + "".join(f"q10 {-30 if k % 2 else 30} 20 0" for k in range(10)) + "V160H20z"
    cut = draw(f'<path d="{waves}"/>')
    close, loose = (trace_cut(cut, OutlinePlan(tolerance_px=px)) for px in (0.1, 3.0))
    assert loose.count_pieces() < close.count_pieces()
    assert close.measure_off()[1] < 0.4
    assert loose.measure_off()[1] < 4


def test_colours_are_told_by_evidence_and_no_gap_shows_between_neighbours():
    flag = draw('<path fill="#C02030" d="M20 20h200v50h-200z"/><path fill="#F0E0B0" d="M20 70h200v50h-200z"/><path fill="#204080" d="M20 120h100v40h-100z"/><circle cx="120" cy="90" r="30" fill="#207040"/>')  # fmt: skip
    found = trace_cut(flag, OutlinePlan(colours="auto"))
    assert {layer.rgb for layer in found.layers} == {(192, 32, 48), (240, 224, 176), (32, 64, 128), (32, 112, 64)}  # fmt: skip
    for times in (1, 4):
        svg = write_svg(found).decode()
        with Image.open(io.BytesIO(bytes(resvg_py.svg_to_bytes(svg_string=svg, zoom=times)))) as image:  # fmt: skip
            shown = lay_on_magenta(np.asarray(image.convert("RGBA")))
        inside = shown[24 * times : 116 * times, 24 * times : 216 * times]
        magenta = (inside[..., 0] > 200) & (inside[..., 1] < 40) & (inside[..., 2] > 120)
        assert not magenta.any()
    few = trace_cut(flag, OutlinePlan(colours=2))
    assert len(few.layers) == 2


def test_colours_are_merged_and_named_as_a_person_says():
    cut = draw('<path fill="#C02030" d="M20 20h200v60h-200z"/><path fill="#204080" d="M20 80h200v60h-200z"/>')  # fmt: skip
    red, blue = (192, 32, 48), (32, 64, 128)
    named = trace_cut(cut, OutlinePlan(colours="auto", names=((red, "sail"),)))
    assert "sail" in {layer.name for layer in named.layers}
    merged = trace_cut(cut, OutlinePlan(colours="auto", merged=((blue, red),)))
    assert [layer.rgb for layer in merged.layers] == [red]
    each_other = trace_cut(cut, OutlinePlan(colours="auto", merged=((blue, red), (red, blue))))
    assert len(each_other.layers) >= 1
    assert len(find_colours(cut, "auto")) == 2


def test_by_tone_only_what_is_darker_is_traced():
    cut = draw('<path fill="#101010" d="M20 20h60v100h-60z"/><path fill="#B0B0B0" d="M120 20h60v100h-60z"/>')  # fmt: skip
    assert len(trace_cut(cut, OutlinePlan(cutoff=40.0)).paths) == 1
    assert len(trace_cut(cut, OutlinePlan(cutoff=85.0)).paths) == 2


def test_one_outline_is_left_out_kept_or_made_simpler():
    cut = draw('<circle cx="60" cy="90" r="40"/><path d="M130 60l50 10 -10 60 -50 -20z"/><circle cx="60" cy="90" r="12" fill="#fff"/>')  # fmt: skip
    assert len(trace_cut(cut, OutlinePlan()).paths) == 2
    for path in trace_cut(cut, OutlinePlan()).paths:
        x, y = path.find_place()
        left = trace_cut(cut, OutlinePlan(pieces=((x, y, "left_out"),)))
        assert len(left.paths) == 1
        assert abs(left.paths[0].area_px - path.area_px) > 1
        kept = trace_cut(cut, OutlinePlan(pieces=((x, y, "as_it_is"),)))
        assert max(len(p.pieces) for p in kept.paths) > 100


def test_lines_are_traced_along_their_middle_with_their_width():
    cut = draw('<g fill="none" stroke="#000" stroke-linecap="round"><circle cx="60" cy="90" r="40" stroke-width="5"/><path d="M130 30L210 30L210 150" stroke-width="8" stroke-linejoin="round"/></g>')  # fmt: skip
    strokes = trace_cut(cut, OutlinePlan(as_strokes=True)).layers[0].strokes
    closed = next(s for s in strokes if s.is_closed)
    assert closed.width_px == pytest.approx(5, abs=0.15)
    assert [piece.radius for piece in closed.pieces] == pytest.approx([40, 40], abs=0.1)
    bent = [s for s in strokes if not s.is_closed]
    assert [s.width_px for s in bent] == pytest.approx([8] * len(bent), abs=0.4)
    svg = write_svg(trace_cut(cut, OutlinePlan(as_strokes=True))).decode()
    with Image.open(io.BytesIO(bytes(resvg_py.svg_to_bytes(svg_string=svg)))) as image:
        shown = np.asarray(image.convert("RGBA"))[..., 3]
    solid = cut[..., 3] > 127
    near = cv2.dilate((shown > 127).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    assert (near & solid).sum() > 0.97 * solid.sum()


def test_what_cannot_be_traced_says_why():
    with pytest.raises(BadParameterError, match="there is no outline"):
        trace_cut(np.zeros((20, 20, 4), np.uint8), OutlinePlan())
    specks = np.zeros((700, 700, 4), np.uint8)
    specks[::2, ::2, 3] = 255
    with pytest.raises(BadParameterError, match="at most 100,000 are traced"):
        trace_cut(specks, OutlinePlan(smallest_px=0))
    assert trace_cut(draw('<circle cx="9" cy="9" r="6"/><circle cx="60" cy="60" r="0.8"/>'), OutlinePlan()).dropped == 1  # fmt: skip


GRADIENTS = """<defs><linearGradient id="a" gradientUnits="userSpaceOnUse" x1="20" y1="20" x2="220" y2="60"><stop offset="0" stop-color="#204080"/><stop offset="1" stop-color="#F0C040"/></linearGradient>
<radialGradient id="b" gradientUnits="userSpaceOnUse" cx="80" cy="120" r="50"><stop offset="0" stop-color="#FFFFFF"/><stop offset="1" stop-color="#B02030"/></radialGradient></defs>
<path fill="url(#a)" d="M20 20h200v60h-200z"/><circle cx="90" cy="125" r="40" fill="url(#b)"/><path fill="#207040" d="M150 90h60v60h-60z"/><circle cx="120" cy="50" r="14" fill="#fff"/>"""


def test_gradients_come_out_as_gradients_and_flat_colours_as_colours():
    found = trace_cut(draw(GRADIENTS), OutlinePlan(colours="auto"))
    by_kind = {layer.gradient.kind if layer.gradient else layer.rgb: layer for layer in found.layers}  # fmt: skip
    assert set(by_kind) == {"linear", "radial", (32, 112, 64), (255, 255, 255)}
    assert by_kind["radial"].gradient.start == pytest.approx((80, 120), abs=1)
    ends = [by_kind["linear"].gradient.start, by_kind["linear"].gradient.end]
    way = np.subtract(*ends)
    assert way[1] / way[0] == pytest.approx(40 / 200, abs=0.02)


@pytest.mark.parametrize("kind", ["svg", "pdf_outlines", "dxf"])
def test_a_file_of_gradients_reads_back_as_it_was(kind):
    from tidymargin.core.outlines.cutline import CutLinePlan
    from tidymargin.formats.vectors import check_vector, make_vector

    cut, plan = draw(GRADIENTS), OutlinePlan(colours="auto")
    data, _ = make_vector(cut, kind, plan, CutLinePlan(), 300.0)
    check_vector(data, cut, kind, plan, CutLinePlan(), 300.0)
    if kind == "svg":
        with Image.open(io.BytesIO(bytes(resvg_py.svg_to_bytes(svg_string=re.sub(r'width="[^"]*mm" height="[^"]*mm"', "", data.decode(), count=1))))) as image:  # fmt: skip
            shown = np.asarray(image.convert("RGBA"))
    elif kind == "pdf_outlines":
        with closing(pypdfium2.PdfDocument(data)) as document:
            page = document[0]
            shown = page.render(scale=(240 - 1e-3) / page.get_width(), rev_byteorder=True).to_numpy()  # fmt: skip
    else:
        return
    inside = cv2.erode(cut[..., 3], np.ones((5, 5), np.uint8)) == 255
    off = np.abs(shown[..., :3].astype(int) - cut[..., :3])[inside]
    assert off.mean() < 1.5
    assert np.quantile(off, 0.99) < 12


def test_one_colour_with_grain_is_no_gradient():
    flat = draw('<rect x="20" y="20" width="200" height="140" fill="#7080A0"/>').copy()
    grain = np.random.default_rng(2).normal(0, 3, flat.shape[:2])[..., None]
    flat[..., :3] = np.clip(flat[..., :3] + grain, 0, 255).round()
    (layer,) = trace_cut(flat, OutlinePlan(colours="auto")).layers
    assert layer.gradient is None


def test_long_tracing_says_how_far_it_is_and_ends_where_it_is_stopped():
    dots = "".join(f'<circle cx="{12 + 22 * (k % 10)}" cy="{12 + 22 * (k // 10)}" r="{4 + k % 5}"/>' for k in range(80))  # fmt: skip
    cut, told = draw(dots), []
    assert len(trace_cut(cut, OutlinePlan(), told.append).paths) == 80
    assert 0 <= min(told) < 0.1
    assert 0.9 < max(told) <= 1

    def stop(share):
        if share > 0.2:
            raise StoppedError("This was stopped.")

    with pytest.raises(StoppedError):
        trace_cut(cut, OutlinePlan(), stop)
