"""The pictures of the guide: sheets of the almanac, smaller, and three more, drawn when somebody opens one."""

from collections.abc import Callable
from functools import cache

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.demo.almanac import NAVY, VERMILION, WHITE, make_almanac
from tidymargin.demo.drawing import Drawing, mix_over
from tidymargin.demo.grounds import add_grain
from tidymargin.demo.sketches import Rgba, draw_bell
from tidymargin.demo.truth import encode_picture

SCALE = 0.4
SIDE_PX = 640


def _draw_gull() -> Drawing:
    """Draw a white gull with an even outline, as on a page of stickers; between its legs the page shows."""
    d, s = Drawing(SIDE_PX, SIDE_PX, 8), float(SIDE_PX)
    navy, white, beak = d.colour(NAVY), d.colour(WHITE), d.colour(VERMILION)
    for foot in (0.42, 0.58):
        d.stroke([(s * 0.5, s * 0.66), (s * foot, s * 0.9)], s * 0.028, beak)
    d.stroke([(s * 0.36, s * 0.9), (s * 0.64, s * 0.9)], s * 0.028, beak)
    for grown, label in ((0.022, navy), (0.0, white)):
        d.ellipse(s * 0.5, s * 0.52, s * (0.27 + grown), label, s * (0.18 + grown))
        d.ellipse(s * 0.66, s * 0.3, s * (0.13 + grown), label, s * (0.13 + grown))
    d.polygon([(s * 0.78, s * 0.28), (s * 0.93, s * 0.33), (s * 0.78, s * 0.36)], beak)
    d.ellipse(s * 0.69, s * 0.27, s * 0.022, navy)
    d.stroke([(s * 0.34, s * 0.5), (s * 0.46, s * 0.58), (s * 0.6, s * 0.5)], s * 0.022, navy)
    return d


def _draw_bell_in_light() -> NDArray[np.uint8]:
    """Return the bell on a pale table, with its shadow to the right."""
    bell = draw_bell(SIDE_PX)
    shade = np.roll(bell[..., 3], (int(0.02 * SIDE_PX), int(0.05 * SIDE_PX)), (0, 1))
    soft = cv2.GaussianBlur(shade, (0, 0), 0.02 * SIDE_PX)[..., None]
    table = np.full((SIDE_PX, SIDE_PX, 3), (243.0, 242.0, 239.0)) * (1 - 0.28 * soft)
    return add_grain(mix_over(bell, table), np.random.default_rng([1926, 31]), 1.0)


def _draw_bell_before_lights() -> NDArray[np.uint8]:
    """Return the bell before a quay full of lights, far out of focus: no even colour anywhere."""
    random = np.random.default_rng([1926, 32])
    spots = random.uniform(20, 235, (9, 9, 3)) * random.choice([0.35, 0.7, 1.0], (9, 9, 1))
    lights = cv2.resize(spots, (SIDE_PX, SIDE_PX), interpolation=cv2.INTER_CUBIC)
    return add_grain(mix_over(draw_bell(SIDE_PX), np.clip(lights, 0, 255)), random, 1.0)


def _lay_on_white(figure: Rgba) -> NDArray[np.uint8]:
    white = np.full((*figure.shape[:2], 3), 255.0)
    return np.asarray(np.rint(mix_over(figure, white)), np.uint8)


_OWN: dict[str, Callable[[], NDArray[np.uint8]]] = {
    "gull": lambda: _lay_on_white(_draw_gull().render()),
    "bell-in-light": _draw_bell_in_light,
    "bell-before-lights": _draw_bell_before_lights,
}


@cache
def draw_for_guide(name: str) -> tuple[bytes, str]:
    """Return a picture of the guide as a file, and the file's name."""
    if name in _OWN:
        return encode_picture(_OWN[name](), "png", 90), f"{name}.png"
    (case,) = make_almanac(SCALE, [name])
    return case.encoded, f"{name}.{case.suffix}"
