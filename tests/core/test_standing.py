"""Scenes put together: any window shows what the whole does, at any place; shadows, light, gradients, stops and rims."""

import itertools
from dataclasses import replace

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.test_scenes import make_base, make_cut, weigh
from tidymargin.core.scenes.laying import Laid, lay
from tidymargin.core.scenes.lifting import lift_cuts
from tidymargin.core.scenes.lining_up import align, list_stops, spread
from tidymargin.core.scenes.placing import Place, Placed
from tidymargin.core.scenes.rims import find_lines
from tidymargin.core.scenes.sitting import Shadow, match_light
from tidymargin.core.scenes.sources import Source
from tidymargin.core.scenes.standing import Base, Gradient, Piece, Scene, draw_gradient

HEIGHT, WIDTH = 120, 160
PLACES = st.builds(
    Place,
    left=st.integers(-40, 120) | st.floats(-40, 120),
    top=st.integers(-40, 90) | st.floats(-40, 90),
    scale=st.sampled_from([1.0, 0.5, 1 / 3, 0.41, 1.7]),
    turn=st.sampled_from([0.0, 90.0, 30.0, -141.0]),
    mirror=st.booleans(),
)


def pad(rgba, *margins):
    """Return a cut with clear pixels around it: above, left, below, right."""
    above, left, below, right = margins
    return np.pad(rgba, ((above, below), (left, right), (0, 0)))


@settings(max_examples=60, deadline=None)
@given(place=PLACES)
def test_of_a_cut_only_its_figure_is_kept_and_shows_the_same(place):
    cut = pad(make_cut(), 9, 31, 17, 4)
    source = Source(cut)
    assert source.rgba.shape[0] < cut.shape[0]
    whole = lay(make_base(), [Laid(Placed(cut, place))])
    found = lay(make_base(), [Laid(Placed(source.rgba, source.to_figure(place)))])
    assert np.abs(whole.astype(int) - found).max() <= 1
    if place.turn == 0 and place.scale == 1:
        assert np.array_equal(whole, found)


def make_scene(place, **more):
    pieces = [
        Piece("blob", Source(make_cut(seed=2)), Place(20, 15, 0.8, 20)),
        Piece("held", Source(pad(make_cut(), 5, 6, 7, 8)), place, **more),
        Piece("over", Source(make_cut(40, 50, 3)), Place(70, 60, 1.0), opacity=0.5),
    ]
    return Scene(Base(HEIGHT, WIDTH, Gradient((20, 30, 90), (240, 190, 120), 30)), pieces)


@settings(max_examples=40, deadline=None)
@given(
    place=PLACES, left=st.integers(0, 150), top=st.integers(0, 110), inside=st.sampled_from([None, 0])
)  # fmt: skip
def test_a_window_at_100_percent_is_that_part_of_the_whole(place, left, top, inside):
    scene = make_scene(place, inside=inside)
    whole = scene.draw(0, 0, 1, HEIGHT, WIDTH)
    height, width = min(33, HEIGHT - top), min(40, WIDTH - left)
    found = scene.draw(left, top, 1, height, width)
    assert np.array_equal(found, whole[top : top + height, left : left + width])
    assert np.array_equal(np.concatenate(list(scene.draw_bands())), whole)


def put_down(parts, right, down):
    """Return parts laid on one another as the stage does, what moves so much further on, (H, W, 4) of weighed colours."""

    def show(film):
        shown = np.zeros((3 * HEIGHT, 3 * WIDTH, 4))
        top, left = HEIGHT + film.top + film.moves * down, WIDTH + film.left + film.moves * right
        height, width = film.rgba.shape[:2]
        shown[top : top + height, left : left + width] = weigh(film.rgba)
        return shown[HEIGHT : 2 * HEIGHT, WIDTH : 2 * WIDTH]

    made = np.zeros((HEIGHT, WIDTH, 4))
    for part in parts:
        film = show(part.film)
        if part.within is not None:
            film = film * show(part.within)[..., 3:] / 255
        made = made * (1 - film[..., 3:] / 255) + film
    return made


