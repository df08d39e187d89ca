"""Lines traced along their middle, with a width: for plotters and engravers.

The middle is where as much ink lies on one side as on the other, across; the width is how much ink that is. Near a junction, where
other lines are in the way, a line goes straight on to where all that meet there meet.
"""

from dataclasses import dataclass, replace

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.outlines.contours import resample
from tidymargin.core.outlines.corners import STEP_PX
from tidymargin.core.outlines.paths import Piece, Point
from tidymargin.core.outlines.skeleton import Chain, find_chains, thin
from tidymargin.core.outlines.tracing import trace_open, trace_ring

_HALF = 128
_SPUR = 1.1  # of half a line's width, that a branch is long at least
_WAY_PX = 4  # chain pixels on either side by which the way across is told
_SAMPLED_PX = 0.25
_WIDER_PX = 1.2  # that a stroke's width may vary by
_SMOOTH_PX = 6

_Line = NDArray[np.float64]
_Ink = NDArray[np.float32]
_Measured = tuple[_Line, _Line, NDArray[np.bool_]]


@dataclass(frozen=True, slots=True)
class Stroke:
    """A line with a width; closed where it ends at its start.

    Parameters
    ----------
    start : tuple of 2 float
        x and y, px.
    pieces : tuple of Piece
        Lines, arcs and curves, in order.
    width_px : float
        How wide it is.
    is_closed : bool
        Whether its last piece ends at its start.
    """

    start: Point
    pieces: tuple[Piece, ...]
    width_px: float
    is_closed: bool = False


def find_strokes(
    alpha: NDArray[np.uint8], tolerance_px: float, noise_px: float
) -> tuple[Stroke, ...]:
    """Return the lines of a matte, (H, W) uint8, along their middle."""
    solid = alpha >= _HALF
    padded = cv2.distanceTransform(np.pad(solid, 1).astype(np.uint8), cv2.DIST_L2, 5)
    inside = np.asarray(padded[1:-1, 1:-1], np.float32)
    chains, middles = find_chains(_take_spurs(thin(solid), inside))
    ink = np.asarray(alpha / np.float32(255), np.float32)
    measured = [_measure(chain, ink, inside) for chain in chains]
    nodes = _place_nodes(chains, measured, middles)
    found: list[Stroke] = []
    for chain, (line, widths, _) in zip(chains, measured, strict=True):
        found += _to_strokes(chain, line, widths, nodes, ink, tolerance_px, noise_px)
    return tuple(found)


def _take_spurs(skeleton: NDArray[np.uint8], inside: NDArray[np.float32]) -> NDArray[np.uint8]:
    """Return a skeleton without branches that are no longer than the line is wide: of its corners, and of roughness."""
    for _ in range(3):
        chains, middles = find_chains(skeleton)
        taken = False
        for chain in chains:
            is_free = (chain.first_joins < 0) != (chain.last_joins < 0)
            if not is_free or chain.is_closed:
                continue
            joint = middles[max(chain.first_joins, chain.last_joins)]
            row, col = np.clip(np.round(joint).astype(int), 0, np.array(skeleton.shape) - 1)
            if len(chain.places) <= _SPUR * float(inside[row, col]) + 1:
                skeleton = skeleton.copy() if not taken else skeleton
                skeleton[chain.places[:, 0], chain.places[:, 1]] = 0
                taken = True
        if not taken:
            break
        skeleton = thin(skeleton > 0)
    return skeleton


