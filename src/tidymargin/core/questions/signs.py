"""What speaks for a region being ground: what it is like, what lies beside it, and how clearing gets there.

What is measured is weighed by weights that are fitted on pictures of the project's own (`benchmarks/asking.py`).
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.picture import whole
from tidymargin.core.base.weighing import load_weights
from tidymargin.core.cut import Cutter
from tidymargin.core.levels import find_regions
from tidymargin.core.reach.clearing import to_step
from tidymargin.core.reach.minimax import NEVER
from tidymargin.core.reach.pockets import find_closed
from tidymargin.core.reach.regions import (
    Regions,
    neighbours,
)

MEASURES = (
    "area", "of_figure", "figure", "stays", "lighter", "chroma", "away", "uneven", "shaded", "beside_cleared", "at_border",
    "edge_to_cleared", "edge_to_standing", "reached_at", "differs", "closed_in", "like_standing", "like_cleared", "rough",
    "long", "is_ink", "is_paper", "is_screen", "is_checker", "tolerance", "noise",
)  # fmt: skip
"""What is measured, in the order of the weights."""

_MOSTLY = 0.4  # of a region, whose edge is neither; typed
_ALONE = 100.0  # of CIELAB, to a neighbour that there is none of


@dataclass(frozen=True, slots=True, eq=False)
class RegionSigns:
    """What is known of each region.

    Parameters
    ----------
    regions : Regions
        Of the picture.
    area_px : (n,) ndarray of float64
        How large each is, in px of the picture.
    stays : (n,) ndarray of float64
        How much of it stands, 0 to 1.
    colour : (n, 3) ndarray of float64
        Its mean less the ground's, in CIELAB.
    is_pocket : (n,) ndarray of bool
        Whether most of it is a pocket: looks like ground and is not reached.
    measures : (n, m) ndarray of float64
        In the order of `MEASURES`.
    """

    regions: Regions
    area_px: NDArray[np.float64]
    stays: NDArray[np.float64]
    colour: NDArray[np.float64]
    is_pocket: NDArray[np.bool_]
    measures: NDArray[np.float64]

    def find_deviations(self) -> NDArray[np.float64]:
        """Return what is measured as deviations from what it usually is, (n, m)."""
        return load_weights("regions", MEASURES).scale(self.measures)

    def find_probability(self) -> NDArray[np.float64]:
        """Return how likely each is ground, (n,), 0 to 1."""
        return load_weights("regions", MEASURES).find_probability(self.measures)


def measure_regions(cutter: Cutter) -> RegionSigns:
    """Part a sheet's picture into regions, and measure what speaks for each being ground."""
    picture, facts = cutter.picture, cutter.facts
    regions = find_regions(picture, facts)
    labels = regions.labels
    count = int(labels.max()) + 1
    flat = labels.ravel()
    area = np.maximum(np.bincount(flat, minlength=count), 1).astype(np.float64)
    size = labels.shape[::-1]

    def mean(values: NDArray[np.generic]) -> NDArray[np.float64]:
        return np.bincount(flat, values.ravel().astype(np.float64), minlength=count) / area

    def shrink(values: NDArray[np.uint8]) -> NDArray[np.float32]:
        return np.asarray(cv2.resize(values, size, interpolation=cv2.INTER_AREA), np.float32)

    lab, gradient = regions.lab, regions.gradient
    cleared = cutter.cleared(whole(*facts.outside.shape))
    stays = 1 - mean(shrink(255 * cleared.view(np.uint8))) / 255
    levels, steps = cutter.reach.levels, cutter.levels.steps
    enclosed = find_closed(steps, cleared, to_step(cutter.tolerance)).view(np.uint8)
    is_pocket = mean(shrink(255 * enclosed)) > _MOSTLY * 255
    differs = mean(shrink(steps))
    reached = mean(shrink(np.minimum(levels, NEVER - 1)))
    colour = np.stack([mean(lab[..., channel]) for channel in range(3)], axis=1)
    chroma, away = np.hypot(colour[:, 1], colour[:, 2]), np.linalg.norm(colour, axis=1)
    uneven = np.sqrt(np.maximum(mean(lab[..., 0] ** 2) - colour[:, 0] ** 2, 0))
    beside = _look_beside(labels, gradient, stays, colour)
    closed_in = (beside["cleared"] == 0) & (differs <= to_step(cutter.tolerance)) & (stays > 0.5)
    figure = max(1.0, float((area * stays).sum()))
    perimeter = np.maximum(beside["all"], 1)
    ones = np.ones(count)
    measures = np.column_stack(
        [
            np.log(area / labels.size), np.log(area / figure), figure / labels.size * ones, stays, colour[:, 0], chroma,
            np.log1p(away), np.log1p(uneven), chroma / (np.abs(colour[:, 0]) + 2) * (colour[:, 0] < 0),
            beside["cleared"] / perimeter, beside["border"] / perimeter,
            np.log1p(beside["edge_to_cleared"]), np.log1p(beside["edge_to_standing"]), np.log1p(reached), np.log1p(differs),
            closed_in, np.log1p(beside["like_standing"]), np.log1p(beside["like_cleared"]), np.log1p(mean(gradient)),
            np.log(perimeter**2 / area),
            *(float(facts.nature == "ink") * ones, *(float(facts.ground.kind == kind) * ones for kind in ("paper", "screen", "checker"))),
            cutter.tolerance * ones, np.log1p(facts.ground.noise) * ones,
        ]
    )  # fmt: skip
    return RegionSigns(regions, area * regions.scale**2, stays, colour, is_pocket, measures)


def _look_beside(
    labels: NDArray[np.int32],
    gradient: NDArray[np.float32],
    stays: NDArray[np.float64],
    colour: NDArray[np.float64],
) -> dict[str, NDArray[np.float64]]:
    """Return how long each region's borders are, how strong the edges, and how like it its longest neighbours are."""
    count = len(stays)
    first, second, length, strength = neighbours(labels, gradient)
    own, other = np.concatenate([first, second]), np.concatenate([second, first])
    length, strength = np.tile(length, 2), np.tile(strength, 2)
    frame = np.concatenate([labels[0], labels[-1], labels[:, 0], labels[:, -1]])
    at_border = np.bincount(frame, minlength=count).astype(np.float64)
    found: dict[str, NDArray[np.float64]] = {"border": at_border}
    for name, chosen in (("cleared", stays[other] < 0.5), ("standing", stays[other] >= 0.5)):
        along = np.bincount(own[chosen], length[chosen], minlength=count).astype(np.float64)
        edge = np.bincount(own[chosen], strength[chosen], minlength=count)
        found[name], found[f"edge_to_{name}"] = along, edge / np.maximum(along, 1)
        # the last to be written is the longest
        order = np.flatnonzero(chosen)[np.argsort(length[chosen], kind="stable")]
        longest = np.full(count, -1)
        longest[own[order]] = other[order]
        apart = np.linalg.norm(colour - colour[longest], axis=1)
        found[f"like_{name}"] = np.where(longest >= 0, apart, _ALONE)
    found["all"] = found["cleared"] + found["standing"] + at_border
    return found
