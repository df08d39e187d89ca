import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tidymargin.core.base.errors import NoGroundError
from tidymargin.core.base.picture import Picture, Region, whole
from tidymargin.core.cut import cut_out
from tidymargin.core.facts import measure_sheet
from tidymargin.core.ground.checker import measure_checker
from tidymargin.core.ground.detect import detect_ground
from tidymargin.core.ground.difference import measure_difference
from tidymargin.core.ground.plan import GroundPlan
from tidymargin.core.ground.surface import ScreenGround, SurfaceGround, measure_surface
from tidymargin.core.plan import Plan
from tidymargin.core.reach.clearing import Pick
from tidymargin.core.reach.plan import ReachPlan
from tidymargin.demo.grounds import add_grain, make_checker, make_paper, make_screen

HEIGHT, WIDTH = 300, 380
BLOCK = np.s_[90:210, 120:260]


def rounded(ground):
    return np.clip(np.round(ground), 0, 255).astype(np.uint8)


def with_block(ground, colour=(30, 40, 60)):
    rgb = rounded(ground)
    rgb[BLOCK] = colour
    return Picture(rgb)


def outside_block(values):
    mask = np.ones((HEIGHT, WIDTH), bool)
    mask[BLOCK] = False
    return values[mask]


@settings(max_examples=15, deadline=None)
@given(seed=st.integers(0, 2**32 - 1), darker=st.floats(0, 0.5))
def test_paper_is_exact_without_noise_and_unmoved_by_a_figure_in_the_middle(seed, darker):
    random = np.random.default_rng(seed)
    true = make_paper(HEIGHT, WIDTH, random, darker=darker, texture=0.0)
    bare = measure_surface(Picture(rounded(true))).over(whole(HEIGHT, WIDTH))
    covered = measure_surface(with_block(true)).over(whole(HEIGHT, WIDTH))
    assert np.abs(bare - true).max() < 1.5
    assert np.abs(outside_block(covered - true)).max() < 1.5
    assert np.abs(covered[BLOCK] - true[BLOCK]).max() < 4


@settings(max_examples=25, deadline=None)
@given(
    period=st.floats(4.5, 30),
    phase=st.tuples(st.floats(0, 60), st.floats(0, 60)),
    tones=st.tuples(st.integers(130, 255), st.integers(20, 100)),
)
def test_a_pattern_is_exact_without_noise_and_unmoved_by_a_figure(period, phase, tones):
    codes = tuple("#" + f"{tone:02X}" * 3 for tone in tones)
    true = make_checker(HEIGHT, WIDTH, period=period, phase=phase, tones=codes)
    found = measure_checker(with_block(true, colour=tuple([tones[0]] * 3)))
    assert found is not None
    assert found.period_px == pytest.approx(period, rel=0.02)
    away = np.abs(outside_block(found.over(whole(HEIGHT, WIDTH)) - true))
    contrast = tones[0] - tones[1]
    assert away.mean() < 0.5 + 0.01 * contrast
    assert away.max() < 1 + 0.08 * contrast  # where two tile borders cross


def test_any_region_of_a_ground_equals_the_crop_of_the_whole():
    random = np.random.default_rng(4)
    paper = measure_surface(with_block(make_paper(HEIGHT, WIDTH, random)))
    pattern = measure_checker(with_block(make_checker(HEIGHT, WIDTH, period=11.7)))
    region = Region(37, 101, 222, 230)
    for ground in (paper, pattern):
        everywhere = ground.over(whole(HEIGHT, WIDTH))
        np.testing.assert_array_equal(ground.over(region), everywhere[region.slices])


def test_a_crease_in_a_screen_differs_less_than_the_same_step_of_hue():
    random = np.random.default_rng(6)
    picture = with_block(make_screen(HEIGHT, WIDTH, random, texture=0.0), (52, 128, 66))
    screen = measure_surface(picture, ScreenGround)
    paper = measure_surface(picture, SurfaceGround)
    darker = measure_difference(picture, screen).steps[BLOCK].mean()
    assert darker < 0.5 * measure_difference(picture, paper).steps[BLOCK].mean()
    red = measure_difference(with_block(picture.rgb, (150, 60, 60)), screen).steps[BLOCK]
    assert red.min() > 100


