"""Outlines of sheets and trays: the work area alone, carried by recipes, written like any other format."""

import io
import zipfile

import numpy as np
import pypdfium2
import pytest
from PIL import Image
from pypdf import PdfReader

from tests.conftest import to_png
from tests.services.test_trays import disc_png
from tidymargin.core.base.errors import BadParameterError, BadRecipeError
from tidymargin.core.outlines.cutline import CutLinePlan, list_words, make_cutline
from tidymargin.core.outlines.figures import trace_cut
from tidymargin.core.outlines.plan import OutlinePlan
from tidymargin.formats.printing import write_print_and_cut
from tidymargin.formats.recipe import Recipe, change_recipe, read_recipe
from tidymargin.services.edits import settings
from tidymargin.services.edits.changing import begin
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.trays.exports import begin_export, write_zip
from tidymargin.services.trays.keeper import TrayKeeper
from tidymargin.services.trays.trays import make_tray, share_values
from tidymargin.services.views.outlining import (
    draw_outlines,
    draw_place,
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
        ("cutline", {"dropped": [[1, 2, 3]]}),
    ],
)  # fmt: skip
def test_a_recipe_bounds_what_it_says_of_outlines(step, values):
    with pytest.raises((BadParameterError, BadRecipeError)):
        change_recipe(Recipe(), "export", **{step: values})


def test_a_recipe_keeps_all_that_was_decided_of_outlines():
    said = {
        "outlines": {"colours": "auto", "tolerance_px": 0.5, "merged": [["#102030", "#405060"]], "names": [["#405060", "sea"]], "pieces": [{"x": 5, "y": 6.5, "way": "simpler"}]},
        "cutline": {"offset_mm": -1, "bridges_mm": 1.5, "dropped": [[4, 5.5]], "corners": "sharp"},
    }  # fmt: skip
    recipe = change_recipe(Recipe(), "export", **said)
    assert read_recipe(recipe.to_json().encode()) == recipe
    plan = recipe.export.outlines.to_plan()
    assert plan.merged == (((16, 32, 48), (64, 80, 96)),)
    assert plan.names == (((64, 80, 96), "sea"),)
    assert plan.pieces == ((5.0, 6.5, "simpler"),)
    assert recipe.export.cutline.to_plan() == CutLinePlan(-1, "sharp", 0, 1.5, True, 0.5, ((4.0, 5.5),))  # fmt: skip
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
