"""Scenes of sheets: they follow their pictures, are exported as the stage shows them, and say what is missing."""

import io
import json
import zipfile
from dataclasses import replace

import cv2
import numpy as np
import pypdfium2
import pytest
import resvg_py

from tests.conftest import read_png, to_png
from tests.core.test_scenes import make_cut
from tidymargin.core.base.errors import (
    BadImageError,
    BadOutputError,
    BadParameterError,
    NotFoundError,
    StaleHeadError,
)
from tidymargin.core.scenes.laying import Laid, lay
from tidymargin.core.scenes.placing import Place, Placed
from tidymargin.core.scenes.standing import Base, Scene
from tidymargin.formats.arrangement import ArrangedBase, Arrangement, Series
from tidymargin.formats.checking import read_back
from tidymargin.services.edits import deciding, history, settings
from tidymargin.services.edits.changing import begin
from tidymargin.services.folder import keeping
from tidymargin.services.folder.backing import back_up, restore
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.picture.scenes import check_scene
from tidymargin.services.scenes import editing
from tidymargin.services.scenes.bringing import bring_layers
from tidymargin.services.scenes.editing import SceneEdit
from tidymargin.services.scenes.exporting import export_scene
from tidymargin.services.scenes.opening import (
    lift_scene_cuts,
    load_rim_lines,
    load_scene,
    look_at,
    look_at_saved,
    render_scene_view,
)
from tidymargin.services.trays.trays import make_tray
from tidymargin.services.views.exporting import export_sheet
from tidymargin.services.views.windows import View
from tidymargin.services.workshop.workshop import open_workshop


