"""Outlines of sheets and trays: the work area alone, carried by recipes, written like any other format."""

import io
import zipfile
from contextlib import closing

import cv2
import numpy as np
import pypdfium2
import pytest
import shapely
from PIL import Image
from pypdf import PdfReader

from tests.conftest import to_png
from tests.services.test_trays import disc_png
from tidymargin.core.base.errors import BadParameterError, BadRecipeError
from tidymargin.core.outlines.cutline import (
    CutLinePlan,
    SheetPlan,
    list_words,
    make_cutline,
    to_shape,
)
from tidymargin.core.outlines.figures import trace_cut
from tidymargin.core.outlines.machine import Machine, cut_lines
from tidymargin.core.outlines.plan import OutlinePlan
from tidymargin.demo.almanac import make_almanac
from tidymargin.formats.cut_files import read_cut_file
from tidymargin.formats.decode import decode_picture
from tidymargin.formats.printing import write_print_and_cut
from tidymargin.formats.recipe import Recipe, change_recipe, read_recipe
from tidymargin.formats.vectors import check_vector, make_vector
from tidymargin.services.edits import settings
from tidymargin.services.edits.changing import begin
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.picture.keying import cut_by
from tidymargin.services.trays.exports import begin_export, write_zip
from tidymargin.services.trays.keeper import TrayKeeper
from tidymargin.services.trays.trays import make_tray, share_values
from tidymargin.services.views.exporting import export_sheet
from tidymargin.services.views.outlining import (
    draw_cutline,
    draw_outlines,
    draw_place,
    list_drawn,
    load_arranged,
    load_cutline,
    load_outlines,
)


def two_squares():
    rgb = np.full((160, 300, 3), 255, np.uint8)
    rgb[30:130, 20:120] = (200, 30, 40)
    rgb[50:110, 200:260] = (20, 60, 150)
    return to_png(rgb)


def test_a_tray_exports_outlines_like_any_format(workshop):
    sheets = [add_sheet(workshop, disc_png(tone), f"disc-{tone}.png") for tone in (10, 60)]
    tray = make_tray(workshop, "Discs", [sheet.id for sheet in sheets])
    share_values(workshop, tray.id, tray.head, "export", {"export": {"formats": ["svg", "dxf"]}})
    keeper = TrayKeeper(workshop)
    keeper.follow_all()
    export = begin_export(workshop, tray.id)
    keeper.finish(60)
    found = workshop.trays.load_export(export.id)
    with write_zip(workshop, found) as data, zipfile.ZipFile(data) as archive:
        names = [name for name in archive.namelist() if not name.startswith("manifest")]
        assert sorted(names) == ["disc-10.dxf", "disc-10.svg", "disc-60.dxf", "disc-60.svg"]
        assert b"<path" in archive.read("disc-10.svg")


def test_only_what_the_work_area_holds_is_traced(workshop):
    sheet = add_sheet(workshop, two_squares(), "two.png")
    assert len(load_outlines(workshop, sheet).paths) == 2
    sheet = settings.set_area(begin(workshop, sheet.id, sheet.head), [(150, 0), (300, 0), (300, 160), (150, 160)])  # fmt: skip
    (path,) = load_outlines(workshop, sheet).paths
    assert path.area_px == pytest.approx(3600, rel=0.01)


def test_what_is_shown_is_kept_until_something_it_depends_on_changes(workshop):
    sheet = add_sheet(workshop, two_squares(), "two.png")
    first = load_outlines(workshop, sheet)
    assert load_outlines(workshop, sheet) is first
    sheet = settings.set_values(begin(workshop, sheet.id, sheet.head), "trim", trim=True)
    assert load_outlines(workshop, sheet) is first
    outlines = {**sheet.recipe.export.outlines.model_dump(), "smallest_px": 5000}
    sheet = settings.set_values(
        begin(workshop, sheet.id, sheet.head), "outlines", outlines=outlines
    )
    assert len(load_outlines(workshop, sheet).paths) == 1
    for with_points in (False, True):
        with Image.open(
            io.BytesIO(draw_outlines(workshop, sheet, with_points=with_points))
        ) as shown:
            assert shown.size == (300, 160)
    for x, y in ((0, 0), (299, 159), (20, 30)):
        with Image.open(io.BytesIO(draw_place(workshop, sheet, x, y))) as near:
            assert near.size == (192, 192)
    line = load_cutline(workshop, sheet)
    assert list_words(line) == ["1 pieces"]


