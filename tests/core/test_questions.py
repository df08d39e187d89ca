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


def test_what_is_sure_is_not_asked_and_a_busy_picture_asks_nothing(ask, facts):
    assert all(q.now == "goes" for q in ask(chance=0.02))
    noise = np.random.default_rng(1).integers(0, 255, (200, 200, 3), np.uint8)
    busy = Picture(noise)
    assert find_questions(cut_out(busy, measure_sheet(busy))) == ()
