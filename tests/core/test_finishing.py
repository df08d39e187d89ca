"""What is done to rims and colours once they are solved: known answers, and nothing where nothing was decided."""

import cv2
import numpy as np
import pytest

from tidymargin.core import cut as cut_module
from tidymargin.core.base.picture import Picture
from tidymargin.core.cut import cut_out
from tidymargin.core.facts import measure_sheet
from tidymargin.core.ground.plan import GroundPlan
from tidymargin.core.marks.plan import Mark, MarksPlan, Rings
from tidymargin.core.plan import Plan
from tidymargin.core.reach.plan import ReachPlan
from tidymargin.core.rim import solving
from tidymargin.core.rim.edge import move_rim
from tidymargin.core.rim.plan import RimPlan
from tidymargin.core.rim.smoothing import smooth_rim
from tidymargin.core.tint.plan import Backing, Recolour, TintPlan

SIDE, FINE = 80, 32
SMOOTH_PX = 2.0


def draw(*polygons, side=SIDE):
    """Return the exact matte of polygons, (side, side)."""
    fine = np.zeros((side * FINE, side * FINE), np.uint8)
    for polygon in polygons:
        cv2.fillPoly(fine, [np.rint(np.array(polygon) * FINE).astype(np.int32)], 1)
    return fine.reshape(side, FINE, side, FINE).mean(axis=(1, 3), dtype=np.float32)


def disc(radius, x=40.3, y=39.7, fine=40):
    rows, cols = (np.mgrid[: SIDE * fine, : SIDE * fine] + 0.5) / fine
    inside = (cols - x) ** 2 + (rows - y) ** 2 < radius**2
    return inside.reshape(SIDE, fine, SIDE, fine).mean(axis=(1, 3), dtype=np.float32)


def turned(degrees, wide=24.0, high=20.0):
    c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    box = np.array([(-wide, -high), (wide, -high), (wide, high), (-wide, high)])
    return 40 + box @ np.array([(c, s), (-s, c)])


def moved(matte, by_px, *, spares_lines=False):
    out = np.empty_like(matte)
    move_rim(matte, by_px, spares_lines=spares_lines, out=out, corner=(0, 0))
    return out


def smoothed(matte, by_px=SMOOTH_PX):
    out = np.empty_like(matte)
    smooth_rim(matte, by_px, out=out, corner=(0, 0))
    return out


@pytest.mark.parametrize(("radius", "by_px"), [(12, 0.3), (12, 1), (12, 3), (24, 0.5), (24, 2), (24, 6)])  # fmt: skip
def test_spread_and_choked_by_as_much_is_the_same_again_and_is_as_wide_as_said(radius, by_px):
    even = disc(radius)
    wider = moved(even, -by_px)
    assert np.abs(wider - disc(radius + by_px)).max() < 3 / 255
    assert np.abs(moved(wider, by_px) - even).max() <= 2 / 255
    hole = 1 - even
    assert np.abs(moved(moved(hole, -by_px), by_px) - hole).max() <= 2 / 255


def test_a_soft_rim_is_moved_as_it_is():
    soft = cv2.GaussianBlur(disc(24), (0, 0), 2.5)
    for by_px in (0.5, 2.0):
        wider = moved(soft, -by_px)
        assert np.abs(wider - cv2.GaussianBlur(disc(24 + by_px), (0, 0), 2.5)).max() < 0.02
        assert np.abs(moved(wider, by_px) - soft).max() <= 1 / 255


def test_lines_too_thin_for_it_are_spared_and_all_others_are_drawn_in():
    thin, thick = [(10, 10), (12, 10), (12, 70), (10, 70)], [(30, 10), (42, 10), (42, 70), (30, 70)]
    matte = draw(thin, thick)
    gone = moved(matte, 1.2)
    spared = moved(matte, 1.2, spares_lines=True)
    middle = slice(30, 50)
    assert gone[middle, 5:20].max() < 0.05
    assert spared[middle, 5:20].sum(axis=1) == pytest.approx(1.0, abs=0.05)
    for left in (gone, spared):
        assert left[middle, 25:50].sum(axis=1) == pytest.approx(12 - 2.4, abs=0.05)


def test_about_half_of_all_jags_go_and_corners_stay():
    boxes = [turned(angle) for angle in (7, 13, 22.5, 33, 45)]
    shapes = [(disc(radius), ()) for radius in (10, 24, 33)] + [(draw(box), box) for box in boxes]
    before = after = 0.0
    for true, corners in shapes:
        jagged = (true >= 0.5).astype(np.float32)
        found = smoothed(jagged)
        before += np.abs(jagged - true).sum()
        after += np.abs(found - true).sum()
        for corner in corners:
            inwards = (40 - corner) / np.linalg.norm(40 - corner)
            places = corner + np.arange(-4, 8, 0.05)[:, None] * inwards - 0.5
            tips = [
                places[np.argmax(cv2.remap(m, *places.T.astype(np.float32), cv2.INTER_LINEAR) >= 0.5)]
                for m in (jagged, found)
            ]  # fmt: skip
            assert np.linalg.norm(tips[0] - tips[1]) <= 0.5
    assert after < 0.54 * before
    square = draw(turned(0))
    assert np.abs(smoothed(square) - square).max() < 0.02


