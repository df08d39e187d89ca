"""Ink: drawn lines whose matte carries pressure and grain."""

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.demo.drawing import Drawing, Points

Random = np.random.Generator


def press(
    figure: NDArray[np.float32],
    random: Random,
    *,
    lightest: float,
    grain: float,
    patch_px: float = 24.0,
) -> NDArray[np.float32]:
    """Thin a drawn figure out as a pen or pencil does.

    Parameters
    ----------
    figure : (H, W, 4) ndarray of float32
        Colour 0 to 255, alpha 0 to 1. Not modified.
    random : Generator
        Where it is pressed hard.
    lightest : float
        Alpha of the lightest touch, 0 to 1; the hardest is 1.
    grain : float
        How much the paper's tooth takes away, 0 to 1.
    patch_px : float
        How far one pressure reaches.

    Returns
    -------
    (H, W, 4) ndarray of float32
        Same colours, alpha at most as before.
    """
    height, width = figure.shape[:2]
    rough = random.standard_normal((height, width)).astype(np.float32)
    wave = np.asarray(cv2.GaussianBlur(rough, (0, 0), patch_px), np.float32)
    wave = np.clip(0.5 + 0.45 * wave / max(1e-6, float(wave.std())), 0, 1)
    tooth = np.abs(cv2.GaussianBlur(random.standard_normal((height, width)), (0, 0), 0.8))
    kept = (lightest + (1 - lightest) * wave) * np.clip(1 - grain * tooth, 0, 1)
    out = figure.copy()
    out[..., 3] *= kept.astype(np.float32)
    return out


def wander(
    random: Random, x0: float, x1: float, y: float, height: float, loops: int
) -> list[tuple[Points, float]]:
    """Return a signature's line from x0 to x1 as short pieces with their relative widths."""
    t = np.linspace(0, 1, 60 * loops)
    lift = sum(
        random.uniform(0.3, 1) / k * np.sin(2 * np.pi * (k * loops * t + random.random()))
        for k in (1, 2)
    )
    sway = 0.45 / loops * np.cos(2 * np.pi * (loops * t + random.random()))
    xs = x0 + (x1 - x0) * np.clip(t + sway, -0.05, 1.05)
    ys = y - height / 2 * np.asarray(lift) * (1 - 0.5 * t)
    wide = 1 + 0.5 * np.sin(2 * np.pi * (loops * t + random.random()))
    return [
        ([(float(a), float(b)), (float(c), float(d))], float(w))
        for a, b, c, d, w in zip(xs[:-1], ys[:-1], xs[1:], ys[1:], wide[:-1], strict=True)
    ]


def sign(
    drawing: Drawing,
    random: Random,
    label: int,
    width_px: float,
    box: tuple[float, float, float, float],
) -> None:
    """Draw a signature between x0, x1 and y0, y1 of `box`, with a line under it."""
    x0, y0, x1, y1 = box
    tall = y1 - y0
    for piece, wide in wander(random, x0, x1, y0 + 0.5 * tall, tall * 0.8, 7):
        drawing.stroke(piece, width_px * wide, label)
    drawing.stroke([(x0 + 0.2 * (x1 - x0), y1), (x1, y1 - 0.1 * tall)], width_px * 0.8, label)
