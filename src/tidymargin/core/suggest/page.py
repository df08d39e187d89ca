"""Finding a page in its picture: a photograph with the table around it, a scan with the scanner's lid."""

from collections.abc import Iterator

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.area import Area, to_corners, whole_corners
from tidymargin.core.base.average import average_rgb
from tidymargin.core.base.colour import linear_to_oklab, srgb_to_linear
from tidymargin.core.base.errors import BadParameterError
from tidymargin.core.base.picture import Picture

_COARSE_PX = 480  # longer side that a page is looked for at
_LEAST_SHARE, _MOST_SHARE = 0.3, 0.985  # of the picture that a page takes; typed
_SHAPELY = 0.955  # how much of page and quadrilateral must be one
_AWAY = 0.04  # OKLab between page and surroundings
_PLAIN = 0.6  # share of a page that is bare paper
_MARKED = 0.003  # share of it that is not, or it is a plain plate and no page
_AT_EDGE_PX = 2.5  # of the coarse picture: that is the picture's own edge
_INSET, _LEAST_INSET_PX = 0.002, 1.5  # so that nothing of the table is mixed into the page's border
_PATCH = 25  # part of the shorter side that a patch of the surroundings is wide; typed
# quantile, times that, and OKLab: what a table differs by; typed
_SPREAD_AT, _SPREADS, _LEAST_SPREAD = 0.95, 1.5, 0.015
# of OKLab, tried one after the other: how far one colour of paper goes; typed
_NEARS = 0.01, 0.08, 15
# places of a side, and how far off it its edge is looked for; typed
_ALONG_SIDE, _OFF_SIDE_PX = (0.06, 0.94, 120), 4.0
_STRONG = 0.3  # of the median slope, from which an edge counts; typed
_LEAST_SIDE_PX = 24  # of the coarse picture; typed
_SPECKS, _RIM, _LOCAL = (7, 7), (5, 5), (31, 31)  # windows of the coarse picture; typed
_MARK = 0.08  # OKLab lightness that a mark differs from the paper by; typed

Mask = NDArray[np.uint8]


def _split(values: NDArray[np.float32]) -> NDArray[np.bool_]:
    """Return what lies above the threshold that parts values best (Otsu 1979)."""
    low, high = float(values.min()), float(values.max())
    scaled = np.clip((values - low) * (255 / max(1e-6, high - low)), 0, 255).astype(np.uint8)
    _, split = cv2.threshold(scaled, 0, 1, cv2.THRESH_BINARY | cv2.THRESH_OTSU)
    return np.asarray(split).astype(np.bool_)


