"""Finding faults: signs are gathered over the whole cut, and what hangs together is one fault."""

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.components import find_pieces
from tidymargin.core.base.limits import MM_PER_INCH
from tidymargin.core.base.picture import Region, whole
from tidymargin.core.base.progress import Tick, no_tick
from tidymargin.core.faults import signs as s
from tidymargin.core.faults.judged import Judged
from tidymargin.core.faults.kinds import Fault, Kind, Limits, to_severity
from tidymargin.core.reach.pockets import Pocket

MOST_FAULTS = 200
"""Of each kind, the worst of which are listed."""

_BLOCK_PX = 1024  # looked at at once: memory
_LEAST_PX = {"see_through": 9, "eaten": 10, "leftover": 30, "changed": 12}
_LEAST_RUN_PX = 12.0  # of a rim, for it to be seen; typed
_JOINED_PX = 3  # apart, up to which signs are of one fault
_NEAR_PX = 7  # beside the figure, where a stroke that was eaten begins
_RING = 2.5  # times as much as its own area, what a closed edge has within
_APART_PX = 3  # of a crumb from anything else
# of a crumb, that is like the ground; of a large one, of its inside
_SMALL_ALIKE, _LARGE_ALIKE = 0.4, 0.9
_ALONE = 2.0  # times its longer side, that a crumb above the plain limit is from anything else; typed, judged with the limit
_CRUMB_SHARE = 0.02  # of the largest piece, that a crumb may be at most
_RING_PX = 80  # that a closed edge has within, at least; typed
_GRAVE_CUT_OFF_PX, _GRAVE_POCKET_PX = 12, 40  # at which a severity is 1; typed
_GRAVE_FRINGE, _GRAVE_JAGS = (10, 1.2), (20, 0.3)  # px and strength at which it is; typed


def gather_signs(judged: Judged, limits: Limits, tick: Tick = no_tick) -> NDArray[np.uint8]:
    """Return the signs at every place of a cut, (H, W) uint8."""
    everywhere = whole(*judged.shape)
    found = np.zeros(judged.shape, np.uint8)
    for block in everywhere.tiles(_BLOCK_PX):
        tick(block.top / everywhere.height)
        around = block.grown(s.AROUND_PX, everywhere)
        here = s.find_signs(
            judged.see(around), limits, is_opaque=judged.is_opaque, has_own_colours=judged.has_own_colours
        )  # fmt: skip
        found[block.slices] = here[block.seen_from(around).slices]
    return found


def _to_fault(kind: Kind, box: Region, size: float, weight: float) -> Fault:
    row, col = (box.top + box.bottom) // 2, (box.left + box.right) // 2
    return Fault(kind, to_severity(weight), row, col, box, round(size, 1))


def _list_boxes(mask: NDArray[np.bool_], joined_px: int = 0) -> list[tuple[Region, NDArray[np.bool_]]]:  # fmt: skip
    """Return the box of each piece of a mask, pieces that lie close taken as one, and what of the mask lies in it."""
    if not mask.any():
        return []
    wide = mask
    if joined_px:
        around = np.ones((2 * joined_px + 1,) * 2, np.uint8)
        wide = np.asarray(cv2.dilate(mask.view(np.uint8), around)) > 0
    pieces = find_pieces(wide, over_corners=True)
    found = []
    everywhere = whole(*mask.shape)
    worst = np.argsort(pieces.areas)[::-1][: 2 * MOST_FAULTS]
    for left, top, width, height, area in pieces.stats[worst]:
        if area == 0:  # what is no piece
            continue
        box = Region(int(top), int(left), int(top + height), int(left + width)).within(everywhere)
        found.append((box, mask[box.slices]))
    return found


def _find_crumbs(
    stands: NDArray[np.bool_], alike: NDArray[np.bool_] | None, limits: Limits
) -> list[Fault]:
    pieces = find_pieces(stands, over_corners=True)
    if len(pieces.areas) < 2:
        return []
    least = min(limits.crumb_px(stands.size), _CRUMB_SHARE * float(pieces.areas.max()))
    small = np.flatnonzero((pieces.areas > 0) & (pieces.areas <= least))
    found = []
    everywhere = whole(*stands.shape)
    for number in small[np.argsort(pieces.areas[small])[::-1]][:MOST_FAULTS]:
        left, top, width, height, area = (int(v) for v in pieces.stats[number])
        box = Region(top, left, top + height, left + width)
        # a letter or a dot of a drawing has others beside it; what is left of the ground stands alone
        is_large = area > limits.crumb
        apart = max(_APART_PX, _ALONE * max(width, height)) if is_large else _APART_PX
        around = box.grown(int(apart), everywhere)
        inside = stands[box.slices]
        if is_large:  # has an inside, where no rim makes it paler than it is
            mask = np.ascontiguousarray(inside).view(np.uint8)
            inside = np.asarray(cv2.erode(mask, np.ones((3, 3)), borderType=cv2.BORDER_CONSTANT, borderValue=(0,))) > 0  # fmt: skip
        enough = (_LARGE_ALIKE if is_large else _SMALL_ALIKE) * max(1, int(inside.sum()))
        is_ground = alike is None or int((alike[box.slices] & inside).sum()) > enough
        if is_ground and int(stands[around.slices].sum()) == area:
            found.append(_to_fault("crumb", box, area, area / 8))
    return found