def make_drawing(random, *, ink=False):
    """Return a picture on white with a ring of two colours, and its matte."""
    alpha = disc(30) - disc(16)
    colour = np.full((SIDE, SIDE, 3), (70.0, 70.0, 72.0) if ink else (180.0, 60.0, 40.0))
    if not ink:
        colour[:, 40:] = (30, 60, 150)
    rgb = colour * alpha[..., None] + 255 * (1 - alpha[..., None])
    return Picture(np.rint(rgb).astype(np.uint8))


def cut(picture, **plans):
    facts = measure_sheet(picture, GroundPlan(kind="flat", nature="opaque"))
    return cut_out(
        picture, facts, Plan(reach=ReachPlan(start="everywhere"), **plans)
    ).render_whole()


@pytest.fixture(scope="module")
def drawing():
    return make_drawing(np.random.default_rng(1))


def test_neutral_settings_are_no_stages_and_give_the_same_bytes(drawing):
    plain = cut(drawing)
    neutral = cut(drawing, rim=RimPlan(fringe_px=5, spares_lines=False), tint=TintPlan())
    assert np.array_equal(plain, neutral)


def test_recolouring_leaves_the_matte_and_gives_exactly_the_colour(drawing):
    plain = cut(drawing)
    one = cut(drawing, tint=TintPlan(recolour=Recolour((29, 53, 87))))
    assert np.array_equal(one[..., 3], plain[..., 3])
    assert (one[one[..., 3] > 0][:, :3] == (29, 53, 87)).all()
    sweep = cut(drawing, tint=TintPlan(recolour=Recolour((0, 0, 0), (200, 0, 0), 90.0)))
    assert np.array_equal(sweep[..., 3], plain[..., 3])
    column = sweep[11:23, 40, 0].astype(int)
    assert (np.diff(column) > 0).all()
    assert column[0] < 12
    part = cut(drawing, tint=TintPlan(recolour=Recolour(pieces=((40, 15, (1, 2, 3)),))))
    assert (part[part[..., 3] > 0][:, :3] == (1, 2, 3)).all()


def test_a_backing_lies_under_the_silhouette_as_far_as_said_and_fills_holes_or_not(drawing):
    white = Backing((255, 255, 255), 5.0)
    found = cut(drawing, tint=TintPlan(backing=white))
    assert np.abs(found[..., 3] / 255 - disc(35)).sum() < 0.2 * 2 * np.pi * 35
    assert (found[40, 40] == 255).all()
    assert (found[40, 6] == (255, 255, 255, 255)).all()
    open_holes = cut(drawing, tint=TintPlan(backing=Backing((255, 255, 255), 5.0, fills_holes=False)))  # fmt: skip
    assert open_holes[40, 40, 3] == 0
    assert open_holes[40, 40 - 13, 3] == 255
    set_back = cut(drawing, tint=TintPlan(backing=Backing((255, 255, 255), -4.0)))
    assert np.array_equal(set_back[:12, :, 3], cut(drawing)[:12, :, 3])


def test_black_is_black_again_and_colours_go_as_said(drawing):
    deep = cut(drawing, tint=TintPlan(depth=1.0))
    solid = deep[..., 3] == 255
    luma = deep[..., :3] @ np.array((0.299, 0.587, 0.114))
    assert luma[solid].min() < 15
    grey = cut(drawing, tint=TintPlan(saturation=0.0))
    assert np.ptp(grey[solid][:, :3].astype(int), axis=1).max() <= 1
    lighter = cut(drawing, tint=TintPlan(brightness=0.2))[solid].astype(int) - cut(drawing)[solid]
    assert set(np.unique(lighter[:, 0])) <= {25, 26}
    assert np.array_equal(deep[..., 3], cut(drawing)[..., 3])


def test_a_rim_of_the_old_ground_is_drawn_to_what_lies_inside_it():
    alpha = disc(25)
    pale = np.where((disc(23) > 0.5)[..., None], (200.0, 30, 30), (240.0, 160, 160))
    rgb = np.rint(pale * alpha[..., None] + 255 * (1 - alpha[..., None])).astype(np.uint8)
    picture = Picture(rgb)
    plain = cut(picture)
    cleaned = cut(picture, rim=RimPlan(fringe=1.0, fringe_px=3))
    rim = (plain[..., 3] > 128) & (disc(23.5) < 0.5)
    assert plain[rim][:, 1].mean() > 120
    assert cleaned[rim][:, 1].mean() < 45
    assert np.array_equal(cleaned[..., 3], plain[..., 3])


