"""Faults planted in true cuts: how many of each kind are found at their place, and how many clean cuts are accused.

Cuts are of three sets: drawn by the project's own code, on which thresholds may be tuned; of icons and letters that were drawn
elsewhere; and the pictures with truth, on which none may. Every fault has a strength from barely visible (0) to plain (1).
"""

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from itertools import islice
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from benchmarks.accuracy import make_cases
from benchmarks.families import fetch, make_picture
from tidymargin.core.base.limits import MM_PER_INCH
from tidymargin.core.base.picture import Picture, Region
from tidymargin.core.cut import cut_out
from tidymargin.core.facts import measure_sheet
from tidymargin.core.faults.finding import find_faults
from tidymargin.core.faults.judged import JudgedAlone, JudgedSheet, Seen
from tidymargin.core.faults.kinds import Fault
from tidymargin.core.ground.difference import STEP
from tidymargin.core.ground.plan import GroundPlan
from tidymargin.core.plan import Plan
from tidymargin.demo.truth import encode_picture, read_case
from tidymargin.formats.decode import decode_picture

Random = np.random.Generator
EACH = 20
_NEAR_PX = 8


@dataclass(frozen=True, slots=True, eq=False)
class Clean:
    """A true cut with its picture."""

    name: str
    seen: Seen
    is_opaque: bool


@dataclass(frozen=True, slots=True, eq=False)
class Planted:
    """A cut with one fault of a kind in a box; barely or plainly to be seen."""

    clean: Clean
    kind: str
    change: "_Change"


def _to_clean(name: str, encoded: bytes, true: NDArray[np.uint8], ground: str, nature: str) -> Clean | None:  # fmt: skip
    picture = decode_picture(encoded).picture
    facts = measure_sheet(picture, GroundPlan(kind=ground, nature=nature))  # type: ignore[arg-type]
    if facts.is_busy or picture.alpha is not None:
        return None
    everywhere = Region(0, 0, picture.height, picture.width)
    away = np.asarray(facts.difference.steps, np.float32) * np.float32(STEP)
    # inside, a cut has the picture's own colours
    solid = (true[..., 3] == 255).astype(np.uint8)
    deep = np.asarray(cv2.distanceTransform(np.pad(solid, 1), cv2.DIST_L2, 5))[1:-1, 1:-1] > 3
    true = true.copy()
    true[deep, :3] = picture.rgb[deep]
    seen = Seen(true, picture.rgb, facts.ground.over(everywhere), away)
    edge = np.concatenate([true[0, :, 3], true[-1, :, 3], true[:, 0, 3], true[:, -1, 3]])
    return None if (edge > 30).any() else Clean(name, seen, nature == "opaque")


_FAMILIES = range(
    0, 360, 4
)  # of the pictures that weights are fitted on, which know nothing of faults


def list_clean(truth: Path | None, *, of_families: bool = False) -> Iterator[Clean]:
    """Yield clean cuts: drawn ones, those of icons and letters, or those of a folder with truth."""
    if of_families:
        for number in _FAMILIES:
            made = make_picture(number)
            kept = encode_picture(made.rgb, "png", 0)
            found = _to_clean(f"{made.family} {number}", kept, made.true_rgba, made.ground, made.nature)  # fmt: skip
            if found is not None:
                yield found
        return
    if truth is None:
        for row, case, _ in islice(make_cases(), 0, None, 3):
            found = _to_clean(f"{row} {case.name}", case.encoded, case.true_rgba, case.ground, case.nature)  # fmt: skip
            if found is not None:
                yield found
        return
    for place in sorted(truth.iterdir()):
        if (place / "true.png").exists():
            case = read_case(place)
            found = _to_clean(place.name, case.encoded, case.true_rgba, case.ground, case.nature)
            if found is not None:
                yield found


def _disc(shape: tuple[int, int], row: int, col: int, radius: float) -> NDArray[np.floating]:
    rows, cols = np.ogrid[: shape[0], : shape[1]]
    away = np.sqrt((rows - row) ** 2.0 + (cols - col) ** 2.0)
    return np.clip(radius + 0.5 - away, 0, 1)