@pytest.mark.parametrize(
    ("step", "values"),
    [
        ("outlines", {"colours": 0}), ("outlines", {"colours": 99}), ("outlines", {"tolerance_px": 0.001}),
        ("outlines", {"tolerance_px": float("nan")}), ("outlines", {"cutoff": 100}), ("outlines", {"names": [["red", "sail"]]}),
        ("outlines", {"pieces": [{"x": 1, "y": 1, "way": "elsewhere"}]}), ("cutline", {"offset_mm": float("inf")}),
        ("cutline", {"bridges_mm": 0}), ("cutline", {"blade_mm": -1}), ("cutline", {"corners": "oval"}),
        ("cutline", {"dropped": [[1, 2, 3]]}), ("outlines", {"loop": [[1, 2], [3, 4]]}), ("cutline", {"sheet": {"width_mm": 0, "height_mm": 5}}),
        ("cutline", {"sheet": {"width_mm": 100, "height_mm": 50, "copies": 0}}), ("cutline", {"sheet": {"width_mm": 100}}),
    ],
)  # fmt: skip
def test_a_recipe_bounds_what_it_says_of_outlines(step, values):
    with pytest.raises((BadParameterError, BadRecipeError)):
        change_recipe(Recipe(), "export", **{step: values})


def test_a_recipe_keeps_all_that_was_decided_of_outlines():
    said = {
        "outlines": {"colours": "auto", "tolerance_px": 0.5, "merged": [["#102030", "#405060"]], "names": [["#405060", "sea"]], "pieces": [{"x": 5, "y": 6.5, "way": "simpler"}], "loop": [[0, 0], [9.5, 0], [4, 8]]},
        "cutline": {"offset_mm": -1, "bridges_mm": 1.5, "dropped": [[4, 5.5]], "corners": "sharp", "sheet": {"width_mm": 210, "height_mm": 297, "copies": 3}, "with_marks": True},
    }  # fmt: skip
    recipe = change_recipe(Recipe(), "export", **said)
    assert read_recipe(recipe.to_json().encode()) == recipe
    plan = recipe.export.outlines.to_plan()
    assert plan.merged == (((16, 32, 48), (64, 80, 96)),)
    assert plan.names == (((64, 80, 96), "sea"),)
    assert plan.pieces == ((5.0, 6.5, "simpler"),)
    assert plan.loop == ((0, 0), (9.5, 0), (4, 8))
    assert recipe.export.cutline.to_plan() == CutLinePlan(-1, "sharp", 0, 1.5, True, 0.5, ((4.0, 5.5),), SheetPlan(210, 297, 5, 3, True), True)  # fmt: skip
    # what was kept before there were outlines reads as their defaults
    assert read_recipe(b'{"recipe_version": 1, "export": {"trim": true}}').export.outlines == Recipe().export.outlines  # fmt: skip


def test_a_printed_page_has_room_for_the_line_and_shows_it_at_its_true_place():
    cut = np.zeros((100, 200, 4), np.uint8)
    cut[:, :] = (10, 90, 40, 255)
    line = make_cutline(trace_cut(cut, OutlinePlan()), CutLinePlan(offset_mm=3), 254.0)
    data = write_print_and_cut(cut, line, with_marks=False)
    assert len(PdfReader(io.BytesIO(data)).pages) == 1
    page = pypdfium2.PdfDocument(data)[0]
    wide_mm, high_mm = (side / 72 * 25.4 for side in page.get_size())
    assert wide_mm == pytest.approx(20 + 2 * (10 + 3), abs=0.01)
    assert high_mm == pytest.approx(10 + 2 * (10 + 3), abs=0.01)
    drawn = np.asarray(page.render(scale=4).to_pil().convert("RGB")).astype(int)
    on_line = (drawn[..., 0] > 180) & (drawn[..., 1] < 160) & (drawn[..., 2] > 180)
    cols = np.flatnonzero(on_line.any(axis=0)) / 4 / 72 * 25.4
    assert cols[0] == pytest.approx(10, abs=0.15)
    assert cols[-1] == pytest.approx(wide_mm - 10, abs=0.15)


def set_step(workshop, sheet, step, values):
    return settings.set_values(begin(workshop, sheet.id, sheet.head), step, **values)


def test_only_what_a_loop_goes_round_is_traced_and_the_file_is_checked_by_that(workshop):
    sheet = add_sheet(workshop, two_squares(), "two.png")
    loop = {"outlines": {"loop": [[150, 0], [299, 0], [299, 159], [150, 159]]}}
    sheet = set_step(workshop, sheet, "outlines", loop)
    (path,) = load_outlines(workshop, sheet).paths
    assert path.area_px == pytest.approx(3600, rel=0.01)
    for kind in ("svg", "pdf_outlines", "dxf"):
        assert export_sheet(workshop, set_step(workshop, sheet, "export", {"formats": [kind]})).data
        sheet = workshop.sheets.load(sheet.id)


def test_what_is_drawn_over_the_picture_is_what_is_traced(workshop):
    sheet = add_sheet(workshop, disc_png(10), "disc.png")
    outlines, drawn = load_outlines(workshop, sheet), list_drawn(workshop, sheet)
    assert len(drawn.lines) == len(outlines.paths)
    assert len(drawn.points) == outlines.count_pieces()
    line = np.array(drawn.lines[0])
    assert np.abs(line - outlines.paths[0].flatten(0.1)).max() <= 0.006
    sheet = set_step(workshop, sheet, "outlines", {"outlines": {"tolerance_px": 8}})
    loose = list_drawn(workshop, sheet)
    assert not loose.off or outlines.paths[0].worst_px > 8


