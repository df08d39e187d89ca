"""What a view shows: the exported pixels, their exact means zoomed out, and a sketch before rims are solved."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import settings as checks
from hypothesis import strategies as st

from tests.conftest import draw_badge, to_png
from tidymargin.core.base.errors import BadParameterError
from tidymargin.core.base.picture import Region
from tidymargin.core.cut import Cutter, cut_by_levels
from tidymargin.core.plan import Plan
from tidymargin.core.reach.plan import ReachPlan
from tidymargin.demo.drawing import lay_over
from tidymargin.formats.decode import decode_picture
from tidymargin.services.edits import deciding, history, marking, settings
from tidymargin.services.edits.changing import begin
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.views.cutting import load_cutter
from tidymargin.services.views.exporting import export_sheet
from tidymargin.services.views.finding import find_dirty
from tidymargin.services.views.measuring import load_measured
from tidymargin.services.views.viewing import render_original, render_sketch, render_view
from tidymargin.services.views.windows import TILE_PX, TiledCut, View, cut_window
from tidymargin.services.workshop.workshop import open_workshop

SIZE = 700


@pytest.fixture
def sheet(workshop, badge_png):
    return add_sheet(workshop, badge_png, "badge.png")


@pytest.fixture(scope="module")
def large(tmp_path_factory):
    """A workshop with a sheet of several tiles, and its cutter and whole cut."""
    shop = open_workshop(tmp_path_factory.mktemp("large"))
    rgb = lay_over(draw_badge(SIZE, 3).render(), np.array((255.0, 255.0, 255.0)))
    rgb[418:422, 45:49] = 30  # a speck beside the ring
    sheet = add_sheet(shop, to_png(rgb[: SIZE - 60]), "large.png")
    load_measured(shop, sheet)
    cutter = load_cutter(shop, sheet)
    yield shop, sheet, cutter, cutter.render_whole()
    shop.close()


def overlaps(start, cell, count, most):
    """How much of each of `most` pixels lies in each of `count` cells, (count, most)."""
    low = start + np.arange(count)[:, None] * cell
    at = np.arange(most)
    return np.clip(np.minimum(low + cell, at + 1) - np.maximum(low, at), 0, 1)


def test_views_at_full_size_are_the_exported_pixels_after_any_tuning(workshop, sheet):
    deciding.pick_place(begin(workshop, sheet.id, sheet.head), 80, 20)
    for tolerance in (1, 30, 1.2):
        now = workshop.sheets.load(sheet.id)
        now = settings.set_values(
            begin(workshop, now.id, now.head), "tolerance", tolerance=tolerance
        )
        exported = decode_picture(export_sheet(workshop, now).data).picture
        view = render_view(workshop, now, View(40, 25, 1, 90, 100))
        np.testing.assert_array_equal(view[..., 3], exported.alpha[25:125, 40:130])
        np.testing.assert_array_equal(view[..., :3], exported.rgb[25:125, 40:130])
        tried = render_view(workshop, sheet, View(0, 0, 1, 160, 160), tried=tolerance)
        assert tried[80, 20, 3] == 255  # the older state has no pick


@checks(max_examples=25, deadline=None)
@given(
    cell=st.floats(1.01, 60),
    top=st.floats(0, SIZE - 61),
    left=st.floats(0, SIZE - 1),
    size=st.tuples(st.integers(1, 90), st.integers(1, 90)),
)
def test_a_zoomed_out_view_is_the_average_of_the_full_size_cut(large, cell, top, left, size):
    shop, sheet, _, cut = large
    view = View(left, top, cell, size[1], size[0])
    found = render_view(shop, sheet, view).astype(float)
    down = overlaps(top, cell, size[0], cut.shape[0])
    across = overlaps(left, cell, size[1], cut.shape[1])
    area = np.maximum(down.sum(1)[:, None] * across.sum(1), 1e-9)
    alpha = cut[..., 3].astype(float)
    true = down @ alpha @ across.T / area
    np.testing.assert_allclose(found[..., 3], true, atol=0.51)
    for channel in range(3):
        over_black = down @ (cut[..., channel] * alpha / 255) @ across.T / area
        shown = found[..., channel] * found[..., 3] / 255
        np.testing.assert_allclose(shown, over_black, atol=1.01)


def test_only_tiles_with_a_rim_are_kept_of_a_zoomed_out_view(large, monkeypatch):
    shop, _, cutter, cut = large
    everywhere = Region(0, 0, *cut.shape[:2])
    held = []
    monkeypatch.setattr(shop.tiles, "put", lambda _name, _pixels, size: held.append(size))
    TiledCut(shop, cutter, "other").average(View(0, 0, 4, SIZE // 4, SIZE // 4).grid, everywhere)
    kept = 0
    for tile in everywhere.tiles(TILE_PX):
        cleared = cutter.cleared(tile.grown(cutter.halo_px, everywhere))
        kept += 0 if cleared.all() or not cleared.any() else tile.height * tile.width * 4 + 200
    assert sum(held) == kept > 0


def test_a_tile_is_not_taken_for_one_where_something_was_painted_over(large):
    shop, _, cutter, cut = large
    everywhere = Region(0, 0, *cut.shape[:2])
    dropped = cut_by_levels(
        cutter.picture, cutter.facts, cutter.levels, Plan(reach=ReachPlan(crumb_px=30))
    )
    bare = replace(dropped, painted_over=None)
    assert not np.array_equal(dropped.render(everywhere), bare.render(everywhere))
    for each in (bare, dropped, bare):
        shown = TiledCut(shop, each, "same").window(everywhere)
        np.testing.assert_array_equal(shown, each.render(everywhere))


def test_before_its_rims_are_solved_a_view_is_sketched_and_follows_a_hand(
    workshop, sheet, monkeypatch
):
    load_measured(workshop, sheet)
    solve = Cutter.render
    monkeypatch.setattr(Cutter, "render", None)  # nothing may be solved
    view = View(0, 0, 2, 80, 80)
    sketch = render_sketch(workshop, sheet, view)
    moved = render_view(workshop, sheet, view, tried=40.0, asker="hand")
    still = render_view(workshop, sheet, view, tried=1.0, asker="hand")
    np.testing.assert_array_equal(still, sketch)
    assert (moved[..., 3] <= sketch[..., 3]).all()
    assert (moved[..., 3] < sketch[..., 3]).any()
    monkeypatch.setattr(Cutter, "render", solve)
    exact = render_view(workshop, sheet, view)
    np.testing.assert_array_equal(render_sketch(workshop, sheet, view), exact)
    away = np.abs(sketch[..., 3].astype(int) - exact[..., 3])
    solid = (exact[..., 3] == 0) | (exact[..., 3] == 255)
    assert np.quantile(away[solid], 0.97) == 0
    assert not np.array_equal(sketch, exact)


def test_the_original_is_shown_as_it_came(workshop, sheet, badge):
    shown = render_original(workshop, sheet, View(3, 5, 1, 50, 60))
    np.testing.assert_array_equal(shown[..., :3], badge[0].rgb[5:65, 3:53])
    for bad in ((200, 0, 1, 5, 5), (0, 0, 0.5, 5, 5), (0, 0, 1, 0, 5), (0, 0, 1, 10**9, 10**9)):
        with pytest.raises(BadParameterError, match="view"):
            render_original(workshop, sheet, View(*bad))


def test_a_window_recut_after_every_mark_is_as_if_it_were_cut_anew(workshop, sheet):
    load_measured(workshop, sheet)
    views = [View(0, 0, 1.7, 94, 94), View(12, 20, 1, 100, 90), View(3.4, 5.1, 2.3, 60, 50)]

    def look():
        for view in views:
            seen = render_view(workshop, sheet, view)
            anew = cut_window(workshop, sheet, load_cutter(workshop, sheet), view)
            np.testing.assert_array_equal(seen, anew)

    look()
    for number, said in enumerate(
        [{"verdict": "clear"}, {"verdict": "keep", "like": {"is_joined": False}}, {"verdict": "solve"}, {"verdict": "keep"}]
    ):  # fmt: skip
        places = [(10.5 + 30 * number, 20), (60, 90 + 9 * number)]
        said = {**said, "across_px": 14}
        sheet = marking.add_stroke(begin(workshop, sheet.id, sheet.head), places, said)
        look()
    sheet = marking.remove_marks(begin(workshop, sheet.id, sheet.head), [1])
    look()
    sheet = history.undo_change(begin(workshop, sheet.id, sheet.head))
    look()
    # two dabs on one spot are the same mark twice: taking one away still changes what is seen
    half = {"verdict": "clear", "across_px": 30, "strength": 0.5}
    for _ in range(2):
        sheet = marking.add_stroke(begin(workshop, sheet.id, sheet.head), [(60, 60)], half)
        look()
    before = sheet.head
    sheet = marking.remove_marks(begin(workshop, sheet.id, sheet.head), [5])
    look()
    ((left, top, right, bottom),) = (box.edges for box in find_dirty(workshop, sheet, before))
    assert left < 45 < 75 < right
    assert top < 45 < 75 < bottom
