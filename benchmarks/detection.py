"""Whether ground and nature are told rightly, over made pictures of every hard condition."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from benchmarks.figures import FIGURES
from benchmarks.inks import INKS
from tidymargin.core.facts import measure_sheet
from tidymargin.demo.drawing import Drawing, mix_over
from tidymargin.demo.grounds import add_grain, make_checker, make_paper, make_screen
from tidymargin.demo.truth import encode_picture
from tidymargin.formats.decode import decode_picture

Random = np.random.Generator
Rgb = NDArray[np.float32]
Rgba = NDArray[np.float32]

EACH = 11
SIZES = (300, 420, 600, 800, 1100, 1500)
LARGEST = 3464  # 12 megapixels
_HUES = ("#3E9B4F", "#2F57A8", "#B5348C", "#D96B1F", "#1FA3A3", "#6B3FB5")


@dataclass(frozen=True, slots=True)
class Condition:
    """A hard condition: how its ground is made, what is laid on it, and what should be told."""

    name: str
    kind: str
    make: Callable[[int, Random], Rgb]
    place: Callable[[Rgba], Rgba] = lambda figure: figure
    only: str = ""
    quality: tuple[int, int] = (80, 95)
    grain: float = 1.0


@dataclass(frozen=True, slots=True)
class Told:
    """What was told of one picture."""

    condition: str
    name: str
    size: int
    expected: tuple[str, str]
    found: tuple[str, str]
    is_right: bool


def _grey(random: Random, low: int, high: int) -> str:
    return "#" + f"{int(random.integers(low, high)):02X}" * 3


def _paper(size: int, random: Random, **options: object) -> Rgb:
    tint = str(random.choice(["#F4EBD6", "#FAF8F2", "#E9E4DA", "#F7F0DC"]))
    chosen: dict[str, object] = {
        "code": tint,
        "darker": float(random.uniform(0.15, 0.3)),
        **options,
    }
    return make_paper(size, size, random, **chosen)  # type: ignore[arg-type]


def _checker(size: int, random: Random, period: float, tones: tuple[str, str]) -> Rgb:
    phase = (float(random.uniform(0, 40)), float(random.uniform(0, 40)))
    return make_checker(size, size, period=period, phase=phase, tones=tones)


def _common(random: Random) -> tuple[str, str]:
    return ("#FFFFFF", str(random.choice(["#CCCCCC", "#BFBFBF", "#E5E5E5"])))


def _greys(random: Random) -> tuple[str, str]:
    return (_grey(random, 150, 240), _grey(random, 30, 120))


def _to_side(figure: Rgba) -> Rgba:
    """Push a figure over the left edge."""
    return np.roll(figure, -figure.shape[1] // 6, axis=1) * _left_of(figure, 5 / 6)


def _left_of(figure: Rgba, share: float) -> Rgba:
    mask = np.zeros(figure.shape, np.float32)
    mask[:, : int(figure.shape[1] * share)] = 1
    return mask


def _with_block(figure: Rgba, rows: float, cols: float) -> Rgba:
    out = figure.copy()
    out[: int(figure.shape[0] * rows), : int(figure.shape[1] * cols)] = (38, 34, 40, 1)
    return out


def _photo(size: int, random: Random) -> Rgb:
    import cv2

    coarse = random.uniform(0, 255, (size // 24 + 2, size // 24 + 2, 3)).astype(np.float32)
    busy = cv2.resize(coarse, (size, size), interpolation=cv2.INTER_CUBIC)
    return np.clip(busy + random.standard_normal((size, size, 1)) * 8, 0, 255).astype(np.float32)


CONDITIONS = (
    Condition("flat white", "flat", lambda s, _: np.full((s, s, 3), 255, np.float32), grain=0),
    Condition("flat colour", "flat", lambda s, r: np.full((s, s, 3), r.uniform(0, 255, 3), np.float32), grain=0, quality=(70, 95)),
    Condition("paper, lamp shadow 20 to 50 %", "paper", lambda s, r: _paper(s, r, darker=float(r.uniform(0.2, 0.5)))),
    Condition("paper, vignette 10 to 35 %", "paper", lambda s, r: _paper(s, r, vignette=float(r.uniform(0.1, 0.35)))),
    Condition("paper, fold", "paper", lambda s, r: _paper(s, r, fold=True)),
    Condition("paper, dark figure over half", "paper", _paper, lambda f: _with_block(f, 1.0, 0.55), "opaque"),
    Condition("paper, figure over one edge", "paper", _paper, _to_side),
    Condition("paper, ground at two edges only", "paper", _paper, lambda f: _with_block(_with_block(f, 1.0, 0.3), 0.3, 1.0), "opaque"),
    Condition("checker, 5 to 30 px, not whole", "checker", lambda s, r: _checker(s, r, float(r.uniform(5, min(30, s / 20))), _common(r)), quality=(85, 95)),
    Condition("checker, JPEG 60 to 80", "checker", lambda s, r: _checker(s, r, float(r.choice([8, 10, 12, 16])), _common(r)), quality=(60, 80)),
    Condition("checker, any two greys", "checker", lambda s, r: _checker(s, r, float(r.uniform(6, 20)), _greys(r))),
    Condition("checker, grey and white in the figure", "checker", lambda s, r: _checker(s, r, float(r.uniform(6, 20)), ("#FFFFFF", "#CCCCCC")), only="card"),
    Condition("screen, any hue, uneven 10 to 35 %", "screen", lambda s, r: make_screen(s, s, r, code=str(r.choice(_HUES)), uneven=float(r.uniform(0.1, 0.35))), grain=2),
    Condition("screen, 6 creases", "screen", lambda s, r: make_screen(s, s, r, code=str(r.choice(_HUES[:2])), creases=6), grain=2.5),
    Condition("busy photo", "busy", _photo),
)  # fmt: skip


def _figure(size: int, number: int, only: str, random: Random) -> tuple[str, str, Rgba]:
    if only in ("", "ink") and number % 3 == 2:
        ink = INKS[number // 3 % len(INKS)]
        return ink.__name__, "ink", ink(size, random)
    named = [f for f in FIGURES if f.__name__ == only] or list(FIGURES)
    drawing = Drawing(size, size, 8 if size < 1200 else 3)
    figure = named[number % len(named)]
    figure(drawing, random)
    return figure.__name__, "opaque", drawing.render()


def tell_all() -> Iterator[Told]:
    """Make every picture and say what was told of it."""
    for place, condition in enumerate(CONDITIONS):
        for number in range(EACH):
            random = np.random.default_rng([20264, place, number])
            size = LARGEST if number == EACH - 1 and place % 4 == 0 else SIZES[number % len(SIZES)]
            name, nature, figure = _figure(size, number + place, condition.only, random)
            ground = condition.make(size, random)
            mixed = mix_over(condition.place(figure), ground)
            quality = int(random.integers(*condition.quality))
            encoded = encode_picture(add_grain(mixed, random, condition.grain), "jpg", quality)
            facts = measure_sheet(decode_picture(encoded).picture)
            found = ("busy" if facts.is_busy else facts.ground.kind, facts.nature)
            expected = (condition.kind, nature)
            right = found[0] == "busy" if condition.kind == "busy" else found == expected
            yield Told(condition.name, name, size, expected, found, right)
