"""Ink: figures of which each pixel is as solid as it differs from the ground.

C = a F + (1 - a) B, as everywhere, with F one of a few inks and `a` solved at every pixel. An ink's colour
is taken from the densest places well inside its strokes: the paler ones are the same ink, thinner.
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.base.parallel import work_out
from tidymargin.core.base.picture import Picture, Region, whole
from tidymargin.core.ground.kinds import Ground, to_hex

_TILE_PX = 256  # that a thread takes at once
_MARGIN_PX = 8  # that the widest core is found from
_MOST_SAMPLES = 400_000  # for speed; more change no digit that is shown
_MOST_INKS = 4  # typed: a print of more is a coloured figure
_LEAST_SHARE = 0.04  # of all samples, to be an ink of its own
_APART = np.cos(np.deg2rad(14.0))  # of direction from the ground, within which ink is one; typed
_DENSE = 0.996  # quantile that is full ink; typed, judged on the drawn inks
_LEAST_DENSE = 5  # samples that are averaged, at least; typed
_WIDE = 0.8  # quantile of depth, for strokes with a core; typed
_DENSEST = 0.998  # quantile that the ink's colour is taken of; typed
_CLEAN = 0.5  # grain under which a single pixel is a core; typed
_DIAGONAL_PX = 1.4  # a pixel's own, under which a neighbour is no deeper
_ENOUGH_PX = 4_000_000  # of a larger picture only some rows are looked at: speed
_SEEDS = 200  # directions that an ink is begun from; typed
# of the distance that this quantile has from the ground, from which ink tells its colour; typed
_STRONG, _FULLEST = 0.35, 0.95
_WITHIN = (0.1, 0.9)  # quantiles that a spread lies between
_THIN_PX, _THIN_SHARE = 6.0, 0.02  # or of the shorter side, that half a thin stroke has; typed
_CROWDED = (
    0.95  # part of an ink's densities that stands at three values, from which they are even; typed
)
_STEP = 0.1  # of density, that such values span at least where there are several; typed
_BINS, _BEYOND_FULL = 60, 1.2  # of density, and how far they go: grain lets some exceed it


@dataclass(frozen=True, slots=True, eq=False)
class InkFacts:
    """The inks of a picture, and what speaks for its figure being ink.

    Parameters
    ----------
    rgb : (N, 3) ndarray of float32
        Ink colours, 0 to 255, the commonest first; N is 1 to 4, or 0 without any figure.
    shares : tuple of float
        Each ink's part of the strokes' cores, 0 to 1.
    explained : float
        Part of the cores that lies on a line from the ground to an ink, 0 to 1.
    spread : float
        How much density varies along the cores of one ink, 0 (even) to about 1.
    thin : float
        Part of the cores within strokes that are thin for the picture, 0 to 1.
    half_px : float
        Half a typical stroke's width.
    in_steps : bool
        Whether what lies along one ink has a few exact densities well apart: several even colours, and no ink.
    """

    rgb: NDArray[np.float32]
    shares: tuple[float, ...]
    explained: float
    spread: float
    thin: float
    half_px: float
    in_steps: bool = False

    @property
    def hexes(self) -> tuple[str, ...]:
        """The inks as #RRGGBB."""
        return tuple(to_hex(colour) for colour in self.rgb)


@njit(cache=True, nogil=True)
def _cores_kernel(rgb, ground, inside_px, top, left, bottom, right, every, around, out):  # type: ignore[no-untyped-def]
    """List the middles of strokes: mean colour less ground (3), colour (3), half width, roughness."""
    height, width = inside_px.shape
    count, seen = 0, 0
    for row in range(max(1, top), min(height - 1, bottom)):
        for col in range(max(1, left), min(width - 1, right)):
            depth = inside_px[row, col]
            if depth < 1.0:
                continue
            is_core = True
            for down in range(-1, 2):
                for across in range(-1, 2):
                    is_core = is_core and inside_px[row + down, col + across] <= depth
            if not is_core:
                continue
            seen += 1
            if seen % every:
                continue
            if count >= out.shape[0]:
                return count
            total = 0.0
            for channel in range(8):
                out[count, channel] = 0.0
            low, high = 1e9, -1e9
            for down in range(-around, around + 1):
                for across in range(-around, around + 1):
                    if inside_px[row + down, col + across] < min(depth, _DIAGONAL_PX):
                        continue
                    light = 0.0
                    for channel in range(3):
                        value = float(rgb[row + down, col + across, channel])
                        out[count, channel] += value - ground[row + down, col + across, channel]
                        out[count, 3 + channel] += value
                        light += value
                    low, high = min(low, light), max(high, light)
                    total += 1.0
            for channel in range(6):
                out[count, channel] /= total
            out[count, 6] = depth
            out[count, 7] = (high - low) / 3.0
            count += 1
    return count


