"""Outlines and cutting lines on the command line, read back by other libraries."""

import io
import json

import cv2
import ezdxf
import numpy as np
import pypdfium2
import pytest
from click.testing import CliRunner
from PIL import Image
from pypdf import PdfReader
from svgelements import SVG
from svgelements import Path as SvgPath

from tests.conftest import to_png
from tidymargin.cli.commands import main
from tidymargin.formats.cut_files import read_cut_file
from tidymargin.formats.recipe import read_recipe

DPI = 254.0  # ten px a mm


@pytest.fixture
def logo(tmp_path):
    """A red disc and a blue square on white, as a picture of 254 dots per inch."""
    rgb = np.full((300, 500, 3), 255, np.uint8)
    cv2.circle(rgb, (150, 150), 100, (200, 30, 40), -1, cv2.LINE_AA)
    cv2.rectangle(rgb, (300, 80), (439, 219), (30, 60, 150), -1)
    out = io.BytesIO()
    Image.fromarray(rgb).save(out, "PNG", dpi=(DPI, DPI))
    (tmp_path / "logo.png").write_bytes(out.getvalue())
    return tmp_path / "logo.png"


def call(*arguments, code=0):
    result = CliRunner().invoke(main, [*map(str, arguments)])
    assert result.exit_code == code, result.output
    return result.output


def test_a_logo_is_traced_in_its_colours_and_is_as_large_on_paper_as_it_was(logo, tmp_path):
    said = json.loads(
        call("trace", logo, "-o", tmp_path / "logo.svg", "--colours", "auto", "--json")
    )
    assert {row["colour"] for row in said["colours"]} == {"#C81E28", "#1E3C96"}
    assert said["pieces"] <= 8
    assert said["mean_px"] < 0.1
    parsed = SVG.parse(str(tmp_path / "logo.svg"), ppi=DPI)
    paths = [element for element in parsed.elements() if isinstance(element, SvgPath)]
    assert len(paths) == 2
    assert (parsed.width, parsed.height) == pytest.approx((500, 300), abs=0.1)
    call("trace", logo, "-o", tmp_path / "logo.pdf")
    page = pypdfium2.PdfDocument((tmp_path / "logo.pdf").read_bytes())[0]
    assert [side / 72 * 25.4 for side in page.get_size()] == pytest.approx([50, 30], abs=0.01)
    call("trace", logo, "-o", tmp_path / "logo.dxf")
    lines = list(ezdxf.readfile(tmp_path / "logo.dxf").modelspace().query("LWPOLYLINE"))
    assert len(lines) == 2
    assert all(line.closed for line in lines)
    wide = [np.ptp(read[:, 0]) for read in read_cut_file((tmp_path / "logo.dxf").read_bytes(), "")]
    assert sorted(wide) == pytest.approx([14.0, 20.1], abs=0.03)


def test_a_recipe_carries_outlines_and_key_writes_them_like_any_format(logo, tmp_path):
    recipe = tmp_path / "recipe.json"
    call("trace", logo, "-o", tmp_path / "a.svg", "--colours", "2", "--tolerance", "0.4", "--save-recipe", recipe)  # fmt: skip
    kept = read_recipe(recipe.read_bytes()).export.outlines
    assert (kept.colours, kept.tolerance_px) == (2, 0.4)
    call("key", logo, "-o", tmp_path / "b.svg", "--recipe", recipe, "--format", "svg")
    a, b = ((tmp_path / name).read_text() for name in ("a.svg", "b.svg"))
    assert a.split("<path")[1:] == b.split("<path")[1:]
    call("key", logo, "-o", f"{tmp_path}/all/", "--format", "svg", "--format", "cutline_svg", "--format", "dxf")  # fmt: skip
    assert sorted(p.name for p in (tmp_path / "all").iterdir()) == ["logo-cutline_svg.svg", "logo-svg.svg", "logo.dxf"]  # fmt: skip


def test_a_cut_is_taken_as_it_is(tmp_path):
    rgba = np.zeros((120, 120, 4), np.uint8)
    rgba[30:90, 30:90] = (255, 255, 255, 255)  # white, which a key of white paper would clear
    (tmp_path / "cut.png").write_bytes(to_png(rgba))
    call("trace", tmp_path / "cut.png", "-o", tmp_path / "cut.svg")
    assert "#FFFFFF" in (tmp_path / "cut.svg").read_text()


def test_a_cutting_line_is_written_in_mm_and_comes_out_of_the_machine_as_one_piece(logo, tmp_path):
    for ending in ("svg", "dxf"):
        line = tmp_path / f"line.{ending}"
        parts = json.loads(call("cutline", logo, "-o", line, "--offset", "2mm", "--bridges", "0.1cm", "--json"))  # fmt: skip
        assert [part["kind"] for part in parts["parts"]] == ["bridge", "piece"]
        done = json.loads(call("cut-out", line, "-o", tmp_path / f"{ending}.png", "--json"))
        (piece,) = done["pieces"]
        assert piece["wide_mm"] == pytest.approx(39.05 + 4, abs=0.06)
        assert not done["falls_out"]
        assert not done["not_cut_through"]
        assert done["cut_twice"] == 0
        with Image.open(tmp_path / f"{ending}.png") as drawn:
            assert drawn.width > 100
    said = call("cut-out", tmp_path / "line.svg", "-o", tmp_path / "drag.png", "--blade", "0.25mm")
    assert "1 pieces" in said


