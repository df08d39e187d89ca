"""Pictures that no key can read: figures with a true cut before grounds full of texture, scribbled on by a rule.

Scribbles are made from the truth: short lines of a brush, at random inside the figure and outside of it, until they cover
3 % of each. What is scored is the cut (intersection over union of what is solid), and beside it the answer of the plain
graph cut, without the rim.
"""

import sys
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from itertools import pairwise
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.picture import Picture, Region
from tidymargin.core.cut import cut_out
from tidymargin.core.facts import measure_sheet
from tidymargin.core.marks.covering import cover_rings
from tidymargin.core.marks.plan import Mark, MarksPlan, Rings
from tidymargin.core.marks.rough import Scribbles, find_figure, rim_px
from tidymargin.core.plan import Plan
from tidymargin.formats.decode import decode_picture

Rgb = NDArray[np.uint8]
_SHARE = 0.03

PAIRS = {
    "buttons on bricks": ("f-buttons-bluish", "bricks"), "coins on leaves": ("f-coins-grey-paper", "leaves"),
    "hand before a wall": ("f-hand-before-green", "bricks"), "keys on a plaid": ("f-keys-on-checker", "plaid"),
    "leaf on pebbles": ("f-leaf-with-holes", "pebbles"), "orange before leaves": ("f-orange-studio", "leaves"),
    "toys on wood": ("f-toys-on-white", "wood"), "lamb before water": ("f-lamb-pale-on-cream", "water"),
    "cow on a plaid": ("a-cow-on-white", "plaid"), "whale before pebbles": ("a-whale-before-green", "pebbles"),
    "flags on wood": ("b-round-flags-on-white", "wood"), "egg before leaves": ("f-egg-on-white", "leaves"),
    "wolf before water": ("a-wolf-grey-paper", "water"), "ball on bricks": ("f-ball-on-black", "bricks"),
}  # fmt: skip

APART = {
    "bees on a page": ("a-bees-faint-checker", "page"), "busts before a board": ("a-busts-on-checker", "board"),
    "smiles on coins": ("a-smiles-before-magenta", "coins"), "stickers on marble": ("a-stickers-on-kraft", "marble"),
    "owl before lights": ("a-teeth-owl-on-pink", "lights"), "hedgehog on a zigzag": ("a-hedgehog-snail-grey", "zigzag"),
    "eggs on coins": ("f-eggs-cream-lamp", "coins"), "puzzle on marble": ("f-puzzle-pieces-white", "marble"),
    "cup before lights": ("g-white-cup-before-green", "lights"), "badge on a zigzag": ("b-badge-open-letters-cream", "zigzag"),
    "comic on a page": ("b-comic-on-yellow", "page"), "heads before a board": ("a-heads-on-white", "board"),
    "santa on a mosaic": ("a-santa-granny-studio", "mosaic"), "hen on letters": ("a-cup-hen-bride-cream", "letters"),
    "sheep at dusk": ("a-sheep-on-offwhite", "dusk"), "logo on confetti": ("b-logo-on-checker", "confetti"),
    "masks on a mosaic": ("d-masks-before-green", "mosaic"), "badge at dusk": ("g-white-badge-on-teal", "dusk"),
    "smiles on letters": ("a-smiles-before-magenta", "letters"), "tiles on confetti": ("b-tiles-bluish-paper", "confetti"),
    "grey logo at dusk": ("b-grey-scan-logo", "dusk"), "whites on letters": ("a-whites-inside-on-white", "letters"),
    "toys on confetti": ("f-toys-on-white", "confetti"), "coins on a mosaic": ("f-coins-grey-paper", "mosaic"),
}  # fmt: skip
"""Figures and grounds of other kinds, on which nothing was tuned: those above were looked at while rough-in was made."""

_PHOTOS = {"wood": ("cup-on-wood.png", 3), "page": ("book-page.png", 1), "board": ("lines-on-board.png", 1), "coins": ("coins.png", 1)}  # fmt: skip


def _noise(
    random: np.random.Generator, shape: tuple[int, int], softness: float
) -> NDArray[np.float64]:
    soft = cv2.GaussianBlur(random.normal(0, 1, shape), (0, 0), softness)
    return np.asarray(soft / soft.std(), np.float64)


