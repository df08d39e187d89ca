"""A grey line along a screen, told from half of a white figure by chroma that coding has blurred."""

import cv2
import numpy as np
import pytest

from tests.core.test_slivers import halve_chroma
from tidymargin.core.own_shades import OWN_SHADES_HALO_PX, find_own_shades

PALE, GREY, BLUE = (241, 236, 224), (168, 165, 156), (46, 85, 166)
OWN = np.array([PALE, GREY], np.float32)
LUMA = np.array([0.299, 0.587, 0.114])
SIZE = 96


def lay_edge(line_px):
    """A pale figure below a slanting edge of a blue screen, with a grey line along it or half a pixel of rim.

    Returns the coded picture, the screen, the matte and colour that luma alone gives, and the line or rim.
    """
    rows, cols = np.mgrid[:SIZE, :SIZE]
    away = (rows - 0.4 * cols - 30) / np.hypot(1, 0.4)  # pixels below the edge
    rgb = np.where((away > 0)[..., None], np.array(PALE), np.array(BLUE)).astype(float)
    if line_px:
        asked = (away > 0) & (away <= line_px)
        rgb[asked] = GREY
    else:
        asked = (away > 0) & (away <= 2.0)  # a soft rim: half of the figure, as light as the grey
        part = (np.array(GREY) @ LUMA - np.array(BLUE) @ LUMA) / ((np.array(PALE) - BLUE) @ LUMA)
        rgb[asked] = part * np.array(PALE) + (1 - part) * np.array(BLUE)
    coded = halve_chroma(np.rint(rgb).astype(np.uint8))
    ground = np.full(rgb.shape, BLUE, np.float32)
    share = np.clip(((coded - ground) @ LUMA) / ((np.array(PALE) - BLUE) @ LUMA), 0, 1)
    figure = np.broadcast_to(np.array(PALE, np.float32), rgb.shape)
    return coded, ground, share.astype(np.float32), np.ascontiguousarray(figure), asked


@pytest.mark.parametrize("line_px", [1.2, 2.0, 3.0])
def test_a_grey_line_along_the_edge_is_the_figures_own(line_px):
    rgb, ground, share, figure, line = lay_edge(line_px)
    found = find_own_shades(rgb, ground, share, figure, (0, 0), OWN)
    inner = np.s_[6:-6, 6:-6]
    assert found[inner][line[inner]].mean() > 0.9
    assert not found[~line].any()


def test_half_of_the_figure_is_a_mixture_however_grey_its_luma():
    rgb, ground, share, figure, rim = lay_edge(0)
    assert abs(float(np.median(rgb[rim] @ LUMA)) - np.array(GREY) @ LUMA) < 3
    assert not find_own_shades(rgb, ground, share, figure, (0, 0), OWN).any()


def test_a_single_place_is_no_line():
    rgb, ground, share, figure, line = lay_edge(3.0)
    row, col = np.argwhere(line[20:-20, 20:-20])[40] + 20
    lone = np.where(
        line & ~(np.mgrid[:SIZE, :SIZE] == np.reshape((row, col), (2, 1, 1))).all(0), 1, share
    )
    found = find_own_shades(rgb, ground, share, figure, (0, 0), OWN)
    assert found[row, col]
    alone = find_own_shades(rgb, ground, lone.astype(np.float32), figure, (0, 0), OWN)
    assert not alone.any()


def test_without_such_a_colour_nothing_is_asked():
    rgb, ground, share, figure, _ = lay_edge(2.0)
    assert not find_own_shades(rgb, ground, share, figure, (0, 0), OWN[:1]).any()
    assert not find_own_shades(rgb, ground, share, figure, (0, 0), OWN[:0]).any()


def test_a_region_is_as_the_crop_of_the_whole():
    rgb, ground, share, figure, _ = lay_edge(2.0)
    rgb = cv2.add(rgb, np.random.default_rng(5).integers(0, 5, rgb.shape, np.uint8))
    whole = find_own_shades(rgb, ground, share, figure, (0, 0), OWN)
    far = OWN_SHADES_HALO_PX
    top, left, side = 30, 22, 40
    wide = np.s_[top - far : top + side + far, left - far : left + side + far]
    part = find_own_shades(
        rgb, ground, share[wide].copy(), figure[wide].copy(), (top - far, left - far), OWN
    )
    assert whole.any()
    assert np.array_equal(part[far:-far, far:-far], whole[top : top + side, left : left + side])