def test_each_kind_is_told_and_explained_and_can_be_overruled():
    random = np.random.default_rng(8)
    made = {
        "flat": np.full((HEIGHT, WIDTH, 3), 240, np.float32),
        "paper": add_grain(make_paper(HEIGHT, WIDTH, random), random, 1.0),
        "screen": add_grain(make_screen(HEIGHT, WIDTH, random), random, 2.0),
        "checker": make_checker(HEIGHT, WIDTH, period=9.4),
    }
    for kind, ground in made.items():
        found = detect_ground(with_block(ground))
        assert (found.ground.kind, found.is_busy) == (kind, False)
        assert found.ground.border_share > 0.95
    assert detect_ground(with_block(made["paper"]), "flat").ground.kind == "flat"
    with pytest.raises(NoGroundError, match="two tones") as caught:
        detect_ground(with_block(made["paper"]), "checker")
    assert caught.value.field == "kind"
    noise = np.random.default_rng(1).integers(0, 256, (HEIGHT, WIDTH, 3), np.uint8)
    assert detect_ground(Picture(noise)).is_busy


def test_a_dark_figure_over_half_the_border_is_not_taken_for_the_ground():
    random = np.random.default_rng(9)
    rgb = add_grain(make_paper(HEIGHT, WIDTH, random), random, 1.0)
    rgb[:, : int(WIDTH * 0.6)] = (38, 34, 40)
    facts = measure_sheet(Picture(rgb))
    assert facts.ground.kind == "paper"
    cut = cut_out(Picture(rgb), facts, Plan()).render_whole()
    assert (cut[:, : WIDTH // 2, 3] == 255).all()
    assert (cut[:, -WIDTH // 3 :, 3] == 0).mean() > 0.999


def test_white_in_a_figure_is_kept_where_a_pattern_would_change_and_a_hole_in_it_goes():
    true = make_checker(HEIGHT, WIDTH, period=8.0)
    rgb = rounded(true)
    rgb[60:240, 60:320] = (30, 60, 120)
    rgb[80:220, 80:180] = 255  # white inside
    rgb[80:220, 200:300] = rounded(true)[80:220, 200:300]  # the pattern goes on
    picture = Picture(rgb)
    facts = measure_sheet(picture)
    cut = cut_out(picture, facts, Plan()).render_whole()[..., 3]
    assert (cut[84:216, 84:176] == 255).all()
    assert (cut[84:216, 204:296] == 0).all()


@pytest.mark.parametrize("period", [7.37, 23.0])
def test_a_tall_pattern_of_which_only_bands_are_looked_at_first_is_exact_to_its_end(period):
    height, width = 2600, 160  # a dozen blocks of more rows than a band has
    true = make_checker(height, width, period=period)
    rgb = rounded(true)
    rgb[400:1700, 60:110] = (200, 30, 60)
    found = measure_checker(Picture(rgb))
    assert found is not None
    assert found.period_px == pytest.approx(period, rel=0.02)
    away = np.abs(found.over(whole(height, width)) - true)
    assert np.quantile(away, 0.99) < 2
    assert away[-200:].max() < 8


@pytest.mark.parametrize(("period", "grain"), [(53.7, 0.0), (80.0, 3.0)])
def test_large_tiles_are_found_to_the_pixel_though_few_places_of_each_are_looked_at(period, grain):
    height, width = 1500, 1240
    true = make_checker(height, width, period=period, phase=(11.0, 29.0))
    noise = grain * np.random.default_rng(4).standard_normal(true.shape)
    rgb = rounded(np.clip(true + noise, 0, 255))
    rgb[300:1100, 400:900] = (30, 90, 60)
    found = measure_checker(Picture(rgb))
    assert found is not None
    assert found.period_px == pytest.approx(period, rel=0.005)
    away = np.abs(found.over(whole(height, width)) - true)
    assert np.quantile(away, 0.99) < 2 + grain
    borders = np.abs(np.diff(true[..., 0], axis=1)) > 20  # a tile's border lies within its pixel
    assert (
        np.mean(np.abs(np.diff(found.over(whole(height, width))[..., 0], axis=1))[borders] > 10)
        > 0.97
    )


def test_before_something_busy_nothing_goes_by_itself_and_what_is_picked_goes():
    random = np.random.default_rng(11)
    patches = random.integers(20, 236, (5, 6, 3))
    patches[0, 0], patches[0, 1], patches[1, :2] = (200, 180, 150), (20, 90, 200), (20, 90, 200)
    rgb = np.kron(patches, np.ones((60, 64, 1)))[:HEIGHT, :WIDTH].astype(np.float32)
    picture = with_block(add_grain(rgb, random, 1.0))
    facts = measure_sheet(picture)
    assert facts.is_busy
    assert (facts.pockets.listed, facts.nature) == ((), "opaque")
    assert (cut_out(picture, facts, Plan()).render_whole()[..., 3] == 255).all()
    alpha = cut_out(picture, facts, Plan(reach=ReachPlan(picks=(Pick(70, 9),)))).render_whole()[
        ..., 3
    ]
    assert (alpha[66:114, 4:116] == 0).all()
    assert (alpha[130:] == 255).all()
    asked = measure_sheet(picture, GroundPlan(kind="flat"))
    assert not asked.is_busy