def on_white(colour, size=80, radius=25):
    paper = np.full((size, size + 20, 3), 255, np.uint8)
    cv2.circle(paper, (size // 2, size // 2), radius, colour, -1, cv2.LINE_AA)
    return to_png(paper)


@pytest.fixture
def disc(workshop):
    return add_sheet(workshop, on_white((200, 30, 40)), "disc.png")


@pytest.fixture
def card(workshop, disc):
    """A scene on green with the disc at its own size."""
    card = editing.add_scene(workshop, "card", Arrangement(width=200, height=150, base=ArrangedBase(colour="#208040")))  # fmt: skip
    return editing.add_sheets(SceneEdit(workshop, card, card.head), [disc])


@pytest.fixture
def act(workshop):
    """Change a scene at its present state."""

    def act(change, saved, *values, **more):
        saved = workshop.scenes.load(saved.id)
        return change(SceneEdit(workshop, saved, saved.head), *values, **more)

    return act


def export(workshop, saved, kind=""):
    saved = workshop.scenes.load(saved.id)
    return export_scene(workshop, saved, look_at_saved(workshop, saved), kind=kind)


def shown(workshop, saved):
    return read_png(export(workshop, saved, "png").data)


def cut_of(workshop, sheet):
    return read_png(export_sheet(workshop, workshop.sheets.load(sheet.id), as_png=True).data)


def test_a_cut_pixel_on_pixel_lies_over_the_base_as_its_own_export_would(workshop, disc, card):
    (cut,) = card.arrangement.cuts
    assert (cut.name, cut.scale, cut.left, cut.top) == ("disc", 1.0, 50, 35)
    base = np.zeros((150, 200, 4), np.uint8)
    base[:] = (0x20, 0x80, 0x40, 255)
    expected = lay(base, [Laid(Placed(cut_of(workshop, disc), Place(50, 35)))])
    found = shown(workshop, card)
    assert np.array_equal(found, expected)
    looked = look_at_saved(workshop, card)
    assert np.array_equal(render_scene_view(workshop, looked, View(40, 30, 1, 90, 80)), expected[30:110, 40:130])  # fmt: skip
    below, held = lift_scene_cuts(workshop, looked, View(0, 0, 1, 200, 150), {cut.key})
    assert np.array_equal(below.film.rgba, base)
    assert held.film.moves


def test_it_follows_its_picture_unless_it_is_kept_at_a_state(workshop, disc, card, act):
    before = shown(workshop, card)
    sheet = workshop.sheets.load(disc.id)
    deciding.pick_place(begin(workshop, sheet.id, sheet.head), 40, 40)  # the disc itself goes
    after = shown(workshop, card)
    assert (after[..., :3] == (0x20, 0x80, 0x40)).all()
    (cut,) = card.arrangement.cuts
    pinned = act(editing.set_cut, card, cut.key, "pinned", state=sheet.head)
    assert np.array_equal(shown(workshop, pinned), before)
    act(editing.set_cut, card, cut.key, "pinned", state=None)
    assert np.array_equal(shown(workshop, card), after)


def test_undo_survives_a_restart_and_another_tab_is_told(tmp_path, workshop, card, act):
    moved = act(editing.move, card, [1], 10, -5)
    with pytest.raises(StaleHeadError):
        editing.move(SceneEdit(workshop, workshop.scenes.load(card.id), card.head), [1], 1, 1)
    workshop.close()
    again = open_workshop(workshop.folder)
    assert again.scenes.load(card.id).head == moved.head
    back = again.scenes.undo(card.id, moved.head)
    assert back.arrangement == card.arrangement
    assert again.scenes.redo(card.id, back.head).arrangement.cuts[0].left == 60
    again.close()


def test_a_sheet_that_is_gone_is_said_with_its_name_and_nothing_is_given_out(workshop, disc, card):
    workshop.sheets.bin(disc.id)
    looked = look_at_saved(workshop, card)
    assert [cut.name for cut, _ in looked.missing] == ["disc"]
    with pytest.raises(NotFoundError, match=r"“disc” is not there.*in the bin"):
        export(workshop, card)
    view = render_scene_view(workshop, looked, View(0, 0, 1, 200, 150))
    assert (view[..., :3] == (0x20, 0x80, 0x40)).all()  # the rest is shown
    keeping.empty_bin(workshop)
    with pytest.raises(NotFoundError, match="There is no picture"):
        export(workshop, card)
    assert workshop.scenes.load(card.id).arrangement == card.arrangement


def test_a_backup_brings_a_scene_back_with_its_history(tmp_path, workshop, card, act):
    act(editing.move, card, [1], 10, -5)
    expected = shown(workshop, card)
    back_up(workshop.folder, tmp_path / "all.tidybackup")
    restore(tmp_path / "all.tidybackup", tmp_path / "restored")
    again = open_workshop(tmp_path / "restored")
    saved = again.scenes.load(card.id)
    assert (saved.name, saved.undo) == ("card", "moved")
    assert np.array_equal(shown(again, saved), expected)
    assert again.scenes.undo(card.id, saved.head).arrangement == card.arrangement
    again.close()


def test_figures_are_placed_sized_and_turned_by_their_own_box(workshop, card, act):
    card = act(editing.place_box, card, 1, "placed", left=10.0, top=20.0)
    found = shown(workshop, card)
    red = np.argwhere(found[..., 0] > 150)
    assert red.min(axis=0).tolist() == pytest.approx([20, 10], abs=1)
    middle = red.mean(axis=0)
    card = act(editing.place_box, card, 1, "resized", width=25.5)
    red = np.argwhere(shown(workshop, card)[..., 0] > 150)
    assert np.ptp(red[:, 1]) + 1 == pytest.approx(25.5, abs=1.5)
    assert red.mean(axis=0) == pytest.approx(middle, abs=0.6)
    card = act(editing.place_box, card, 1, "turned", turn=45.0)
    assert np.argwhere(shown(workshop, card)[..., 0] > 150).mean(axis=0) == pytest.approx(middle, abs=0.6)  # fmt: skip
    with pytest.raises(BadParameterError, match="size between"):
        act(editing.place_box, card, 1, "resized", width=1e6)


def test_several_are_stacked_copied_grouped_aligned_spread_and_taken_out(workshop, card, act):
    card = act(editing.copy_cuts, card, [1])
    card = act(editing.copy_cuts, card, [2])
    assert [cut.name for cut in card.arrangement.cuts] == ["disc", "disc 2", "disc 3"]
    assert {cut.sheet for cut in card.arrangement.cuts} == {card.arrangement.cuts[0].sheet}
    card = act(editing.restack, card, 3, 0)
    card = act(editing.step_in_stack, card, 1, 5)
    assert [cut.key for cut in card.arrangement.cuts] == [3, 2, 1]
    card = act(editing.group_cuts, card, [1, 2], together=True)
    card = act(editing.move, card, [1], 100, 0)  # its group comes along
    assert {cut.key: cut.left for cut in card.arrangement.cuts} == {3: 66, 2: 158, 1: 150}
    card = act(editing.set_cut, card, 2, "locked", locked=True)
    card = act(editing.move, card, [1], -40, 0)
    assert {cut.key: cut.left for cut in card.arrangement.cuts} == {3: 66, 2: 158, 1: 110}
    with pytest.raises(BadParameterError, match="“disc 2” cannot be moved while it is locked"):
        act(editing.align_cuts, act(editing.group_cuts, card, [1], together=False), [2], "across", "first")  # fmt: skip
    card = act(editing.set_cut, card, 2, "locked", locked=False)
    spread = act(editing.spread_cuts, card, [1, 2, 3], "across")
    assert sorted(cut.left for cut in spread.arrangement.cuts) == [66, 112, 158]
    card = act(editing.align_cuts, card, [1, 2, 3], "down", "middle")
    assert len({cut.top for cut in card.arrangement.cuts}) == 1
    card = act(editing.set_cut, card, 2, "inside", inside="disc 3")
    card = act(editing.take_out, card, [3])
    assert [(cut.name, cut.inside) for cut in card.arrangement.cuts] == [("disc 2", None), ("disc", None)]  # fmt: skip
    with pytest.raises(BadParameterError, match="three cuts"):
        act(editing.spread_cuts, card, [1, 2], "across")


def test_a_picture_is_shown_inside_letters_and_nowhere_else(workshop, card, act):
    stripes = np.zeros((60, 60, 3), np.uint8)
    stripes[::6] = (30, 60, 250)
    texture = add_sheet(workshop, to_png(stripes), "stripes.png")
    alone = shown(workshop, card)
    card = act(editing.add_sheets, card, [texture])
    key = card.arrangement.cuts[-1].key
    card = act(editing.set_cut, card, key, "pinned", uncut=True)
    card = act(editing.set_cut, card, key, "inside", inside="disc")
    found = shown(workshop, card)
    outside = alone[..., 0] < 0x21  # only the base shows
    assert np.array_equal(found[outside], alone[outside])
    assert (found[..., 2] > 200).sum() > 100
    with pytest.raises(BadParameterError, match="inside itself"):
        act(editing.set_cut, card, 1, "inside", inside="stripes")


def test_a_series_puts_each_picture_of_a_tray_in_a_cuts_place(workshop, disc, card, act):
    colours = [(20, 60, 150), (240, 200, 20), (150, 20, 150), (20, 20, 20)]
    others = [add_sheet(workshop, on_white(colour, 60 + 10 * k, 14 + 4 * k), f"seal {k}.png") for k, colour in enumerate(colours)]  # fmt: skip
    tray = make_tray(workshop, "seals", [disc.id, *(sheet.id for sheet in others)])
    card = act(editing.commit, card, card.arrangement.changed(series=Series(tray=tray.id, key=1)), "series")  # fmt: skip
    made = export(workshop, card)
    assert (made.name, made.media) == ("card.zip", "application/zip")
    with zipfile.ZipFile(io.BytesIO(made.data)) as archive:
        pictures = {name: read_png(archive.read(name)) for name in archive.namelist()}
    assert list(pictures) == ["disc.png", *(f"seal {k}.png" for k in range(4))]
    base = np.array((0x20, 0x80, 0x40))
    heights, middles = [], []
    for picture in pictures.values():
        rows, cols = np.nonzero((np.abs(picture[..., :3].astype(int) - base) > 12).any(axis=2))
        heights.append(np.ptp(rows) + 1)
        middles.append((rows.mean(), cols.mean()))
    assert max(heights) - min(heights) <= 2
    assert np.ptp(middles, axis=0).max() < 1
    pdf = act(editing.commit, card, workshop.scenes.load(card.id).arrangement.changed(format="pdf"), "format")  # fmt: skip
    document = pypdfium2.PdfDocument(export(workshop, pdf).data)
    assert len(document) == 5
    assert document[0].get_size() == pytest.approx((200 * 72 / 300, 150 * 72 / 300), abs=0.01)
    document.close()
    for sheet in (disc, *others):
        workshop.trays.put_in(None, [sheet.id])
    with pytest.raises(BadParameterError, match="is empty"):
        export(workshop, pdf)


def test_a_trays_pictures_stand_on_a_row_equally_high(workshop, disc):
    small = add_sheet(workshop, on_white((20, 60, 150), 50, 12), "small.png")
    row = editing.lay_row(workshop, "seals", [disc, small], high_px=50)
    found = shown(workshop, row)
    assert found.shape[0] == 50 + 2 * 10
    solid = found[..., 3] > 128
    cols = np.flatnonzero(np.diff(solid.any(axis=0).astype(int)))
    assert len(cols) == 4  # two figures
    assert cols[2] - cols[1] == pytest.approx(10, abs=3)
    assert np.flatnonzero(solid[:, : cols[1]].any(axis=1))[[0, -1]].tolist() == pytest.approx([10, 59], abs=2)  # fmt: skip
    assert (
        look_at_saved(workshop, row).arrangement.cuts[0].scale
        < 1
        < look_at_saved(workshop, row).arrangement.cuts[1].scale
    )  # said where it is shown
    with pytest.raises(BadParameterError, match="0"):
        editing.lay_row(workshop, "none", [])


def test_enlarged_it_may_be_drawn_from_its_outlines(workshop, card, act):
    card = act(editing.place_box, card, 1, "resized", scale=2.5)
    soft = shown(workshop, card)
    card = act(editing.set_cut, card, 1, "outlined", outlined=True)
    sharp = shown(workshop, card)
    assert np.abs(soft.astype(int) - sharp)[..., 0].mean() < 4  # the same disc

    def steepest(picture):
        return np.abs(np.diff(picture[75, :, 0].astype(int))).max()

    assert steepest(sharp) > 1.5 * steepest(soft)
    card = act(editing.place_box, card, 1, "resized", scale=3.0)
    assert card.arrangement.cuts[0].scale == pytest.approx(3)
    (middle,) = [np.argwhere(shown(workshop, card)[..., 0] > 150).mean(axis=0)]
    assert middle == pytest.approx(np.argwhere(soft[..., 0] > 150).mean(axis=0), abs=1)


def test_svg_holds_the_outlines_of_what_is_drawn_from_them(workshop, card, act):
    card = act(editing.place_box, card, 1, "resized", scale=2.5)
    card = act(editing.place_box, card, 1, "turned", turn=30.0)
    card = act(editing.set_cut, card, 1, "mirrored", mirror=True)
    card = act(editing.copy_cuts, card, [1])
    card = act(editing.set_cut, card, 2, "faded", opacity=0.5)
    assert export(workshop, card, "svg").data.count(b"<image") == 3
    for key in (1, 2):
        card = act(editing.set_cut, card, key, "outlined", outlined=True)
    svg = export(workshop, card, "svg").data.decode()
    assert (svg.count("<image"), svg.count("<path")) == (1, 2)
    drawn = read_png(bytes(resvg_py.svg_to_bytes(svg_string=svg, dpi=300)))
    moved = load_scene(workshop, look_at(workshop, card.arrangement.with_cut(1, left=card.arrangement.cuts[0].left + 9)))  # fmt: skip
    with pytest.raises(BadOutputError, match="does not show"):
        check_scene(moved, "svg", svg.encode(), has_outlines=True)
    off = np.abs(drawn.astype(int) - shown(workshop, card))
    rim = cv2.morphologyEx(drawn, cv2.MORPH_GRADIENT, np.ones((3, 3))).max(axis=2) > 2
    assert off[~rim].max() <= 2
    assert off[rim].mean() < 12  # one is drawn at once, the other three times as large and reduced


@pytest.mark.parametrize("kind", ["png", "webp", "avif", "jpeg", "ora", "svg", "pdf"])
def test_every_file_is_of_the_scene_and_one_that_shows_something_else_is_not_given_out(workshop, card, kind):  # fmt: skip
    made = export(workshop, card, kind)
    shape = shown(workshop, card).shape
    found = read_back(made.data, kind, shape)[0].astype(int)
    off = np.abs(found - shown(workshop, card))
    assert off.max() <= {"jpeg": 60, "avif": 60, "svg": 1, "pdf": 2}.get(kind, 0)
    assert off.mean() < 1.5
    scene = load_scene(workshop, look_at_saved(workshop, card))
    check_scene(scene, kind, made.data)
    arrangement = card.arrangement
    for change in ({"left": 62}, {"opacity": 0.5}, {"hidden": True}):
        other = load_scene(workshop, look_at(workshop, arrangement.with_cut(1, **change)))
        with pytest.raises(BadOutputError, match="does not show"):
            check_scene(other, kind, made.data)
    with pytest.raises(BadOutputError, match="30 × 20"):
        check_scene(Scene(Base(20, 30, (10, 20, 30)), []), kind, made.data)


def test_openraster_comes_in_as_it_went_out_and_bad_ones_are_refused_whole(workshop, card, act):
    card = act(editing.copy_cuts, card, [1])
    card = act(editing.set_cut, card, 2, "faded", opacity=0.5)
    expected = shown(workshop, card)
    data = export(workshop, card, "ora").data
    came = bring_layers(workshop, data, "painted.ora")
    assert came.name == "painted"
    assert [(cut.name, cut.opacity, cut.uncut) for cut in came.arrangement.cuts] == [("base", 1, True), ("disc", 1, True), ("disc 2", 0.5, True)]  # fmt: skip
    assert np.abs(shown(workshop, came).astype(int) - expected).max() <= 1
    count = len(workshop.sheets.list_all())
    layer = to_png(np.full((20, 20, 3), 9, np.uint8))
    for stack, said in (
        ("<!DOCTYPE x><image w='9' h='9'/>", "no OpenRaster"),
        ("<image w='9' h='9'><stack/></image>", "no layer"),
        ("<image w='99999' h='99999'><stack/></image>", "200 megapixels"),
        ("<image w='9' h='9'><stack><layer src='../gone.png'/></stack></image>", "no OpenRaster"),
        ("<image w='9' h='9'><stack><layer src='l'/><layer name='x' src='bad'/></stack></image>", "“x” is no PNG"),
        ("<image", "no OpenRaster"),
    ):  # fmt: skip
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w") as archive:
            for name, body in (("mimetype", "image/openraster"), ("stack.xml", stack), ("l", layer), ("bad", b"no")):  # fmt: skip
                archive.writestr(name, body)
        with pytest.raises((BadImageError, Exception), match=said):
            bring_layers(workshop, out.getvalue(), "bad.ora")
    with pytest.raises(BadImageError):
        bring_layers(workshop, b"PK\x03\x04 nothing", "bad.ora")
    assert len(workshop.sheets.list_all()) == count


def test_nested_stacks_keep_their_opacity_and_say_what_of_them_is_lost(workshop):
    out = io.BytesIO()
    layer = make_cut(30, 40)
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("mimetype", "image/openraster")
        archive.writestr("stack.xml", "<image w='60' h='50' xres='150' yres='150'><stack><stack opacity='0.5' visibility='hidden'><layer name='top' src='l' x='7' y='-3' opacity='0.5' composite-op='svg:multiply'/></stack><layer src='s' name='tiny'/></stack></image>")  # fmt: skip
        archive.writestr("l", to_png(layer))
        archive.writestr("s", to_png(np.full((2, 3, 4), 200, np.uint8)))
    came = bring_layers(workshop, out.getvalue(), "n.ora")
    tiny, top = came.arrangement.cuts
    assert (top.name, top.left, top.top, top.opacity, top.hidden) == ("top", 7, -3, 0.25, True)
    assert (came.arrangement.width, came.arrangement.dots_per_inch) == (60, 150)
    assert any("svg:multiply" in remark for remark in workshop.sheets.load(top.sheet).remarks)
    assert (shown(workshop, came)[..., 3] > 0).sum() == 6
    assert tiny.hidden is False


def test_lines_along_rims_are_found_where_the_base_makes_them_seen(workshop, act):
    ring = np.zeros((120, 120, 4), np.uint8)
    cv2.circle(ring, (60, 60), 40, (90, 90, 90, 255), -1)
    matte = cv2.GaussianBlur(ring[..., 3], (0, 0), 1.2)
    ring[..., :3] = 90
    ring[(matte > 5) & (matte < 250), :3] = 250
    ring[..., 3] = matte
    sheet = add_sheet(workshop, to_png(ring), "ring.png")
    dark = editing.add_scene(workshop, "dark", Arrangement(width=200, height=160, base=ArrangedBase(colour="#1D3557")))  # fmt: skip
    dark = act(editing.add_sheets, dark, [sheet])
    dark = act(editing.set_cut, dark, 1, "pinned", uncut=True)
    found = load_rim_lines(workshop, look_at_saved(workshop, dark))
    assert {(cut.name, line.kind) for cut, line in found} == {("ring", "pale")}
    left, top, right, bottom = found[0][1].box
    assert (right - left, bottom - top) == pytest.approx((84, 84), abs=4)
    pale = act(editing.set_base, dark, ArrangedBase(colour="#FFFFFF"))
    assert load_rim_lines(workshop, look_at_saved(workshop, pale)) == []


def test_a_history_of_random_changes_can_be_walked_back_to_its_beginning(workshop, card, act):
    chance = np.random.default_rng(3)
    seen = [card.arrangement]
    ways = [
        lambda saved: act(editing.move, saved, [1], int(chance.integers(-9, 9)), 1),
        lambda saved: act(editing.copy_cuts, saved, [1]),
        lambda saved: act(editing.set_cut, saved, 1, "faded", opacity=round(float(chance.random()), 2)),
        lambda saved: act(editing.restack, saved, 1, int(chance.integers(0, 5))),
        lambda saved: act(editing.set_size, saved, int(chance.integers(50, 300)), 150, 300.0, "px"),
        lambda saved: act(editing.set_base, saved, ArrangedBase(colour=f"#{int(chance.integers(0, 1 << 24)):06X}")),
    ]  # fmt: skip
    saved = card
    for _ in range(40):
        before = saved.head
        saved = ways[int(chance.integers(len(ways)))](saved)
        if saved.head != before:
            seen.append(saved.arrangement)
    rows = history.arrange_history(workshop.scenes.list_states(card.id), saved.head)
    assert len(rows) == len(seen) + 1  # and the empty scene that it began with
    for expected in seen[-2::-1]:
        saved = workshop.scenes.undo(card.id, saved.head)
        assert saved.arrangement == expected
    assert json.loads(saved.body)["cuts"][0]["name"] == "disc"


def test_it_is_the_same_scene_whichever_state_of_the_picture_shows_the_same(workshop, disc, card):
    looked = look_at_saved(workshop, card)
    sheet = workshop.sheets.load(disc.id)
    settings.set_values(begin(workshop, sheet.id, sheet.head), "trim", trim=True, margin_px=9, pieces=False)  # fmt: skip
    assert (
        look_at_saved(workshop, card).name == looked.name
    )  # how it is exported alone is nothing here
    other = replace(looked, arrangement=looked.arrangement.with_cut(1, left=51))
    assert other.name != looked.name