@settings(max_examples=60, deadline=None)
@given(
    place=PLACES, right=st.integers(-30, 30), down=st.integers(-30, 30),
    inside=st.sampled_from([None, 0, 2]), chosen=st.sampled_from([{1}, {0}, {0, 1}, {0, 2}, set()]),
)  # fmt: skip
def test_lifted_cuts_moved_on_show_what_the_scene_shows_with_them_there(place, right, down, inside, chosen):  # fmt: skip
    shadow = Shadow("cast", 0.5)
    scene = make_scene(place, inside=inside, shadow=shadow)
    parts = lift_cuts(scene, chosen, 0, 0, 1, HEIGHT, WIDTH)
    moved = Scene(scene.base, [
        replace(piece, place=replace(piece.place, left=piece.place.left + right, top=piece.place.top + down)) if number in chosen else piece
        for number, piece in enumerate(scene.pieces)
    ])  # fmt: skip
    off = np.abs(put_down(parts, right, down) - weigh(moved.draw(0, 0, 1, HEIGHT, WIDTH)))
    assert off.max() <= 3  # as many roundings to whole levels as there are parts


def test_many_that_alternate_are_lifted_together():
    piece = Piece("blob", Source(make_cut()), Place(20, 15))
    scene = Scene(Base(HEIGHT, WIDTH, (9, 9, 9)), [replace(piece, place=Place(k, k)) for k in range(40)])  # fmt: skip
    parts = lift_cuts(scene, set(range(0, 40, 2)), 0, 0, 1, HEIGHT, WIDTH)
    assert [part.film.moves for part in parts] == [False, True, False]
    assert len(lift_cuts(scene, set(range(0, 8, 2)), 0, 0, 1, HEIGHT, WIDTH)) == 9


