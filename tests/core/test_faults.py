"""Faults that are planted are found at their place, with their size, and a clean cut has none."""

import cv2
import numpy as np
import pytest

from tests.core.test_finishing import SIDE, disc
from tidymargin.core.base.picture import Picture, Region
from tidymargin.core.cut import cut_out
from tidymargin.core.facts import measure_sheet
from tidymargin.core.faults.finding import find_faults, gather_signs
from tidymargin.core.faults.judged import JudgedAlone, JudgedSheet, Seen
from tidymargin.core.faults.kinds import KINDS, Limits
from tidymargin.core.ground.plan import GroundPlan
from tidymargin.core.plan import Plan
from tidymargin.core.reach.plan import ReachPlan
from tidymargin.services.picture.words import FAULT_WORDS, KIND_WORDS
from tidymargin.web.sentences.faults import LIMIT_WORDS

RED, BLUE = (190.0, 50, 40), (40.0, 60, 160)


@pytest.fixture(scope="module")
def seen():
    """A round figure of two colours on white, and its picture."""
    alpha = disc(28)
    colour = np.full((SIDE, SIDE, 3), RED)
    colour[:, 40:] = BLUE
    rgb = np.rint(colour * alpha[..., None] + 255 * (1 - alpha[..., None])).astype(np.uint8)
    rgba = np.dstack([np.rint(colour), np.rint(255 * alpha)]).astype(np.uint8)
    ground = np.full((SIDE, SIDE, 3), 255, np.float32)
    picture = Picture(rgb)
    away = measure_sheet(picture, GroundPlan(kind="flat", nature="opaque")).difference.steps * np.float32(0.2)  # fmt: skip
    return Seen(rgba, rgb, ground, away)


def judge(seen, rgba=None, **options):
    changed = Seen(seen.rgba if rgba is None else rgba, seen.rgb, seen.ground, seen.away)
    return find_faults(JudgedAlone(changed), **options)


def kinds_at(faults, row, col, near=6):
    return {f.kind for f in faults if f.box.grown(near, Region(-99, -99, 999, 999)).touches(Region(row, col, row + 1, col + 1))}  # fmt: skip


def test_a_clean_cut_has_none_with_its_picture_or_alone(seen):
    assert judge(seen) == []
    assert find_faults(JudgedAlone(Seen(seen.rgba))) == []


def test_each_planted_fault_is_found_at_its_place(seen):
    rgba = seen.rgba.copy()
    rgba[5:8, 6:9, 3] = 255  # solid, and like the ground
    assert kinds_at(judge(seen, rgba), 6, 7) == {"crumb"}
    assert judge(seen, rgba)[0].size == 9

    rgba = seen.rgba.copy()
    rgba[36:42, 24:30, 3] = 120
    assert "see_through" in kinds_at(judge(seen, rgba), 39, 27)

    rgba = seen.rgba.copy()
    rgba[disc(12, 40, 12) > 0.5, 3] = 0
    assert kinds_at(judge(seen, rgba), 16, 40) == {"eaten"}
    found = [f for f in judge(seen, seen.rgba * np.uint8([1, 1, 1, 0])) if f.kind == "swallowed"]
    assert found
    assert found[0].is_severe

    rgba = seen.rgba.copy()
    soft = np.rint(90 * np.exp(-((np.arange(SIDE)[:, None] - 5) ** 2 + (np.arange(SIDE) - 5) ** 2) / 60))  # fmt: skip
    rgba[..., 3] = np.maximum(rgba[..., 3], soft)
    assert "leftover" in kinds_at(judge(seen, rgba), 6, 6)

    rgba = seen.rgba.copy()
    rgba[..., 3] = np.where(rgba[..., 3] >= 128, 255, 0)
    assert "jagged" in {f.kind for f in judge(seen, rgba)}

    rgba = seen.rgba.copy()
    rgba[44:56, 20:32, :3] = (60, 150, 60)
    assert kinds_at(judge(seen, rgba), 50, 26) == {"changed"}

    rgba = seen.rgba.copy()
    rim = (cv2.distanceTransform((rgba[..., 3] > 127).astype(np.uint8), cv2.DIST_L2, 5) <= 2.2) & (rgba[..., 3] > 20)  # fmt: skip
    rim[:, 40:] = False
    rgba[rim, :3] = np.rint(0.4 * rgba[rim, :3] + 0.6 * 255)
    assert kinds_at(judge(seen, rgba), 40, 13) == {"fringe"}
    alone = find_faults(JudgedAlone(Seen(rgba)))
    assert "fringe" in kinds_at(alone, 40, 13)


def test_a_figure_at_the_edge_and_a_print_too_large_are_said(seen):
    cropped = JudgedAlone(Seen(np.ascontiguousarray(seen.rgba[:, 30:])))
    (fault,) = find_faults(cropped)
    assert (fault.kind, fault.box.left, fault.box.right) == ("cut_off", 0, 1)
    (fault,) = find_faults(JudgedAlone(seen), print_mm=20)
    assert fault.kind == "resolution"
    assert fault.size == pytest.approx(57 / (20 / 25.4), rel=0.03)
    assert find_faults(JudgedAlone(seen), print_mm=5) == []
    assert find_faults(JudgedAlone(seen), Limits(resolution=50), print_mm=20) == []


def test_a_crumb_may_be_as_much_larger_as_the_picture_is_and_stands_alone():
    rgba = np.zeros((1000, 1000, 4), np.uint8)
    rgba[300:700, 300:700] = (30, 60, 110, 255)
    rgba[100:112, 800:812] = (235, 235, 235, 255)  # 144 px
    (crumb,) = find_faults(JudgedAlone(Seen(rgba)))
    assert (crumb.kind, crumb.row, crumb.col, crumb.size) == ("crumb", 106, 806, 144)
    rgba[100:112, 820:832] = (235, 235, 235, 255)  # one of two, as letters are
    assert find_faults(JudgedAlone(Seen(rgba))) == []
    small = np.ascontiguousarray(rgba[200:720, 250:730])
    small[20:32, 400:412] = 255
    assert (
        find_faults(JudgedAlone(Seen(small))) == []
    )  # a dot as large as that in a small picture is a part of it


def test_a_limit_may_be_set_and_must_be_a_measure(seen):
    rgba = seen.rgba.copy()
    rgba[5:8, 6:9, 3] = 255
    assert judge(seen, rgba, limits=Limits(crumb=5)) == []
    with pytest.raises(ValueError, match="above 0"):
        Limits(fringe=0)


def test_a_sheet_is_judged_as_it_is_rendered(seen):
    picture = Picture(seen.rgb)
    facts = measure_sheet(picture, GroundPlan(kind="flat", nature="opaque"))
    assert find_faults(JudgedSheet(cut_out(picture, facts))) == []
    eaten = cut_out(picture, facts, Plan(reach=ReachPlan(tolerance=50.0)))
    found = find_faults(JudgedSheet(eaten))
    assert {f.kind for f in found} & {"eaten", "swallowed"}
    assert gather_signs(JudgedSheet(eaten), Limits()).shape == (SIDE, SIDE)


def test_every_kind_has_its_words():
    assert set(FAULT_WORDS) == set(KIND_WORDS) == set(KINDS)
    assert set(LIMIT_WORDS) == set(Limits.__dataclass_fields__)
