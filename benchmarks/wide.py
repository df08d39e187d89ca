"""Pictures as they come from elsewhere, with true cuts, for fitting and nothing else: wider than `families`, and rougher.

Rendered things with their shadows, cut-out pieces, cartoons that are soft or small, stickers with rims of the ground's own
colour, handwriting and print; by lamps, over folds, out of phones that sharpen, through JPEG 50 to 95. Every picture is
made from its number alone. A *family* is what is left out at a time: a shape of rendered things, a package of icons or fonts.
"""

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from benchmarks.families import (
    HANDS,
    ICONS,
    LINES,
    TYPES,
    Made,
    Rgba,
    cast_shade,
    draw_grey,
    draw_icon,
    draw_line_art,
    draw_pen,
    draw_pencil,
    draw_printed,
    draw_solid,
    draw_stamp,
    smooth_noise,
)
from benchmarks.rendered import SHAPES, render_thing
from tidymargin.demo.grounds import add_grain, make_checker, make_paper, make_screen
from tidymargin.demo.truth import encode_picture
from tidymargin.formats.decode import decode_picture

INKS = ("#1D2A5E", "#141414", "#3B2A1E", "#7A1420", "#0F4C4A", "#2B2B60", "#C0392B", "#5A3A78")
_PALE = (
    (255, 255, 255),
    (255, 255, 255),
    (250, 248, 242),
    (240, 240, 240),
    (228, 228, 230),
    (244, 236, 220),
)
_STRONG = (
    (244, 196, 48),
    (232, 213, 224),
    (60, 120, 170),
    (20, 22, 26),
    (10, 10, 10),
    (190, 60, 50),
    (130, 140, 120),
)


def draw_piece(random: np.random.Generator, side: int) -> Rgba:
    """Return a piece cut out of a coloured print, or several."""
    alpha = np.zeros((side, side), np.uint8)
    step = side // int(random.integers(1, 4))
    for y in range(step // 2, side, step):
        for x in range(step // 2, side, step):
            count = int(random.integers(4, 14))
            around = np.linspace(0, 2 * np.pi, count, endpoint=False) + random.uniform(0, 1)
            far = step * random.uniform(0.22, 0.46, count)
            places = np.stack([x + far * np.cos(around), y + far * np.sin(around)], axis=1)
            cv2.fillPoly(alpha, [np.round(16 * places).astype(np.int32)], 255, cv2.LINE_AA, 4)
    rgb = np.zeros((side, side, 3), np.float32)
    for cell in (2.0, 6.0, 25.0, side / 3):
        rgb += np.dstack([smooth_noise(random, side, cell) for _ in range(3)]) * np.sqrt(cell)
    rgb = (rgb - rgb.min()) / max(1e-3, float(np.ptp(rgb)))
    low, high = np.sort(random.uniform(0, 255, (2, 3)), axis=0)
    return np.dstack([low + rgb * (high - low), alpha]).astype(np.float32)


def draw_sticker(random: np.random.Generator, side: int, family: str) -> Rgba:
    """Return an icon with a white rim of even width around it."""
    inner = int(side * 0.84)
    drawn = np.zeros((side, side, 4), np.float32)
    at = (side - inner) // 2
    drawn[at : at + inner, at : at + inner] = draw_icon(family, random, inner, "#303030")
    wide = max(2, int(side * random.uniform(0.015, 0.06)))
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * wide + 1, 2 * wide + 1))
    rim = np.asarray(cv2.GaussianBlur(cv2.dilate(drawn[..., 3], disc), (0, 0), 0.6))
    share = drawn[..., 3:] / 255
    white = np.full(3, random.choice((255.0, 252.0, 246.0)))
    return np.dstack([drawn[..., :3] * share + white * (1 - share), np.maximum(rim, drawn[..., 3])])