@njit(cache=True, nogil=True)
def _measure_kernel(ink, line, across, reach, middles, widths):  # type: ignore[no-untyped-def]
    """Where the middle of the ink across each place is, and how much there is."""
    height, width = ink.shape
    for i in range(len(line)):
        total = moment = 0.0
        for way in (1.0, -1.0):
            u = 0.5 * _SAMPLED_PX
            low = 1.0
            while u < reach[i]:
                x = line[i, 0] + way * u * across[i, 0] - 0.5
                y = line[i, 1] + way * u * across[i, 1] - 0.5
                col, row = int(np.floor(x)), int(np.floor(y))
                if row < -1 or col < -1 or row >= height or col >= width:
                    break
                fx, fy = x - col, y - row
                value = 0.0
                for a in range(2):
                    for b in range(2):
                        if 0 <= row + a < height and 0 <= col + b < width:
                            value += (
                                (fy if a else 1 - fy)
                                * (fx if b else 1 - fx)
                                * ink[row + a, col + b]
                            )
                if low < 0.5 and value > low + 0.02:  # another line begins
                    break
                low = min(low, value)
                total += value
                moment += way * u * value
                if value < 0.004:
                    break
                u += _SAMPLED_PX
        widths[i] = total * _SAMPLED_PX
        shift = moment / total if total > 0 else 0.0
        middles[i, 0] = line[i, 0] + shift * across[i, 0]
        middles[i, 1] = line[i, 1] + shift * across[i, 1]


def _measure(
    chain: Chain, ink: NDArray[np.float32], inside: NDArray[np.float32]
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.bool_]]:
    """Return a chain's middles, x and y, its widths, and which of both are told of its own line alone."""
    line = chain.places[:, ::-1].astype(np.float64) + 0.5
    count = len(line)
    half = inside[chain.places[:, 0], chain.places[:, 1]].astype(np.float64)
    widths = 2 * half
    for _ in range(2):
        across = _find_across(line, chain.is_closed)
        middles = np.empty_like(line)
        _measure_kernel(ink, line, across, half * 1.6 + 2.0, middles, widths)
        line = middles
    clean = np.ones(count, np.bool_)
    if not chain.is_closed:
        # as far as other lines reach in, and as far as an end is round
        near_first = int(np.ceil(half[0] * (1.3 if chain.first_joins >= 0 else 1.0))) + 1
        near_last = int(np.ceil(half[-1] * (1.3 if chain.last_joins >= 0 else 1.0))) + 1
        if near_first + near_last < count - 2:
            clean[:near_first] = False
            clean[count - near_last :] = False
    return line, widths, clean


def _find_across(line: NDArray[np.float64], is_closed: bool) -> NDArray[np.float64]:
    count = len(line)
    at = np.arange(count)
    if is_closed:
        ahead, behind = line[(at + _WAY_PX) % count], line[(at - _WAY_PX) % count]
    else:
        ahead = line[np.minimum(at + _WAY_PX, count - 1)]
        behind = line[np.maximum(at - _WAY_PX, 0)]
    way = ahead - behind
    length = np.hypot(*way.T)
    way[length < 1e-9] = (1.0, 0.0)
    way /= np.maximum(np.hypot(*way.T), 1e-9)[:, None]
    return np.column_stack([-way[:, 1], way[:, 0]])


def _place_nodes(
    chains: list[Chain], measured: list[_Measured], middles: list[_Line]
) -> list[_Line]:
    """Return where the lines that meet at each junction meet: nearest to all of them as they come in."""
    nodes = [np.array([m[1] + 0.5, m[0] + 0.5]) for m in middles]
    totals = [np.eye(2) * 0.05 for _ in middles]
    pulls = [totals[k] @ nodes[k] for k in range(len(nodes))]
    for chain, (line, _, clean) in zip(chains, measured, strict=True):
        places = np.flatnonzero(clean)
        if len(places) < 4:
            continue
        for node, at in ((chain.first_joins, places[:8]), (chain.last_joins, places[-8:])):
            if node < 0:
                continue
            some = line[at]
            base = some.mean(axis=0)
            way = np.linalg.svd(some - base)[2][0]
            across = np.eye(2) - np.outer(way, way)
            totals[node] += across
            pulls[node] += across @ base
    for k, total in enumerate(totals):
        moved = np.linalg.solve(total, pulls[k])
        if np.hypot(*(moved - nodes[k])) < 6:
            nodes[k] = moved
    return nodes


