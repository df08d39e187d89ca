"""Fit how likely a region is ground (`core/weights/regions.json`) on made pictures, and see what questions bring.

`python -m benchmarks.asking fit COUNT` fits, and says how well each family left out is told; `python -m benchmarks.asking
FOLDER` answers the questions of truth folders by their true cuts, from the top, and says what comes of it.
"""

import sys
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from benchmarks.families import fetch
from benchmarks.fit_weights import Case, write_table
from benchmarks.wide import make_wide
from tidymargin.core.base.errors import DomainError
from tidymargin.core.base.picture import Picture
from tidymargin.core.questions.signs import MEASURES, RegionSigns, measure_regions
from tidymargin.formats.recipe import Recipe
from tidymargin.services.picture.keying import cut_by

_LEAST_PX = 30
_SURE = 0.2  # of mean true alpha, up to which a region is ground, and as much below 1 from where it is figure
_MOST_OF_ONE = 60  # regions of a picture that are learned from: the largest


def find_truth(signs: RegionSigns, true: NDArray[np.uint8]) -> NDArray[np.float64]:
    """Return the mean true alpha of each region, 0 to 1."""
    regions = signs.regions
    height, width = regions.labels.shape
    rows = (np.arange(height) * regions.height // height)[:, None]
    cols = (np.arange(width) * regions.width // width)[None, :]
    alpha = true[..., 3][rows, cols].astype(np.float64) / 255
    flat = regions.labels.ravel()
    count = len(signs.area_px)
    return np.bincount(flat, alpha.ravel(), minlength=count) / np.maximum(np.bincount(flat, minlength=count), 1)  # fmt: skip


def _measure_made(number: int) -> list[Case]:
    made = make_wide(number)
    try:
        cutter = cut_by(Recipe(), Picture(np.ascontiguousarray(made.rgb)))
    except DomainError:
        return []
    if cutter.facts.is_busy:
        return []
    signs = measure_regions(cutter)
    true = find_truth(signs, made.true_rgba)
    # what is partly ground and partly figure should stay what it is: neither answer is right
    is_ground = np.where(signs.stays > 0.5, true <= _SURE, true < 1 - _SURE)
    told = signs.area_px >= _LEAST_PX
    largest = np.argsort(-np.where(told, signs.area_px, 0), kind="stable")[:_MOST_OF_ONE]
    chosen = largest[told[largest]]
    weights = np.sqrt(signs.area_px[chosen])
    share = weights / max(float(weights.sum()), 1e-9)
    return [
        Case(made.family, bool(is_ground[n]), float(s), tuple(signs.measures[n]))
        for n, s in zip(chosen, share, strict=True)
    ]


def fit(count: int) -> None:
    """Measure made pictures and fit."""
    fetch()
    with ProcessPoolExecutor(2) as pool:
        found = pool.map(_measure_made, range(40_000, 40_000 + count), chunksize=4)
        cases = [case for cases in found for case in cases]
    odds, answers = write_table("regions", MEASURES, cases, ridges=(3.0, 10.0, 30.0))
    said = 1 / (1 + np.exp(-odds))
    shares = np.array([case.share for case in cases])
    for low in np.linspace(0, 0.9, 10):
        of = (said >= low) & (said < low + 0.1)
        if of.any():
            came = np.average(answers[of], weights=shares[of])
            print(f"  said {low:.1f} to {low + 0.1:.1f}: {of.sum():>6} regions, ground {came:.2f}")


if __name__ == "__main__":
    if sys.argv[1] == "fit":
        fit(int(sys.argv[2]))
    else:
        from benchmarks.answering import answer_folder

        answer_folder(Path(sys.argv[1]))
