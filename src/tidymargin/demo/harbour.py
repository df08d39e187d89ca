"""The harbour of Skerrow at dusk, on which the demo's scene lies."""

import numpy as np
from numpy.typing import NDArray

from tidymargin.demo.drawing import Drawing, mix_over
from tidymargin.demo.grounds import add_grain

CARD_PX = (1748, 1240)
"""Width and height of A6 at 300 dots to the inch."""

_SKY = ((0.0, "#34406B"), (0.35, "#6E5A73"), (0.7, "#C27F6B"), (1.0, "#E8B57E"))
_SEA = ((0.0, "#8F7580"), (0.3, "#6B5F78"), (1.0, "#2B3454"))
_SHORE = 0.63  # of the height: where the sea begins
_HILLS, _TOWER, _LIGHT = "#27304F", "#1D2440", "#FFE0A0"


def _blend_stops(stops: tuple[tuple[float, str], ...], count: int) -> NDArray[np.float64]:
    at = np.linspace(0, 1, count)
    colours = np.array([[int(code[k : k + 2], 16) for k in (1, 3, 5)] for _, code in stops])
    return np.stack([np.interp(at, [share for share, _ in stops], colours[:, k]) for k in range(3)], 1)  # fmt: skip


def draw_harbour(width: int, height: int) -> NDArray[np.uint8]:
    """Return the harbour at dusk, (height, width, 3) uint8: sky, hills, a lighthouse and still water."""
    rng = np.random.default_rng([1926, 16])
    shore = round(height * _SHORE)
    rows = np.concatenate([_blend_stops(_SKY, shore), _blend_stops(_SEA, height - shore)])
    ground = np.repeat(rows[:, None], width, axis=1)
    # the last light, low over the water on the right
    y, x = np.mgrid[:height, :width]
    glow = np.exp(-(((x - 0.68 * width) / (0.34 * width)) ** 2 + ((y - shore) / (0.26 * height)) ** 2))  # fmt: skip
    ground += glow[..., None] * np.array([38.0, 26, 4])
    d = Drawing(height, width, 4)
    hills, tower, light, wave = (d.colour(code) for code in (_HILLS, _TOWER, _LIGHT, "#A58C8E"))
    for first, last, high in ((0.0, 0.36, 0.075), (0.26, 0.62, 0.05), (0.52, 0.80, 0.035)):
        along = np.linspace(0, 1, 60)
        ridge = np.sin(np.pi * along) * (1 + 0.25 * np.sin(7 * along + 9 * high))
        line = [(width * (first + (last - first) * a), shore - height * high * r) for a, r in zip(along, ridge, strict=True)]  # fmt: skip
        d.polygon([*line, (width * last, float(shore)), (width * first, float(shore))], hills)
    left, top = width * 0.845, height * 0.40
    d.polygon([(left, float(shore)), (left + width * 0.008, top), (left + width * 0.032, top), (left + width * 0.04, float(shore))], tower)  # fmt: skip
    d.rounded(left + width * 0.003, top - height * 0.045, left + width * 0.037, top, 2, tower)
    d.ellipse(left + width * 0.02, top - height * 0.022, width * 0.008, light)
    d.polygon([(left + width * 0.001, top - height * 0.045), (left + width * 0.02, top - height * 0.085), (left + width * 0.039, top - height * 0.045)], tower)  # fmt: skip
    for _ in range(26):
        at = rng.uniform(shore + 0.03 * height, height * 0.98)
        begins, long = rng.uniform(-0.05, 0.95) * width, rng.uniform(0.05, 0.16) * width
        d.stroke([(begins, at), (begins + long, at)], max(1.0, height * 0.0012), wave)
    drawn = d.render()
    return add_grain(mix_over(drawn, ground), rng, 1.2)
