"""Rough-in: on a picture that no key can read, a figure is found from scribbles on it and beside it.

OpenCV's graph cut (C. Rother, V. Kolmogorov and A. Blake, "GrabCut", 2004) runs on the picture at a working scale; what it
answers becomes closed lines in full-size pixels. Its rim is worked out afterwards like that of any outline.
"""

from dataclasses import dataclass, field

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.errors import BadParameterError
from tidymargin.core.marks.plan import Points

WORKING_PX = 560
"""Longer side of what the figure is looked for in; larger pictures are averaged down to it."""

_FIRST_ROUNDS, _LATER_ROUNDS = 2, 1  # more drift away from what was scribbled
_FINER = 4  # times as fine as the working scale, lines are drawn of what was found
_LEAST_PIECE = (
    0.0004  # of the working picture, below which what is found apart from every scribble is noise
)
_AGREED = 5  # working pixels across, of a place all of which colours and edges say the same of
_NEAR = 0.3  # of a working pixel that a line may stray from what was found
_SMOOTHING_PX = 1.0  # of the working size, against its steps; typed
_DRAWN_ANEW = 3  # times that, around what changed, that lines are drawn anew: it reaches no farther
_CENTRES = 24  # of colour for each side; typed
_LEAST_RIM_PX, _RIM = 2.0, 1.5  # full-size and working pixels
_SMOOTHING = (5, 18, 3)  # window in px, sigma in levels and in px; typed


@dataclass(frozen=True, slots=True, eq=False)
class Scribbles:
    """What was scribbled, in pixels of the work area.

    Parameters
    ----------
    keep, clear : tuple of (N, 3) ndarray of float64
        Lines x, y, radius on the figure and on what is to go.
    around : (N, 2) ndarray of float64 or None
        A line drawn loosely around the figure.
    """

    keep: tuple[Points, ...] = ()
    clear: tuple[Points, ...] = ()
    around: Points | None = None
    before: tuple[Points, ...] = field(default=())
    """What an earlier round answered."""


def find_figure(rgb: NDArray[np.uint8], scribbles: Scribbles) -> tuple[Points, ...]:
    """Return closed lines around the figure that scribbles point out, each (N, 2) x, y in full-size pixels.

    Parameters
    ----------
    rgb : (H, W, 3) ndarray of uint8
        The work area.
    scribbles : Scribbles
        At least one on the figure, or a line around it.

    Raises
    ------
    BadParameterError
        Nothing says where the figure is, or all of it lies outside.
    """
    height, width = rgb.shape[:2]
    scale = min(1.0, WORKING_PX / max(height, width))
    size = max(2, round(width * scale)), max(2, round(height * scale))
    small = cv2.resize(rgb, size, interpolation=cv2.INTER_AREA)
    to_small = size[0] / width, size[1] / height
    mask = _read_scribbles(scribbles, size, to_small)
    _require_figure(scribbles, mask)
    before = _fill(scribbles.before, size, to_small)
    found = _cut_graph(np.asarray(small, np.uint8), mask, scribbles, before)
    return _draw_lines(found, to_small, scribbles.before, found != before)


def rim_px(rgb: NDArray[np.uint8]) -> float:
    """Return how far to either side of what is found its rim is to be worked out, in full-size pixels."""
    return float(round(max(_LEAST_RIM_PX, _RIM * max(rgb.shape[:2]) / WORKING_PX), 1))


def _require_figure(scribbles: Scribbles, mask: NDArray[np.uint8]) -> None:
    sure = (mask == cv2.GC_FGD).any()
    inside = scribbles.around is not None and (mask == cv2.GC_PR_FGD).any()
    if not (sure or inside):
        raise BadParameterError(
            "There is no scribble on what is to be kept, and no line around it.",
            hint="Scribble over the subject with “keep”, then try again.",
            field="marks",
        )
    if (mask == cv2.GC_FGD).all():
        raise BadParameterError(
            "The scribbles cover all of the picture.", hint="Leave something to be found.", field="marks"
        )  # fmt: skip


