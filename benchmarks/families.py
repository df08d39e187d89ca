"""Small pictures of many families, drawn on what the registries ship, for fitting and for nothing else.

`fetch` brings icon sets and fonts into a folder of the cache; nothing of them is committed or shipped. Every picture is
made from its number alone. A *family* is one package: whoever fits leaves one out at a time.
"""

import io
import json
import math
import subprocess
import sys
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from tidymargin.core.base.colour import LUMA
from tidymargin.demo.grounds import add_grain, make_checker, make_paper, make_screen
from tidymargin.demo.truth import encode_picture
from tidymargin.formats.decode import decode_picture

FOLDER = Path(__file__).parents[1] / ".cache" / "families"
ICONS = ("noto", "noto-v1", "twemoji", "flat-color-icons", "fxemoji")  # coloured in: opaque
LINES = ("tabler", "ph", "mdi")  # one even colour: opaque by convention, or shaded: ink
HANDS = ("kalam", "shadows-into-light", "reenie-beanie", "sacramento", "great-vibes", "nothing-you-could-do")  # fmt: skip
TYPES = ("lora", "inter", "oswald", "merriweather")
_WORDS = (
    "Skerrow",
    "Harbour",
    "tide 1926",
    "gull & tern",
    "North Pier",
    "low water",
    "Almanac",
    "buoy 7",
)
_INKS = ("#1D2A5E", "#141414", "#3B2A1E", "#7A1420", "#0F4C4A", "#2B2B60", "#5A3A78")

_OWN_COLOUR = 0.3  # of even grounds behind coloured things, that have about one of their colours
_SHADED = 0.35  # of the things that can stand on a ground

Rgba = NDArray[np.floating]


def fetch() -> None:
    """Bring the packages in; it wants npm, and takes a quarter of a minute."""
    FOLDER.mkdir(parents=True, exist_ok=True)
    names = [f"@iconify-json/{n}" for n in (*ICONS, *LINES)]
    names += [f"@fontsource/{n}" for n in (*HANDS, *TYPES)]
    (FOLDER / "package.json").write_text('{"private": true}')
    npm = ["npm", "install", "--no-package-lock", "--no-audit", "--no-fund", "--ignore-scripts"]
    subprocess.run([*npm, *names], cwd=FOLDER, check=True)
    uv = [str(Path(sys.executable).parent / "uv"), "pip", "install", "-q", "--no-deps"]
    subprocess.run([*uv, "--target", str(FOLDER / "python"), "resvg-py"], check=True)


@dataclass(frozen=True, slots=True, eq=False)
class Made:
    """One picture, with the package that its figure is from, what it is, and its true cut, straight RGBA."""

    family: str
    nature: str
    ground: str
    rgb: NDArray[np.uint8]
    true_rgba: NDArray[np.uint8]


@cache
def _load_icons(name: str) -> list[tuple[str, int, int]]:
    """Return every icon of a set: its SVG's body, its width and height."""
    said = json.loads((FOLDER / f"node_modules/@iconify-json/{name}/icons.json").read_text())
    width, height = said.get("width", 16), said.get("height", 16)
    icons = [said["icons"][key] for key in sorted(said["icons"])]
    return [(i["body"], i.get("width", width), i.get("height", height)) for i in icons]


def draw_icon(name: str, random: np.random.Generator, side: int, colour: str) -> Rgba:
    """Return an icon in the middle of a square, (side, side, 4), 0 to 255."""
    if str(FOLDER / "python") not in sys.path:
        sys.path.insert(0, str(FOLDER / "python"))
    import resvg_py

    icons = _load_icons(name)
    body, width, height = icons[int(random.integers(0, len(icons)))]
    body = body.replace("currentColor", colour)
    svg = f'<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" viewBox="0 0 {width} {height}" width="{side}" height="{side}">{body}</svg>'
    data = resvg_py.svg_to_bytes(svg_string=svg)
    with Image.open(io.BytesIO(bytes(data))) as image:
        return np.asarray(image.convert("RGBA").resize((side, side)), np.float32)