def _choose(random: Random, mask: NDArray[np.bool_]) -> tuple[int, int] | None:
    places = np.argwhere(mask)
    if not len(places):
        return None
    row, col = places[random.integers(len(places))]
    return int(row), int(col)


def _depths(rgba: NDArray[np.uint8]) -> tuple[NDArray[np.floating], NDArray[np.floating]]:
    """Return how deep inside what is solid each place is, and how far outside of all that is not clear."""
    solid, some = (rgba[..., 3] >= 250).astype(np.uint8), (rgba[..., 3] > 5).astype(np.uint8)
    inside = np.asarray(cv2.distanceTransform(np.pad(solid, 1), cv2.DIST_L2, 5), np.float32)
    return inside[1:-1, 1:-1], np.asarray(
        cv2.distanceTransform(1 - some, cv2.DIST_L2, 5), np.float32
    )


def _box(mask: NDArray[np.bool_]) -> Region:
    rows, cols = np.nonzero(mask)
    return Region(int(rows.min()), int(cols.min()), int(rows.max()) + 1, int(cols.max()) + 1)


@dataclass(frozen=True, slots=True, eq=False)
class _Change:
    """A cut with a fault in a box, whether one would see it, and what else it takes to judge it."""

    rgba: NDArray[np.uint8]
    box: Region
    is_visible: bool
    print_mm: float | None = None
    rgb: NDArray[np.uint8] | None = None


Plant = _Change | None


def _crumb(clean: Clean, random: Random, strength: float) -> Plant:
    rgba = clean.seen.rgba.copy()
    _, outside = _depths(rgba)
    at = _choose(random, outside > 16)
    if at is None or clean.seen.rgb is None:
        return None
    # dust on glass is as large as the scan is fine
    finer = max(1.0, math.sqrt(rgba[..., 3].size / 250_000))
    share = _disc(rgba.shape[:2], *at, (0.8 + 2.2 * strength) * finer) * (0.4 + 0.6 * strength)
    here = share > 0
    rgba[here, :3] = clean.seen.rgb[here]
    rgba[here, 3] = np.rint(255 * share[here])
    return _Change(rgba, _box(here), bool(share.sum() >= 3))


def _fringe(clean: Clean, random: Random, strength: float) -> Plant:
    rgba = clean.seen.rgba.copy()
    inside = cv2.distanceTransform((rgba[..., 3] >= 128).astype(np.uint8), cv2.DIST_L2, 5)
    ground = np.asarray(clean.seen.ground)
    apart = np.abs(rgba[..., :3] - ground).max(axis=2)
    # in a thin stroke there is no telling what colour it has inside
    thick = cv2.dilate((inside > 5).astype(np.uint8), np.ones((13, 13))) > 0
    at = _choose(random, (inside > 0) & (inside <= 1.5) & (apart > 60) & thick)
    if at is None:
        return None
    rows, cols = np.ogrid[: rgba.shape[0], : rgba.shape[1]]
    near = (rows - at[0]) ** 2 + (cols - at[1]) ** 2 < (8 + 24 * strength) ** 2
    if random.random() < 0.5 and clean.seen.rgb is not None:  # a matte that is too wide
        side = 2 * round(0.6 + 1.2 * strength) + 1
        wide = cv2.dilate(rgba[..., 3], cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side)))
        rim = near & (wide > rgba[..., 3]) & (wide > 40)
        if not rim.any():
            return None
        rgba[rim, :3], rgba[rim, 3] = clean.seen.rgb[rim], wide[rim]
        return _Change(rgba, _box(rim), strength >= 0.15)
    rim = near & (rgba[..., 3] > 40) & (inside <= 2.2)
    pull = 0.3 + 0.6 * strength
    mixed = rgba[..., :3] + pull * (ground - rgba[..., :3])
    rgba[rim, :3] = np.rint(np.clip(mixed[rim], 0, 255)).astype(np.uint8)
    return _Change(rgba, _box(rim), pull >= 0.45)