def _gather_cores(
    picture: Picture, ground: Ground, stands: NDArray[np.bool_], around: int
) -> NDArray[np.float32]:
    """Return samples at the middles of strokes, (N, 8); see `_cores_kernel`."""
    everywhere = whole(picture.height, picture.width)
    every = max(1, picture.area_px // _ENOUGH_PX)
    none = np.empty((0, 8), np.float32)

    def gather(tile: Region) -> NDArray[np.float32]:
        outer = tile.grown(_MARGIN_PX, everywhere)
        kept = np.ascontiguousarray(stands[outer.slices])
        if not kept.any():
            return none
        inside_px = np.asarray(
            cv2.distanceTransform(np.pad(kept.view(np.uint8), 1), cv2.DIST_L2, 5)[1:-1, 1:-1]
        )
        out = np.empty((tile.height * tile.width // every + 1, 8), np.float32)
        inner = tile.seen_from(outer)
        count = _cores_kernel(
            np.ascontiguousarray(picture.rgb[outer.slices]), ground.over(outer), inside_px,
            inner.top, inner.left, inner.bottom, inner.right, every, around, out,
        )  # fmt: skip
        return out[:count].copy()

    return np.concatenate(work_out(gather, everywhere.tiles(_TILE_PX)))[:_MOST_SAMPLES]


def _split_inks(away: NDArray[np.float32]) -> list[NDArray[np.bool_]]:
    """Return which samples belong to each direction away from the ground, the commonest first."""
    size = np.linalg.norm(away, axis=1)
    strong = size > _STRONG * np.quantile(size, _FULLEST)
    direction = away / np.maximum(size, 1e-6)[:, None]
    left = strong.copy()
    groups: list[NDArray[np.bool_]] = []
    while left.sum() >= max(8, _LEAST_SHARE * strong.sum()) and len(groups) < _MOST_INKS:
        candidates = direction[left]
        seeds = candidates[:: max(1, len(candidates) // _SEEDS)]
        crowd = (candidates @ seeds.T > _APART).sum(axis=0)
        middle = seeds[int(crowd.argmax())]
        for _ in range(4):
            near = left & (direction @ middle > _APART)
            if not near.any():
                break
            mean = np.median(direction[near], axis=0)
            middle = mean / max(float(np.linalg.norm(mean)), 1e-6)
        near = left & (direction @ middle > _APART)
        if near.sum() < max(8, _LEAST_SHARE * strong.sum()):
            break
        groups.append(near)
        left &= ~near
    return groups


def measure_inks(
    picture: Picture,
    ground: Ground,
    stands: NDArray[np.bool_],
    grain: float = 0.0,
) -> InkFacts:
    """Find the inks that a picture's strokes were drawn with.

    Parameters
    ----------
    picture, ground :
        The whole picture and what was measured of its ground.
    stands : (H, W) ndarray of bool
        What differs from the ground at the starting tolerance.
    grain : float
        Coding noise near edges in 8-bit levels; a clean picture's densest pixels can be trusted singly.
    """
    cores = _gather_cores(picture, ground, stands, 0 if grain <= _CLEAN else 1)
    if len(cores) < 8:
        return InkFacts(np.zeros((0, 3), np.float32), (), 0.0, 0.0, 0.0, 0.0)
    well_inside = cores[:, 6] >= min(2.0, float(np.quantile(cores[:, 6], 0.5)))
    samples = cores[well_inside]
    away = samples[:, :3]
    groups = _split_inks(away)
    if not groups:
        return InkFacts(np.zeros((0, 3), np.float32), (), 0.0, 0.0, 0.0, 0.0)
    inks, spreads, counts, in_steps = [], [], [], False
    for group in groups:
        size = np.linalg.norm(away[group], axis=1)
        if grain <= _CLEAN:
            dense = size >= np.quantile(size, _DENSEST)
        else:  # halved chroma pales thin strokes: judge by the wide ones
            wide = samples[group][:, 6] >= np.quantile(samples[group][:, 6], _WIDE)
            densest = min(_DENSE, 1 - _LEAST_DENSE / max(int(wide.sum()), _LEAST_DENSE))
            dense = wide & (size >= np.quantile(size[wide], densest))
        inks.append(np.median(samples[group][dense][:, 3:6], axis=0))
        full = np.median(away[group][dense], axis=0)
        share = away[group] @ full / max(float(full @ full), 1e-6)
        low, high = (np.quantile(share, edge) for edge in _WITHIN)
        crowding = _crowding(share)
        spreads.append(float(high - low) * (1 - crowding))
        in_steps |= bool(crowding >= _CROWDED and high - low >= _STEP)
        counts.append(int(group.sum()))
    total = max(1, sum(counts))
    shares = tuple(count / total for count in counts)
    spread = float(sum(s * w for s, w in zip(spreads, shares, strict=True)))
    strong = np.linalg.norm(away, axis=1) > _STRONG * np.quantile(
        np.linalg.norm(away, axis=1), _FULLEST
    )
    explained = total / max(1, int(strong.sum()))
    limit = max(_THIN_PX, _THIN_SHARE * min(picture.height, picture.width))
    thin = float(np.mean(cores[:, 6] <= limit))
    half_px = float(np.median(cores[:, 6]))
    return InkFacts(np.array(inks, np.float32), shares, explained, spread, thin, half_px, in_steps)


def _crowding(share: NDArray[np.floating]) -> float:
    """Return the part of densities that stands at three values: high for even colours, low for ink."""
    counts, _ = np.histogram(share, bins=_BINS, range=(0.0, _BEYOND_FULL))
    left = counts.astype(np.float64)
    taken = 0.0
    for _ in range(3):
        at = int(left.argmax())
        taken += float(left[max(0, at - 1) : at + 2].sum())
        left[max(0, at - 1) : at + 2] = 0
    return taken / max(1.0, float(counts.sum()))
