"""Pages that one ink fills to the border are paper; textures and photos of one hue stay busy."""

import cv2
import numpy as np
import pytest

from benchmarks.filled import KINDS, make_page
from tidymargin.core.base.picture import Picture
from tidymargin.core.cut import cut_out
from tidymargin.core.facts import measure_sheet
from tidymargin.core.ground.detect import detect_ground
from tidymargin.core.ground.filled import measure_filled_paper


@pytest.mark.parametrize("kind", KINDS)
def test_a_page_that_is_filled_to_its_border_is_paper_and_keeps_its_ink(kind):
    rgb, true = make_page(kind, 103)
    facts = measure_sheet(Picture(rgb))
    assert facts.ground.kind == "paper"
    assert not facts.is_busy
    alpha = cut_out(Picture(rgb), facts).render_whole()[..., 3]
    assert (alpha[true > 0.6] > 76).mean() > 0.98


@pytest.mark.parametrize("hue", [(1.0, 1.0, 1.0), (1.0, 0.9, 0.7)])
def test_texture_and_soft_tones_of_one_hue_are_no_page(hue):
    random = np.random.default_rng(4)
    for softness in (1, 3, 9, 40):
        soft = cv2.GaussianBlur(random.normal(0, 1, (400, 500)), (0, 0), softness)
        grey = np.clip(128 + 55 * soft / soft.std(), 0, 255)
        picture = Picture((grey[..., None] * hue).astype(np.uint8))
        assert measure_filled_paper(picture) is None


def test_a_page_is_found_at_twice_the_size_and_turned_and_not_in_a_scrap():
    rgb, _ = make_page("puzzle", 103)
    large = cv2.resize(rgb, None, fx=2.5, fy=2.5, interpolation=cv2.INTER_CUBIC)
    for other in (large, np.rot90(rgb), rgb[:, ::-1]):
        assert not detect_ground(Picture(np.ascontiguousarray(other))).is_busy
    assert measure_filled_paper(Picture(rgb[:40, :40].copy())) is None


@pytest.mark.parametrize("colour", [(200, 40, 40), (40, 90, 200)])
def test_a_page_of_two_colours_is_none_of_one_ink(colour):
    rgb, true = make_page("puzzle", 103)
    half = rgb.shape[1] // 2
    assert measure_filled_paper(Picture(rgb)) is not None
    rgb[:, :half][true[:, :half] > 0.5] = colour
    rgb[:, half:][true[:, half:] > 0.5] = (30, 120, 40)
    assert measure_filled_paper(Picture(rgb)) is None
