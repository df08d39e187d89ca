"""Cuts in scenes: pixel on pixel exact, smaller ones the mean of what they cover, turned ones as a much finer drawing shows them."""

import cv2
import numpy as np
import pytest
import shapely
import shapely.affinity
from hypothesis import given, settings
from hypothesis import strategies as st

from tidymargin.core.base.errors import StoppedError
from tidymargin.core.scenes.laying import Laid, draw_alone, lay
from tidymargin.core.scenes.placing import Place, Placed

HEIGHT, WIDTH = 120, 160


def make_cut(height=60, width=80, seed=0):
    """Return a soft blob of changing colours."""
    rng = np.random.default_rng(seed)
    matte = np.clip(cv2.GaussianBlur(rng.normal(0, 1, (height, width)), (0, 0), 4) * 1500 + 127, 0, 255)  # fmt: skip
    rgb = cv2.GaussianBlur(rng.integers(0, 256, (height, width, 3)).astype(np.uint8), (0, 0), 2)
    return np.dstack([rgb, matte]).astype(np.uint8)


def make_base(seed=1):
    rgb = np.random.default_rng(seed).integers(0, 256, (HEIGHT, WIDTH, 3))
    return np.dstack([rgb, np.full((HEIGHT, WIDTH), 255)]).astype(np.uint8)


def weigh(rgba):
    """Return colours times the matte, and the matte."""
    rgba = rgba.astype(float)
    return np.dstack([rgba[..., :3] * rgba[..., 3:] / 255, rgba[..., 3]])


def draw(placed):
    """Return a placed cut on a clear scene, colours times the matte."""
    found = np.zeros((HEIGHT, WIDTH, 4))
    rows, cols = slice(max(0, placed.top), min(HEIGHT, placed.bottom)), slice(max(0, placed.left), min(WIDTH, placed.right))  # fmt: skip
    if rows.stop > rows.start and cols.stop > cols.start:
        band = placed.take_band(rows.start, rows.stop)
        found[rows, cols] = band[:, cols.start - placed.left : cols.stop - placed.left]
    return found


@settings(max_examples=25, deadline=None)
@given(left=st.integers(-90, 170), top=st.integers(-70, 130), mirror=st.booleans())
def test_pixel_on_pixel_it_is_porter_and_duffs_over_to_the_bit(left, top, mirror):
    base, cut = make_base(), make_cut()
    found = lay(base, [Laid(Placed(cut, Place(left, top, mirror=mirror)))])
    own = cut[:, ::-1] if mirror else cut
    expected = base.copy()
    for row in range(max(0, -top), min(60, HEIGHT - top)):
        for first, last in [(max(0, -left), min(80, WIDTH - left))]:
            if last <= first:
                continue
            over = own[row, first:last].astype(int)
            under = base[top + row, left + first : left + last, :3].astype(int)
            mixed = over[:, :3] * over[:, 3:] + under * (255 - over[:, 3:])
            expected[top + row, left + first : left + last, :3] = (mixed + 127) // 255
    assert np.array_equal(found, expected)


def test_on_a_clear_base_a_cut_keeps_its_own_colours_and_nothing_else_is_touched():
    base = np.zeros((HEIGHT, WIDTH, 4), np.uint8)
    base[..., :3] = (9, 8, 7)  # of what is clear, to be carried on
    cut = make_cut()
    found = lay(base, [Laid(Placed(cut, Place(10, 20)))])
    part = found[20:80, 10:90]
    solid = cut[..., 3] > 0
    assert np.array_equal(part[solid], cut[solid])
    assert (part[~solid][:, :3] == (9, 8, 7)).all()
    found[20:80, 10:90] = base[20:80, 10:90]
    assert np.array_equal(found, base)


