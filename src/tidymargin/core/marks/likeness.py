"""What under a stroke is like a colour, so that one can rub along a rim and into hair without touching the figure."""

from dataclasses import dataclass

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.base.colour import LINEAR_OF_U8, oklab_kernel
from tidymargin.core.base.mask import PackedMask
from tidymargin.core.base.picture import Picture, Region, whole
from tidymargin.core.ground.difference import STEP
from tidymargin.core.ground.guards import Guard, set_guarded
from tidymargin.core.marks.covering import cover_stroke
from tidymargin.core.marks.plan import Mark, Stroke

LEAST_LIKE = 5.0
"""How far from the ground is like it, at least, where a person rubs along it and has said nothing else."""

_TILE_PX = 256  # that a thread takes at once
_TAKEN_PX = 1  # around a place where a colour is taken; its mean is less noisy
_MIDDLE_PX = 1.5  # from the line, within which what is there is under the middle


@dataclass(frozen=True, slots=True, eq=False)
class Found:
    """What a mark takes of a picture: the tiles in which that is anything, each with its mask."""

    tiles: tuple[tuple[Region, PackedMask], ...]

    def apply(self, region: Region, cleared: NDArray[np.bool_], *, clears: bool) -> None:
        """Clear what was found, or bring it back, in what is cleared of a region, (h, w) bool, in place."""
        for tile, mask in self.tiles:
            if not tile.touches(region):
                continue
            both = tile.within(region)
            there = cleared[both.seen_from(region).slices]
            taken = mask.over(both.seen_from(tile))
            there[taken] = clears


@njit(cache=True, nogil=True)
def _away_kernel(rgb, linear, line, colours, top, left, out):  # type: ignore[no-untyped-def]
    """Fill `out` with the difference from the colour that belongs to the nearest place of a line, (h, w)."""
    for row in range(out.shape[0]):
        for col in range(out.shape[1]):
            best, nearest = 1e18, 0
            for at in range(line.shape[0]):
                away = (line[at, 0] - left - col - 0.5) ** 2 + (line[at, 1] - top - row - 0.5) ** 2
                if away < best:
                    best, nearest = away, at
            lightness, green_red, blue_yellow = oklab_kernel(
                linear[rgb[row, col, 0]], linear[rgb[row, col, 1]], linear[rgb[row, col, 2]]
            )
            out[row, col] = 100 * np.sqrt(
                (lightness - colours[nearest, 0]) ** 2
                + (green_red - colours[nearest, 1]) ** 2
                + (blue_yellow - colours[nearest, 2]) ** 2
            )


@njit(cache=True, nogil=True)
def _oklab_of(linear, rgb, out):  # type: ignore[no-untyped-def]
    for at in range(rgb.shape[0]):
        out[at] = oklab_kernel(linear[rgb[at, 0]], linear[rgb[at, 1]], linear[rgb[at, 2]])


def take_colours(picture: Picture, line: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the colour of a picture around each place of a line, (N, 3) OKLab."""
    cols = np.clip(line[:, 0].astype(int), 0, picture.width - 1)
    rows = np.clip(line[:, 1].astype(int), 0, picture.height - 1)
    total = np.zeros((len(line), 3))
    each = np.empty((len(line), 3))
    around = range(-_TAKEN_PX, _TAKEN_PX + 1)
    for down in around:
        for right in around:
            r = np.clip(rows + down, 0, picture.height - 1)
            c = np.clip(cols + right, 0, picture.width - 1)
            _oklab_of(LINEAR_OF_U8, picture.rgb[r, c], each)
            total += each
    return total / len(around) ** 2


def find_like(
    picture: Picture, steps: NDArray[np.uint8], guards: tuple[Guard, ...], mark: Mark, tolerance: float
) -> Found:  # fmt: skip
    """Find what of a stroke's place is like its colour; for one that keeps beside the ground, what is not.

    Towards a soft stroke's edge, and under a weak one, what is taken has to be so much more alike.

    Parameters
    ----------
    picture : Picture
        The whole work area.
    steps : (H, W) ndarray of uint8
        Quantised difference from the ground, without walls.
    guards : tuple of Guard
        Colours that are never cleared.
    mark : Mark
        A stroke, with `like`.
    tolerance : float
        How far from its colour is like it.
    """
    assert mark.like is not None
    assert isinstance(mark.shape, Stroke)
    line, like, clears = mark.shape.line, mark.like, mark.verdict == "clear"
    taken = line[:1] if like.taken == "first" else line
    colours = None if like.taken == "ground" else take_colours(picture, taken)
    found = []
    for tile in _inside(mark.box, picture).tiles(_TILE_PX):
        covered = cover_stroke(mark.shape, tile)
        if not covered.any():
            continue
        rgb = np.ascontiguousarray(picture.rgb[tile.slices])
        here = np.ascontiguousarray(steps[tile.slices])
        if colours is None:
            away = STEP * here.astype(np.float32)
        else:
            away = np.empty(covered.shape, np.float32)
            near, their = _near_of(taken, colours, tile)
            _away_kernel(rgb, LINEAR_OF_U8, near, their, tile.top, tile.left, away)
        if clears or colours is not None:
            mask = (away <= tolerance * covered) & (covered > 0)
        else:
            mask = (away > tolerance) & (covered > 0.5)
        if clears and guards:
            guarded = np.zeros_like(here)
            set_guarded(rgb, guards, 1, guarded)
            mask &= guarded == 0
        found.append((tile, mask))
    if like.is_joined:
        found = _keep_joined(found, mark.shape)
    return Found(tuple((tile, PackedMask.of(mask)) for tile, mask in found if mask.any()))


def _inside(box: Region, picture: Picture) -> Region:
    """Return the part of a box that lies in a picture; nothing where none does."""
    around = whole(picture.height, picture.width)
    return box.within(around) if box.touches(around) else Region(0, 0, 0, 0)


def _near_of(
    line: NDArray[np.float64], colours: NDArray[np.float64], tile: Region
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return the places of a line that may be the nearest ones to what it covers of a tile, with their colours."""
    far = line[:, 2].max() + 2
    x, y = line[:, 0], line[:, 1]
    near = (x > tile.left - far) & (x < tile.right + far) & (y > tile.top - far) & (y < tile.bottom + far)  # fmt: skip
    return (line[near], colours[near]) if near.any() else (line, colours)


def _keep_joined(
    found: list[tuple[Region, NDArray[np.bool_]]], stroke: Stroke
) -> list[tuple[Region, NDArray[np.bool_]]]:
    """Return of what was found what hangs together with what was found under the middle of the stroke."""
    if not found:
        return found
    top, left = min(tile.top for tile, _ in found), min(tile.left for tile, _ in found)
    bottom, right = max(tile.bottom for tile, _ in found), max(tile.right for tile, _ in found)
    box = Region(top, left, bottom, right)
    both = np.zeros((box.height, box.width), np.uint8)
    for tile, mask in found:
        both[tile.seen_from(box).slices] = mask
    _, labels = cv2.connectedComponents(both, connectivity=8)
    middle = stroke.line.copy()
    middle[:, 2] = np.minimum(middle[:, 2], _MIDDLE_PX)
    under = cover_stroke(Stroke(middle), box) > 0
    joined = np.zeros(int(labels.max()) + 1, np.bool_)
    joined[np.unique(labels[under])] = True
    joined[0] = False
    return [(tile, joined[labels[tile.seen_from(box).slices]]) for tile, _ in found]
