"""What speaks for a pocket of an opaque figure being ground: the figure as a whole, the ground, and the pocket itself.

Counters of letters and loops of line work are ground; whites that a coloured-in drawing closes in are figure. What is
measured is weighed by weights that are fitted on families of pictures (`benchmarks/fit_weights.py`).
"""

import math

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.base.colour import srgb_u8_to_oklab
from tidymargin.core.base.components import Pieces
from tidymargin.core.base.weighing import load_weights
from tidymargin.core.figure.inks import InkFacts
from tidymargin.core.figure.nature import MEASURES as NATURE_MEASURES
from tidymargin.core.ground.difference import STEP
from tidymargin.core.ground.kinds import Ground, from_hex

_LEAST_SPREAD = 0.1  # of a step
LEAST_PX = 12
"""Smaller pockets are not listed."""

OPEN_FROM = 20 / 21
"""Probability from which a pocket is cleared unasked: a white of the figure lost is as bad as twenty counters left shut."""

_ONE_COLOUR_LEVELS = (
    6.0  # that nine of ten places of the figure are off ground and one ink, at most
)
_ONE_COLOUR_FAR = 0.005
"""Share of its places that are of another colour. Chosen on 227 pictures of the families (75 of 76 such figures close in only
ground), judged on 238 others of them: 78 of 82, and of their 819 pockets 7 are figure."""

Evidence = tuple[float, ...]
"""What the figure as a whole says of its pockets, see `to_evidence`."""

_OF_FIGURE = ("misfit_far", "misfit_90", "misfit", "inks", "first", "half_of_side")
MEASURES = (
    *_OF_FIGURE, "white", "is_paper", "area", "away", "uneven", "beyond", "rougher", "count", "fill", "over_half",
)  # fmt: skip
"""What is measured, in the order of the weights."""


@njit(cache=True, nogil=True)
def _sums_kernel(first_of, cols, piece_of, steps, sums):  # type: ignore[no-untyped-def]
    """Sum up, by piece, steps of difference and their squares."""
    for row in range(len(first_of) - 1):
        for run in range(first_of[row], first_of[row + 1]):
            for col in range(cols[run, 0], cols[run, 1]):
                step = np.int64(steps[row, col])
                sums[piece_of[run], 0] += step
                sums[piece_of[run], 1] += step * step


def to_evidence(measures: tuple[float, ...], inks: InkFacts) -> Evidence | None:
    """Return what the figure says of its pockets: some of `nature.MEASURES`, and half a stroke in pixels.

    None where nothing was measured.
    """
    if not measures:
        return None
    of = dict(zip(NATURE_MEASURES, measures, strict=True))
    return (*(of[name] for name in _OF_FIGURE), inks.half_px)


def is_of_one_colour(evidence: Evidence) -> bool:
    """Return whether ground and one colour explain all of a figure: it has no whites of its own, and what it closes in is ground."""
    said = dict(zip(_OF_FIGURE, evidence, strict=False))
    is_explained = said["misfit_90"] <= math.log1p(_ONE_COLOUR_LEVELS)
    return said["inks"] == 1 and is_explained and said["misfit_far"] <= _ONE_COLOUR_FAR


def measure_pockets(
    steps: NDArray[np.uint8],
    cleared: NDArray[np.bool_],
    pieces: Pieces,
    ground: Ground,
    evidence: Evidence,
) -> NDArray[np.float64]:
    """Return what speaks for each piece being ground, (N, n), in the order of `MEASURES`.

    `cleared`, (H, W) bool, is what reach clears: the ground itself, which a piece of it is like.
    """
    sums = np.zeros((len(pieces.areas), 2), np.int64)
    _sums_kernel(*pieces.runs, steps, sums)
    areas = np.maximum(pieces.areas, 1).astype(np.float64)
    mean = sums[:, 0] / areas
    uneven = np.sqrt(np.maximum(sums[:, 1] / areas - mean**2, 0))
    usual, spread = _describe_ground(steps, cleared)
    beyond = (mean - usual) / (spread / np.sqrt(areas) + _LEAST_SPREAD)
    box = np.maximum(pieces.stats[:, 2].astype(np.float64) * pieces.stats[:, 3], 1)
    lab = srgb_u8_to_oklab(np.array(from_hex(ground.hex), np.uint8))
    count = int((pieces.areas[1:] >= LEAST_PX).sum())
    *figure, half_px = evidence
    own = np.column_stack(
        [
            np.log(areas / steps.size), STEP * mean, STEP * uneven,
            np.sign(beyond) * np.log1p(np.abs(beyond)), uneven / (spread + _LEAST_SPREAD), np.full(len(areas), math.log(max(count, 1))),
            areas / box, np.log(np.sqrt(areas) / max(half_px, 0.5)),
        ]
    )  # fmt: skip
    white = math.log1p(100 * float(np.linalg.norm(lab - np.array((1.0, 0.0, 0.0)))))
    shared = np.array([*figure, white, float(ground.kind == "paper")])
    return np.hstack([np.tile(shared, (len(areas), 1)), own])


def _describe_ground(steps: NDArray[np.uint8], cleared: NDArray[np.bool_]) -> tuple[float, float]:
    """Return the mean and the deviation of what is cleared from the ground, in steps."""
    counts = np.asarray(cv2.calcHist([steps], [0], cleared.view(np.uint8), [256], [0, 256])).ravel()
    total = max(1.0, float(counts.sum()))
    mean = float(counts @ np.arange(256)) / total
    return mean, math.sqrt(float(counts @ (np.arange(256) - mean) ** 2) / total)


def find_open_probability(
    steps: NDArray[np.uint8],
    cleared: NDArray[np.bool_],
    pieces: Pieces,
    ground: Ground,
    evidence: Evidence,
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return how likely each piece is ground, (N,), 0 to 1, and what says so, (N, n), in deviations.

    The rest as in `measure_pockets`.
    """
    weights = load_weights("pockets", MEASURES)
    measures = measure_pockets(steps, cleared, pieces, ground, evidence)
    return weights.find_probability(measures), weights.scale(measures)
