"""Steadying rims: noise averages out along an outline; corners and thin strokes stay what they are."""

import cv2
import numpy as np
import pytest

from benchmarks.score import score_cut
from tidymargin.core.cut import cut_out
from tidymargin.core.facts import measure_sheet
from tidymargin.core.rim.steady import _PLACES, STEADY_PX, steady_share
from tidymargin.demo.drawing import Drawing, mix_over, to_true_cut
from tidymargin.demo.grounds import add_grain, make_screen
from tidymargin.demo.truth import encode_picture
from tidymargin.formats.decode import decode_picture

HALO = STEADY_PX
SPREAD = 0.12


def matte_of(shape):
    d = Drawing(80, 80, 8)
    label = d.colour("#000000")
    if shape == "disc":
        d.ellipse(40, 40, 27, label)
    elif shape == "edge":
        d.polygon([(-5, 21), (85, 47), (85, 90), (-5, 90)], label)
    elif shape == "corner":
        d.polygon([(30, 30), (90, 30), (90, 90), (30, 90)], label)
    else:
        d.stroke([(0, 20), (80, 61)], 1.6, label)
    return d.render()[..., 3].astype(np.float32)


def steadied(matte, doubt):
    return steady_share(matte, doubt.astype(np.float32), 1.0)


@pytest.mark.parametrize("shape", ["disc", "edge"])
def test_noise_along_an_outline_is_halved_and_more(shape):
    true = matte_of(shape)
    rim = (true > 0) & (true < 1)
    noise = SPREAD * np.random.default_rng(4).standard_normal(true.shape)
    noisy = np.where(rim, np.clip(true + noise, 0, 1), true).astype(np.float32)
    found = steadied(noisy, np.where(rim, SPREAD**2, 0))
    inner = (slice(HALO, -HALO),) * 2
    before = np.abs(noisy - true)[inner][rim[inner]].mean()
    assert np.abs(found - true[inner])[rim[inner]].mean() < 0.5 * before


def steady_slowly(share, doubt, row, col):
    """Return one steadied share: the edge of the window's mean and moments, refined by least squares."""
    down, right = np.mgrid[-4:5, -4:5]
    away = down**2 + right**2
    weight = np.where(away <= 17, np.exp(-away / 8), 0)
    weight /= weight.sum()
    near = share[row - 4 : row + 5, col - 4 : col + 5].astype(float)
    trust = 1 / (doubt[row - 4 : row + 5, col - 4 : col + 5].astype(float) + 1e-4)
    mean, moments = (weight * near).sum(), [(weight * near * d).sum() for d in (down, right)]
    if np.hypot(*moments) < 0.1 or not 0.005 < mean < 0.995:
        return share[row, col]
    i, j = moments / np.hypot(*moments)
    place = np.interp(mean, np.linspace(0, 1, len(_PLACES)), _PLACES)
    across, along = down * i + right * j, right * i - down * j
    steep = np.exp(-((across + place) ** 2) / (2 * 1.6**2))
    over = near - np.clip(0.5 + across + place, 0, 1)
    rows = 0.33 * steep[..., None] * np.stack([np.ones_like(along), along, along**2 / 2], axis=-1)
    power = (weight * steep * trust)[..., None] * rows
    held = np.diag([1e-9, 1e-9, 36.0])  # a bend of 1 / 6 px at most is likely
    both = np.tensordot(power, rows, ((0, 1), (0, 1))) + held
    step, turn, bend = np.linalg.solve(both, (power * over[..., None]).sum(axis=(0, 1)))
    place += np.clip(step, -1.5, 1.5)
    edge = np.clip(0.5 + across + place + along * turn + along**2 / 2 * bend, 0, 1)
    left = (weight * (near - edge) ** 2 * trust).sum()
    fitted = np.clip(0.5 + place, 0, 1)
    return share[row, col] + (fitted - share[row, col]) / (1 + (left / 5) ** 2)


@pytest.mark.parametrize("shape", ["disc", "edge", "corner", "stroke"])
def test_shares_are_steadied_as_least_squares_would(shape):
    random = np.random.default_rng(6)
    true = matte_of(shape)
    near = np.ones((3, 3), np.uint8)
    rim = (cv2.dilate(true, near) > 0) & (cv2.erode(true, near) < 1)
    doubt = np.where(rim, random.uniform(0.002, 0.03, true.shape), 0)
    noisy = np.clip(true + np.sqrt(doubt) * random.standard_normal(true.shape), 0, 1)
    noisy = noisy.astype(np.float32)
    found = steadied(noisy, doubt)
    places = np.argwhere(doubt[HALO:-HALO, HALO:-HALO] > 0)
    slow = [steady_slowly(noisy, doubt, row + HALO, col + HALO) for row, col in places]
    away = np.abs(found[tuple(places.T)] - slow)
    assert len(places) > 50
    assert away.max() < 0.02  # the weight across the edge is worked out by squaring
    assert away.mean() < 0.002


@pytest.mark.parametrize("shape", ["disc", "edge", "corner", "stroke"])
def test_what_is_known_well_is_left_alone(shape):
    true = matte_of(shape)
    found = steadied(true, np.where((true > 0) & (true < 1), 1e-5, 0))
    assert np.abs(found - true[HALO:-HALO, HALO:-HALO]).max() < 0.08


def test_where_nothing_is_in_doubt_nothing_changes():
    true = matte_of("disc")
    np.testing.assert_array_equal(steadied(true, np.zeros_like(true)), true[HALO:-HALO, HALO:-HALO])


def test_a_gap_of_two_pixels_between_pale_things_shows_no_screen():
    random = np.random.default_rng(5)
    d = Drawing(200, 300, 4)
    pale = d.colour("#F1ECE0")
    for x in np.arange(60, 240, 9.3):
        d.stroke([(x, 80), (x + 5, 120)], 7.3, pale)
    figure = d.render()
    cloth = make_screen(200, 300, random, code="#2F57A8", creases=1)
    shot = encode_picture(add_grain(mix_over(figure, cloth), random, 1.0), "jpg", 90)
    picture = decode_picture(shot).picture
    found = cut_out(picture, measure_sheet(picture)).render_whole()
    solid = found[found[..., 3] > 200]
    assert len(solid) > 5_000
    assert (solid[:, 2].astype(int) - solid[:, 0] > 40).mean() < 0.002
    assert score_cut(found, to_true_cut(figure)).rim < 2.0
