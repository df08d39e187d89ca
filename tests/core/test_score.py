"""The benchmark's own measures, against what they are said to measure."""

import numpy as np
import pytest

from benchmarks.score import BACKDROPS, BAND_PX, find_rim, flood_cut, limit_cut, score_cut
from tidymargin.core.base.colour import linear_to_oklab, srgb_to_linear
from tidymargin.core.base.errors import BadImageError
from tidymargin.demo.truth import TrueCase, encode_picture, find_pocket_picks, read_case, write_case

SIZE, NAVY = 60, (29, 53, 87)


def square():
    """A navy square, 20 to 40, with half a pixel of rim at its left."""
    rgba = np.zeros((SIZE, SIZE, 4), np.uint8)
    rgba[20:40, 20:40] = (*NAVY, 255)
    rgba[20:40, 19] = (*NAVY, 128)
    return rgba


def test_the_truth_itself_has_no_fault_and_another_colour_under_nothing_is_none():
    found = square()
    found[found[..., 3] == 0] = (200, 10, 10, 0)
    score = score_cut(found, square())
    assert (score.rim, score.rim_99, score.left, score.eaten) == (0, 0, 0, 0)
    assert score.area == SIZE * SIZE


def test_the_rim_is_what_is_within_four_pixels_of_the_outline():
    rim = find_rim(square()[..., 3])
    row = np.flatnonzero(rim[30])
    assert BAND_PX == 4
    assert row.tolist() == [*range(15, 23), *range(36, 44)]
    assert not find_rim(np.zeros((9, 9), np.uint8)).any()
    assert find_rim(np.full((9, 9), 255, np.uint8))[0, 0], "the picture's end is an outline too"


def test_a_rims_fault_is_the_mean_of_what_is_seen_on_the_backdrops():
    true, found = square(), square()
    found[30, 19, 3] = 255
    rim = find_rim(true[..., 3])

    def seen(alpha, backdrop):
        mixed = np.array(NAVY) * alpha + backdrop * (1 - alpha)
        return linear_to_oklab(srgb_to_linear(mixed / 255) + 0.005)

    away = [100 * np.linalg.norm(seen(1, b) - seen(128 / 255, b)) for b in BACKDROPS]
    assert score_cut(found, true).rim == pytest.approx(np.mean(away) / rim.sum())
    assert score_cut(found, true).rim_99 == 0
    assert score_cut(true, true).rim == 0


@pytest.mark.parametrize(("away_px", "alpha", "left"), [(8, 60, 1), (8, 15, 0), (7, 60, 0)])
def test_left_behind_is_what_stands_more_than_seven_pixels_from_any_figure(away_px, alpha, left):
    found = square()
    found[30, 39 + away_px, 3] = alpha
    assert score_cut(found, square()).left == left


@pytest.mark.parametrize(("inside_px", "alpha", "eaten"), [(6, 200, 1), (6, 240, 0), (1, 0, 0)])
def test_eaten_is_what_lacks_a_tenth_well_inside(inside_px, alpha, eaten):
    found = square()
    found[30, 40 - inside_px, 3] = alpha
    assert score_cut(found, square()).eaten == eaten


def test_without_noise_the_limit_is_the_truth_to_a_level_and_a_flood_is_what_it_cleared():
    true = square()
    ground = np.full((SIZE, SIZE, 3), 240.0)
    share = true[..., 3:] / 255
    mixed = true[..., :3] * share + ground * (1 - share)
    rgb = np.rint(mixed).astype(np.uint8)
    limit = limit_cut(rgb, true, ground)
    rim = find_rim(true[..., 3])
    assert np.abs(limit[..., 3].astype(int) - true[..., 3])[rim].max() <= 1
    assert (limit[..., :3][rim] == NAVY).all()
    assert np.array_equal(limit[~rim], true[~rim])
    levels = np.where(true[..., 3] > 0, 90, 2).astype(np.uint8)
    hard = flood_cut(rgb, levels, 5, soft=False)
    assert np.array_equal(hard[..., 3] > 0, true[..., 3] > 0)
    soft = flood_cut(rgb, levels, 5, soft=True)[..., 3]
    assert soft[30, 30] == 255
    assert 0 < soft[30, 20] < 255


def test_a_truth_folder_is_read_as_it_was_written_and_a_bad_one_refused(tmp_path):
    rgb = np.full((SIZE, SIZE, 3), 255, np.uint8)
    true = square()
    true[26:34, 26:34, 3] = 0  # closed in
    true[..., :3][true[..., 3] == 0] = 0
    picks = find_pocket_picks(true[..., 3])
    assert len(picks) == 1
    assert all(26 <= at < 34 for at in picks[0])
    case = TrueCase("square", encode_picture(rgb, "png"), "png", true, "paper", "ink", picks)
    write_case(case, tmp_path)
    read = read_case(tmp_path / "square")
    assert np.array_equal(read.true_rgba, true)
    told = (read.name, read.suffix, read.ground, read.nature, read.picks)
    assert told == ("square", "png", "paper", "ink", picks)
    assert read.encoded == case.encoded
    (tmp_path / "square" / "true.png").write_bytes(case.encoded)  # no alpha in it
    with pytest.raises(BadImageError, match=r"true\.png"):
        read_case(tmp_path / "square")
