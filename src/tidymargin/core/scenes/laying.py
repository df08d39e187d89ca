"""Cuts laid on a base and on one another, in bands (T. Porter and T. Duff, "Compositing digital images", SIGGRAPH 1984)."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.parallel import work_through
from tidymargin.core.base.progress import Tick, no_tick
from tidymargin.core.scenes.kernels import over_kernel, straighten_kernel, weigh_kernel
from tidymargin.core.scenes.placing import Layer, Placed

_BAND_PX = 16
_AT_ONCE = 4  # bands between two looks at whether it still is wanted
_EVERYWHERE = np.zeros((1, 1))

Rgba = NDArray[np.uint8]


@dataclass(frozen=True, slots=True)
class Laid:
    """A cut in a scene.

    Parameters
    ----------
    placed : Placed
        At its place.
    opacity : float
        0 to 1.
    inside : Placed, optional
        Within whose matte alone it is seen.
    """

    placed: Placed
    opacity: float = 1.0
    inside: Placed | None = None


def lay(base: Rgba, cuts: Sequence[Laid], tick: Tick = no_tick, *, first: int = 0) -> Rgba:
    """Return a base with cuts laid on it, (H, W, 4) uint8 of straight alpha.

    Parameters
    ----------
    base : (H, W, 4) ndarray of uint8
        Straight alpha.
    cuts : sequence of Laid
        From the bottom up.
    tick : Tick
        Told how far it has come.
    first : int
        The row that the base begins at, where it is but a band of one.
    """
    height = len(base)
    out = base.copy()
    done = [0]

    def lay_band(rows: tuple[int, int]) -> None:
        top, bottom = rows
        seen = [cut for cut in cuts if cut.placed.top < first + bottom and cut.placed.bottom > first + top]  # fmt: skip
        if seen:
            _lay_in_band(out[top:bottom], seen, first + top)
        done[0] += bottom - top

    bands = [(top, min(height, top + _BAND_PX)) for top in range(0, height, _BAND_PX)]
    for number in range(0, len(bands), _AT_ONCE):
        tick(done[0] / height)
        work_through(lay_band, bands[number : number + _AT_ONCE])
    return out


def _lay_in_band(band: Rgba, seen: Sequence[Laid], top: int) -> None:
    """Lay cuts on rows of a base that begin at `top`."""
    height, width = band.shape[:2]
    first, last = max(0, min(cut.placed.left for cut in seen)), min(width, max(cut.placed.right for cut in seen))  # fmt: skip
    if last <= first:
        return
    part = band[:, first:last]
    mixed = np.empty(part.shape)
    weigh_kernel(part, mixed)
    touched = np.zeros(part.shape[:2], np.bool_)
    for cut in seen:
        placed = cut.placed
        rows = (max(top, placed.top), min(top + height, placed.bottom))
        cols = (max(0, placed.left), min(width, placed.right))
        if rows[0] >= rows[1] or cols[0] >= cols[1]:
            continue
        layer = placed.take_band(*rows)[:, cols[0] - placed.left : cols[1] - placed.left]
        inside = _EVERYWHERE if cut.inside is None else _take_matte(cut.inside, rows, cols)
        within = (slice(rows[0] - top, rows[1] - top), slice(cols[0] - first, cols[1] - first))
        over_kernel(mixed[within], layer, cut.opacity, inside, cut.inside is not None, touched[within])  # fmt: skip
    straighten_kernel(mixed, touched, part)


def draw_alone(cut: Laid, width: int, height: int) -> tuple[Rgba, int, int]:
    """Return what of a cut a scene of a size shows, at full opacity: (H, W, 4) uint8 of straight alpha, and where it begins, left and top."""
    placed = cut.placed
    rows, cols = (max(0, placed.top), min(height, placed.bottom)), (max(0, placed.left), min(width, placed.right))  # fmt: skip
    if rows[0] >= rows[1] or cols[0] >= cols[1]:
        return np.zeros((1, 1, 4), np.uint8), 0, 0
    found: Rgba = np.empty((rows[1] - rows[0], cols[1] - cols[0], 4), np.uint8)
    for top in range(*rows, _BAND_PX):
        bottom = min(rows[1], top + _BAND_PX)
        found[top - rows[0] : bottom - rows[0]] = _to_straight(_take(cut, (top, bottom), cols))
    return found, cols[0], rows[0]


def _to_straight(band: Layer) -> Rgba:
    straight: Rgba = np.empty(band.shape, np.uint8)
    straighten_kernel(band, np.ones(band.shape[:2], np.bool_), straight)
    return straight


def _take(cut: Laid, rows: tuple[int, int], cols: tuple[int, int]) -> Layer:
    """Return a part of a scene of a cut, within what it is inside of."""
    layer = cut.placed.take_band(*rows)[:, cols[0] - cut.placed.left : cols[1] - cut.placed.left]
    if cut.inside is None:
        return layer
    return layer * (_take_matte(cut.inside, rows, cols)[..., None] / 255)


def _take_matte(
    placed: Placed, rows: tuple[int, int], cols: tuple[int, int]
) -> NDArray[np.float64]:
    """Return how solid a cut is over a part of a scene, 0 to 255."""
    found = np.zeros((rows[1] - rows[0], cols[1] - cols[0]))
    first, last = max(rows[0], placed.top), min(rows[1], placed.bottom)
    left, right = max(cols[0], placed.left), min(cols[1], placed.right)
    if first < last and left < right:
        matte = placed.take_band(first, last)[:, left - placed.left : right - placed.left, 3]
        found[first - rows[0] : last - rows[0], left - cols[0] : right - cols[0]] = matte
    return found