def test_a_shadow_on_the_ground_is_kept_as_black_with_a_matte_of_its_own():
    alpha = disc(18, 36, 36)
    dark = cv2.GaussianBlur(disc(18, 46, 46), (0, 0), 4) * 0.5
    ground = 240 * (1 - dark)
    rgb = np.array((180.0, 40, 40)) * alpha[..., None] + ground[..., None] * (1 - alpha[..., None])
    picture = Picture(np.clip(np.rint(rgb), 0, 255).astype(np.uint8))
    facts = measure_sheet(picture, GroundPlan(kind="flat", nature="opaque"))
    plan = Plan(reach=ReachPlan(tolerance=40.0), tint=TintPlan(shadow=1.0))
    found = cut_out(picture, facts, plan).render_whole()
    place = found[60, 60]
    assert place[3] / 255 == pytest.approx(dark[60, 60], abs=0.03)
    assert place[:3].max() == 0
    assert found[5, 5, 3] == 0
    laid = found[..., :3] * (found[..., 3:] / 255) + 240 * (1 - found[..., 3:] / 255)
    assert np.abs(laid - picture.rgb)[50:].mean() < 3


def test_in_and_soft_gives_a_matte_that_starts_farther_in(drawing):
    plain, softened = cut(drawing), cut(drawing, rim=RimPlan(choke_px=1.0, feather_px=2.0))
    across = [rgba[40, :20, 3].sum() / 255 for rgba in (plain, softened)]
    assert across[0] - across[1] == pytest.approx(1.0, abs=0.1)
    assert (softened[40, 8:14, 3] > 0).sum() > (plain[40, 8:14, 3] > 0).sum()
    assert (softened[40, 9, :3] == plain[40, 12, :3]).all()


def test_what_came_in_transparent_bounds_neither_a_backing_nor_a_spread_rim():
    alpha = np.rint(255 * disc(20)).astype(np.uint8)
    rgb = np.full((SIDE, SIDE, 3), (180, 60, 40), np.uint8)
    picture = Picture(rgb, alpha)
    plain = cut(picture)
    assert np.array_equal(plain[..., 3], alpha)
    spread = cut(picture, rim=RimPlan(choke_px=-2.0))
    assert np.abs(spread[..., 3] / 255 - disc(22)).max() < 0.05
    backed = cut(picture, tint=TintPlan(backing=Backing((255, 255, 255), 6.0)))
    assert (backed[40, 16] == (255, 255, 255, 255)).all()
    assert np.abs(backed[..., 3] / 255 - disc(26)).sum() < 0.7 * 2 * np.pi * 26


@pytest.mark.parametrize("came_transparent", [False, True])
@pytest.mark.parametrize("has_mark", [False, True])
def test_parts_without_a_rim_come_out_as_if_everything_was_done_to_them(came_transparent, has_mark, monkeypatch):  # fmt: skip
    """All around is cleared and the middle is figure; a shadow falls, a mark brings back, a corner came in transparent."""
    random = np.random.default_rng(4)
    rgb = np.full((900, 1100, 3), 240.0)
    rgb[600:800, 650:850] *= cv2.GaussianBlur(random.uniform(0.75, 1, (200, 200, 1)), (0, 0), 9)[..., None]  # fmt: skip
    rgb[80:640, 120:760] = random.uniform(0, 120, 3)
    alpha = None
    if came_transparent:
        alpha = np.full(rgb.shape[:2], 255, np.uint8)
        alpha[200:500, 300:600] = 128
        alpha[:60] = 0
    picture = Picture(np.rint(rgb).astype(np.uint8), alpha)
    facts = measure_sheet(picture, GroundPlan(kind="flat", nature="opaque"))
    square = np.array([(900.0, 100.0), (1000, 100), (1000, 180), (900, 180)])
    marks = MarksPlan((Mark("back", "keep", Rings((square,))),) if has_mark else ())
    for tint in (
        TintPlan(depth=0.4, recolour=Recolour((9, 30, 60), (250, 200, 0), 30.0)),
        TintPlan(shadow=0.8, saturation=0.5),
        TintPlan(backing=Backing((255, 0, 0), 9.0), recolour=Recolour(pieces=((300, 300, (1, 2, 3)),))),
    ):  # fmt: skip
        plan = Plan(
            reach=ReachPlan(tolerance=45.0), marks=marks, rim=RimPlan(choke_px=-1.0), tint=tint
        )
        found = cut_out(picture, facts, plan).render_whole()
        with monkeypatch.context() as everywhere:
            for module in (cut_module, solving):
                everywhere.setattr(module, "is_plain", lambda *_: False)
            assert np.array_equal(found, cut_out(picture, facts, plan).render_whole())
