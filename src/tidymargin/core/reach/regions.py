"""The picture less its ground, parted along its edges: what a person may say to stay or to go as a whole.

Basins of the gradient (a watershed: L. Vincent and P. Soille 1991) are merged, the weakest edge first, while the mean edge
between two is weaker than the ground's own grain explains. A leak at one place joins nothing: all of an edge counts.
"""

from dataclasses import dataclass, replace
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.average import average_rgb
from tidymargin.core.base.picture import Picture, whole
from tidymargin.core.ground.kinds import Ground

_MOST_PX = 1_000_000  # that are parted; a larger picture is averaged down
_SOFTENED = 0.8  # sigma that coding's blocks are softened by
_BASIN_PX = 5  # window whose least gradient a basin begins at
_LEAST_EDGE = 0.8  # of CIELAB a pixel, that parts two regions; typed
_OVER_CALM = 3.0  # times the median gradient of the ground, that does; typed
_LEAST_PX = 12  # of a region, under which its edges count less; typed
_SMALL_COUNTS = 0.3
_ROUNDS = (
    60  # of merging, each of every pair that is each other's weakest; most pictures take twenty
)
_AS_LARGE = 2.0  # times, within which a region is the one that was meant; typed
_EDGE_PX = 1.5  # that an answer keeps off the edge of what it is about; typed
_MOSTLY = 0.5  # of a region, that is gone
_TAIL_PX = 10.0  # that a shadow runs out over, at the scale of the labels; typed
_STEPS = 6.0  # of a gradient, in eight bits
# of CIELAB less the ground: how much darker shade is, how far from the ground's hue over that, and how soft its own edges are; typed
_SHADE, _SHADE_HUE, _SHADE_EDGE = (-45.0, -1.5), (2.0, 0.12), 3.5


@dataclass(frozen=True, slots=True)
class RegionChoice:
    """What a person said of the region at a place: it goes as a hole, or stays as a wall.

    `area_px` is how large it was then. Where what is there now is much larger or smaller, as by another ground, it is not what
    was meant, and the choice rests.
    """

    row: int
    col: int
    verdict: Literal["clear", "keep"]
    area_px: int | None = None