def _see_through(clean: Clean, random: Random, strength: float) -> Plant:
    if not clean.is_opaque:
        return None
    rgba = clean.seen.rgba.copy()
    radius = 2 + 5 * strength
    at = _choose(random, _depths(rgba)[0] > radius + 7)
    if at is None:
        return None
    gone = _disc(rgba.shape[:2], *at, radius) * (0.15 + 0.6 * strength)
    rgba[..., 3] = np.rint(rgba[..., 3] * (1 - gone))
    return _Change(rgba, _box(gone > 0), strength > 0.15)


def _eaten(clean: Clean, random: Random, strength: float) -> Plant:
    rgba = clean.seen.rgba.copy()
    inside = cv2.distanceTransform((rgba[..., 3] >= 128).astype(np.uint8), cv2.DIST_L2, 5)
    away = np.asarray(clean.seen.away)
    at = _choose(random, (inside > 0) & (inside <= 2) & (away > 12))
    if at is None:
        return None
    gone = _disc(rgba.shape[:2], *at, 5 + 9 * strength)
    lost = (gone > 0.5) & (rgba[..., 3] > 128)
    if lost.sum() < 30 or lost.sum() > 0.5 * (rgba[..., 3] > 128).sum():
        return None
    rgba[..., 3] = np.rint(rgba[..., 3] * (1 - gone))
    return _Change(rgba, _box(lost), bool(lost.sum() >= 60))


def _swallowed(clean: Clean, random: Random, strength: float) -> Plant:
    rgba = clean.seen.rgba.copy()
    count, labels, stats, _ = cv2.connectedComponentsWithStats((rgba[..., 3] > 40).astype(np.uint8))
    away = np.asarray(clean.seen.away)
    fits = [n for n in range(1, count) if 60 < stats[n, cv2.CC_STAT_AREA] < 0.5 * (labels > 0).sum() and np.median(away[labels == n]) > 10]  # fmt: skip
    if not fits:
        return None
    piece = labels == fits[int(random.integers(len(fits)))]
    rgba[cv2.dilate(piece.astype(np.uint8), np.ones((3, 3))) > 0, 3] = 0
    return _Change(rgba, _box(piece), True)


def _leftover(clean: Clean, random: Random, strength: float) -> Plant:
    if not clean.is_opaque:
        return None
    rgba = clean.seen.rgba.copy()
    _, outside = _depths(rgba)
    at = _choose(random, (outside > 8) & (outside < 20))
    if at is None:
        return None
    rows, cols = np.ogrid[: rgba.shape[0], : rgba.shape[1]]
    spread = 5 + 8 * strength
    soft = (0.05 + 0.3 * strength) * np.exp(-((rows - at[0]) ** 2 + (cols - at[1]) ** 2) / (2 * spread**2))  # fmt: skip
    rgba[..., 3] = np.maximum(rgba[..., 3], np.rint(255 * soft)).astype(np.uint8)
    return _Change(rgba, _box(soft > 0.04), strength > 0.15)


def _jagged(clean: Clean, random: Random, strength: float) -> Plant:
    rgba = clean.seen.rgba.copy()
    share = rgba[..., 3].astype(np.float32) / 255
    down, right = np.gradient(cv2.GaussianBlur(share, (0, 0), 3))
    size = np.hypot(down, right)
    inside = cv2.distanceTransform((share >= 0.5).astype(np.uint8), cv2.DIST_L2, 5)
    slants = np.minimum(np.abs(down), np.abs(right)) > 0.35 * size
    at = _choose(random, slants & (size > 0.05) & (inside > 0) & (inside < 2))
    if at is None:
        return None
    rows, cols = np.ogrid[: rgba.shape[0], : rgba.shape[1]]
    near = (rows - at[0]) ** 2 + (cols - at[1]) ** 2 < (14 + 30 * strength) ** 2
    hard = np.where(share >= 0.5, 255, 0)
    changed = near & (np.abs(hard - 255 * share) > 25)
    if changed.sum() < 12:
        return None
    rgba[near, 3] = hard[near]
    return _Change(rgba, _box(changed & slants) if (changed & slants).any() else _box(changed), bool((changed & slants).sum() > 30))  # fmt: skip