def _draw_words(
    name: str, random: np.random.Generator, side: int, size: int
) -> NDArray[np.floating]:
    """Return the alpha of some words, (side, side), 0 to 1, drawn four times as large."""
    files = sorted((FOLDER / f"node_modules/@fontsource/{name}/files").glob(f"{name}-latin-[1-9]00-normal.woff2"))  # fmt: skip
    font = ImageFont.truetype(str(files[int(random.integers(0, len(files)))]), 2 * size)
    sheet = Image.new("L", (2 * side, 2 * side))
    draw = ImageDraw.Draw(sheet)
    y = 0.2 * side
    while y < 1.9 * side - 2 * size:
        words = " ".join(_WORDS[int(n)] for n in random.integers(0, len(_WORDS), 1 + side // (4 * size)))  # fmt: skip
        draw.text((0.15 * side + random.uniform(0, 20), y), words, fill=255, font=font)
        y += 2 * size * random.uniform(1.2, 1.8)
    return np.asarray(sheet.resize((side, side), Image.Resampling.BOX), np.float32) / 255


def smooth_noise(random: np.random.Generator, side: int, cell: float) -> NDArray[np.floating]:
    """Return noise of about that size, (side, side), 0 to 1."""
    count = max(2, round(side / cell))
    rough = random.uniform(0, 1, (count, count)).astype(np.float32)
    return np.clip(cv2.resize(rough, (side, side), interpolation=cv2.INTER_CUBIC), 0, 1)


def _of_colour(alpha: NDArray[np.floating], code: str) -> Rgba:
    rgb = np.array([int(code[at : at + 2], 16) for at in (1, 3, 5)], np.float32)
    return np.dstack([np.broadcast_to(rgb, (*alpha.shape, 3)), 255 * alpha]).astype(np.float32)


def draw_pen(random: np.random.Generator, family: str, side: int, code: str) -> Rgba:
    """Write by hand, with pressure that changes along the strokes, and within them."""
    alpha = _draw_words(family, random, side, int(random.integers(28, 90)))
    depth = cv2.GaussianBlur(alpha, (0, 0), random.uniform(0.8, 2.5))
    along = smooth_noise(random, side, random.uniform(12, 60))
    least = random.uniform(0.25, 0.75)
    pressure = least + (1 - least) * along
    if random.random() < 0.5:
        pressure = pressure * (0.7 + 0.3 * depth)
    if random.random() < 0.4:
        pressure = pressure * (1 - random.uniform(0.1, 0.4) * smooth_noise(random, side, 2.0))
    return _of_colour(np.clip(alpha * pressure, 0, 1), code)


def draw_pencil(random: np.random.Generator, family: str, side: int, code: str) -> Rgba:
    """Shade a drawing: a coloured picture's darkness as density, with the grain of paper in it."""
    drawn = draw_icon(family, random, side, "#202020")
    light = drawn[..., :3] @ LUMA.astype(np.float32) / 255
    dense = (1.05 - light) * drawn[..., 3] / 255
    dense *= 1 - random.uniform(0.1, 0.6) * smooth_noise(random, side, random.uniform(1.3, 3))
    dense = np.asarray(cv2.GaussianBlur(dense, (0, 0), random.uniform(0.5, 1.2)))
    return _of_colour(np.clip(random.uniform(0.7, 1.1) * dense, 0, 1).astype(np.float32), code)


def draw_stamp(random: np.random.Generator, family: str, side: int, code: str) -> Rgba:
    """Draw lettering in a ring, with ink that took unevenly."""
    alpha = _draw_words(family, random, side, int(random.integers(30, 80)))
    ring = np.zeros((side, side), np.uint8)
    cv2.circle(ring, (side // 2, side // 2), int(0.46 * side), 255, max(3, side // 50), cv2.LINE_AA)
    alpha = np.maximum(alpha, ring / np.float32(255))
    took = np.clip(
        1.6 * smooth_noise(random, side, random.uniform(3, 12)) + random.uniform(-0.1, 0.4),
        0.15,
        1,
    )
    return _of_colour((alpha * took).astype(np.float32), code)


def draw_solid(random: np.random.Generator, family: str, side: int, _: str) -> Rgba:
    """Draw a coloured-in icon."""
    return draw_icon(family, random, side, "#303030")


def draw_grey(random: np.random.Generator, family: str, side: int, _: str) -> Rgba:
    """Draw a coloured-in icon without its colours, as a cartoon in greys."""
    drawn = draw_icon(family, random, side, "#303030")
    light = drawn[..., :3] @ LUMA.astype(np.float32)
    return np.dstack([np.repeat(light[..., None], 3, axis=2), drawn[..., 3]]).astype(np.float32)


def draw_line_art(random: np.random.Generator, family: str, side: int, code: str) -> Rgba:
    """Draw a one-coloured icon."""
    return draw_icon(family, random, side, code)


def draw_printed(random: np.random.Generator, family: str, side: int, code: str) -> Rgba:
    """Set a few lines of print, small and large."""
    size = round(
        math.exp(random.uniform(math.log(9), math.log(90)))
    )  # as much small print as large
    return _of_colour(_draw_words(family, random, side, size), code)


def _object(random: np.random.Generator, family: str, side: int, _: str) -> Rgba:
    """Draw a shaded thing of its own texture, with the outline of an icon, or several round ones."""
    if random.random() < 0.5:
        alpha = draw_icon(family, random, side, "#000000")[..., 3] / 255
        wide = np.asarray(cv2.dilate(alpha, np.ones((side // 25,) * 2)))
        alpha = np.asarray(cv2.GaussianBlur(wide, (0, 0), 0.7))
    else:
        round_ones = np.zeros((side, side), np.uint8)
        step = side // int(random.integers(2, 5))
        for x in range(step // 2, side, step):
            for y in range(step // 2, side, step):
                size = (
                    int(step * random.uniform(0.25, 0.42)),
                    int(step * random.uniform(0.25, 0.42)),
                )
                cv2.ellipse(
                    round_ones, (x, y), size, random.uniform(0, 90), 0, 360, 255, -1, cv2.LINE_AA
                )
        alpha = round_ones / np.float32(255)
    deep = cv2.GaussianBlur(alpha, (0, 0), side / 25)
    light = np.clip(0.35 + 0.65 * deep + 0.25 * np.gradient(deep, axis=1) * side / 25, 0.1, 1)
    base = (
        random.uniform(40, 245, 3) if random.random() < 0.5 else np.full(3, random.uniform(60, 240))
    )
    texture = 1 + random.uniform(0, 0.35) * (smooth_noise(random, side, random.uniform(2, 8)) - 0.5)
    rgb = np.clip(base * light[..., None] * texture[..., None], 0, 255)
    return np.dstack([rgb, 255 * alpha]).astype(np.float32)


_Draw = Callable[[np.random.Generator, str, int, str], Rgba]
_KINDS: tuple[tuple[_Draw, tuple[str, ...], str, bool], ...] = (
    (draw_solid, ICONS, "opaque", False),
    (draw_solid, ICONS, "opaque", False),
    (draw_grey, ICONS, "opaque", False),
    (_object, LINES, "opaque", False),
    (_object, LINES, "opaque", False),
    (draw_line_art, LINES, "opaque", True),
    (draw_printed, TYPES, "opaque", True),
    (draw_pen, HANDS, "ink", True),
    (draw_pen, HANDS, "ink", True),
    (draw_pencil, (*ICONS, *LINES), "ink", True),
    (draw_stamp, TYPES, "ink", True),
)  # what draws, on which families, as what, and whether it may not be pale on white


def _make_ground(random: np.random.Generator, side: int, *, is_dark: bool) -> tuple[str, NDArray[np.floating], str, float]:  # fmt: skip
    """Return a ground's kind, its pixels, how it is saved, and its grain."""
    which = random.random()
    if which < 0.42:
        codes = ("#FFFFFF", "#FFFFFF", "#FAF8F2", "#F4C430", "#E8D5E0", "#C8B090", "#D8D8D8")
        code = "#101418" if is_dark else codes[int(random.integers(0, len(codes)))]
        rgb = np.array([int(code[at : at + 2], 16) for at in (1, 3, 5)], np.float32)
        ground = np.broadcast_to(rgb, (side, side, 3)).copy()
        return "flat", ground, "png" if random.random() < 0.35 else "jpg", 0.0
    if which < 0.74:
        paper = make_paper(side, side, random, vignette=float(random.uniform(0, 0.2)))
        return "paper", np.asarray(paper, np.float32), "jpg", float(random.uniform(0.4, 1.6))
    if which < 0.87:
        period = float(random.uniform(7, 18))
        return (
            "checker",
            np.asarray(make_checker(side, side, period=period), np.float32),
            "jpg",
            0.0,
        )
    code = ("#3E9B4F", "#2F57A8", "#B0308A")[int(random.integers(0, 3))]
    return "screen", np.asarray(make_screen(side, side, random, code=code), np.float32), "jpg", 1.5


def cast_shade(random: np.random.Generator, alpha: NDArray[np.floating]) -> NDArray[np.floating]:
    """Return what a soft shadow beside a figure leaves of the ground's light, (h, w, 1), 0 to 1."""
    side = len(alpha)
    reach = int(side * random.uniform(0.01, 0.06))
    moved = np.roll(alpha, (int(random.integers(0, reach + 1)), int(random.integers(-reach, reach + 1))), axis=(0, 1))  # fmt: skip
    soft = cv2.GaussianBlur(moved, (0, 0), side * random.uniform(0.01, 0.05))
    return 1 - random.uniform(0.1, 0.5) * np.asarray(soft, np.float32)[..., None]


def make_picture(number: int) -> Made:
    """Return the picture of a number."""
    random = np.random.default_rng([31, number])
    draw, families, nature, is_drawn = _KINDS[number % len(_KINDS)]
    family = families[int(random.integers(0, len(families)))]
    side = int(random.integers(220, 560))
    is_dark = bool(random.random() < 0.12)
    kind, ground, suffix, grain = _make_ground(random, side, is_dark=is_dark)
    code = "#F4F4F4" if is_dark and is_drawn else _INKS[int(random.integers(0, len(_INKS)))]
    if kind == "screen" and is_drawn:
        code = ("#141414", "#F4F4F4")[int(random.integers(0, 2))]
    inner = int(side * random.uniform(0.7, 0.92))
    figure = np.zeros((side, side, 4), np.float32)
    top, left = ((side - inner) // 2,) * 2
    figure[top : top + inner, left : left + inner] = draw(random, family, inner, code)
    if kind == "flat" and not is_drawn and random.random() < _OWN_COLOUR:
        solid = figure[figure[..., 3] > 250][:, :3]
        if len(solid):
            own = solid[int(random.integers(0, len(solid)))] + random.normal(
                0, random.choice((0.0, 3.0)), 3
            )
            ground = np.broadcast_to(np.clip(own, 0, 255).astype(np.float32), ground.shape).copy()
    if random.random() < 0.5:
        figure[..., :3] *= figure[..., 3:] / 255
        figure = np.asarray(cv2.GaussianBlur(figure, (0, 0), random.uniform(0.3, 1.0)), np.float32)
        figure[..., :3] /= np.maximum(figure[..., 3:] / 255, 1e-3)
    alpha = figure[..., 3:] / 255
    if kind != "checker" and not is_drawn and random.random() < _SHADED:
        ground = ground * cast_shade(random, alpha[..., 0])
    mixed = np.clip(figure[..., :3], 0, 255) * alpha + ground * (1 - alpha)
    rgb = add_grain(mixed.astype(np.float32), random, grain)
    if suffix == "jpg":
        quality = int(random.integers(78, 96))
        rgb = decode_picture(encode_picture(np.asarray(rgb, np.uint8), "jpg", quality)).picture.rgb
    true = np.rint(np.clip(figure, 0, 255)).astype(np.uint8)
    return Made(family, nature, kind, np.asarray(rgb, np.uint8), true)