@pytest.mark.parametrize("by", [2, 3, 4, 5])
def test_made_smaller_it_is_the_mean_of_what_each_pixel_covers(by):
    cut = make_cut(60, 120)
    placed = Placed(cut, Place(7, 11, 1 / by))
    reference = cv2.resize(weigh(cut), (120 // by, 60 // by), interpolation=cv2.INTER_AREA)
    assert placed.take_band(11, 11 + 60 // by)[:, : 120 // by] == pytest.approx(reference, abs=1e-4)


@settings(max_examples=20, deadline=None)
@given(scale=st.floats(0.07, 1.0), left=st.floats(0, 60), top=st.floats(0, 50))
def test_wherever_its_sides_lie_a_smaller_one_keeps_all_of_its_ink(scale, left, top):
    cut = make_cut()
    placed = Placed(cut, Place(left, top, scale))
    assert draw(placed).sum(axis=(0, 1)) == pytest.approx(weigh(cut).sum(axis=(0, 1)) * scale**2, rel=1e-6)  # fmt: skip
    whole = placed.take_band(placed.top, placed.bottom)
    for row in range(placed.top, placed.bottom, 7):  # bands are parts of the whole
        assert placed.take_band(row, row + 1)[0] == pytest.approx(whole[row - placed.top], abs=1e-9)


@pytest.mark.parametrize("scale", [1.0, 0.5, 0.31, 1.7])
@pytest.mark.parametrize("turn", [17.0, -44.0, 63.0, 200.0])
def test_turned_it_is_as_a_drawing_of_sixteen_times_as_many_lines_shows_it(scale, turn):
    cut = make_cut()
    found = draw(Placed(cut, Place(80 - 40 * scale, 60 - 30 * scale, scale, turn)))
    fine, angle = 16, np.radians(turn)
    rows, cols = np.mgrid[: HEIGHT * fine, : WIDTH * fine]
    x, y = (cols + 0.5) / fine - 80, (rows + 0.5) / fine - 60
    u = (np.cos(angle) * x + np.sin(angle) * y) / scale + 39.5
    v = (np.cos(angle) * y - np.sin(angle) * x) / scale + 29.5
    drawn = cv2.remap(weigh(cut).astype(np.float32), u.astype(np.float32), v.astype(np.float32), cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)  # fmt: skip
    reference = cv2.resize(drawn, (WIDTH, HEIGHT), interpolation=cv2.INTER_AREA)
    # beyond its sides nothing is seen; what is on them is asked for below
    inside = (abs(u - 39.5) < 38) & (abs(v - 29.5) < 28)
    inside = cv2.resize(inside.astype(np.float32), (WIDTH, HEIGHT), interpolation=cv2.INTER_AREA) == 1  # fmt: skip
    assert np.abs(found - reference)[inside].max() < 2


@settings(max_examples=20, deadline=None)
@given(turn=st.floats(-179, 179), scale=st.sampled_from([0.4, 1.0, 1.6]), left=st.floats(20, 60))
def test_the_sides_of_a_turned_picture_cover_as_much_of_each_pixel_as_they_do_on_paper(turn, scale, left):  # fmt: skip
    placed = Placed(np.full((30, 40, 4), 255, np.uint8), Place(left, 40, scale, turn))
    found = draw(placed)[..., 3] / 255
    box = shapely.box(left, 40, left + 40 * scale, 40 + 30 * scale)
    turned = shapely.affinity.rotate(box, turn, "center")
    rows, cols = np.mgrid[:HEIGHT, :WIDTH]
    pixels = shapely.box(cols, rows, cols + 1, rows + 1)
    shown = shapely.area(shapely.intersection(pixels, turned))
    assert np.abs(found - shown).max() < 0.13  # at a corner two sides are taken one by one
    assert np.count_nonzero(np.abs(found - shown) > 2 / 255) <= 16
    assert found.sum() == pytest.approx(turned.area, rel=2e-3)


@pytest.mark.parametrize("quarters", [1, 2, 3, -1])
def test_a_quarter_turn_moves_pixels_and_mixes_none(quarters):
    cut = make_cut()
    found = draw(Placed(cut, Place(40, 30, turn=90 * quarters)))
    turned = weigh(np.rot90(cut, -quarters))
    height, width = turned.shape[:2]
    top, left = 60 - height // 2, 80 - width // 2
    assert found[top : top + height, left : left + width] == pytest.approx(turned, abs=1e-9)
    assert found.sum() == pytest.approx(turned.sum())


def test_opacity_order_and_being_inside_another_cut():
    base = make_base()
    red, blue = (np.full((40, 40, 4), (*colour, 255), np.uint8) for colour in ((250, 0, 0), (0, 0, 250)))  # fmt: skip
    half = lay(base, [Laid(Placed(red, Place(10, 10)), 0.5)])
    assert half[20, 20, 0] == pytest.approx((250 + int(base[20, 20, 0])) / 2, abs=0.51)
    above = lay(base, [Laid(Placed(red, Place(10, 10))), Laid(Placed(blue, Place(30, 10)))])
    assert tuple(above[20, 35, :3]) == (0, 0, 250)
    assert tuple(lay(base, [Laid(Placed(blue, Place(30, 10))), Laid(Placed(red, Place(10, 10)))])[20, 35, :3]) == (250, 0, 0)  # fmt: skip
    letter = make_cut(40, 40)
    frame = Placed(letter, Place(20, 20))
    within = lay(np.zeros((HEIGHT, WIDTH, 4), np.uint8), [Laid(Placed(red, Place(10, 10)), 1.0, frame)])  # fmt: skip
    assert np.array_equal(within[20:50, 20:50, 3], letter[:30, :30, 3])
    assert not within[10:20].any()


@settings(max_examples=15, deadline=None)
@given(scale=st.sampled_from([1.0, 0.4, 1.3]), turn=st.sampled_from([0.0, 30.0]), left=st.floats(-60, 150), top=st.floats(-50, 110))  # fmt: skip
def test_rims_are_neither_dark_nor_pale_and_layers_show_what_the_scene_does(scale, turn, left, top):
    one = np.full((50, 70, 4), (180, 90, 40, 0), np.uint8)
    cv2.ellipse(one, (35, 25), (30, 20), 0, 0, 360, (180, 90, 40, 255), -1, cv2.LINE_AA)
    one[..., :3] = (180, 90, 40)
    cut = Laid(Placed(one, Place(left, top, scale, turn)))
    base = np.full((HEIGHT, WIDTH, 4), (180, 90, 40, 255), np.uint8)
    assert np.abs(lay(base, [cut]).astype(int) - base).max() <= 1
    clear = np.zeros((HEIGHT, WIDTH, 4), np.uint8)
    whole = lay(clear, [cut])
    alone, at, down = draw_alone(cut, WIDTH, HEIGHT)
    part = whole[down : down + alone.shape[0], at : at + alone.shape[1]]
    assert np.array_equal(part[..., 3], alone[..., 3])
    assert np.count_nonzero(whole[..., 3]) == np.count_nonzero(alone[..., 3])


def test_it_ends_where_it_is_stopped():
    def stop(share):
        if share > 0.4:
            raise StoppedError("This was stopped.")

    with pytest.raises(StoppedError):
        lay(make_base(), [Laid(Placed(make_cut(), Place(0, 0)))], stop)