def make_ground(
    random: np.random.Generator, side: int, kinds: tuple[str, ...]
) -> tuple[str, NDArray[np.floating]]:
    """Return a ground's kind and its pixels."""
    kind = str(random.choice(kinds))
    if kind == "paper":
        paper = np.asarray(
            make_paper(side, side, random, vignette=float(random.uniform(0, 0.3))), np.float32
        )
        if random.random() < 0.3:  # a lamp from one side
            y, x = np.mgrid[:side, :side] / side - 0.5
            way = random.uniform(0, 2 * np.pi)
            paper *= (1 + random.uniform(0.05, 0.4) * (np.cos(way) * x + np.sin(way) * y))[
                ..., None
            ]
        if random.random() < 0.2:  # a fold
            at, deep = side * random.uniform(0.2, 0.8), random.uniform(0.03, 0.12)
            across = np.abs(np.arange(side) - at) / (side * random.uniform(0.01, 0.05))
            fold = (1 - deep * np.exp(-across)).astype(np.float32)
            paper *= fold[:, None, None] if random.random() < 0.5 else fold[None, :, None]
        return kind, np.clip(paper, 0, 255)
    if kind == "checker":
        return kind, np.asarray(
            make_checker(side, side, period=float(random.uniform(7, 18))), np.float32
        )
    if kind == "screen":
        code = ("#3E9B4F", "#2F57A8", "#B0308A")[int(random.integers(0, 3))]
        return kind, np.asarray(make_screen(side, side, random, code=code), np.float32)
    colours = _PALE if random.random() < 0.65 else _STRONG
    rgb = np.array(colours[int(random.integers(0, len(colours)))], np.float32)
    return kind, np.broadcast_to(rgb, (side, side, 3)).copy()


def soften(random: np.random.Generator, figure: Rgba, most: float) -> Rgba:
    """Return a figure as out of focus, or as enlarged from a smaller one."""
    side = len(figure)
    mixed: NDArray[Any] = figure.copy()
    mixed[..., :3] *= mixed[..., 3:] / 255
    if random.random() < 0.4:
        small = max(60, int(side / random.uniform(1.3, 3.2)))
        mixed = cv2.resize(cv2.resize(mixed, (small, small), interpolation=cv2.INTER_AREA), (side, side), interpolation=cv2.INTER_CUBIC)  # fmt: skip
    else:
        mixed = cv2.GaussianBlur(mixed, (0, 0), random.uniform(0.3, most))
    out = np.clip(np.asarray(mixed, np.float32), 0, 255)
    out[..., :3] = np.clip(out[..., :3] / np.maximum(out[..., 3:] / 255, 1e-3), 0, 255)
    return out


def take(
    random: np.random.Generator, rgb: NDArray[np.floating], *, is_photo: bool
) -> NDArray[np.uint8]:
    """Return a picture as it is taken and saved: grain, what a phone sharpens, JPEG."""
    seen = np.asarray(add_grain(np.asarray(rgb, np.float32), random, float(random.uniform(0.3, 3.0)) if is_photo else 0.0), np.float32)  # fmt: skip
    if is_photo and random.random() < 0.4:
        soft = cv2.GaussianBlur(seen, (0, 0), random.uniform(0.8, 2.0))
        seen = seen + random.uniform(0.3, 1.2) * (seen - soft)
    taken = np.clip(np.rint(seen), 0, 255).astype(np.uint8)
    if is_photo or random.random() < 0.7:
        quality = int(random.integers(50, 96))
        return np.asarray(
            decode_picture(encode_picture(taken, "jpg", quality)).picture.rgb, np.uint8
        )
    return taken


