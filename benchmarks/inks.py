"""The benchmark's own inks: signatures, pencil and a stamp."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from tidymargin.demo.drawing import Drawing
from tidymargin.demo.inks import press, sign

Random = np.random.Generator
Rgba = NDArray[np.float32]


def signature(size: int, random: Random, *, light: bool = False) -> Rgba:
    """Draw a blue signature of 3 to 6 px."""
    d = Drawing(size, size, 8)
    box = (size * 0.1, size * 0.3, size * 0.88, size * 0.7)
    sign(d, random, d.colour("#F2E9D0" if light else "#1E2F80"), max(3.0, size / 220), box)
    return press(d.render(), random, lightest=0.55, grain=0.08)


def pen(size: int, random: Random, *, light: bool = False) -> Rgba:
    """Draw a black signature of thin lines under light pressure."""
    d = Drawing(size, size, 8)
    box = (size * 0.12, size * 0.25, size * 0.9, size * 0.75)
    sign(d, random, d.colour("#E9F0F4" if light else "#17181C"), max(2.2, size / 300), box)
    return press(d.render(), random, lightest=0.45, grain=0.05, patch_px=40)


def stamp(size: int, random: Random, *, light: bool = False) -> Rgba:
    """Draw a red stamp that took ink unevenly."""
    d = Drawing(size, size, 8)
    red = d.colour("#F0C8B8" if light else "#A81E2C")
    c = size / 2
    d.ring(c, c, size * 0.38, size * 0.02, red)
    d.ring(c, c, size * 0.34, size * 0.006, red)
    d.text("PORT", size * 0.26, size * 0.48, size * 0.15, size * 0.02, red)
    d.text("1926", size * 0.26, size * 0.68, size * 0.13, size * 0.014, red)
    return press(d.render(), random, lightest=0.5, grain=0.25, patch_px=14)


INKS: tuple[Callable[..., Rgba], ...] = (signature, pen, stamp)
