"""What a whole picture says about its rims, beside how it was made."""

import cv2
import numpy as np
import pytest

from tidymargin.core.base.picture import Picture
from tidymargin.core.facts import measure_sheet
from tidymargin.core.ground.plan import GroundPlan
from tidymargin.core.rim import walking
from tidymargin.core.rim.opaque import MAX_WIDTH_PX
from tidymargin.demo.drawing import Drawing, lay_over
from tidymargin.demo.grounds import add_grain
from tidymargin.demo.truth import encode_picture
from tidymargin.formats.decode import decode_picture

NAVY, RED, PALE = "#1D3557", "#C8553D", "#E9DCC3"


def draw_discs(*, blur_px=0.0, grain=0.0, quality=None):
    """Discs of two even colours on white: softened, with grain, and coded, as far as asked for."""
    d = Drawing(360, 480, 4)
    for number, code in enumerate((NAVY, RED)):
        d.ellipse(130.3 + 220 * number, 180.6, 95, d.colour(code))
        d.ellipse(130.3 + 220 * number, 180.6, 40, d.colour(PALE))
    rgb = lay_over(d.render(), np.array((255.0, 255, 255))).astype(np.float32)
    if blur_px:
        rgb = cv2.GaussianBlur(rgb, (0, 0), blur_px)
    shot = add_grain(rgb, np.random.default_rng(9), grain)
    return (
        Picture(shot)
        if quality is None
        else decode_picture(encode_picture(shot, "jpg", quality)).picture
    )


def rim_of(**made):
    return measure_sheet(draw_discs(**made), GroundPlan(nature="opaque")).rim


def test_a_drawing_without_loss_has_sharp_rims_without_noise():
    rim = rim_of()
    assert (rim.width_px, rim.softness_px) == (1, 1.0)
    assert rim.stain_px == rim.width_px
    assert (rim.grain, rim.chroma_blur, rim.luma_ringing) == (0.5, 0.0, 0.0)


@pytest.mark.parametrize("blur_px", [1.0, 1.5, 2.0])
def test_softness_and_width_follow_the_pictures_own_blur(blur_px):
    rim = rim_of(blur_px=blur_px, quality=95)
    # a Gaussian's edge has the variance of an even rise of sqrt(12) deviations
    assert rim.softness_px == pytest.approx(12**0.5 * blur_px, rel=0.3)
    assert 2 <= rim.width_px <= MAX_WIDTH_PX
    assert rim.width_px >= rim_of(blur_px=blur_px / 2, quality=95).width_px


def test_noise_and_blurred_chroma_grow_as_a_picture_is_coded_worse():
    rims = [rim_of(quality=quality) for quality in (95, 75, 40)]
    grains = [rim.grain for rim in rims]
    assert grains == sorted(grains)
    assert grains[2] > 1.5 * grains[0]
    assert all(rim.stain_px > rim.width_px for rim in rims)
    assert all(0.1 < rim.chroma_blur < 0.7 for rim in rims)
    assert rims[2].luma_ringing >= rims[0].luma_ringing


@pytest.mark.parametrize(("quality", "mixtures"), [(None, 0), (90, 1)])
def test_even_colours_are_found_as_they_were_drawn_and_hardly_a_mixture_of_them(quality, mixtures):
    rim = rim_of(quality=quality)
    drawn = [tuple(int(code[i : i + 2], 16) for i in (1, 3, 5)) for code in (NAVY, RED, PALE)]
    found = rim.palette_rgb
    for colour in drawn:
        assert np.abs(found - colour).max(axis=1).min() < 3, colour
    assert len(found) <= len(drawn) + mixtures
    assert np.abs(np.array(rim.carried_rgb) - drawn).max(axis=1).min() < 3


def test_a_picture_without_any_outline_has_the_least_of_everything():
    rim = measure_sheet(
        Picture(np.full((60, 60, 3), 255, np.uint8)), GroundPlan(nature="opaque")
    ).rim
    assert (rim.width_px, rim.softness_px, rim.grain) == (1, 1.0, 0.5)
    assert len(rim.palette_rgb) == 0
    assert rim.carried_rgb == (255, 255, 255)


def draw_field(blur_px):
    """A sheet of several tiles full of small discs, whose lower half is softer than its upper."""
    d = Drawing(1100, 1100, 2)
    for row in range(18):
        for col in range(18):
            d.ellipse(40.3 + 60 * col, 40.7 + 60 * row, 21, d.colour(NAVY if row % 2 else RED))
    rgb = lay_over(d.render(), np.array((255.0, 255, 255))).astype(np.float32)
    rgb[550:] = cv2.GaussianBlur(rgb, (0, 0), blur_px)[550:]
    return Picture(add_grain(rgb, np.random.default_rng(4), 1.0))


def test_a_mirrored_sheet_says_the_same_and_a_part_of_its_outlines_as_much_as_all(monkeypatch):
    sheet = draw_field(1.4)
    whole = measure_sheet(sheet, GroundPlan(nature="opaque")).rim
    for turned in (sheet.rgb[::-1], sheet.rgb[:, ::-1]):
        rim = measure_sheet(Picture(np.ascontiguousarray(turned)), GroundPlan(nature="opaque")).rim
        assert (rim.width_px, rim.stain_px) == (whole.width_px, whole.stain_px)
        assert rim.grain == pytest.approx(whole.grain, rel=0.1)
        assert rim.softness_px == pytest.approx(whole.softness_px, rel=0.02)
        assert rim.palette_rgb == pytest.approx(whole.palette_rgb, abs=0.5)
    monkeypatch.setattr(walking, "_MOST_WALKS", 8000)
    part = measure_sheet(sheet, GroundPlan(nature="opaque")).rim
    assert part.width_px == whole.width_px
    assert part.softness_px == pytest.approx(whole.softness_px, rel=0.15)
    sharp = measure_sheet(Picture(sheet.rgb[:540].copy()), GroundPlan(nature="opaque")).rim
    assert sharp.softness_px < 0.8 * whole.softness_px