def _read_scribbles(
    scribbles: Scribbles, size: tuple[int, int], to_small: tuple[float, float]
) -> NDArray[np.uint8]:
    """Return what is known at the working scale, (h, w), as the graph cut takes it."""
    mask = np.full(size[::-1], cv2.GC_PR_BGD, np.uint8)
    if scribbles.around is not None:
        mask[:] = cv2.GC_BGD
        ring = np.rint((scribbles.around * to_small - 0.5) * 16).astype(np.int32)
        cv2.fillPoly(mask, [ring], cv2.GC_PR_FGD, shift=4)
    for lines, value in ((scribbles.clear, cv2.GC_BGD), (scribbles.keep, cv2.GC_FGD)):
        for line in lines:
            places = np.rint((line[:, :2] * to_small - 0.5) * 16).astype(np.int32)
            wide = max(1, round(2 * float(line[:, 2].mean()) * to_small[0]))
            cv2.polylines(mask, [places], False, int(value), thickness=wide, shift=4)
    return mask


def _fill(
    rings: tuple[Points, ...], size: tuple[int, int], to_small: tuple[float, float], finer: int = 1
) -> NDArray[np.bool_]:
    """Return what closed lines go around, at so many times the working scale, (h, w)."""
    filled = np.zeros((size[1] * finer, size[0] * finer), np.uint8)
    by = np.array(to_small) * finer
    cv2.fillPoly(filled, [np.rint((ring * by - 0.5) * 16).astype(np.int32) for ring in rings], 1, shift=4)  # fmt: skip
    return filled > 0


def _cut_graph(
    small: NDArray[np.uint8], mask: NDArray[np.uint8], scribbles: Scribbles, before: NDArray[np.bool_]
) -> NDArray[np.bool_]:  # fmt: skip
    """Return what is figure at the working scale, (h, w)."""
    smooth = np.asarray(cv2.bilateralFilter(small, *_SMOOTHING), np.uint8)
    lab = np.asarray(cv2.cvtColor(smooth, cv2.COLOR_RGB2LAB), np.uint8)
    sure_figure, sure_ground = mask == cv2.GC_FGD, mask == cv2.GC_BGD
    open_now = ~(sure_figure | sure_ground)
    rounds = _LATER_ROUNDS if scribbles.before else _FIRST_ROUNDS
    if scribbles.before:
        mask[open_now] = np.where(before[open_now], cv2.GC_PR_FGD, cv2.GC_PR_BGD)
    elif sure_figure.any():
        guessed = _guess(lab, sure_figure, sure_ground)
        mask[open_now] = np.where(guessed[open_now], cv2.GC_PR_FGD, cv2.GC_PR_BGD)
        if sure_ground.any():
            reached = _reach(smooth, sure_figure, sure_ground)
            for value, agree in (
                (cv2.GC_FGD, reached & guessed),
                (cv2.GC_BGD, ~reached & ~guessed),
            ):
                inner = cv2.erode(agree.astype(np.uint8), np.ones((_AGREED, _AGREED), np.uint8)) > 0
                mask[open_now & inner] = value
    if not ((mask == cv2.GC_BGD) | (mask == cv2.GC_PR_BGD)).any():
        return np.ones(mask.shape, np.bool_)
    first, second = np.zeros((1, 65)), np.zeros((1, 65))
    cv2.setRNGSeed(1)  # the same scribbles, the same answer
    nowhere = (0, 0, 1, 1)  # a box is not asked for where there is a mask
    cv2.grabCut(lab, mask, nowhere, first, second, rounds, cv2.GC_INIT_WITH_MASK)
    found = (mask == cv2.GC_FGD) | (mask == cv2.GC_PR_FGD)
    if scribbles.before:
        found = _stay_put(found, before, sure_figure, sure_ground)
    return _drop_noise(found, sure_figure, sure_ground)


def _stay_put(
    found: NDArray[np.bool_], before: NDArray[np.bool_], sure_figure: NDArray[np.bool_], sure_ground: NDArray[np.bool_]
) -> NDArray[np.bool_]:  # fmt: skip
    """Return what was there before, changed as was found only where a scribble says that it was wrong.

    A scribble through a mistake takes with it all that changes the same way and hangs together with it. Whatever else
    would change is far from what anybody said, and as likely to get worse.
    """
    for kept, wrong in ((True, sure_figure & ~before), (False, sure_ground & before)):
        changed = (found == kept) & (before != kept)
        _, labels = cv2.connectedComponents(changed.astype(np.uint8), connectivity=4)
        asked = np.unique(labels[wrong & changed])
        before = np.where(changed & np.isin(labels, asked[asked > 0]), kept, before)
    return before