def test_a_view_that_is_zoomed_out_is_the_mean_of_the_whole():
    scene = make_scene(Place(30, 20, 0.45, 12))
    whole = cv2.resize(weigh(scene.draw(0, 0, 1, HEIGHT, WIDTH)), (WIDTH // 4, HEIGHT // 4), interpolation=cv2.INTER_AREA)  # fmt: skip
    found = weigh(scene.draw(0, 0, 4, HEIGHT // 4, WIDTH // 4))
    assert np.abs(found - whole).mean() < 0.7
    assert np.percentile(np.abs(found - whole), 99) < 5  # turned, and made of halves


@pytest.mark.parametrize("change", [{"scale": 0.4}, {"turn": 75.0}, {"scale": 2.0, "turn": -20.0}])
def test_sized_or_turned_a_figure_keeps_its_middle(change):
    source = Source(pad(make_cut(), 3, 60, 20, 1))
    place = Place(12, 7, 0.8, 15, mirror=True)
    after = source.change(place, **change)
    assert source.outline(after).mean(axis=0) == pytest.approx(source.outline(place).mean(axis=0))
    drawn = Placed(source.rgba, source.to_figure(after))
    left, top, right, bottom = source.surround(after)
    assert (drawn.left <= left + 1, drawn.right >= right - 1) == (True, True)
    assert (drawn.top <= top + 1, drawn.bottom >= bottom - 1) == (True, True)


def test_a_base_picture_covers_the_scene_and_lies_pixel_on_pixel_where_it_fits():
    base = make_base()
    alike = Scene(Base(HEIGHT, WIDTH, None, Source(base)), []).draw(0, 0, 1, HEIGHT, WIDTH)
    assert np.array_equal(alike, base)
    wide = Scene(Base(60, 160, (1, 2, 3), Source(base)), []).draw(0, 0, 1, 60, 160)
    assert np.array_equal(wide, base[30:90])
    corner = Scene(Base(130, 170, None, Source(base), covers=False), []).draw(0, 0, 1, 130, 170)
    assert np.array_equal(corner[:HEIGHT, :WIDTH], base)
    assert not corner[HEIGHT:, :, 3].any()


def test_a_gradient_goes_from_corner_to_corner_and_its_windows_agree():
    down = draw_gradient(Gradient((0, 0, 0), (250, 100, 50)), (100, 10), 0, 0, 1, 100, 10)
    assert down[0, 0].tolist() == pytest.approx([1, 0, 0], abs=1)
    assert down[-1, 0].tolist() == pytest.approx([249, 100, 50], abs=1)
    assert (np.diff(down[:, 5, 0].astype(int)) >= 0).all()
    aslant = draw_gradient(Gradient((0, 0, 0), (200, 200, 200), 90), (40, 80), 0, 0, 1, 40, 80)
    assert aslant[0, 0, 0] > aslant[0, -1, 0]  # a quarter clockwise: from the right to the left
    part = draw_gradient(Gradient((0, 0, 0), (200, 200, 200), 33), (40, 80), 30, 10, 1, 5, 7)
    whole = draw_gradient(Gradient((0, 0, 0), (200, 200, 200), 33), (40, 80), 0, 0, 1, 40, 80)
    assert np.array_equal(part, whole[10:15, 30:37])


def block(height=60, width=40, colour=(200, 60, 60)):
    cut = np.zeros((height, width, 4), np.uint8)
    cut[:] = (*colour, 255)
    return Source(cut)


def test_shadows_are_off_by_default_lie_behind_and_grow_with_their_amount():
    def draw(shadow):
        piece = Piece("block", block(), Place(60, 20), shadow=shadow)
        return Scene(Base(HEIGHT, WIDTH, (220, 220, 220)), [piece]).draw(0, 0, 1, HEIGHT, WIDTH)

    plain = draw(None)
    assert np.array_equal(draw(Shadow("contact", 0.0)), plain)
    lost = {}
    for kind in ("contact", "cast"):
        for amount in (0.4, 0.8):
            found = draw(Shadow(kind, amount))
            assert np.array_equal(found[20:79, 60:100], plain[20:79, 60:100])  # the cut covers it
            off = plain[..., 0].astype(int) - found[..., 0]
            assert off.min() >= 0
            lost[kind, amount] = off.sum()
        assert lost[kind, 0.8] == pytest.approx(2 * lost[kind, 0.4], rel=0.03)
    right = plain[..., 0].astype(int) - draw(Shadow("cast", 0.8, lean=60))[..., 0]
    assert right[:, 100:].sum() > 5 * right[:, :60].sum()  # it leans to the right
    foot = plain[..., 0].astype(int) - draw(Shadow("contact", 0.8))[..., 0]
    rows = np.flatnonzero(foot.sum(axis=1))
    assert rows.min() > 70
    assert rows.max() < 95


def test_light_is_matched_by_its_amount_and_the_matte_stays():
    rng = np.random.default_rng(4)
    cut = np.dstack([rng.integers(150, 210, (30, 30, 3)), np.full((30, 30), 255)]).astype(np.uint8)
    behind = np.dstack([rng.integers(20, 60, (30, 30, 3)), np.full((30, 30), 255)]).astype(np.uint8)
    assert match_light(cut, behind, 0.0) is cut
    half, full = match_light(cut, behind, 0.5), match_light(cut, behind, 1.0)
    goal, own = behind[..., :3].mean(), cut[..., :3].mean()
    assert full[..., :3].mean() == pytest.approx(goal, abs=1)
    assert half[..., :3].mean() == pytest.approx((goal + own) / 2, abs=1)
    assert np.array_equal(full[..., 3], cut[..., 3])
    clear = np.zeros_like(behind)
    assert match_light(cut, clear, 1.0) is cut  # there is nothing to match


def test_a_click_takes_the_frontmost_that_shows_and_passes_through_what_is_clear():
    ring = np.zeros((60, 60, 4), np.uint8)
    cv2.circle(ring, (30, 30), 24, (10, 20, 30, 255), 6)
    pieces = [Piece("block", block(), Place(40, 10)), Piece("ring", Source(ring), Place(30, 10)), Piece("ghost", block(), Place(40, 10), is_hidden=True)]  # fmt: skip
    scene = Scene(Base(HEIGHT, WIDTH), pieces)
    assert scene.find_at(60, 40, 1) == 0  # through the ring's hole
    assert scene.find_at(60, 16, 1) == 1
    assert scene.find_at(150, 100, 1) is None
    assert scene.find_at(62, 11, 4) == 1  # zoomed out, beside it is near enough


def test_a_moved_box_meets_edges_middles_and_equal_distances():
    others = [("a", (10.0, 0.0, 30.0, 10.0)), ("b", (50.0, 0.0, 60.0, 10.0))]
    stops = list_stops((200.0, 0.0, 210.0, 10.0), others, (400, 300), "across")
    found = {(stop.at, stop.kind, stop.of) for stop in stops}
    assert {(0, "edge", ""), (390, "edge", ""), (195, "middle", "")} <= found
    assert {(10, "edge", "a"), (20, "edge", "a"), (15, "middle", "a")} <= found
    assert {(80, "gap", "b"), (-20, "gap", "b"), (35, "gap", "b")} <= found


BOXES = st.lists(
    st.tuples(st.floats(0, 90), st.floats(0, 90), st.floats(1, 40), st.floats(1, 40)).map(
        lambda b: (b[0], b[1], b[0] + b[2], b[1] + b[3])
    ),
    min_size=1,
    max_size=6,
)


@given(
    boxes=BOXES,
    axis=st.sampled_from(["across", "down"]),
    side=st.sampled_from(["first", "middle", "last"]),
)
def test_aligned_boxes_are_in_line_and_spread_ones_are_equally_far_apart(boxes, axis, side):
    first, last = (0, 2) if axis == "across" else (1, 3)
    at = {"first": lambda b: b[first], "last": lambda b: b[last], "middle": lambda b: (b[first] + b[last]) / 2}[side]  # fmt: skip
    moved = [at(box) + by for box, by in zip(boxes, align(boxes, axis, side, (100, 100)), strict=True)]  # fmt: skip
    assert max(moved) - min(moved) < 1e-6
    if len(boxes) == 1:
        assert moved[0] == pytest.approx({"first": 0, "middle": 50, "last": 100}[side])
    moves = spread(boxes, axis)
    order = sorted(range(len(boxes)), key=lambda number: boxes[number][first] + boxes[number][last])
    spans = [(boxes[k][first] + moves[k], boxes[k][last] + moves[k]) for k in order]
    gaps = [b[0] - a[1] for a, b in itertools.pairwise(spans)]
    if len(boxes) > 2:
        assert max(gaps) - min(gaps) < 1e-6


@settings(max_examples=40, deadline=None)
@given(place=PLACES, own=st.sampled_from([0, 90, 255]), base=st.sampled_from([0, 160, 255]))
def test_no_place_of_a_rim_is_darker_or_paler_than_cut_and_base(place, own, base):
    cut = make_cut()
    cut[..., :3] = own
    cut[cut[..., 3] == 0, :3] = 255 - own  # what is clear has a colour, and shows nothing of it
    scene = Scene(Base(HEIGHT, WIDTH, (base, base, base)), [Piece("cut", Source(cut), place)])
    found = scene.draw(0, 0, 1, HEIGHT, WIDTH)[..., :3].astype(int)
    assert found.min() >= min(own, base) - 1
    assert found.max() <= max(own, base) + 1


@pytest.mark.parametrize(("base", "kind"), [((29, 53, 87), "pale"), ((252, 252, 252), "")])
def test_a_white_fringe_is_a_line_on_a_dark_base_and_none_on_a_pale_one(base, kind):
    disc = np.zeros((160, 160), np.uint8)
    cv2.circle(disc, (80 * 16, 80 * 16), 50 * 16, 255, -1, cv2.LINE_AA, 4)
    matte = cv2.GaussianBlur(disc, (0, 0), 1.0)
    fringed = np.dstack([np.full((160, 160, 3), 90, np.uint8), matte])
    clean = fringed.copy()
    fringed[(matte > 5) & (matte < 250), :3] = 250
    behind = np.zeros((160, 160, 4), np.uint8)
    behind[:] = (*base, 255)
    assert find_lines(clean, behind) == []
    found = find_lines(fringed, behind)
    assert {line.kind for line in found} == ({kind} if kind else set())
    if kind:
        assert sum(line.length_px for line in found) == pytest.approx(2 * np.pi * 50, rel=0.35)
