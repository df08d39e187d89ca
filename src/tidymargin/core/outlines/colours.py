"""The flat colours of a cut, and how much of each place is of which.

Colours are told from places that are flat; what lies between two of them is a mixture, parted by how far it is from one to the
other. Each colour's field reaches under those above it, so that no gap shows between neighbours.
"""

from dataclasses import dataclass
from itertools import combinations
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.outlines.gradients import Gradient, find_gradients
from tidymargin.core.outlines.plan import MOST_COLOURS

Field = NDArray[np.uint8]
Rgb = tuple[int, int, int]

_SOLID = 128
_SAMPLES = 400_000
_FLAT = 10  # levels to the next pixel, at least, within which a place is flat
_APART = 8.0  # CIELAB units that two colours are apart at least
_BIN = 2.0
_LEAST_SHARE = 0.0012  # of what is solid, that a colour has
_LEAST_PX = 40
_ROUNDS = 8
_BETWEEN = (
    12.0  # CIELAB units from the way between two colours, within which a third may be their mixture
)
_NEAR_PX = 3.0  # of two colours, of which a place may be a mixture
_UNDER_PX = 2.0  # how far a colour goes on under one above it

_NAMES = (
    ("black", (0, 0, 0)), ("grey", (128, 128, 128)), ("white", (255, 255, 255)), ("red", (200, 30, 40)), ("orange", (240, 140, 30)),
    ("yellow", (245, 220, 50)), ("green", (60, 150, 60)), ("blue-green", (20, 140, 140)), ("blue", (40, 80, 180)), ("dark-blue", (28, 50, 95)),
    ("light-blue", (140, 195, 235)), ("violet", (120, 60, 160)), ("pink", (240, 150, 180)), ("brown", (120, 75, 40)),
    ("beige", (230, 205, 170)),
)  # fmt: skip


@dataclass(frozen=True, slots=True, eq=False)
class Paint:
    """A colour or a gradient of a cut.

    Parameters
    ----------
    rgb : tuple of 3 int
        Its colour, or its mean, display-coded sRGB.
    name : str
        In plain words.
    field : (H, W) ndarray of uint8
        255 where all of a place is of it, or lies under one above it.
    gradient : Gradient, optional
        Where it is no one colour.
    """

    rgb: Rgb
    name: str
    field: Field
    gradient: Gradient | None = None


def to_lab(rgb: NDArray[np.uint8]) -> NDArray[np.float32]:
    """Return CIELAB, (..., 3), of 8-bit sRGB."""
    flat = np.ascontiguousarray(rgb).reshape(1, -1, 3).astype(np.float32) / 255
    return np.asarray(cv2.cvtColor(flat, cv2.COLOR_RGB2Lab), np.float32).reshape(rgb.shape)


def name_colour(rgb: Rgb) -> str:
    """Return a colour's name in plain words."""
    known = to_lab(np.array([value for _, value in _NAMES], np.uint8))
    gaps = np.linalg.norm(known - to_lab(np.array([rgb], np.uint8)), axis=1)
    return _NAMES[int(gaps.argmin())][0]