def _changed(clean: Clean, random: Random, strength: float) -> Plant:
    rgba = clean.seen.rgba.copy()
    radius = 4 + 8 * strength
    at = _choose(random, _depths(rgba)[0] > radius + 3)
    if at is None:
        return None
    here = _disc(rgba.shape[:2], *at, radius) > 0.5
    shift = (18 + 60 * strength) * np.array([(1, -1, 0), (0, 1, -1), (-1, 0, 1)][random.integers(3)])  # fmt: skip
    rgba[here, :3] = np.clip(rgba[here, :3] + shift, 0, 255).astype(np.uint8)
    return _Change(rgba, _box(here), strength > 0.2)


def _cut_off(clean: Clean, random: Random, strength: float) -> Plant:
    rgba = clean.seen.rgba
    cols = np.flatnonzero((rgba[..., 3] > 128).any(axis=0))
    if not len(cols):
        return None
    left = int(cols[0] + (0.02 + 0.4 * strength) * (cols[-1] - cols[0]))
    cut = np.zeros_like(rgba)  # the figure moved out of the picture, by its left edge
    cut[:, : rgba.shape[1] - left] = rgba[:, left:]
    rgb = None if clean.seen.rgb is None else np.roll(clean.seen.rgb, -left, axis=1)
    rows = np.flatnonzero(cut[:, 0, 3] > 128)
    longest = (
        max(map(len, np.split(rows, np.flatnonzero(np.diff(rows) > 1) + 1))) if len(rows) else 0
    )
    if longest < 4:
        return None
    return _Change(cut, Region(int(rows[0]), 0, int(rows[-1]) + 1, 1), longest >= 16, rgb=rgb)


def _resolution(clean: Clean, random: Random, strength: float) -> Plant:
    cols = np.flatnonzero((clean.seen.rgba[..., 3] > 128).any(axis=0))
    if not len(cols):
        return None
    dpi = 145 - 100 * strength
    wide_mm = MM_PER_INCH * (cols[-1] - cols[0] + 1) / dpi
    box = Region(0, 0, *clean.seen.rgba.shape[:2])
    return _Change(clean.seen.rgba, box, True, print_mm=float(wide_mm))


def _pocket(clean: Clean, random: Random, strength: float) -> Plant:
    if not clean.is_opaque or clean.seen.rgb is None:
        return None
    rgba, rgb = clean.seen.rgba.copy(), clean.seen.rgb.copy()
    radius = 4 + 10 * strength
    at = _choose(random, _depths(rgba)[0] > radius + 5)
    if at is None:
        return None
    hole = _disc(rgba.shape[:2], *at, radius)
    away = np.asarray(clean.seen.away)
    if np.median(away[hole > 0.5]) < 15:  # in what is like the ground there is none to see
        return None
    ground = np.asarray(clean.seen.ground)
    grain = rgb - cv2.GaussianBlur(rgb.astype(np.float32), (0, 0), 2)
    mixed = rgb + hole[..., None] * (ground + np.where(hole[..., None] > 0.5, grain, 0) - rgb)
    rgb = np.rint(np.clip(mixed, 0, 255)).astype(np.uint8)
    rgba[hole > 0, :3] = rgb[hole > 0]
    return _Change(rgba, _box(hole > 0), True, rgb=rgb)


PLANTS: dict[str, Callable[[Clean, Random, float], Plant]] = {
    "crumb": _crumb, "fringe": _fringe, "see_through": _see_through, "eaten": _eaten, "swallowed": _swallowed,
    "leftover": _leftover, "jagged": _jagged, "changed": _changed, "cut_off": _cut_off, "resolution": _resolution,
    "pocket": _pocket,
}  # fmt: skip