def test_print_and_cut_has_the_picture_and_the_line_on_layers_of_their_own(logo, tmp_path):
    call("cutline", logo, "-o", tmp_path / "page.pdf", "--offset", "2", "--marks")
    root = PdfReader(tmp_path / "page.pdf").trailer["/Root"]
    names = [group.get_object()["/Name"] for group in root["/OCProperties"]["/OCGs"]]
    assert names == ["Picture", "Cutting line"]
    page = pypdfium2.PdfDocument((tmp_path / "page.pdf").read_bytes())[0]
    drawn = np.asarray(page.render(scale=2).to_pil().convert("RGB")).astype(int)
    assert ((drawn[..., 0] > 200) & (drawn[..., 1] < 90) & (drawn[..., 2] > 200)).any()  # the line
    assert (drawn < 40).all(axis=2).any()  # the marks


def test_what_is_absurd_is_refused_in_a_sentence_and_nothing_is_written_over(logo, tmp_path):
    before = logo.read_bytes()
    assert "ending in .svg, .pdf, .dxf" in call("trace", logo, "-o", logo, code=64)
    assert "nothing is left to cut" in call("cutline", logo, "-o", tmp_path / "l.dxf", "--offset=-30mm", code=64)  # fmt: skip
    assert "a length like 2mm" in call("cutline", logo, "-o", tmp_path / "l.dxf", "--offset", "nan", code=2)  # fmt: skip
    for option, value in (("--tolerance", "nan"), ("--colours", "0"), ("--cutoff", "120"), ("--colours", "many")):  # fmt: skip
        result = CliRunner().invoke(main, ["trace", str(logo), "-o", str(tmp_path / "x.svg"), option, value])  # fmt: skip
        assert result.exit_code not in (0, 70), option
    assert not (tmp_path / "x.svg").exists()
    (tmp_path / "there.svg").write_text("mine")
    call("trace", logo, "-o", tmp_path / "there.svg", code=77)
    assert (tmp_path / "there.svg").read_text() == "mine"
    assert "cannot be read as an SVG or DXF file" in call(
        "cut-out", logo, "-o", tmp_path / "m.png", code=65
    )
    (tmp_path / "empty.svg").write_text('<svg xmlns="http://www.w3.org/2000/svg"/>')
    assert "holds no lines to cut along" in call(
        "cut-out", tmp_path / "empty.svg", "-o", tmp_path / "m.png", code=65
    )
    assert logo.read_bytes() == before


def test_pieces_are_laid_out_on_a_sheet_and_only_a_part_is_traced(logo, tmp_path):
    line = tmp_path / "sheet.dxf"
    kept = tmp_path / "kept.json"
    call("cutline", logo, "-o", line, "--offset", "1mm", "--sheet", "10x12cm", "--gap", "4mm", "--copies", "3", "--save-recipe", kept)  # fmt: skip
    done = json.loads(call("cut-out", line, "-o", tmp_path / "sheet.png", "--json"))
    assert len(done["pieces"]) == 6
    places = np.concatenate(read_cut_file(line.read_bytes(), "sheet"))
    assert (np.ptp(places, axis=0) <= (100 - 8 + 0.05, 120 - 8 + 0.05)).all()
    call("cutline", logo, "-o", tmp_path / "sheet.pdf", "--recipe", kept, "--marks")
    page = pypdfium2.PdfDocument((tmp_path / "sheet.pdf").read_bytes())[0]
    assert [side / 72 * 25.4 for side in page.get_size()] == pytest.approx([100, 120], abs=0.01)
    refused = call("cutline", logo, "-o", tmp_path / "x.svg", "--sheet", "30x30mm", "--copies", "9", code=64)  # fmt: skip
    assert "of 18 pieces fit on a sheet of 30 × 30 mm" in refused
    assert "none is said" in call("cutline", logo, "-o", tmp_path / "x.svg", "--copies", "2", code=64)  # fmt: skip
    assert "a sheet like 210x297mm" in call("cutline", logo, "-o", tmp_path / "x.svg", "--sheet", "A4", code=64)  # fmt: skip
    inside = [value for place in ("260,0", "499,0", "499,299", "260,299") for value in ("--inside", place)]  # fmt: skip
    said = json.loads(call("trace", logo, "-o", tmp_path / "part.svg", "--json", *inside))
    assert said["pieces"] == 4
    assert said["regular"]["aligned"] == 4
    assert not (tmp_path / "x.svg").exists()