def _split_from_corners(lab: NDArray[np.float32]) -> Iterator[NDArray[np.bool_]]:
    """Yield, for each corner, what does not look like it: a lid shows in a corner, a page does not."""
    side = max(4, min(lab.shape[:2]) // _PATCH)
    for rows in (slice(0, side), slice(-side, None)):
        for cols in (slice(0, side), slice(-side, None)):
            patch = lab[rows, cols].reshape(-1, 3)
            tint = np.median(patch, axis=0)
            spread = float(np.quantile(np.sqrt(((patch - tint) ** 2).sum(axis=1)), _SPREAD_AT))
            away = np.sqrt(((lab - tint) ** 2).sum(axis=2))
            yield away > _SPREADS * spread + _LEAST_SPREAD


def _largest(mask: NDArray[np.bool_]) -> Mask:
    """Return the largest connected piece, (H, W) uint8 of 0 and 1."""
    _, marks, stats, _ = cv2.connectedComponentsWithStats(mask.view(np.uint8), connectivity=4)
    if len(stats) < 2:
        return np.zeros(mask.shape, np.uint8)
    largest = 1 + int(stats[1:, cv2.CC_STAT_AREA].argmax())
    return np.equal(np.asarray(marks), largest).view(np.uint8)


def _fill(mask: Mask) -> Mask:
    outlines, _ = cv2.findContours(mask, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    filled = np.zeros_like(mask)
    cv2.drawContours(filled, outlines, -1, 1, cv2.FILLED)
    return filled


def _fit_corners(filled: Mask) -> NDArray[np.float64] | None:
    """Return the (4, 2) corners of the quadrilateral that a filled piece is, or None."""
    outlines, _ = cv2.findContours(filled, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    hull = cv2.convexHull(max(outlines, key=len))
    around = cv2.arcLength(hull, True)
    for near in np.linspace(*_NEARS):
        found = cv2.approxPolyDP(hull, near * around, True)
        if len(found) == 4:
            break
    else:
        return None
    points = found.reshape(4, 2).astype(np.float64) + 0.5
    points = points[np.argsort(np.arctan2(*(points - points.mean(axis=0)).T[::-1]))]
    first = int(points.sum(axis=1).argmin())  # clockwise on screen, from the upper left
    points = np.roll(points, -first, axis=0)
    drawn = np.zeros_like(filled)
    cv2.fillConvexPoly(drawn, np.round(points - 0.5).astype(np.int32), 1)
    both, either = (drawn & filled).sum(), (drawn | filled).sum()
    return points if both / either >= _SHAPELY else None


def _sharpen(
    grey: NDArray[np.float32], points: NDArray[np.float64], inset_px: float
) -> NDArray[np.float64]:
    """Move each side to just within the strongest edge across it; one at the picture's border onto that."""
    height, width = grey.shape
    lines = []
    for at in range(4):
        start, end = points[at], points[(at + 1) % 4]
        along = (end - start) / np.hypot(*(end - start))
        across = np.array([-along[1], along[0]])
        for axis, side in ((0, 0.0), (0, float(width)), (1, 0.0), (1, float(height))):
            if abs(start[axis] - side) < _AT_EDGE_PX and abs(end[axis] - side) < _AT_EDGE_PX:
                normal = np.zeros(2)
                normal[axis] = 1.0
                lines.append((normal, side))
                break
        else:
            share = np.linspace(*_ALONG_SIDE)
            offsets = np.arange(-_OFF_SIDE_PX, _OFF_SIDE_PX + 0.01, 0.25)
            foot = start + share[:, None] * (end - start)
            place = foot[:, None, :] + offsets[None, :, None] * across - 0.5
            seen = cv2.remap(
                grey,
                place[..., 0].astype(np.float32),
                place[..., 1].astype(np.float32),
                cv2.INTER_LINEAR,
                borderMode=cv2.BORDER_REPLICATE,
            )
            steep = np.abs(np.gradient(np.asarray(seen), axis=1))
            best = offsets[steep.argmax(axis=1)]
            strong = steep.max(axis=1) > _STRONG * np.median(steep.max(axis=1))
            ends = (foot + best[:, None] * across)[strong]
            direction = cv2.fitLine(ends.astype(np.float32), cv2.DIST_HUBER, 0, 0.01, 0.01).ravel()
            normal = np.array([-direction[1], direction[0]], np.float64)
            normal *= np.sign(normal @ across)  # towards the page
            lines.append((normal, float(normal @ direction[2:]) + inset_px))
    corners = []
    for at in range(4):
        (first, reach_first), (second, reach_second) = lines[at - 1], lines[at]
        corners.append(np.linalg.solve(np.array([first, second]), [reach_first, reach_second]))
    return np.array(corners)


def find_page(picture: Picture) -> Area | None:
    """Find a page with something else around it.

    A page is one even, marked piece of four straight sides that takes three tenths of the picture or more
    and differs from what lies around it.

    Returns
    -------
    Area or None
        The page's corners in the picture; None where there is no such page, or where it is all there is.
    """
    scale = max(1.0, max(picture.height, picture.width) / _COARSE_PX)
    size = max(1, round(picture.width / scale)), max(1, round(picture.height / scale))
    if min(size) < _LEAST_SIDE_PX:
        return None
    coarse = average_rgb(picture.rgb, size[1], size[0])
    lab = linear_to_oklab(srgb_to_linear(coarse.astype(np.float32) / 255)).astype(np.float32)
    border = np.concatenate([lab[0], lab[-1], lab[:, 0], lab[:, -1]])
    away = np.sqrt(((lab - np.median(border, axis=0)) ** 2).sum(axis=2)).astype(np.float32)
    lightness = np.ascontiguousarray(lab[..., 0])
    for split in (_split(lightness), _split(away), *_split_from_corners(lab)):
        bare = _largest(split)
        share = float(_fill(bare).mean())
        if not _LEAST_SHARE <= share <= _MOST_SHARE:
            continue
        opened = cv2.morphologyEx(_fill(bare), cv2.MORPH_OPEN, np.ones(_SPECKS, np.uint8))
        filled = _largest(np.asarray(opened).astype(np.bool_))
        if not filled.any():
            continue
        points = _fit_corners(filled)
        if points is None or not _is_page(lab, bare, filled):
            continue
        step = np.array([picture.width / size[0], picture.height / size[1]])
        inset_px = max(_LEAST_INSET_PX / float(step.max()), _INSET * max(size))
        corners = to_corners(_sharpen(lightness, points, inset_px) * step)
        if corners == whole_corners(picture.height, picture.width):
            continue
        try:
            return Area(corners, picture.height, picture.width)
        except BadParameterError:
            continue
    return None


def _is_page(lab: NDArray[np.float32], bare: Mask, filled: Mask) -> bool:
    inside = cv2.erode(filled, np.ones(_RIM, np.uint8)).astype(np.bool_)
    around = ~cv2.dilate(filled, np.ones(_RIM, np.uint8)).astype(np.bool_)
    if not inside.any() or not around.any():
        return False
    paper = lab[inside & (bare > 0)]
    plain = len(paper) / int(inside.sum())
    apart = float(np.sqrt(((np.median(paper, axis=0) - np.median(lab[around], axis=0)) ** 2).sum()))
    # marks: what differs from the paper close by, since a lamp's light falls off across a page
    local = cv2.blur(lab[..., 0] * inside, _LOCAL) / np.maximum(
        1e-3, cv2.blur(inside.astype(np.float32), _LOCAL)
    )
    marked = float((np.abs(lab[..., 0] - local)[inside] > _MARK).mean())
    return apart >= _AWAY and plain >= _PLAIN and marked >= _MARKED