def plant_all(cleans: list[Clean], each: int = EACH) -> Iterator[Planted]:
    """Yield so many cuts with a fault of each kind, with strengths spread evenly."""
    for number, (kind, plant) in enumerate(PLANTS.items()):
        random = np.random.default_rng(100 + number)
        made = 0
        for attempt in range(each * 20):
            clean = cleans[int(random.integers(len(cleans)))]
            planted = plant(clean, random, (attempt % each) / (each - 1))
            if planted is not None:
                made += 1
                yield Planted(clean, kind, planted)
            if made == each:
                break


def judge(clean: Clean, rgba: NDArray[np.uint8]) -> list[Fault]:
    """Return the faults of a cut of a picture."""
    seen = Seen(rgba, clean.seen.rgb, clean.seen.ground, clean.seen.away)
    return find_faults(JudgedAlone(seen, is_opaque=clean.is_opaque))


def _judge_planted(planted: Planted) -> list[Fault] | None:
    """Return the faults found, None where the key mended it by itself."""
    clean, change = planted.clean, planted.change
    if planted.kind == "pocket":  # which the sheet knows of, and the cut by itself does not
        assert change.rgb is not None
        picture, plan = Picture(change.rgb), GroundPlan(nature="opaque")
        cutter = cut_out(picture, measure_sheet(picture, plan), Plan(plan))
        row, col = (
            (change.box.top + change.box.bottom) // 2,
            (change.box.left + change.box.right) // 2,
        )
        if cutter.render(Region(row, col, row + 1, col + 1))[0, 0, 3] == 0:
            return None
        undecided = tuple(p for p in cutter.pockets.listed if not p.is_decided)
        return find_faults(JudgedSheet(cutter), pockets=undecided)
    if change.print_mm is None and change.rgb is None:
        return judge(clean, change.rgba)
    alone = JudgedAlone(Seen(change.rgba), is_opaque=clean.is_opaque)
    return find_faults(alone, print_mm=change.print_mm)


def _is_found(planted: Planted, faults: list[Fault]) -> bool:
    alike = {"eaten", "swallowed"}
    kinds = alike if planted.kind in alike else {planted.kind}
    box = planted.change.box
    near = Region(box.top - _NEAR_PX, box.left - _NEAR_PX, box.bottom + _NEAR_PX, box.right + _NEAR_PX)  # fmt: skip
    return any(fault.kind in kinds and fault.box.touches(near) for fault in faults)


def report_faults(truth: Path | None, *, of_families: bool = False, shows: bool = False) -> None:
    """Print the table of a set: found of the visible ones and of all, and which clean ones are accused of what."""
    if of_families:
        fetch()
    cleans = list(list_clean(truth, of_families=of_families))
    accused = 0
    for clean in cleans:
        faults = judge(clean, clean.seen.rgba)
        accused += bool(faults)
        if faults and shows:
            counts = {f.kind: sum(g.kind == f.kind for g in faults) for f in faults}
            print(f"  accused: {clean.name:34} {counts}")
    print(f"{accused} of {len(cleans)} clean cuts accused ({100 * accused / len(cleans):.1f} %)")
    print(f"{'fault':12} {'visible':>8} {'found':>6}   {'all':>4} {'found':>6}")
    rows: dict[str, list[tuple[bool, bool]]] = {kind: [] for kind in PLANTS}
    for planted in plant_all(cleans):
        faults_found = _judge_planted(planted)
        if faults_found is not None:
            found = _is_found(planted, faults_found)
            rows[planted.kind].append((planted.change.is_visible, found))
    visible_found = visible_all = 0
    for kind, judged in rows.items():
        visible = [is_found for is_visible, is_found in judged if is_visible]
        visible_found, visible_all = visible_found + sum(visible), visible_all + len(visible)
        print(f"{kind:12} {len(visible):8} {sum(visible):6}   {len(judged):4} {sum(f for _, f in judged):6}")  # fmt: skip
    print(f"{'visible':12} {visible_all:8} {visible_found:6}   {100 * visible_found / max(1, visible_all):.1f} %")  # fmt: skip