def _find_runs(
    mask: NDArray[np.bool_], kind: Kind, least_px: float, unit_px: float, dense: float
) -> list[Fault]:
    """Return signs that lie along a rim as runs with their length."""
    found = []
    for box, inside in _list_boxes(mask, _JOINED_PX):
        length = max(math.hypot(box.height, box.width) - 2 * _JOINED_PX, math.sqrt(inside.sum()))
        if length >= least_px and inside.sum() >= dense * length:
            found.append(_to_fault(kind, box, length, length / unit_px))
    return found


def _find_areas(mask: NDArray[np.bool_], kind: Kind) -> list[Fault]:
    least = _LEAST_PX[kind]
    found = []
    for box, inside in _list_boxes(mask, 1):
        area = int(inside.sum())
        if area >= least:
            found.append(_to_fault(kind, box, area, area / (4 * least)))
    return found


def _find_lost(lost: NDArray[np.bool_], stands: NDArray[np.bool_]) -> list[Fault]:
    """Return strokes that were eaten, which begin at the figure, and what was swallowed whole, which stands for itself."""
    found = []
    everywhere = whole(*lost.shape)
    for box, inside in _list_boxes(lost, _JOINED_PX):
        area = int(inside.sum())
        if area < _LEAST_PX["eaten"]:
            continue
        around = box.grown(_NEAR_PX, everywhere)
        closed = np.asarray(cv2.dilate(np.pad(inside.view(np.uint8), 1), np.ones((3, 3), np.uint8)))
        contours, _ = cv2.findContours(closed, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
        within = sum(cv2.contourArea(contour) for contour in contours)
        is_ring = within > _RING * area and within > _RING_PX
        is_whole = is_ring or not stands[around.slices].any()
        kind: Kind = "swallowed" if is_whole else "eaten"
        found.append(_to_fault(kind, box, area, area / (4 * _LEAST_PX["eaten"])))
    return found


def _find_cut_off(stands: NDArray[np.bool_], limits: Limits) -> list[Fault]:
    found = []
    height, width = stands.shape
    for name, line in (
        ("top", stands[0]), ("bottom", stands[-1]), ("left", stands[:, 0]), ("right", stands[:, -1]),
    ):  # fmt: skip
        edges = np.flatnonzero(np.diff(np.concatenate([[0], line.astype(np.int8), [0]])))
        for begin, end in edges.reshape(-1, 2):
            if end - begin < limits.cut_off:
                continue
            row = {"top": 0, "bottom": height - 1}.get(name)
            col = {"left": 0, "right": width - 1}.get(name)
            box = (
                Region(row, int(begin), row + 1, int(end))
                if row is not None
                else Region(int(begin), int(col or 0), int(end), int(col or 0) + 1)
            )
            found.append(
                _to_fault("cut_off", box, float(end - begin), (end - begin) / _GRAVE_CUT_OFF_PX)
            )
    return found


def find_faults(
    judged: Judged,
    limits: Limits = Limits(),
    pockets: tuple[Pocket, ...] = (),
    print_mm: float | None = None,
    tick: Tick = no_tick,
) -> list[Fault]:
    """Return what is wrong in a cut, the most severe first.

    Parameters
    ----------
    judged : Judged
        The cut, with what is known of where it came from.
    limits : Limits
        From which measure something counts.
    pockets : tuple of Pocket
        Those that nobody has decided on.
    print_mm : float or None
        How wide it is to be printed.
    """
    signs = gather_signs(judged, limits, tick)

    def where(sign: int) -> NDArray[np.bool_]:
        return (signs & sign) > 0

    stands = where(s.STANDS)
    knows_ground = judged.see(Region(0, 0, 1, 1)).away is not None
    found = _find_crumbs(stands, where(s.GROUND_LIKE) if knows_ground else None, limits)
    found += [
        _to_fault("pocket", p.box, p.area_px, p.area_px / _GRAVE_POCKET_PX)
        for p in pockets[:MOST_FAULTS]
    ]
    found += _find_runs(where(s.FRINGE), "fringe", _LEAST_RUN_PX, *_GRAVE_FRINGE)
    found += _find_areas(where(s.SEE_THROUGH), "see_through")
    found += _find_lost(where(s.LOST), stands)
    found += _find_areas(where(s.LEFTOVER), "leftover")
    found += _find_runs(where(s.JAGGED), "jagged", limits.jagged, *_GRAVE_JAGS)
    found += _find_cut_off(stands, limits)
    found += _find_areas(where(s.CHANGED), "changed")
    if print_mm is not None and stands.any():
        cols = np.flatnonzero(stands.any(axis=0))
        dpi = float(cols[-1] - cols[0] + 1) / (print_mm / MM_PER_INCH)
        if dpi < limits.resolution:
            found.append(_to_fault("resolution", whole(*stands.shape), dpi, 4 * (limits.resolution / dpi - 0.5)))  # fmt: skip
    return sorted(found, key=lambda fault: (-fault.severity, fault.row, fault.col))
