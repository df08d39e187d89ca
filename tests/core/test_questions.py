"""What is asked about a cut: alike places as one question, the likeliest change first, and nothing twice."""

import cv2
import numpy as np
import pytest

from tidymargin.core.base.picture import Picture
from tidymargin.core.cut import cut_out
from tidymargin.core.facts import measure_sheet
from tidymargin.core.ground.plan import GroundPlan
from tidymargin.core.plan import Plan
from tidymargin.core.questions import signs
from tidymargin.core.questions.asking import find_questions
from tidymargin.core.reach.plan import ReachPlan

SIDE = 420


@pytest.fixture(scope="module")
def picture():
    """Two soft grey patches below red blocks, and a small one, on white."""
    rgb = np.full((SIDE, SIDE, 3), 255, np.uint8)
    for left in (40, 240):
        cv2.rectangle(rgb, (left, 300), (left + 120, 350), (206, 206, 206), -1)
        cv2.rectangle(rgb, (left + 10, 200), (left + 110, 310), (170, 30, 40), -1)
    cv2.rectangle(rgb, (380, 380), (392, 392), (206, 206, 206), -1)
    return Picture(cv2.GaussianBlur(rgb, (0, 0), 0.7))


@pytest.fixture(scope="module")
def facts(picture):
    return measure_sheet(picture, GroundPlan(nature="opaque"))


@pytest.fixture
def ask(picture, facts, monkeypatch):
    """Ask about the picture, where every region could be either way."""

    def asked(reach=ReachPlan(), chance=0.5):
        monkeypatch.setattr(
            signs.RegionSigns, "find_probability", lambda self: np.full(len(self.area_px), chance)
        )
        return find_questions(cut_out(picture, facts, Plan(reach=reach)))

    return asked


def test_what_is_alike_is_one_question_and_what_changes_most_comes_first(ask):
    questions = ask()
    assert [q.worth for q in questions] == sorted((q.worth for q in questions), reverse=True)
    (patches,) = (q for q in questions if q.looks == "shade" and len(q.spots) == 2)
    assert patches.now == "stays"
    assert patches.holds(330, 100)
    assert patches.holds(330, 300)
    assert not patches.holds(386, 386)  # as grey, and far smaller
    assert all(spot.box.holds(spot.row, spot.col) for q in questions for spot in q.spots)


def test_an_answer_holds_for_all_that_is_alike_and_is_not_asked_again(ask, picture, facts):
    (patches,) = (q for q in ask() if q.looks == "shade" and len(q.spots) == 2)
    regions = tuple(spot.to_choice("clear") for spot in patches.spots)
    plan = ReachPlan(regions=regions)
    alpha = cut_out(picture, facts, Plan(reach=plan)).render_whole()[..., 3]
    assert alpha[335, 100] == alpha[335, 300] == 0
    assert alpha[386, 386] == alpha[250, 100] == 255
    again = ask(plan)
    assert not any(q.holds(335, 100) or q.holds(335, 300) for q in again)


@pytest.fixture(scope="module")
def shaded():
    """A page with a block in two colours, four holes in it and a soft shadow below, and where the block is."""
    tall, wide = 560, 800
    block = np.zeros((tall, wide), np.uint8)
    cv2.rectangle(block, (80, 100), (380, 300), 1, -1)
    for x in (130, 196, 262, 328):
        cv2.circle(block, (x, 200), 22, 0, -1)
    shade = np.zeros((tall, wide), np.float32)
    cv2.ellipse(shade, (230, 315), (150, 22), 0, 0, 360, 1, -1)
    rgb = 252 * (1 - 0.35 * cv2.GaussianBlur(shade, (0, 0), 6)[..., None]) * np.ones(3)
    solid = cv2.GaussianBlur(block.astype(np.float32), (0, 0), 0.7)[..., None]
    colours = np.where(np.arange(wide)[None, :, None] < 230, (30, 90, 160), (200, 120, 30))
    rgb = rgb * (1 - solid) + solid * colours
    rgb += np.random.default_rng(3).normal(0, 1.2, rgb.shape)
    return Picture(np.clip(np.rint(rgb), 0, 255).astype(np.uint8)), block > 0


def test_a_soft_shadow_is_one_question_and_goes_with_what_it_runs_out_into(shaded):
    picture, block = shaded
    facts = measure_sheet(picture)
    before = cut_out(picture, facts)
    (shadow,) = (q for q in find_questions(before) if q.looks == "shade")
    assert (shadow.now, len(shadow.spots)) == ("stays", 1)
    cut = cut_out(
        picture, facts, Plan(reach=ReachPlan(regions=(shadow.spots[0].to_choice("clear"),)))
    )
    below = np.s_[310:]  # 8 px below the block
    away, away_before = (c.render_whole()[below][..., 3] > 15 for c in (cut, before))
    assert away_before.sum() > 5000
    assert away.sum() < 100
    assert (cut.render_whole()[..., 3][cv2.erode(block.view(np.uint8), np.ones((7, 7))) > 0] == 255).all()  # fmt: skip


def test_closed_areas_that_are_like_one_that_is_asked_about_are_asked_about_with_it(shaded, monkeypatch):  # fmt: skip
    picture, _ = shaded
    cutter = cut_out(picture, measure_sheet(picture))
    assert {pocket.reason for pocket in cutter.pockets.listed[:4]} == {"closed"}
    regions = signs.measure_regions(cutter).regions
    first = cutter.pockets.listed[2]

    def only_one_may_go(measured):
        likely = np.zeros(len(measured.area_px))
        likely[regions.at(first.row, first.col)] = 0.6
        return likely

    monkeypatch.setattr(signs.RegionSigns, "find_probability", only_one_may_go)
    (holes,) = (q for q in find_questions(cutter) if q.holds(first.row, first.col))
    assert all(holes.holds(pocket.row, pocket.col) for pocket in cutter.pockets.listed[:4])


def test_what_is_sure_is_not_asked_and_a_busy_picture_asks_nothing(ask, facts):
    assert all(q.now == "goes" for q in ask(chance=0.02))
    noise = np.random.default_rng(1).integers(0, 255, (200, 200, 3), np.uint8)
    busy = Picture(noise)
    assert find_questions(cut_out(busy, measure_sheet(busy))) == ()