def find_colours(
    rgba: NDArray[np.uint8],
    count: int | Literal["auto"],
    besides: NDArray[np.bool_] | None = None,
) -> NDArray[np.uint8]:
    """Return the colours that a cut is made of, (K, 3) uint8, the most frequent first.

    Parameters
    ----------
    rgba : (H, W, 4) ndarray of uint8
        Straight alpha.
    count : int or "auto"
        How many; auto: as many as there is evidence for.
    besides : (H, W) ndarray of bool, optional
        Where gradients are, whose colours are none of these; there may be no others.
    """
    places = _find_flat(rgba)
    if besides is not None:
        places &= ~besides
    flat = rgba[..., :3][places]
    if besides is not None and len(flat) < _LEAST_PX:
        return np.zeros((0, 3), np.uint8)
    if len(flat) < _LEAST_PX:
        flat = rgba[..., :3][rgba[..., 3] >= _SOLID]
    if not len(flat):
        return np.zeros((1, 3), np.uint8)
    flat = flat[:: max(1, len(flat) // _SAMPLES)]
    lab = to_lab(flat)
    apart = _APART
    middles, shares = _group(lab, apart)
    if count != "auto":
        while len(middles) < count and apart > 1:
            apart /= 1.5
            middles, shares = _group(lab, apart)
        while len(middles) > count:
            middles, shares = _merge_nearest(middles, shares)
    middles, shares = middles[:MOST_COLOURS], shares[:MOST_COLOURS]
    nearest = _match_colours(lab, middles)
    found = [np.median(flat[nearest == k], axis=0) if (nearest == k).any() else np.zeros(3) for k in range(len(middles))]  # fmt: skip
    return np.round(found).astype(np.uint8)


def _find_flat(rgba: NDArray[np.uint8]) -> NDArray[np.bool_]:
    """Return which places are solid and like all that is beside them."""
    solid = cv2.erode((rgba[..., 3] >= _SOLID).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    rgb = np.ascontiguousarray(rgba[..., :3])
    kernel = np.ones((3, 3), np.uint8)
    spread = (cv2.dilate(rgb, kernel) - cv2.erode(rgb, kernel)).max(axis=2)
    if not solid.any():
        return solid
    # as flat as most of it: a scan's grain is no edge
    limit = max(_FLAT, 1.5 * float(np.quantile(spread[solid], 0.4)))
    return np.asarray(solid & (spread <= min(limit, 60.0)))


def _group(
    lab: NDArray[np.float32], apart: float
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return middles of groups that lie `apart` at least, and their shares, the largest first."""
    codes = np.floor(lab / _BIN).astype(np.int64) + 200
    keys = (codes[:, 0] * 1000 + codes[:, 1]) * 1000 + codes[:, 2]
    _, inverse, often = np.unique(keys, return_inverse=True, return_counts=True)
    sums = np.stack([np.bincount(inverse, lab[:, k].astype(np.float64)) for k in range(3)], axis=1)
    means = sums / often[:, None]
    middles: list[NDArray[np.float64]] = []
    for k in np.argsort(-often, kind="stable"):
        if all(np.linalg.norm(means[k] - other) >= apart for other in middles):
            middles.append(means[k])
        if len(middles) >= 8 * MOST_COLOURS:
            break
    found = np.array(middles)
    weight = often.astype(np.float64)
    for _ in range(_ROUNDS):
        nearest = _match_colours(means, found)
        total = np.bincount(nearest, weight, len(found))
        keep = total >= max(_LEAST_SHARE * weight.sum(), min(_LEAST_PX, 0.01 * weight.sum()))
        moved = np.stack([np.bincount(nearest, weight * means[:, k], len(found)) for k in range(3)], axis=1)  # fmt: skip
        found = moved[keep] / total[keep, None]
        close = _find_close(found, apart)
        if close is not None:
            found = np.delete(found, close, axis=0)
    share = np.bincount(_match_colours(means, found), weight, len(found)) / weight.sum()
    order = np.argsort(-share, kind="stable")
    return found[order], share[order]


def _find_close(middles: NDArray[np.float64], apart: float) -> int | None:
    """Return one of two middles that are too near to each other."""
    gaps = np.linalg.norm(middles[:, None] - middles[None], axis=2)
    gaps[np.diag_indices(len(gaps))] = np.inf
    if not len(gaps) or gaps.min() >= apart:
        return None
    return int(max(np.unravel_index(int(gaps.argmin()), gaps.shape)))


def _merge_nearest(
    middles: NDArray[np.float64], shares: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return one middle less: those two made one that are missed least (J. H. Ward, 1963)."""
    cost = {(a, b): shares[a] * shares[b] / (shares[a] + shares[b]) * float(np.sum((middles[a] - middles[b]) ** 2)) for a, b in combinations(range(len(middles)), 2)}  # fmt: skip
    a, b = min(cost, key=lambda pair: cost[pair])
    total = shares[a] + shares[b]
    middles, shares = middles.copy(), shares.copy()
    middles[a] = (shares[a] * middles[a] + shares[b] * middles[b]) / total
    shares[a] = total
    middles, shares = np.delete(middles, b, axis=0), np.delete(shares, b)
    order = np.argsort(-shares, kind="stable")
    return middles[order], shares[order]


def _match_colours(
    places: NDArray[np.floating], middles: NDArray[np.floating]
) -> NDArray[np.int64]:
    best = np.full(len(places), np.inf)
    found = np.zeros(len(places), np.int64)
    for k, middle in enumerate(middles):
        gap = ((places - middle) ** 2).sum(axis=1)
        nearer = gap < best
        best[nearer], found[nearer] = gap[nearer], k
    return found


def find_layers(
    rgba: NDArray[np.uint8],
    count: int | Literal["auto"],
    merged: tuple[tuple[Rgb, Rgb], ...] = (),
) -> list[Paint]:
    """Return the colours and gradients of a cut, from the bottom up.

    Parameters
    ----------
    rgba : (H, W, 4) ndarray of uint8
        Straight alpha.
    count : int or "auto"
        How many colours; auto: as many as there is evidence for, gradients among them.
    merged : tuple of (colour, colour)
        Those that are taken for another.
    """
    runs = find_gradients(rgba, _find_flat(rgba)) if count == "auto" else []
    besides = np.logical_or.reduce([where for where, _ in runs]) if runs else None
    colours = find_colours(rgba, count, besides)
    paints: list[Rgb | Gradient] = [_to_rgb(colour) for colour in colours]
    paints += [gradient for _, gradient in runs]
    all_of = [paint.rgb if isinstance(paint, Gradient) else paint for paint in paints]
    instead = {rgb: into for rgb, into in merged if rgb != into}
    goes_to = [_take_for(k, all_of, instead) for k in range(len(all_of))]
    if len(set(goes_to)) == 1:
        return [_to_paint(paints[goes_to[0]], rgba[..., 3])]
    labels = _label(rgba, np.array(all_of, np.uint8), len(colours), [where for where, _ in runs])
    for k, other in enumerate(goes_to):
        labels[labels == k] = other
    shares, second, part = _mix(rgba, paints, labels)
    alpha = rgba[..., 3].astype(np.float32) / 255
    areas = [float((alpha * np.where(shares == k, part, 1 - part) * ((shares == k) | (second == k))).sum()) for k in range(len(paints))]  # fmt: skip
    order = [int(k) for k in np.argsort([-area for area in areas], kind="stable") if areas[k] > 0]
    covers = {k: np.where(shares == k, part, 0).astype(np.float32) + np.where(second == k, 1 - part, 0).astype(np.float32) for k in order}  # fmt: skip
    layers = []
    outside = cv2.dilate((rgba[..., 3] < _SOLID).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    for number, k in enumerate(order):
        above = np.zeros(alpha.shape, np.float32)
        for other in order[number + 1 :]:
            above += covers[other]
        under = _reach_under(covers[k], above, outside)
        field = np.clip(255 * alpha * np.minimum(1, covers[k] + np.minimum(above, under)), 0, 255)
        layers.append(_to_paint(paints[k], np.round(field).astype(np.uint8)))
    return layers


def _to_paint(paint: Rgb | Gradient, field: Field) -> Paint:
    if isinstance(paint, Gradient):
        return Paint(paint.rgb, f"{name_colour(paint.rgb)} gradient", field, paint)
    return Paint(paint, name_colour(paint), field)


def _take_for(k: int, colours: list[Rgb], instead: dict[Rgb, Rgb]) -> int:
    """Return which colour one is taken for in the end; those that are taken for each other stay."""
    seen = {k}
    while colours[k] in instead and instead[colours[k]] in colours:
        k = colours.index(instead[colours[k]])
        if k in seen:
            break
        seen.add(k)
    return k


def _to_rgb(colour: NDArray[np.uint8]) -> Rgb:
    r, g, b = colour.tolist()
    return r, g, b


def _label(
    rgba: NDArray[np.uint8], colours: NDArray[np.uint8], flats: int, runs: list[NDArray[np.bool_]]
) -> NDArray[np.int16]:
    """Return which colour each place surely is of, -1 where it may be a mixture, and -2 where it is clear; gradients come after `flats` colours."""
    lab, middles = to_lab(rgba[..., :3]), to_lab(colours)
    best = np.full(lab.shape[:2], np.inf, np.float32)
    labels = np.full(lab.shape[:2], -1, np.int16)
    for k, middle in enumerate(middles[:flats]):
        gap = np.sqrt(((lab - middle) ** 2).sum(axis=2))
        nearer = gap < best
        best[nearer], labels[nearer] = gap[nearer], k
    flat = _find_flat(rgba)
    # half way to the next colour a place that is not flat may be of both
    gaps = np.linalg.norm(middles[:, None] - middles[None], axis=2)
    gaps[np.diag_indices(len(gaps))] = np.inf
    near = np.minimum(gaps.min(axis=1) / 2, 2 * _APART)
    labels[~flat & (best > near[np.clip(labels, 0, None)])] = -1
    for number, where in enumerate(runs):
        labels[where] = flats + number
    _drop_mixtures(labels, middles)
    labels[rgba[..., 3] < _SOLID] = -1
    labels[rgba[..., 3] == 0] = -2
    return labels


def _drop_mixtures(labels: NDArray[np.int16], middles: NDArray[np.float32]) -> None:
    """Take a thin seam of a third colour between two, of which it is the mixture, for what it is."""
    wide = np.ones((5, 5), np.uint8)
    masks = [(labels == k).astype(np.uint8) for k in range(len(middles))]
    around = [cv2.dilate(mask, wide) > 0 for mask in masks]
    for k, middle in enumerate(middles):
        thin = (masks[k] > 0) & (cv2.morphologyEx(masks[k], cv2.MORPH_OPEN, np.ones((3, 3), np.uint8)) == 0)  # fmt: skip
        if not thin.any():
            continue
        for a, b in combinations([j for j in range(len(middles)) if j != k], 2):
            way = middles[b] - middles[a]
            share = float(np.clip(np.dot(middle - middles[a], way) / max(float(np.dot(way, way)), 1e-6), 0, 1))  # fmt: skip
            if 0.1 < share < 0.9 and np.linalg.norm(middle - middles[a] - share * way) < _BETWEEN:
                labels[thin & around[a] & around[b]] = -1


def _mix(
    rgba: NDArray[np.uint8], paints: list[Rgb | Gradient], labels: NDArray[np.int16]
) -> tuple[NDArray[np.int16], NDArray[np.int16], NDArray[np.float32]]:
    """Return the two colours that each place may be of, and how much of it is of the first, 0 to 1."""
    shape = labels.shape
    first, second = np.full(shape, -1, np.int16), np.full(shape, -1, np.int16)
    nearest, next_nearest = np.full(shape, np.inf, np.float32), np.full(shape, np.inf, np.float32)
    for k in range(len(paints)):
        mask = labels == k
        if not mask.any():
            continue
        far = cv2.distanceTransform((~mask).astype(np.uint8), cv2.DIST_L2, 3)
        nearer = far < nearest
        second = np.where(nearer, first, np.where(far < next_nearest, np.int16(k), second))
        next_nearest = np.where(nearer, nearest, np.minimum(far, next_nearest))
        first, nearest = np.where(nearer, np.int16(k), first), np.where(nearer, far, nearest)
    part = np.ones(shape, np.float32)
    mixed = (labels == -1) & (next_nearest <= nearest + _NEAR_PX) & (nearest <= _NEAR_PX) & (second >= 0)  # fmt: skip
    a, b = (_find_colours_at(paints, which, mixed) for which in (first, second))
    way = a - b
    off = rgba[..., :3][mixed].astype(np.float32) - b
    part[mixed] = np.clip((off * way).sum(axis=1) / np.maximum((way**2).sum(axis=1), 1.0), 0, 1)
    second[~mixed] = -1
    return first, second, part


def _find_colours_at(
    paints: list[Rgb | Gradient], which: NDArray[np.int16], where: NDArray[np.bool_]
) -> NDArray[np.float32]:
    """Return the colours, (N, 3), that paints have at places, of each the one that stands there."""
    rows, cols = np.nonzero(where)
    numbers = which[where]
    found = np.zeros((len(rows), 3), np.float32)
    for k, paint in enumerate(paints):
        own = numbers == k
        if isinstance(paint, Gradient):
            found[own] = paint.find_colours(np.column_stack([cols[own], rows[own]]) + 0.5)
        else:
            found[own] = paint
    return found


def _reach_under(
    cover: NDArray[np.float32], above: NDArray[np.float32], outside: NDArray[np.bool_]
) -> NDArray[np.float32]:
    """Return how far a colour goes on under those above it: a little, and all through what lies in it and nowhere at the rim."""
    own = cover >= 0.5
    far = cv2.distanceTransform((~own).astype(np.uint8), cv2.DIST_L2, 5)
    under = np.clip(_UNDER_PX + 0.5 - far, 0, 1)
    count, parts = cv2.connectedComponents((above > 0.01).astype(np.uint8), connectivity=8)
    if count > 1:
        touches_rim = np.zeros(count, np.bool_)
        touches_rim[np.unique(parts[outside])] = True
        touches_own = np.zeros(count, np.bool_)
        touches_own[np.unique(parts[cv2.dilate(own.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0])] = True  # fmt: skip
        inside = touches_own & ~touches_rim
        inside[0] = False
        under = np.where(inside[parts], np.float32(1), under)
    return np.asarray(under, np.float32)