def _to_strokes(
    chain: Chain, line: _Line, widths: _Line, nodes: list[_Line], ink: _Ink, tolerance_px: float, noise_px: float
) -> list[Stroke]:  # fmt: skip
    """Return a chain as strokes, each of about one width."""
    if len(line) < 4 and not chain.is_closed:
        return _to_dot(chain, line, widths, nodes)
    if chain.is_closed:
        width = float(np.median(widths))
        path = trace_ring(resample(line, 2 * STEP_PX), tolerance_px, noise_px)
        return [Stroke(path.start, path.pieces, width, is_closed=True)]
    half = widths / 2
    clean = _find_clean(chain, half, len(line))
    inner = line[clean]
    ends = []
    for joins, end, beside in ((chain.first_joins, inner[0], inner[: min(8, len(inner))]), (chain.last_joins, inner[-1], inner[::-1][: min(8, len(inner))])):  # fmt: skip
        ends.append(
            nodes[joins] if joins >= 0 else _find_end(end, beside, float(np.median(half)), ink)
        )
    full = np.vstack([ends[0], inner, ends[1]])
    own = np.concatenate([[widths[clean][0]], widths[clean], [widths[clean][-1]]])
    smooth = cv2.blur(own.reshape(-1, 1), (1, 2 * _SMOOTH_PX + 1), borderType=cv2.BORDER_REPLICATE).ravel()  # fmt: skip
    found = []
    first = 0
    while first < len(full) - 1:
        last = first + 1
        low = high = smooth[first]
        while last < len(full) - 1:
            low, high = min(low, smooth[last]), max(high, smooth[last])
            if high - low > _WIDER_PX and last - first > 4:
                break
            last += 1
        if len(full) - 1 - last < 4:
            last = len(full) - 1
        part = full[first : last + 1]
        start, pieces = trace_open(part, tolerance_px, noise_px)
        found.append(Stroke(start, pieces, float(np.median(own[first : last + 1]))))
        first = last
    return [replace(s, width_px=max(s.width_px, 0.2)) for s in found]


def _find_clean(chain: Chain, half: _Line, count: int) -> slice:
    """Return which places other lines, and round ends, do not reach into."""
    first = int(np.ceil(half[min(count // 2, 6)] * (1.3 if chain.first_joins >= 0 else 1.0))) + 1
    last = int(np.ceil(half[-1 - min(count // 2, 6)] * (1.3 if chain.last_joins >= 0 else 1.0))) + 1
    if first + last >= count - 2:
        first = last = max(0, (count - 2) // 2 - 1)
    return slice(first, count - last)


def _find_end(end: _Line, beside: _Line, half_px: float, ink: _Ink) -> _Line:
    """Return where a line ends, less half its width: what a round end begins at."""
    way = end - beside[-1]
    length = float(np.hypot(*way))
    if length < 1e-6:
        return end
    way = way / length
    reach = 0.0
    height, width = ink.shape
    while reach < 8 * half_px + 8:
        x, y = end + way * reach
        row, col = int(y), int(x)
        if not (0 <= row < height and 0 <= col < width) or ink[row, col] < 0.5:
            break
        reach += 0.25
    return np.asarray(end + way * max(0.0, reach - half_px))


def _to_dot(chain: Chain, line: _Line, widths: _Line, nodes: list[_Line]) -> list[Stroke]:
    """Return what is hardly longer than it is wide as one straight stroke."""
    a = nodes[chain.first_joins] if chain.first_joins >= 0 else line[0]
    b = nodes[chain.last_joins] if chain.last_joins >= 0 else line[-1]
    end = (float(b[0]), float(b[1]))
    return [Stroke((float(a[0]), float(a[1])), (Piece("line", end),), float(max(np.median(widths), 0.2)))]  # fmt: skip