def _guess(
    lab: NDArray[np.uint8], sure_figure: NDArray[np.bool_], sure_ground: NDArray[np.bool_]
) -> NDArray[np.bool_]:  # fmt: skip
    """Return what is nearer to the figure's colours than to the ground's, (h, w)."""
    ground = sure_ground
    if not ground.any():  # then the border is taken for it
        ground = np.zeros_like(sure_ground)
        ground[[0, -1], :] = ground[:, [0, -1]] = True
        ground &= ~sure_figure
    away = [_away_from(lab, sure) for sure in (sure_figure, ground)]
    return np.asarray(away[0] < away[1])


def _reach(
    smooth: NDArray[np.uint8], sure_figure: NDArray[np.bool_], sure_ground: NDArray[np.bool_]
) -> NDArray[np.bool_]:
    """Return what scribbles on the figure reach over lower edges than those on the ground do, (h, w).

    A flood from all of them at once (F. Meyer, "Color image segmentation", 1992). Alone it is worse than colours are; where
    both say the same there is nothing left to find.
    """
    count, figure = cv2.connectedComponents(sure_figure.astype(np.uint8))
    _, ground = cv2.connectedComponents(sure_ground.astype(np.uint8))
    markers = figure + np.where(sure_ground, ground + count, 0)
    flooded = cv2.watershed(smooth, np.asarray(markers, np.int32))
    return np.asarray((flooded > 0) & (flooded < count))


def _away_from(lab: NDArray[np.uint8], sure: NDArray[np.bool_]) -> NDArray[np.float32]:
    """Return how far each colour is, squared, from the nearest of a few that stand for those that are sure."""
    samples = lab[sure].astype(np.float32)
    best = np.full(sure.shape, np.inf, np.float32)
    if not len(samples):
        return best
    rule = (cv2.TERM_CRITERIA_MAX_ITER, 6, 0.0)
    cv2.setRNGSeed(1)
    count = min(_CENTRES, len(samples))
    _, _, centres = cv2.kmeans(samples, count, None, rule, 1, cv2.KMEANS_PP_CENTERS)  # type: ignore[call-overload]
    colours = lab.astype(np.float32)
    own = (colours**2).sum(axis=2)
    for centre in centres:
        np.minimum(best, own - 2 * (colours @ centre) + (centre**2).sum(), out=best)
    return best


def _drop_noise(
    found: NDArray[np.bool_], sure_figure: NDArray[np.bool_], sure_ground: NDArray[np.bool_]
) -> NDArray[np.bool_]:
    """Return what was found without small pieces, and with small holes filled, that nobody pointed out."""
    least = _LEAST_PIECE * found.size
    for kept, sure in ((True, sure_figure), (False, sure_ground)):
        count, labels, stats, _ = cv2.connectedComponentsWithStats((found == kept).astype(np.uint8), connectivity=4)  # fmt: skip
        small = stats[:, cv2.CC_STAT_AREA] < least
        small[np.unique(labels[sure])] = False
        small[0] = False
        if count > 1:
            found = np.where(small[labels], not kept, found)
    return found


def _draw_lines(
    found: NDArray[np.bool_], to_small: tuple[float, float], before: tuple[Points, ...], changed: NDArray[np.bool_]
) -> tuple[Points, ...]:  # fmt: skip
    """Return closed lines around what was found, in full-size pixels; away from what changed they stay as they were before."""
    height, width = found.shape
    soft = cv2.GaussianBlur(found.astype(np.float32), (0, 0), _SMOOTHING_PX)
    fine = cv2.resize(soft, (width * _FINER, height * _FINER), interpolation=cv2.INTER_CUBIC) > 0.5
    if before:
        wide = int(_DRAWN_ANEW * _SMOOTHING_PX) * 2 + 1
        near = cv2.dilate(changed.astype(np.uint8), np.ones((wide, wide), np.uint8))
        anew = cv2.resize(near, fine.shape[::-1], interpolation=cv2.INTER_NEAREST) > 0
        fine = np.where(anew, fine, _fill(before, (width, height), to_small, _FINER))
    padded = np.pad(fine, 2).astype(np.uint8)
    contours, _ = cv2.findContours(padded, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    lines = []
    for contour in contours:
        thinned = cv2.approxPolyDP(contour, _NEAR * _FINER, True)[:, 0, :] - 2
        if len(thinned) > 2:
            lines.append((thinned + 0.5) / _FINER / to_small)
    return tuple(lines)
