"""Pages that one ink fills to their border, drawn with their true cut, and how many are told so.

``python -m benchmarks.filled COUNT [PHOTO ...]``: so many of each kind; then photos, which have to be told busy.
"""

import sys
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.picture import Picture
from tidymargin.core.cut import cut_out
from tidymargin.core.facts import measure_sheet
from tidymargin.core.ground.detect import detect_ground
from tidymargin.formats.decode import decode_picture

Mask = NDArray[np.uint8]
Chance = np.random.Generator

_PAPERS = ((238, 226, 190), (245, 240, 228), (225, 208, 165), (250, 248, 240), (214, 196, 150))
_INKS = ((30, 28, 26), (60, 45, 35), (25, 30, 80), (70, 20, 20), (20, 20, 20))
_FACES = (cv2.FONT_HERSHEY_COMPLEX, cv2.FONT_HERSHEY_TRIPLEX, cv2.FONT_HERSHEY_SIMPLEX)


def _write(ink: Mask, text: str, left: float, base: float, size: float, line: int, face: int = 4) -> None:  # fmt: skip
    cv2.putText(ink, text, (int(left), int(base)), face, size, 255, line, cv2.LINE_AA)


def _soft(chance: Chance, height: int, width: int, sigma: float) -> NDArray[np.float32]:
    found = cv2.GaussianBlur(chance.normal(0, 1, (height, width)), (0, 0), sigma)
    return np.asarray(found / max(float(np.abs(found).max()), 1e-6), np.float32)


def draw_puzzle(chance: Chance, ink: Mask) -> None:
    """Draw squares across all of the page, some black, most with a letter."""
    height, width = ink.shape
    count = int(chance.integers(9, 19))
    side = max(height, width) / count
    down, across = chance.uniform(-0.5, 0.5, 2) * side
    for row in range(-1, count + 2):
        y = int(down + row * side)
        cv2.line(ink, (0, y), (width, y), 255, int(chance.integers(1, 3)), cv2.LINE_AA)
        for col in range(-1, count + 2):
            x = int(across + col * side)
            cv2.line(ink, (x, 0), (x, height), 255, 1, cv2.LINE_AA)
            if chance.random() < 0.18:
                cv2.rectangle(ink, (x, y), (int(x + side), int(y + side)), 255, -1)
            elif chance.random() < 0.6:
                letter = chr(65 + int(chance.integers(26)))
                _write(ink, letter, x + side / 4, y + 0.8 * side, side / 40, max(1, int(side / 25)))


def draw_engraving(chance: Chance, ink: Mask) -> None:
    """Draw hatching whose lines swell with a soft tone, crossed where it is dark."""
    height, width = ink.shape
    rows, cols = np.mgrid[:height, :width].astype(np.float32)
    tone = (1 + _soft(chance, height, width, min(height, width) / 10)) / 2
    bend = 20 * _soft(chance, height, width, min(height, width) / 6)
    period, turn = chance.uniform(5, 12), chance.uniform(0, np.pi)
    for number, least in enumerate((-0.05, 0.45)[: 1 + int(chance.random() < 0.6)]):
        angle = turn + number * np.pi / 2
        place = (cols * np.cos(angle) + rows * np.sin(angle) + bend) / period
        away = 2 * np.abs(place % 1 - 0.5)
        line = np.clip((0.8 * (tone - least) - away) * period / 1.5 + 0.5, 0, 1)
        np.maximum(ink, (255 * line).astype(np.uint8), out=ink)


def draw_columns(chance: Chance, ink: Mask) -> None:
    """Draw columns of print that go on beyond the page."""
    height, width = ink.shape
    size, count = float(chance.uniform(0.35, 0.9)), int(chance.integers(1, 4))
    letters = list("abcdefghijklmnopqrstuvwxyz    ABCDE")
    for number in range(count):
        for base in range(0, height + 40, int(size * 30) + 4):
            text = "".join(chance.choice(letters, int(width / count / (size * 18)) + 1))
            _write(ink, text, number * width / count - 6, base, size, 1, _FACES[number])


