"""What speaks for a cut that is wrong without anything wrong being seen: measures, weighed by fitted weights.

They are taken of the cut as it stands: how strong the edge is along what was cleared, what a little more or less
tolerance would do, how sure the nature is, how the rim came out in places spread along it, and what faults were found.
"""

import math
from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.picture import Region, whole
from tidymargin.core.base.weighing import load_weights
from tidymargin.core.cut import Cutter
from tidymargin.core.faults.kinds import KINDS, Fault
from tidymargin.core.figure.nature import MEASURES as NATURE_MEASURES
from tidymargin.core.ground.difference import STEP
from tidymargin.core.ground.kinds import frame_mask
from tidymargin.core.reach.clearing import to_step

_NEAR_PX = 3  # from the rim, where the figure shows how much it differs
_WINDOWS, _WINDOW_PX = 32, 64  # along the rim that are rendered: more change no probability by 0.01
_DEEP_PX = 3.0  # inside, as the yardstick has it, from where a figure should be solid
_RAMP = (0.05, 0.95)  # of a matte that is soft
_NATURE = (
    "misfit_90",
    "misfit_far",
    "between_inside",
    "half_90",
    "spread",
    "thin",
    "grey",
    "opposite",
)
_SIZED = tuple(kind for kind in KINDS if kind not in ("resolution", "cut_off"))

EVIDENCE = (
    "noise", "ringing", "border", "is_paper", "is_screen", "is_checker", "tolerance", "to_jump", "to_noise_end", "rim_px",
    "soft_px", "grain", "is_ink", "other_nature", *(f"nature_{name}" for name in _NATURE), "stands", "at_frame",
    "outline", "edge_least", "edge_low", "edge", "weak", "less_takes", "more_takes", "much_more_takes",
    "ramp", "pale_inside", "unexplained", "own_colours", *(f"fault_{kind}" for kind in _SIZED), "severest",
)  # fmt: skip
"""What is measured, in the order of the weights."""


def _measure_edge(
    cutter: Cutter, cleared: NDArray[np.bool_]
) -> tuple[list[float], NDArray[np.bool_]]:
    """Return what the outline tells, and its places: those that stand beside what was cleared."""
    stands = ~cleared
    inner = np.asarray(cv2.erode(stands.view(np.uint8), np.ones((3, 3), np.uint8))) > 0
    rim = stands & ~inner
    count = int(rim.sum())
    if not count:
        return [0.0] * 8, rim
    own = np.where(stands, cutter.levels.steps, 0).astype(np.uint8)
    side = 2 * _NEAR_PX + 1
    near = (
        np.asarray(cv2.dilate(own, np.ones((side, side), np.uint8)))[rim].astype(np.float32) * STEP
    )
    levels, step = cutter.reach.levels, to_step(cutter.tolerance)
    held = [int(((levels > low) & (levels <= high)).sum()) / count for low, high in (
        (2 * step // 3, step), (step, max(step + 1, 4 * step // 3)), (step, 2 * step + 5),
    )]  # fmt: skip
    return [
        math.log1p(count / math.sqrt(stands.size)),
        *(math.log1p(float(v)) for v in np.quantile(near, (0.02, 0.15, 0.5))),
        float(np.mean(near < 3 * (cutter.tolerance + 1))),
        *map(math.log1p, held),
    ], rim


def _spread_windows(rim: NDArray[np.bool_]) -> list[Region]:
    """Return windows around places spread evenly over the rim."""
    places = np.flatnonzero(rim)
    chosen = places[np.linspace(0, len(places) - 1, min(_WINDOWS, len(places))).astype(np.int64)]
    everywhere, half = whole(*rim.shape), _WINDOW_PX // 2
    rows, cols = np.divmod(chosen, rim.shape[1])
    return [Region(int(r), int(c), int(r) + 1, int(c) + 1).grown(half, everywhere) for r, c in zip(rows, cols, strict=True)]  # fmt: skip


def _measure_rim(cutter: Cutter, cleared: NDArray[np.bool_], rim: NDArray[np.bool_]) -> list[float]:
    """Return how soft the matte is along its rim, how pale inside, what it leaves unexplained, and how new its colours are."""
    soft, pale, along, off, new = 0, 0, 0, [], []
    for window in _spread_windows(rim):
        rgba = cutter.render(window).astype(np.float32)
        rgb = cutter.picture.rgb[window.slices].astype(np.float32)
        share = rgba[..., 3:] / 255
        stands = np.pad((~cleared[window.slices]).view(np.uint8), 1, constant_values=1)
        inside = np.asarray(cv2.distanceTransform(stands, cv2.DIST_L2, 3))[1:-1, 1:-1]
        is_soft = (share[..., 0] > _RAMP[0]) & (share[..., 0] < _RAMP[1])
        soft += int(is_soft.sum())
        pale += int(((inside >= _DEEP_PX) & (share[..., 0] < 0.9)).sum())
        along += int(rim[window.slices].sum())
        laid = share * rgba[..., :3] + (1 - share) * cutter.facts.ground.over(window)
        off.append(np.abs(laid - rgb).mean(axis=2)[is_soft])
        new.append(np.abs(rgba[..., :3] - rgb).mean(axis=2)[is_soft & (share[..., 0] > 0.5)])
    if not along:
        return [0.0] * 4
    means = [
        float(np.mean(v)) if len(v) else 0.0 for v in (np.concatenate(off), np.concatenate(new))
    ]
    return [math.log1p(soft / along), math.log1p(100 * pale / along), *map(math.log1p, means)]


def measure_evidence(cutter: Cutter, faults: Sequence[Fault]) -> tuple[float, ...]:
    """Return what speaks for or against a cut, in the order of `EVIDENCE`.

    Parameters
    ----------
    cutter : Cutter
        The cut, of a sheet whose ground is modelled.
    faults : sequence of Fault
        What was found in it.
    """
    facts = cutter.facts
    ground, calm, rim = facts.ground, facts.calm, facts.rim
    cleared = cutter.cleared(whole(cutter.picture.height, cutter.picture.width))
    nature = dict(zip(NATURE_MEASURES, facts.measures, strict=True)) if facts.measures else {}
    is_ink = facts.nature == "ink"
    other = 1 - facts.ink_probability if is_ink else facts.ink_probability
    to_jump = 50.0 if calm.next_jump is None else calm.next_jump - cutter.tolerance
    outline, places = _measure_edge(cutter, cleared)
    side = math.sqrt(cleared.size)
    sizes = {kind: sum(f.size for f in faults if f.kind == kind) for kind in _SIZED}
    return (
        ground.noise, facts.difference.ringing, ground.border_share, float(ground.kind == "paper"),
        float(ground.kind == "screen"), float(ground.kind == "checker"), math.log1p(cutter.tolerance),
        math.log1p(max(0.0, to_jump)), math.log1p(max(0.0, cutter.tolerance - calm.noise_end)), float(rim.width_px),
        rim.softness_px, math.log1p(rim.grain), float(is_ink), other if facts.measures else 0.5,
        *(nature.get(name, 0.0) for name in _NATURE), 1 - float(cleared.mean()),
        1 - float(cleared[frame_mask(*cleared.shape)].mean()), *outline, *_measure_rim(cutter, cleared, places),
        *(math.log1p(100 * sizes[kind] / side) for kind in _SIZED), max([0.0, *(f.severity for f in faults)]),
    )  # fmt: skip


def find_wrong_probability(evidence: tuple[float, ...]) -> float:
    """Return how likely a cut is not usable as it is, 0 to 1, by its evidence."""
    return float(load_weights("doubt", EVIDENCE).find_probability(np.array(evidence)))