def test_pieces_on_a_sheet_are_shown_written_and_counted(workshop):
    sheet = add_sheet(workshop, two_squares(), "two.png")
    values = {"offset_mm": 1, "sheet": {"width_mm": 80, "height_mm": 60, "gap_mm": 3, "copies": 3}}
    sheet = set_step(workshop, sheet, "cutline", {"cutline": values | {"with_marks": True}})
    arranged = load_arranged(workshop, sheet)
    assert len(arranged.placements) == 6
    with Image.open(io.BytesIO(draw_cutline(workshop, sheet))) as shown:
        pixels = np.asarray(shown.convert("RGB")).astype(int)
    assert pixels.shape[1] / pixels.shape[0] == pytest.approx(80 / 60, abs=0.01)
    red = (pixels[..., 0] > 170) & (pixels[..., 1] < 70)
    assert cv2.connectedComponents(red.astype(np.uint8))[0] - 1 == 3
    for kind in ("cutline_svg", "cutline_dxf", "print_and_cut"):
        sheet = set_step(workshop, sheet, "export", {"formats": [kind]})
        data = export_sheet(workshop, sheet).data
        if kind == "print_and_cut":
            with closing(pypdfium2.PdfDocument(data)) as document:
                size = [side / 72 * 25.4 for side in document[0].get_size()]
                drawn = np.asarray(document[0].render(scale=4).to_pil().convert("RGB")).astype(int)
            assert size == pytest.approx([80, 60], abs=0.01)
            red = (drawn[..., 0] > 170) & (drawn[..., 1] < 70) & (drawn[..., 2] < 90)
            assert red.sum() / 16 / (72 / 25.4) ** 2 == pytest.approx(3 * (100 * 25.4 / 300) ** 2, rel=0.03)  # fmt: skip
        else:
            outcome = cut_lines(read_cut_file(data, "sheet"), Machine())
            assert len(outcome.pieces) == 6
    sheet = set_step(workshop, sheet, "cutline", {"cutline": {"sheet": {"width_mm": 20, "height_mm": 20, "copies": 9}}})  # fmt: skip
    with pytest.raises(BadParameterError, match="pieces fit on a sheet"):
        load_arranged(workshop, sheet)


@pytest.mark.parametrize("kind", ["cutline_svg", "cutline_dxf"])
@pytest.mark.parametrize("picture", ["buoy", "word", "islands"])
def test_a_sticker_a_word_and_islands_come_out_of_the_machine_as_asked(picture, kind):
    """One piece where one is asked for, 2 mm outside to 0.05 mm, and nothing falls out but what was to be cut."""
    dpi = 300.0
    if picture == "buoy":
        (case,) = make_almanac(0.5, ["buoy-sticker"])
        cut = cut_by(Recipe(), decode_picture(case.encoded).picture).render_whole()
    else:
        ink = np.zeros((260, 900), np.uint8)
        if picture == "word":
            cv2.putText(ink, "Boa 8", (40, 190), cv2.FONT_HERSHEY_SIMPLEX, 6.0, 255, 26, cv2.LINE_AA)  # fmt: skip
        else:
            for k in range(24):
                cv2.circle(ink, (60 + 70 * (k % 12), 70 + 110 * (k // 12)), 14 + k % 5, 255, -1, cv2.LINE_AA)  # fmt: skip
        cut = np.dstack([np.full((*ink.shape, 3), 30, np.uint8), ink])
    outlines = trace_cut(cut, OutlinePlan())
    plan = CutLinePlan(offset_mm=2.0, bridges_mm=2.0, cuts_holes=picture == "word")
    data, _ = make_vector(cut, kind, OutlinePlan(), plan, dpi)
    check_vector(data, cut, kind, OutlinePlan(), plan, dpi)
    outcome = cut_lines(read_cut_file(data, picture), Machine())
    assert len(outcome.pieces) == 1
    assert not outcome.uncut
    assert not outcome.twice
    line = make_cutline(outlines, plan, dpi)
    assert len(outcome.waste) == line.count("hole")
    figure = to_shape(outlines)
    mm = 25.4 / dpi
    far = [figure.distance(shapely.Point(at)) * mm for path in line.paths for at in path.flatten(0.1)]  # fmt: skip
    assert max(far) < 2.05 if line.count("bridge") == 0 else np.median(far) == pytest.approx(2, abs=0.05)  # fmt: skip
    # beside a bridge the line is further in than an offset would have it, and nowhere else
    near = [(x, y) for path in line.paths for x, y in path.flatten(0.1) if figure.distance(shapely.Point(x, y)) * mm < 1.95]  # fmt: skip
    assert not near
