"""The almanac's hand-made sheets: a signature, a knot chart, a lighthouse, a bell and a feather."""

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.demo.drawing import Drawing, Points
from tidymargin.demo.inks import press, sign

Random = np.random.Generator
Rgba = NDArray[np.float32]


def draw_signature(width: int, random: Random) -> Rgba:
    """Draw the harbour master's signature in blue-black ink."""
    height = round(width * 0.62)
    d = Drawing(height, width, 4)
    box = (width * 0.16, height * 0.34, width * 0.84, height * 0.66)
    sign(d, random, d.colour("#1B2B5E"), width * 0.0042, box)
    return press(d.render(), random, lightest=0.5, grain=0.08, patch_px=width / 40)


def _rope(turns: int, x: float, y: float, size: float, over: float) -> Points:
    t = np.linspace(0, 2 * np.pi, 160)
    r = size * (0.72 + 0.28 * np.cos(turns * t))
    return [(float(x + a * np.cos(over * b)), float(y + a * np.sin(over * b))) for a, b in zip(r, t, strict=True)]  # fmt: skip


def draw_knot_chart(width: int, random: Random) -> Rgba:
    """Draw six knots in black ink, each with its number."""
    height = round(width * 1.25)
    d = Drawing(height, width, 4)
    ink = d.colour("#1A1A1E")
    line = width * 0.0034
    for number in range(6):
        x = width * (0.36 + 0.40 * (number % 2))
        y = height * (0.18 + 0.29 * (number // 2))
        for wide in (0.0, 0.018):
            d.stroke(_rope(3 + number % 3, x, y, width * (0.13 - wide), 2.0), line, ink, True)
        d.text(f"{number + 1}", x - width * 0.012, y + width * 0.185, width * 0.04, line, ink)
    return press(d.render(), random, lightest=0.6, grain=0.06, patch_px=width / 30)


def add_pad_traces(picture: NDArray[np.floating], random: Random) -> NDArray[np.floating]:
    """Lay a pad's punched holes along the left edge of a picture, and dust over it."""
    height, width = picture.shape[:2]
    d = Drawing(height, width, 2)
    hole, dust = d.colour("#3B3D40"), d.colour("#6A665E")
    for y in np.linspace(height * 0.04, height * 0.96, 23):
        d.ellipse(width * 0.045, float(y), width * 0.011, hole)
    for _ in range(40):
        at = (float(random.uniform(0, width)), float(random.uniform(0, height)))
        d.ellipse(*at, float(random.uniform(0.5, 1.1)), dust)
    traces = d.render()
    return picture * (1 - traces[..., 3:]) + traces[..., :3] * traces[..., 3:]


def draw_lighthouse(width: int, random: Random) -> Rgba:
    """Draw a lighthouse in hatched pencil."""
    height = round(width * 1.3)
    d = Drawing(height, width, 4)
    lead = d.colour("#3A3B3F")
    w, h, line = float(width), float(height), width * 0.0026
    outline: Points = [(0.40, 0.80), (0.44, 0.30), (0.56, 0.30), (0.60, 0.80)]
    d.stroke([(x * w, y * h) for x, y in outline], line * 1.4, lead, True)
    d.stroke([(0.42 * w, 0.30 * h), (0.58 * w, 0.30 * h)], line * 2, lead)
    d.stroke([(0.45 * w, 0.30 * h), (0.45 * w, 0.23 * h), (0.5 * w, 0.18 * h), (0.55 * w, 0.23 * h), (0.55 * w, 0.30 * h)], line * 1.3, lead)  # fmt: skip
    for y in np.arange(0.305, 0.80, 0.008):  # the shaded side, hatched
        half = 0.06 + 0.04 * (y - 0.30) / 0.5
        jitter = random.uniform(-0.004, 0.004, 2)
        d.stroke([((0.505 + jitter[0]) * w, (y + 0.006) * h), ((0.5 + half + jitter[1]) * w, y * h)], line * 0.8, lead)  # fmt: skip
    for band in (0.42, 0.58, 0.72):
        d.stroke([((0.44 - 0.08 * (band - 0.3)) * w, band * h), ((0.56 + 0.08 * (band - 0.3)) * w, band * h)], line, lead)  # fmt: skip
    x = np.linspace(0.16, 0.84, 260)
    for lift in (0.80, 0.825, 0.85):
        y = lift + 0.006 * np.sin(2 * np.pi * (9 * x + lift * 40)) + random.uniform(-0.002, 0.002, 260)  # fmt: skip
        d.stroke([(float(a * w), float(b * h)) for a, b in zip(x, y, strict=True)], line, lead)
    return press(d.render(), random, lightest=0.3, grain=0.35, patch_px=width / 60)


def draw_bell(width: int) -> Rgba:
    """Draw a brass bell, shaded as a body of revolution, with an edge of a pixel."""
    height = width
    y, x = (np.mgrid[0:height, 0:width].astype(np.float32) + 0.5) / width
    profile = np.interp(y, [0.2, 0.24, 0.3, 0.42, 0.6, 0.7, 0.74, 0.76], [0.0, 0.1, 0.14, 0.16, 0.2, 0.27, 0.29, 0.0])  # fmt: skip
    across = np.abs(x - 0.5)
    body = np.clip((profile - across) * width + 0.5, 0, 1)
    ring = np.clip((0.018 - np.abs(np.hypot(x - 0.5, (y - 0.165)) - 0.045)) * width + 0.5, 0, 1)
    clapper = np.clip((0.035 - np.hypot(x - 0.5, y - 0.785)) * width + 0.5, 0, 1)
    turn = np.clip((x - 0.5) / np.maximum(profile, 1e-3), -1, 1)
    light = 0.35 + 0.5 * np.cos(np.arcsin(turn) + 0.6) ** 2
    light += 0.5 * np.exp(-(((turn + 0.45) / 0.12) ** 2))
    light *= 1 - 0.25 * np.exp(-(((y - 0.66) / 0.012) ** 2)) - 0.25 * np.exp(-(((y - 0.32) / 0.01) ** 2))  # fmt: skip
    brass = np.array([222.0, 170.0, 72.0])
    colour = np.clip(brass * light[..., None] + 40 * np.clip(light - 0.9, 0, 1)[..., None], 18, 252)
    dark = ((clapper > 0) & (body == 0)) | ((ring > 0) & (body == 0))
    colour[dark] = (126, 92, 40)
    alpha = np.maximum(np.maximum(body, ring), clapper)
    rgba = np.dstack([colour, alpha]).astype(np.float32)
    rgba[alpha == 0] = 0
    return rgba


def cast_spill(figure: Rgba, screen_rgb: tuple[int, int, int], reach_px: float) -> Rgba:
    """Return the figure with some of a screen's light on it, most along its outline."""
    solid = (figure[..., 3] > 0.5).astype(np.uint8)
    inside = np.asarray(cv2.distanceTransform(solid, cv2.DIST_L2, 5))
    cast = 0.06 + 0.22 * np.exp(-inside / reach_px)
    out = figure.copy()
    tint = np.array(screen_rgb, np.float32)
    out[..., :3] = figure[..., :3] * (1 - cast[..., None]) + tint * cast[..., None]
    return out


def draw_feather(width: int, random: Random) -> Rgba:
    """Draw a gull's feather: a shaft and barbs of two pixels, some of them apart."""
    height = round(width * 0.6)
    d = Drawing(height, width, 4)
    pale, grey, shaft = d.colour("#F1ECE0"), d.colour("#A9A59C"), d.colour("#6E675B")
    t = np.linspace(0, 1, 60)
    spine = np.stack([width * (0.1 + 0.8 * t), height * (0.62 - 0.30 * t + 0.12 * t**2)], axis=1)
    for number, place in enumerate(np.linspace(0.16, 0.99, round(width / 4.2))):
        at = spine[min(59, int(place * 59))]
        long = height * 0.20 * np.sin(np.pi * min(1.0, place * 1.02)) ** 0.6
        for side in (-1, 1):
            lean = 0.9 + 0.12 * random.standard_normal()
            tip = at + long * random.uniform(0.85, 1.0) * np.array([0.75 * lean, side * (0.72 - 0.2 * place)])  # fmt: skip
            bend = at + 0.55 * (tip - at) + np.array([0, side * height * 0.012])
            line: Points = [(float(p[0]), float(p[1])) for p in (at, bend, tip)]
            d.stroke(line, max(2.0, width / 640), grey if number % 7 == 0 or place > 0.8 else pale)
    d.stroke([(float(p[0]), float(p[1])) for p in spine], width * 0.006, shaft)
    return d.render()