def _draw_bricks(random: np.random.Generator, height: int, width: int) -> NDArray[np.float64]:
    out = np.full((height, width, 3), (176, 168, 158), np.float64)
    for row, top in enumerate(range(0, height, 26)):
        for left in range(-60 + 30 * (row % 2), width, 60):
            colour = np.array((150, 72, 52)) + random.normal(0, 16) + random.normal(0, 7, 3)
            cv2.rectangle(out, (left + 2, top + 2), (left + 57, top + 23), colour.tolist(), -1)
    return out + 9 * _noise(random, (height, width), 0.8)[..., None]


def _draw_leaves(random: np.random.Generator, height: int, width: int) -> NDArray[np.float64]:
    out = np.full((height, width, 3), (28, 44, 22), np.float64)
    for _ in range(height * width // 260):
        at = int(random.integers(width)), int(random.integers(height))
        green = random.uniform(60, 170)
        colour = (green * random.uniform(0.3, 0.75), green, green * random.uniform(0.15, 0.45))
        axes = int(random.integers(8, 26)), int(random.integers(3, 9))
        cv2.ellipse(out, at, axes, float(random.uniform(0, 360)), 0, 360, colour, -1, cv2.LINE_AA)
    return out


def _draw_plaid(random: np.random.Generator, height: int, width: int) -> NDArray[np.float64]:
    def stripes(count: int) -> NDArray[np.float64]:
        pattern = np.repeat(random.integers(0, 2, 12), random.integers(4, 18, 12))
        return np.resize(pattern, count).astype(np.float64)

    across, down = stripes(width)[None, :, None], stripes(height)[:, None, None]
    first, second, third = ((150, 30, 46), (28, 52, 92), (216, 190, 110))
    out = np.array(first) * (1 - across) + np.array(second) * across
    out = 0.5 * out + 0.5 * (np.array(first) * (1 - down) + np.array(third) * down)
    return np.asarray(out + 8 * _noise(random, (height, width), 0.7)[..., None], np.float64)


def _draw_pebbles(random: np.random.Generator, height: int, width: int) -> NDArray[np.float64]:
    seeds = np.ones((height, width), np.uint8)
    count = height * width // 700
    seeds[random.integers(0, height, count), random.integers(0, width, count)] = 0
    away, labels = cv2.distanceTransformWithLabels(seeds, cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_CCOMP)  # fmt: skip
    tones = random.normal(150, 34, (labels.max() + 1, 1)) + random.normal(
        0, 9, (labels.max() + 1, 3)
    )
    return np.asarray(tones[labels] * np.clip(1.1 - away / 34, 0.3, 1)[..., None], np.float64)


def _draw_water(random: np.random.Generator, height: int, width: int) -> NDArray[np.float64]:
    wave = _noise(random, (height, width), 5) + cv2.resize(_noise(random, (height, width // 4 + 1), 2), (width, height))  # fmt: skip
    return np.asarray(np.array((38, 112, 134)) + 26 * wave[..., None] * np.array((0.7, 1, 1)), np.float64)  # fmt: skip


def _draw_marble(random: np.random.Generator, height: int, width: int) -> NDArray[np.float64]:
    vein = np.abs(_noise(random, (height, width), 14) + 0.4 * _noise(random, (height, width), 4))
    return np.asarray(np.array((206, 200, 196)) - 90 * np.exp(-5 * vein)[..., None], np.float64)


def _draw_lights(random: np.random.Generator, height: int, width: int) -> NDArray[np.float64]:
    out = np.full((height, width, 3), (22, 20, 34), np.float64)
    for _ in range(90):
        light = out.copy()
        at = int(random.integers(width)), int(random.integers(height))
        cv2.circle(light, at, int(random.integers(12, 60)), random.uniform(60, 240, 3).tolist(), -1, cv2.LINE_AA)  # fmt: skip
        out = 0.6 * out + 0.4 * light
    return cv2.GaussianBlur(out, (0, 0), 1.5)  # type: ignore[return-value]


def _draw_zigzag(random: np.random.Generator, height: int, width: int) -> NDArray[np.float64]:
    rows, cols = np.mgrid[:height, :width]
    band = ((rows + np.abs(cols % 44 - 22)) // 12) % 3
    colours = np.array(((214, 196, 60), (40, 60, 90), (220, 220, 214)), np.float64)
    return np.asarray(colours[band] + 7 * _noise(random, (height, width), 0.7)[..., None])


def _draw_mosaic(random: np.random.Generator, height: int, width: int) -> NDArray[np.float64]:
    tile = 17
    small = random.normal(0, 1, (height // tile + 2, width // tile + 2, 3))
    tones = cv2.GaussianBlur(small, (0, 0), 1.2)
    big = np.repeat(np.repeat(tones / tones.std(), tile, 0), tile, 1)[:height, :width]
    rows, cols = np.mgrid[:height, :width]
    joints = (rows % tile < 2) | (cols % tile < 2)
    return np.where(joints[..., None], (60.0, 56.0, 52.0), np.array((120, 120, 140)) + 38 * big)


def _draw_letters(random: np.random.Generator, height: int, width: int) -> NDArray[np.float64]:
    out = np.full((height, width, 3), (225, 215, 190), np.uint8)
    for _ in range(height * width // 900):
        colour = random.uniform(20, 150, 3).tolist()
        letter, at = chr(int(random.integers(65, 91))), (int(random.integers(width)), int(random.integers(height)))  # fmt: skip
        cv2.putText(out, letter, at, int(random.integers(0, 7)), float(random.uniform(0.4, 1.6)), colour, int(random.integers(1, 4)), cv2.LINE_AA)  # fmt: skip
    return out.astype(np.float64)


def _draw_dusk(random: np.random.Generator, height: int, width: int) -> NDArray[np.float64]:
    down = np.linspace(0, 1, height)[:, None, None]
    cloud = _noise(random, (height, width), 18) + 0.5 * _noise(random, (height, width), 5)
    sky = np.array((60, 70, 120)) * (1 - down) + np.array((230, 150, 90)) * down
    return np.asarray(sky + 22 * cloud[..., None] * np.array((1, 0.9, 0.8)), np.float64)


def _draw_confetti(random: np.random.Generator, height: int, width: int) -> NDArray[np.float64]:
    out = np.full((height, width, 3), (238, 236, 230), np.float64)
    for _ in range(height * width // 500):
        corners = random.integers(0, [width, height]) + random.normal(0, 7, (4, 2))
        cv2.fillConvexPoly(out, cv2.convexHull(corners.astype(np.int32)), random.uniform(30, 255, 3).tolist(), cv2.LINE_AA)  # fmt: skip
    return out


_DRAWN: dict[str, Callable[[np.random.Generator, int, int], NDArray[np.float64]]] = {
    "bricks": _draw_bricks, "leaves": _draw_leaves, "plaid": _draw_plaid, "pebbles": _draw_pebbles, "water": _draw_water,
    "marble": _draw_marble, "lights": _draw_lights, "zigzag": _draw_zigzag, "mosaic": _draw_mosaic, "letters": _draw_letters,
    "dusk": _draw_dusk, "confetti": _draw_confetti,
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Busy:
    """A figure before a busy ground, with its true matte, (h, w) 0 to 1."""

    name: str
    rgb: Rgb
    alpha: NDArray[np.float64]


def make_busy(shared: Path, pairs: dict[str, tuple[str, str]] = PAIRS) -> Iterator[Busy]:
    """Yield the pictures of a set, made of the pictures with truth and of drawn and photographed grounds."""
    for seed, (name, (figure, ground)) in enumerate(pairs.items()):
        random = np.random.default_rng(seed)
        true = decode_picture((shared / "truth" / figure / "true.png").read_bytes()).picture
        alpha = np.asarray(true.alpha, np.float64) / 255
        if ground in _PHOTOS:
            file, part = _PHOTOS[ground]
            photo = decode_picture((shared / "real" / file).read_bytes()).picture.rgb
            plain = photo[: photo.shape[0] // part]
            behind = cv2.resize(plain, true.rgb.shape[1::-1]).astype(np.float64)
        else:
            behind = _DRAWN[ground](random, true.height, true.width)
        both = true.rgb * alpha[..., None] + behind * (1 - alpha[..., None])
        both = cv2.GaussianBlur(both, (0, 0), 0.6) + random.normal(0, 2, both.shape)
        quality = [cv2.IMWRITE_JPEG_QUALITY, 92]
        coded = cv2.imencode(".jpg", np.clip(np.rint(both), 0, 255).astype(np.uint8)[..., ::-1], quality)[1]  # fmt: skip
        yield Busy(name, decode_picture(coded.tobytes()).picture.rgb, alpha)


def scribble(random: np.random.Generator, inside: NDArray[np.bool_]) -> tuple[NDArray[np.float64], ...]:  # fmt: skip
    """Return lines of a brush at random places in a mask, that cover 3 % of it and no place beyond it."""
    across = max(4, round(0.012 * max(inside.shape)))
    deep = cv2.distanceTransform(inside.astype(np.uint8), cv2.DIST_L2, 5)
    rows, cols = np.nonzero(deep > across / 2 + 3)
    covered = np.zeros(inside.shape, np.uint8)
    lines: list[NDArray[np.float64]] = []
    while covered.sum() < _SHARE * inside.sum() and len(rows):
        start = int(random.integers(len(rows)))
        near = (np.abs(rows - rows[start]) < 60) & (np.abs(cols - cols[start]) < 60)
        end = int(random.choice(np.flatnonzero(near)))
        steps = np.linspace(0, 1, 40)[:, None]
        way = (1 - steps) * (cols[start], rows[start]) + steps * (cols[end], rows[end])
        at = np.rint(way).astype(int)
        outside = np.flatnonzero(deep[at[:, 1], at[:, 0]] <= across / 2)
        way = way[: outside[0] if len(outside) else None]
        cv2.polylines(covered, [np.rint(way).astype(np.int32)], False, 1, thickness=across)
        lines.append(np.column_stack([way + 0.5, np.full(len(way), across / 2)]))
    return tuple(lines)


def _overlap(found: NDArray[np.bool_], true: NDArray[np.bool_]) -> float:
    return float((found & true).sum() / max(1, (found | true).sum()))


def report_busy(shared: Path) -> None:
    """Print what rough-in makes of the set that was looked at while it was made, and of the one kept apart."""
    for words, pairs in (("looked at", PAIRS), ("kept apart", APART)):
        print(f"\nBusy pictures, {words}")
        _report_set(shared, pairs)


def _report_set(shared: Path, pairs: dict[str, tuple[str, str]]) -> None:
    print(f"{'busy picture':24} {'cut':>6} {'plain':>6} {'later':>6}  first s  later s")
    rows = []
    for number, busy in enumerate(make_busy(shared, pairs)):
        random = np.random.default_rng(1000 + number)
        true = busy.alpha > 0.5
        inner = scribble(random, true), scribble(random, ~true)
        began = time.perf_counter()
        rings = find_figure(busy.rgb, Scribbles(*inner))
        first = time.perf_counter() - began
        plain = cover_rings(rings, Region(0, 0, *true.shape)) > 0.5
        cut = _cut(busy, rings)
        # later on somebody scribbles where it went wrong most
        keep = inner[0] + _most_wrong(true & ~cut)
        clear = inner[1] + _most_wrong(~true & cut)
        began = time.perf_counter()
        rings = find_figure(busy.rgb, Scribbles(keep, clear, before=rings))
        later = time.perf_counter() - began
        rows.append((_overlap(cut, true), _overlap(plain, true), _overlap(_cut(busy, rings), true), first, later))  # fmt: skip
        print(f"{busy.name:24} " + " ".join(f"{value:6.3f}" for value in rows[-1]))
    mean, least = np.mean(rows, axis=0), np.min(rows, axis=0)
    print(f"{'mean':24} " + " ".join(f"{value:6.3f}" for value in mean))
    print(f"{'least':24} " + " ".join(f"{value:6.3f}" for value in least[:3]))


_MOST_SCRIBBLES = 12
_GOOD = 0.9
_WORSE = 0.05
_FAR = 0.1  # of the longer side, from a scribble


def correct(busy: Busy) -> list[tuple[float, float]]:
    """Return what comes of each scribble of somebody who draws one through the largest mistake, the first through the figure.

    That is the overlap, and which share of the picture was right, lies far from the scribble, and is wrong now.
    """
    true = busy.alpha > 0.5
    found = np.zeros(true.shape, np.bool_)
    keep: tuple[NDArray[np.float64], ...] = ()
    clear: tuple[NDArray[np.float64], ...] = ()
    rings: tuple[NDArray[np.float64], ...] = ()
    came: list[tuple[float, float]] = []
    for _ in range(_MOST_SCRIBBLES):
        wrong = found != true
        _, labels, stats, _ = cv2.connectedComponentsWithStats(wrong.astype(np.uint8), connectivity=4)  # fmt: skip
        if len(stats) == 1:
            break
        line = _line_through(labels == 1 + int(stats[1:, cv2.CC_STAT_AREA].argmax()))
        col, row = line[0, :2].astype(int)
        if true[row, col]:
            keep += (line,)
        else:
            clear += (line,)
        right = found == true
        far = np.ones(true.shape, np.uint8)
        cv2.polylines(far, [line[:, :2].astype(np.int32)], False, 0, thickness=round(2 * _FAR * max(true.shape)))  # fmt: skip
        rings = find_figure(busy.rgb, Scribbles(keep, clear, before=rings))
        found = cover_rings(rings, Region(0, 0, *true.shape)) > 0.5
        came.append((_overlap(found, true), float((right & (far > 0) & (found != true)).mean())))
    return came


def _line_through(wrong: NDArray[np.bool_]) -> NDArray[np.float64]:
    """Return the longest straight stroke through the deepest place of a mistake that stays well inside it."""
    deep = cv2.distanceTransform(np.pad(wrong, 1).astype(np.uint8), cv2.DIST_L2, 5)[1:-1, 1:-1]
    row, col = np.unravel_index(int(deep.argmax()), deep.shape)
    radius = max(0.5, min(0.006 * max(wrong.shape), 0.6 * float(deep.max())))
    best = np.array([(col, row)], np.float64)
    for turn in np.linspace(0, np.pi, 12, endpoint=False):
        ends = []
        for way in (1, -1):
            steps = np.arange(max(wrong.shape))[:, None] * way * (np.cos(turn), np.sin(turn))
            at = np.rint(steps + np.array((col, row))).astype(int)
            within = ((at >= 0) & (at < wrong.shape[::-1])).all(axis=1)
            within[within] = deep[at[within, 1], at[within, 0]] > radius
            ends.append(at[: int(np.argmin(np.append(within, False)))][-1:])
        line = np.concatenate(ends).astype(np.float64)
        if len(line) == 2 and np.linalg.norm(line[0] - line[1]) > np.linalg.norm(best[0] - best[-1]):  # fmt: skip
            best = line
    steps = np.linspace(0, 1, 40)[:, None]
    way = (1 - steps) * best[0] + steps * best[-1]
    return np.column_stack([way + 0.5, np.full(len(way), radius)])


def report_corrected(shared: Path) -> None:
    """Print how many scribbles it takes, one through the largest mistake each, and how often a right one makes all else worse."""
    for words, pairs in (("looked at", PAIRS), ("kept apart", APART)):
        with ProcessPoolExecutor(2) as pool:
            both = list(pool.map(correct, make_busy(shared, pairs)))
        came = [[overlap for overlap, _ in c] for c in both]
        harm = [far for c in both for _, far in c[1:]]
        needed = [next((n for n, o in enumerate(c, 1) if o >= _GOOD), _MOST_SCRIBBLES + 1) for c in came]  # fmt: skip
        steps = [after - before for c in came for before, after in pairwise(c)]
        at = [np.mean([c[min(n, len(c)) - 1] for c in came]) for n in (1, 4, 8)]
        print(f"{words}: overlap {at[0]:.2f}, {at[1]:.2f}, {at[2]:.2f} after 1, 4 and 8; {_GOOD} after {np.mean(needed):.1f} on the mean (asked 4.5)")  # fmt: skip
        lowered = sum(step < -_WORSE for step in steps)
        print(f"  right and far, and wrong then: {100 * np.mean(harm):.3f} % of the picture a scribble, {100 * np.max(harm):.2f} % at most")  # fmt: skip
        print(f"  of {len(steps)} right scribbles {lowered} lower it by more than {_WORSE} (asked a tenth)")  # fmt: skip
        for (name, _), c in zip(pairs.items(), came, strict=True):
            print(f"  {name:24} " + " ".join(f"{o:.2f}" for o in c))


def _most_wrong(wrong: NDArray[np.bool_]) -> tuple[NDArray[np.float64], ...]:
    """Return a dab in the middle of the largest place that is wrong, where that is more than a few pixels wide."""
    deep = cv2.distanceTransform(np.pad(wrong, 1).astype(np.uint8), cv2.DIST_L2, 5)[1:-1, 1:-1]
    if deep.max() < 4:
        return ()
    row, col = np.unravel_index(deep.argmax(), deep.shape)
    return (np.array([(col + 0.5, row + 0.5, deep.max() / 2)] * 2, np.float64),)


def _cut(busy: Busy, rings: tuple[NDArray[np.float64], ...]) -> NDArray[np.bool_]:
    picture = Picture(busy.rgb)
    edge_px = rim_px(busy.rgb)
    marks = (
        Mark("inside", "keep", Rings(rings), edge_px=edge_px),
        Mark("outside", "clear", Rings(rings), is_outside=True, edge_px=edge_px),
    )
    cutter = cut_out(picture, measure_sheet(picture), Plan(marks=MarksPlan(marks)))
    return np.asarray(cutter.render_whole()[..., 3] > 127)


if __name__ == "__main__":
    report_corrected(Path(sys.argv[1]))
