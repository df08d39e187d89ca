"""Rims of cuts as they meet what lies behind them: lines that are paler or darker than both sides."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.colour import srgb_u8_to_oklab

Rgba = NDArray[np.uint8]
Plane = NDArray[np.float32]

_SOLID, _CLEAR = 250, 5
_AROUND_PX = 4  # how far the solid and the clear side are looked at
_BEYOND = (
    0.05  # OKLab lightness beyond both sides; decision 0027 says on what it was chosen and judged
)
_SHORTEST_PX = 24


@dataclass(frozen=True, slots=True)
class RimLine:
    """A line along a rim.

    Parameters
    ----------
    kind : str
        ``pale`` or ``dark``.
    length_px : int
        How long it is.
    box : tuple of int
        Where: left, top, right, bottom, px of the window.
    """

    kind: str
    length_px: int
    box: tuple[int, int, int, int]


def _range_where(values: Plane, where: NDArray[np.bool_]) -> tuple[Plane, Plane]:
    """Return the least and the most of what is near and somewhere; infinite the wrong way round where nothing is."""
    reach = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * _AROUND_PX + 1,) * 2)
    least = cv2.erode(np.where(where, values, np.float32(np.inf)), reach)
    most = cv2.dilate(np.where(where, values, np.float32(-np.inf)), reach)
    return np.asarray(least, np.float32), np.asarray(most, np.float32)


def measure_beyond(alone: Rgba, behind: Rgba) -> tuple[Plane, NDArray[np.bool_]]:
    """Return by how much each place of a rim is paler (over 0) or darker (below 0) than both sides, and where that can be said.

    Parameters
    ----------
    alone, behind : (H, W, 4) ndarray of uint8
        A cut as it lies there, and what is behind it; straight alpha.
    """
    matte = alone[..., 3]
    share = matte[..., None].astype(np.float32) / 255
    mixed = alone[..., :3] * share + behind[..., :3] * (1 - share)
    shown = srgb_u8_to_oklab(np.rint(mixed).astype(np.uint8))[..., 0].astype(np.float32)
    own = srgb_u8_to_oklab(alone[..., :3])[..., 0].astype(np.float32)
    other = srgb_u8_to_oklab(behind[..., :3])[..., 0].astype(np.float32)
    # what is drawn along a figure's side, in solid pixels, is the figure's
    least_in, most_in = _range_where(own, matte >= _SOLID)
    least_out, most_out = _range_where(other, matte <= _CLEAR)
    is_rim = (matte > _CLEAR) & (matte < _SOLID) & np.isfinite(most_in) & np.isfinite(most_out)
    paler = shown - np.maximum(most_in, most_out)
    darker = np.minimum(least_in, least_out) - shown
    beyond = np.where(paler > 0, paler, np.where(darker > 0, -darker, 0))
    return np.where(is_rim, beyond, 0).astype(np.float32), is_rim


def find_lines(alone: Rgba, behind: Rgba, beyond: float = _BEYOND) -> list[RimLine]:
    """Return the lines along a cut's rim, the longest first; see `measure_beyond`."""
    measured, is_rim = measure_beyond(alone, behind)
    found = []
    for kind, way in (("pale", 1), ("dark", -1)):
        mask = (is_rim & (way * measured > beyond)).astype(np.uint8)
        joined = cv2.morphologyEx(mask, cv2.MORPH_CLOSE, np.ones((5, 5), np.uint8))
        count, labels, stats, _ = cv2.connectedComponentsWithStats(joined, connectivity=8)
        for number in range(1, count):
            left, top, width, height, _ = (int(value) for value in stats[number])
            part = labels[top : top + height, left : left + width] == number
            # it has two sides, whether it is closed or not
            outlines, _ = cv2.findContours(part.astype(np.uint8), cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)  # fmt: skip
            length = sum(len(outline) for outline in outlines) // 2
            if length >= _SHORTEST_PX:
                found.append(RimLine(kind, length, (left, top, left + width, top + height)))
    return sorted(found, key=lambda line: -line.length_px)