def make_wide(number: int) -> Made:
    """Return the picture of a number."""
    random = np.random.default_rng([37, number])
    side = int(random.integers(150, 520))
    which = number % 12
    nature, family, light, most_soft = "opaque", "", None, 1.0
    kinds: tuple[str, ...] = ("flat", "flat", "paper", "checker", "screen")
    code = INKS[int(random.integers(0, len(INKS)))]
    inner = int(side * random.uniform(0.72, 0.94))
    if which < 4:
        kinds = ("flat", "paper", "paper")
    kind, ground = make_ground(random, side, kinds)
    if which < 4:
        shape = SHAPES[(number // 12 * 4 + which) % len(SHAPES)]
        family = f"rendered {shape}"
        thing = render_thing(random, shape, side, np.median(ground.reshape(-1, 3), axis=0))
        figure, light = thing.rgba, thing.light
    else:
        if which == 4:
            family, drawn = "pieces", draw_piece(random, inner)
        elif which in (5, 6):
            family, most_soft = ICONS[int(random.integers(0, len(ICONS)))], 2.5
            drawn = (draw_grey if random.random() < 0.15 else draw_solid)(
                random, family, inner, code
            )
        elif which == 7:
            family = f"sticker {ICONS[int(random.integers(0, len(ICONS)))]}"
            drawn = draw_sticker(random, inner, family.removeprefix("sticker "))
        elif which == 8:
            family = (*LINES, *TYPES)[int(random.integers(0, len(LINES) + len(TYPES)))]
            drawn = (draw_line_art if family in LINES else draw_printed)(
                random, family, inner, code
            )
        else:
            nature = "ink"
            draw = (draw_pen, draw_pencil, draw_stamp)[which - 9]
            homes = (HANDS, (*ICONS, *LINES), TYPES)[which - 9]
            family = homes[int(random.integers(0, len(homes)))]
            drawn = draw(random, family, inner, code)
        if which >= 8 and kind != "flat" and code not in ("#141414",) and kind == "screen":
            drawn[..., :3] = 20.0
        figure = np.zeros((side, side, 4), np.float32)
        at = (side - inner) // 2
        figure[at : at + inner, at : at + inner] = drawn
    if random.random() < 0.6:
        figure = soften(random, figure, most_soft)
    alpha = figure[..., 3:] / 255
    if which in (4, 5, 6, 7) and kind in ("flat", "paper") and random.random() < 0.35:
        ground = ground * cast_shade(random, alpha[..., 0])
    if light is not None:
        tint = 1 + random.normal(0, 0.05, 3)  # shadows are of the sky's colour, not of the lamp's
        ground = ground * light[..., None] ** tint
    mixed = np.clip(figure[..., :3], 0, 255) * alpha + ground * (1 - alpha)
    is_photo = which < 5 or kind in ("paper", "screen")
    true = np.rint(np.clip(figure, 0, 255)).astype(np.uint8)
    return Made(family, nature, kind, take(random, mixed, is_photo=is_photo), true)


def make_plain(number: int) -> Made:
    """Return the picture of a number as a program draws one: even shapes on one colour, with hard edges or smooth ones."""
    random = np.random.default_rng([41, number])
    side, fine = int(random.integers(60, 420)), int(random.choice((1, 1, 4)))
    large = side * fine
    ground = np.array(_PALE[0] if random.random() < 0.6 else random.integers(0, 256, 3), np.float32)
    figure = np.zeros((large, large, 4), np.uint8)
    rows, cols = np.mgrid[:large, :large] / large
    for _ in range(int(random.integers(1, 6))):
        colour = random.integers(0, 256, 3)
        if np.abs(colour - ground).max() < 60:
            colour = np.where(ground > 127, ground - 100, ground + 100)
        y, x = random.uniform(0.25, 0.75, 2)
        tall, wide = random.uniform(0.06, 0.24, 2)
        if random.random() < 0.5:
            inside = ((rows - y) / tall) ** 2 + ((cols - x) / wide) ** 2 < 1
        else:
            inside = (np.abs(rows - y) < tall) & (np.abs(cols - x) < wide)
        figure[inside] = (*colour, 255)
        if random.random() < 0.3:  # a hole in it
            figure[
                ((rows - y) / tall) ** 2 + ((cols - x) / wide) ** 2 < random.uniform(0.05, 0.3)
            ] = 0
    mean = figure.astype(np.float32)
    mean[..., :3] *= mean[..., 3:] / 255
    mean = mean.reshape(side, fine, side, fine, 4).mean(axis=(1, 3))
    share = mean[..., 3:] / 255
    rgb = np.rint(mean[..., :3] + (1 - share) * ground).astype(np.uint8)
    mean[..., :3] /= np.maximum(share, 1e-3)
    return Made(
        "plain shapes", "opaque", "flat", rgb, np.rint(np.clip(mean, 0, 255)).astype(np.uint8)
    )