@dataclass(frozen=True, slots=True, eq=False)
class Regions:
    """A picture's regions.

    Parameters
    ----------
    labels : (h, w) ndarray of int32
        The number of each place's region, from 0, at a scale of at most a megapixel.
    height, width : int
        The picture's.
    lab : (h, w, 3) ndarray of float32
        The picture less its ground, at that scale; see `less_ground`.
    gradient : (h, w) ndarray of float32
        How steeply that changes.
    """

    labels: NDArray[np.int32]
    height: int
    width: int
    lab: NDArray[np.float32]
    gradient: NDArray[np.float32]

    @property
    def bare(self) -> "Regions":
        """The same without what was measured, to be kept."""
        return replace(self, lab=np.empty((0, 0, 3), np.float32), gradient=np.empty((0, 0), np.float32))  # fmt: skip

    @property
    def scale(self) -> float:
        """Pixels of the picture along one of the labels."""
        tall, wide = self.labels.shape
        return float(max(self.height / tall, self.width / wide))

    def at(self, row: int, col: int) -> int:
        """Return the number of the region at a place of the picture."""
        height, width = self.labels.shape
        return int(self.labels[row * height // self.height, col * width // self.width])

    def has(self, choice: RegionChoice) -> bool:
        """Whether the region at a choice's place still is the one that was meant."""
        if choice.area_px is None:
            return True
        now = float((self.labels == self.at(choice.row, choice.col)).sum()) * self.scale**2
        return now <= _AS_LARGE * choice.area_px and choice.area_px <= _AS_LARGE * now

    def decide(
        self, choices: tuple[RegionChoice, ...], gone: NDArray[np.bool_]
    ) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
        """Return what was said to go and what was said to stay, (H, W) bool each; the later over the earlier.

        `gone`, (H, W) bool, is what is cleared as measured. The edge between the two is left to clearing and to the rim:
        a hole begins a little off what stands beside it, a wall a little off what goes. What a hole runs out into, as a
        shadow does, goes with it where the region there goes in any case.
        """
        said = {
            self.at(choice.row, choice.col): choice.verdict
            for choice in choices
            if self.has(choice)
        }
        holes, walls = (
            self.mask(
                np.array([number for number, one in said.items() if one == verdict], np.int64)
            )
            for verdict in ("clear", "keep")
        )
        if holes.any():
            mostly = self.mask(np.flatnonzero(self._measure_shares(gone) > _MOSTLY))
            holes |= mostly & (_away_from(holes) <= _TAIL_PX * self.scale)
        holes &= _away_from(~(holes | gone)) > _EDGE_PX
        walls &= _away_from(gone) > _EDGE_PX
        return holes, walls

    def _measure_shares(self, mask: NDArray[np.bool_]) -> NDArray[np.float64]:
        """Return how much of each region is in a mask, (H, W) bool."""
        size = self.labels.shape[::-1]
        small = np.asarray(cv2.resize(mask.view(np.uint8), size, interpolation=cv2.INTER_NEAREST))
        flat = self.labels.ravel()
        return np.asarray(np.bincount(flat, small.ravel()) / np.bincount(flat), np.float64)

    def measure_insides(self, beyond_px: float) -> NDArray[np.float64]:
        """Return how much an answer surely changes: of each region what lies off its border by its edge and more, (n,), in px of the picture."""
        inner = np.pad(self.labels, 1, "edge")
        same = np.ones(self.labels.shape, np.bool_)
        for down, right in ((0, 1), (2, 1), (1, 0), (1, 2)):
            height, width = self.labels.shape
            same &= inner[down : down + height, right : right + width] == self.labels
        depth = 1 + np.asarray(cv2.distanceTransform(same.view(np.uint8), cv2.DIST_L2, 3))
        is_inside = (depth * self.scale > _EDGE_PX + beyond_px).astype(np.float64)
        return np.asarray(
            np.bincount(self.labels.ravel(), is_inside.ravel()) * self.scale**2, np.float64
        )

    def mask(self, numbers: NDArray[np.integer]) -> NDArray[np.bool_]:
        """Return where some regions are, (H, W) bool; their borders are right within a few pixels of a large picture."""
        chosen = np.zeros(int(self.labels.max()) + 1, np.uint8)
        chosen[numbers] = 1
        small = chosen[self.labels]
        size = (self.width, self.height)
        return np.asarray(cv2.resize(small, size, interpolation=cv2.INTER_NEAREST)) > 0


def _away_from(mask: NDArray[np.bool_]) -> NDArray[np.float32]:
    if not mask.any():
        return np.full(mask.shape, np.inf, np.float32)
    return np.asarray(cv2.distanceTransform((~mask).view(np.uint8), cv2.DIST_L2, 3), np.float32)


def less_ground(picture: Picture, ground: Ground, *, is_lossy: bool) -> NDArray[np.float32]:
    """Return a picture less its ground, (h, w, 3) float32 in CIELAB, at the scale at which it is parted."""
    scale = max(1.0, (picture.area_px / _MOST_PX) ** 0.5)
    height, width = max(1, int(picture.height / scale)), max(1, int(picture.width / scale))
    rgb = picture.rgb if scale == 1.0 else average_rgb(picture.rgb, height, width)
    under = np.empty((height, width, 3), np.float32)
    for band in whole(picture.height, picture.width).bands(512):
        top, bottom = (-(-row * height // picture.height) for row in (band.top, band.bottom))
        if top < bottom:
            part = ground.over(band)
            size = (width, bottom - top)
            under[top:bottom] = part if scale == 1.0 else cv2.resize(part, size, interpolation=cv2.INTER_AREA)  # fmt: skip
    shown, bare = (np.asarray(values, np.float32) / 255 for values in (rgb, under))
    out = cv2.cvtColor(shown, cv2.COLOR_RGB2Lab) - cv2.cvtColor(bare, cv2.COLOR_RGB2Lab)
    return np.asarray(cv2.GaussianBlur(out, (0, 0), _SOFTENED) if is_lossy else out, np.float32)


def measure_gradient(lab: NDArray[np.float32]) -> NDArray[np.float32]:
    """Return how steeply it changes at each place, (h, w) float32, of CIELAB a pixel."""
    down, right = (cv2.Scharr(lab, cv2.CV_32F, *way) / 32 for way in ((0, 1), (1, 0)))
    return np.asarray(np.sqrt((down * down + right * right).sum(axis=2)), np.float32)


def part_regions(
    picture: Picture, ground: Ground, gone: NDArray[np.bool_], *, is_lossy: bool
) -> Regions:
    """Part a picture into regions.

    Parameters
    ----------
    picture, ground :
        The whole picture, and its ground as measured.
    gone : (H, W) ndarray of bool
        What is cleared at the measured tolerance: how much the ground itself changes is looked at there.
    is_lossy : bool
        Whether coding has left its own edges.
    """
    lab = less_ground(picture, ground, is_lossy=is_lossy)
    gradient = measure_gradient(lab)
    size = gradient.shape[::-1]
    bare = np.asarray(cv2.resize(gone.view(np.uint8), size, interpolation=cv2.INTER_NEAREST)) > 0
    calm = float(np.median(gradient[bare])) if bare.any() else 0.0
    labels = _merge(_find_basins(gradient), gradient, max(_LEAST_EDGE, _OVER_CALM * calm))
    labels = _join_shade(labels, lab, gradient)
    return Regions(labels, picture.height, picture.width, lab, gradient)


def _find_basins(gradient: NDArray[np.float32]) -> NDArray[np.int32]:
    """Return the basin that each place belongs to, from 0."""
    soft = np.asarray(cv2.GaussianBlur(gradient, (0, 0), 1.0), np.float32)
    least = np.asarray(cv2.erode(soft, np.ones((_BASIN_PX, _BASIN_PX), np.uint8)))
    _, begun = cv2.connectedComponents((soft <= least + 0.05).astype(np.uint8), connectivity=8)
    steps = np.clip(gradient * _STEPS, 0, 255).astype(np.uint8)
    found = np.asarray(cv2.watershed(np.dstack([steps] * 3), np.asarray(begun, np.int32)))
    beside = cv2.dilate(np.maximum(found, 0).astype(np.float32), np.ones((3, 3), np.uint8))
    found = np.where(found > 0, found, np.asarray(beside).astype(np.int32))
    return np.unique(found, return_inverse=True)[1].reshape(gradient.shape).astype(np.int32)


def neighbours(
    labels: NDArray[np.int32], gradient: NDArray[np.float32]
) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.float64], NDArray[np.float64]]:
    """Return each pair of regions side by side, the lesser number first, their common border in px and its summed gradient."""
    count = int(labels.max()) + 1
    keys, edges = [], []
    for one, other in (((slice(None), slice(None, -1)), (slice(None), slice(1, None))), ((slice(None, -1),), (slice(1, None),))):  # fmt: skip
        first, second = labels[one], labels[other]
        apart = first != second
        low, high = (choose(first[apart], second[apart]) for choose in (np.minimum, np.maximum))
        keys.append(low.astype(np.int64) * count + high)
        edges.append(np.maximum(gradient[one], gradient[other])[apart])
    pairs, inverse = np.unique(np.concatenate(keys), return_inverse=True)
    strength = _sum_by(inverse, np.concatenate(edges), len(pairs))
    return pairs // count, pairs % count, _sum_by(inverse, np.ones(len(inverse)), len(pairs)), strength  # fmt: skip


def _sum_by(
    number: NDArray[np.integer], values: NDArray[np.floating], count: int
) -> NDArray[np.float64]:
    return np.asarray(np.bincount(number, values, minlength=count), np.float64)


def _join_shade(
    labels: NDArray[np.int32], lab: NDArray[np.float32], gradient: NDArray[np.float32]
) -> NDArray[np.int32]:
    """Join what is shade by its colour, side by side: within a soft shadow light changes, and parts nothing."""
    count = int(labels.max()) + 1
    area = np.bincount(labels.ravel(), minlength=count)
    lighter, *hue = (_sum_by(labels.ravel(), lab[..., n].ravel(), count) / area for n in range(3))
    is_shade = (lighter > _SHADE[0]) & (lighter < _SHADE[1])
    is_shade &= np.hypot(*hue) < np.maximum(_SHADE_HUE[0], -_SHADE_HUE[1] * lighter)
    first, second, length, strength = neighbours(labels, gradient)
    soft = is_shade[first] & is_shade[second] & (strength < _SHADE_EDGE * length)
    first, second, joined = first[soft], second[soft], np.arange(count)
    while (joined[first] != joined[second]).any():
        least = np.minimum(joined[first], joined[second])
        np.minimum.at(joined, first, least)
        np.minimum.at(joined, second, least)
    return np.unique(joined[labels], return_inverse=True)[1].reshape(labels.shape).astype(np.int32)


def _merge(
    labels: NDArray[np.int32], gradient: NDArray[np.float32], edge: float
) -> NDArray[np.int32]:
    """Merge basins while the mean edge between two of them is weaker."""
    count = int(labels.max()) + 1
    area = np.bincount(labels.ravel(), minlength=count).astype(np.float64)
    first, second, length, strength = neighbours(labels, gradient)
    region_of = np.arange(count)
    for _ in range(_ROUNDS):
        small = np.minimum(area[first], area[second]) < _LEAST_PX
        weak = strength / length * np.where(small, _SMALL_COUNTS, 1.0)
        least = np.full(count, np.inf)
        np.minimum.at(least, first, weak)
        np.minimum.at(least, second, weak)
        mutual = np.flatnonzero((weak < edge) & (weak <= least[first]) & (weak <= least[second]))
        if not len(mutual):
            break
        # of pairs that tie at a region one is taken
        _, once = np.unique(first[mutual], return_index=True)
        mutual = mutual[once]
        _, once = np.unique(second[mutual], return_index=True)
        mutual = mutual[once]
        mutual = mutual[~np.isin(second[mutual], first[mutual])]
        into = np.arange(count)
        into[second[mutual]] = first[mutual]
        region_of = into[region_of]
        area = _sum_by(into, area, count)
        low, high = (choose(into[first], into[second]) for choose in (np.minimum, np.maximum))
        stays = low != high
        pairs, inverse = np.unique(low[stays] * count + high[stays], return_inverse=True)
        length = _sum_by(inverse, length[stays], len(pairs))
        strength = _sum_by(inverse, strength[stays], len(pairs))
        first, second = pairs // count, pairs % count
        if not len(pairs):
            break
    merged = region_of[labels]
    return np.unique(merged, return_inverse=True)[1].reshape(labels.shape).astype(np.int32)
