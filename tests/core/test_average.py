"""Averaging down: what a cell shows is the mean of what lies in it, wherever the grid begins."""

import numpy as np
import pytest

from tidymargin.core.base.average import Grid, average_down, average_rgb


def average_slowly(rgb, top, left, down, across, row, col):
    """The mean of one cell, from shares of pixels."""
    height, width = rgb.shape[:2]
    y, x = np.arange(height), np.arange(width)
    tall = np.clip(
        np.minimum(y + 1, top + (row + 1) * down) - np.maximum(y, top + row * down), 0, 1
    )
    wide = np.clip(
        np.minimum(x + 1, left + (col + 1) * across) - np.maximum(x, left + col * across), 0, 1
    )
    weight = tall[:, None] * wide
    return (rgb * weight[..., None]).sum(axis=(0, 1)) / weight.sum()


@pytest.mark.parametrize(
    ("size", "grid", "top", "left", "cell"),
    [
        ((90, 131), (9, 13), 0.0, 0.0, None),
        ((90, 131), (90, 131), 0.0, 0.0, None),
        ((300, 200), (70, 33), 11.5, 20.25, (3.3, 4.7)),
        ((64, 64), (5, 5), 40.0, 50.0, (7.0, 7.0)),
    ],
)
def test_cells_are_means(size, grid, top, left, cell):
    random = np.random.default_rng(4)
    rgb = random.integers(0, 256, (*size, 3), dtype=np.uint8)
    down, across = cell or (size[0] / grid[0], size[1] / grid[1])
    found = average_rgb(rgb, *grid, top=top, left=left, cell=cell)
    assert found.shape == (*grid, 3)
    for _ in range(40):
        row = int(random.integers(0, min(grid[0], (size[0] - top) // down)))
        col = int(random.integers(0, min(grid[1], (size[1] - left) // across)))
        true = average_slowly(rgb, top, left, down, across, row, col)
        assert np.abs(found[row, col] - true).max() <= 0.51


def test_a_solid_picture_comes_out_alike_by_both():
    rgb = np.random.default_rng(5).integers(0, 256, (120, 170, 3), dtype=np.uint8)
    rgba = np.dstack([rgb, np.full(rgb.shape[:2], 255, np.uint8)])
    weighed = average_down(rgba, Grid(3.5, 8.0, 4.4, 20, 30))
    plain = average_rgb(rgb, 20, 30, top=3.5, left=8.0, cell=(4.4, 4.4))
    assert np.abs(weighed[..., :3].astype(int) - plain).max() <= 1
    assert (weighed[..., 3] == 255).all()
