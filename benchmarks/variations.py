"""Variations of pictures: whatever a picture was made into, it is reported on and cut, or refused in words.

Every variation is made from a picture and a number alone, so that one that fails can be looked at again.
"""

import io
import traceback
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from tidymargin.core.base.errors import DomainError
from tidymargin.formats.decode import decode_picture
from tidymargin.formats.recipe import Recipe
from tidymargin.services.picture.keying import cut_by
from tidymargin.services.picture.reporting import report_picture

_LEAST_SIDE_PX = 8
_MOST_SIDE_PX = 420
_SUFFIXES = (".png", ".jpg")

Rgb = NDArray[np.uint8]


def _crop(rgb: Rgb, random: np.random.Generator) -> Rgb:
    height, width = (
        int(np.exp(random.uniform(np.log(min(_LEAST_SIDE_PX, side)), np.log(side)))) for side in rgb.shape[:2]
    )  # fmt: skip
    top = int(random.integers(0, rgb.shape[0] - height + 1))
    left = int(random.integers(0, rgb.shape[1] - width + 1))
    return rgb[top : top + height, left : left + width]


def _turn(rgb: Rgb, random: np.random.Generator) -> Rgb:
    height, width = rgb.shape[:2]
    middle = (width / 2, height / 2)
    turn = cv2.getRotationMatrix2D(middle, random.uniform(0, 360), random.uniform(0.7, 1.3))
    mode = (cv2.BORDER_REPLICATE, cv2.BORDER_CONSTANT, cv2.BORDER_REFLECT)[random.integers(0, 3)]
    return np.asarray(cv2.warpAffine(rgb, turn, (width, height), borderMode=mode), np.uint8)


def _resample(rgb: Rgb, random: np.random.Generator) -> Rgb:
    size = [max(1, int(side * random.uniform(0.1, 1.5))) for side in rgb.shape[1::-1]]
    how = (cv2.INTER_NEAREST, cv2.INTER_LINEAR, cv2.INTER_AREA, cv2.INTER_CUBIC)
    return np.asarray(cv2.resize(rgb, size, interpolation=how[random.integers(0, 4)]), np.uint8)


def _grey(rgb: Rgb, random: np.random.Generator) -> Rgb:
    return np.repeat(np.asarray(cv2.cvtColor(rgb, cv2.COLOR_RGB2GRAY))[..., None], 3, axis=2)


def _one_colour(rgb: Rgb, random: np.random.Generator) -> Rgb:
    return np.broadcast_to(rgb[rgb.shape[0] // 2, rgb.shape[1] // 2], rgb.shape).copy()


def _one_line(rgb: Rgb, random: np.random.Generator) -> Rgb:
    out = _one_colour(rgb, random)
    ends = random.integers(-10, max(rgb.shape) + 10, (2, 2))
    colour = [int(v) for v in random.integers(0, 256, 3)]
    thick = int(random.integers(1, 6))
    cv2.line(out, [int(v) for v in ends[0]], [int(v) for v in ends[1]], colour, thick, cv2.LINE_AA)
    return out


def _noise(rgb: Rgb, random: np.random.Generator) -> Rgb:
    return np.clip(rgb + random.normal(0, random.uniform(0, 40), rgb.shape), 0, 255).astype(np.uint8)  # fmt: skip


_CHANGES = (_crop, _crop, _turn, _resample, _grey, _one_colour, _one_line, _noise)


def _encode(rgb: Rgb, random: np.random.Generator) -> bytes:
    """Return the file: colours, a palette, one bit, 16 bits or an alpha of its own; with loss or without."""
    kind = random.integers(0, 6)
    image = Image.fromarray(np.ascontiguousarray(rgb))
    out = io.BytesIO()
    if kind == 0:
        image.quantize(int(random.integers(2, 257))).save(out, "PNG")
    elif kind == 1:
        image.convert("1").save(out, "PNG")
    elif kind == 2:
        wide = np.asarray(image.convert("L")).astype(np.uint16) * 257
        Image.fromarray(wide).save(out, "PNG")
    elif kind == 3:
        alpha = cv2.resize(random.integers(0, 256, (3, 3), np.uint8), image.size)
        cut = np.where(alpha < 90, 0, np.where(alpha > 160, 255, alpha)).astype(np.uint8)
        image.putalpha(Image.fromarray(cut))
        image.save(out, "PNG")
    else:
        suffix, options = ("PNG", {}) if kind == 4 else ("JPEG", {"quality": int(random.integers(5, 100))})  # fmt: skip
        image.save(out, suffix, **options)
    return out.getvalue()


def make_variation(rgb: Rgb, seed: tuple[int, ...]) -> bytes:
    """Return a picture file that is made of a picture, (H, W, 3) uint8, by up to three changes."""
    random = np.random.default_rng(seed)
    scale = _MOST_SIDE_PX / max(rgb.shape)
    if scale < 1:
        size = [max(1, round(side * scale)) for side in rgb.shape[1::-1]]
        rgb = np.asarray(cv2.resize(rgb, size, interpolation=cv2.INTER_AREA), np.uint8)
    for change in random.integers(0, len(_CHANGES), random.integers(1, 4)):
        rgb = _CHANGES[change](rgb, random)
    return _encode(rgb, random)


def try_one(data: bytes) -> str:
    """Report on a picture file and cut it; return what went wrong, or nothing."""
    try:
        picture = decode_picture(data).picture
        recipe = Recipe()
        report_picture(picture, recipe)
        cut = cut_by(recipe, picture).render_whole()
    except DomainError:
        return ""
    except Exception:  # noqa: BLE001 - whatever it is, it is what is looked for
        return traceback.format_exc()
    right = cut.shape == (picture.height, picture.width, 4)
    return "" if right else f"a cut of {cut.shape} for {picture.height} x {picture.width}"


@dataclass(frozen=True, slots=True)
class Wrong:
    """A variation that failed."""

    place: Path
    number: int
    why: str


def _try_all_of(place: Path, numbers: Sequence[int]) -> list[Wrong]:
    rgb = decode_picture(place.read_bytes()).picture.rgb
    tried = ((number, try_one(make_variation(rgb, (20, number)))) for number in numbers)
    return [Wrong(place, number, why) for number, why in tried if why]


def main(count: int, folders: Sequence[Path]) -> bool:
    """Try so many variations of the pictures below some folders and say what came of them."""
    places = sorted(p for f in folders for p in f.rglob("*") if p.suffix in _SUFFIXES and p.name != "true.png")  # fmt: skip
    each = [range(start, count, len(places)) for start in range(len(places))]
    with ProcessPoolExecutor(2) as pool:
        wrong = [one for found in pool.map(_try_all_of, places, each) for one in found]
    for one in wrong:
        print(f"{one.place}, variation {one.number}:\n{one.why}")
    print(f"{count} variations of {len(places)} pictures: {len(wrong)} failed")
    return not wrong