def draw_map(chance: Chance, ink: Mask) -> None:
    """Draw winding lines that run over the border, with names."""
    height, width = ink.shape
    for _ in range(int(chance.integers(25, 70))):
        steps = chance.normal(0, min(height, width) / 12, (12, 2))
        places = np.cumsum(steps, axis=0) + chance.uniform(0, 1, 2) * (width, height)
        cv2.polylines(ink, [places.astype(np.int32)], False, 255, int(chance.integers(1, 4)), cv2.LINE_AA)  # fmt: skip
    for _ in range(20):
        _write(ink, "Skerrow", chance.uniform(-30, width), chance.uniform(0, height), 0.7, 1)


KINDS: dict[str, Callable[[Chance, Mask], None]] = {
    "puzzle": draw_puzzle, "engraving": draw_engraving, "columns": draw_columns, "map": draw_map,
}  # fmt: skip


def make_page(kind: str, number: int) -> tuple[NDArray[np.uint8], NDArray[np.float32]]:
    """Return a page, (h, w, 3) uint8, and its true alpha, (h, w) float32."""
    chance = np.random.default_rng([number, len(kind)])
    height, width = (int(side) for side in chance.integers(300, 1100, 2))
    ink = np.zeros((height, width), np.uint8)
    KINDS[kind](chance, ink)
    soft = cv2.GaussianBlur(ink.astype(np.float32) / 255, (0, 0), chance.uniform(0.3, 1.0))
    alpha = np.asarray(soft) * chance.uniform(0.75, 1)
    rows, cols = np.mgrid[:height, :width] / np.array((height, width))[:, None, None]
    down, across = chance.uniform(0, 1, 2)
    lamp = 1 - chance.uniform(0, 0.35) * ((rows - down) ** 2 + (cols - across) ** 2)
    lamp = lamp + chance.uniform(0, 0.1) * _soft(chance, height, width, min(height, width) / 8)
    paper = np.array(_PAPERS[chance.integers(5)]) * lamp[..., None]
    stroke = np.array(_INKS[chance.integers(5)], np.float64)
    away = alpha[..., None].astype(np.float64)
    mixed = (1 - away) * (paper / 255) ** 2.2 + away * (stroke / 255) ** 2.2
    grain = cv2.GaussianBlur(chance.normal(0, 1, (height, width)), (0, 0), 0.6)
    grain = chance.uniform(0, 3.5) * grain / grain.std()
    rgb = np.clip(255 * mixed ** (1 / 2.2) + grain[..., None] + 0.5, 0, 255).astype(np.uint8)
    if chance.random() < 0.8:
        quality = [cv2.IMWRITE_JPEG_QUALITY, int(chance.integers(55, 95))]
        rgb = np.asarray(cv2.imdecode(cv2.imencode(".jpg", rgb, quality)[1], cv2.IMREAD_COLOR))
    return np.ascontiguousarray(rgb, np.uint8), np.asarray(alpha, np.float32)


def run(count: int, photos: list[Path]) -> None:
    """Print how many pages are told paper, what is left of it and lost of the ink, and what photos are told."""
    for kind in KINDS:
        told, left, gone = 0, 0.0, 0.0
        for number in range(count):
            rgb, true = make_page(kind, number)
            facts = measure_sheet(Picture(rgb))
            told += facts.ground.kind == "paper" and not facts.is_busy
            alpha = cut_out(Picture(rgb), facts).render_whole()[..., 3] / 255
            left += float((alpha[true < 0.05] > 0.3).mean()) / count
            gone += float((alpha[true > 0.6] < 0.3).mean()) / count
        print(f"{kind}: {told} of {count} told paper; {left:.1%} of bare paper left, {gone:.1%} of ink gone")  # fmt: skip
    for photo in photos:
        detected = detect_ground(decode_picture(photo.read_bytes()).picture)
        print(f"{photo.name}: {'busy' if detected.is_busy else detected.ground.kind}")


if __name__ == "__main__":
    run(int(sys.argv[1]), [Path(name) for name in sys.argv[2:]])
