"""Fit the weights of `core/nature.json` on the families, and say how well they do on one that was left out.

`python -m benchmarks.fit_nature COUNT` measures so many pictures and writes the weights; `fetch` first.
"""

import json
import sys
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

import tidymargin.core.nature as nature_module
from benchmarks.families import fetch, make_picture
from tidymargin.core.facts import measure_sheet
from tidymargin.core.nature import MEASURES, expand
from tidymargin.core.picture import Picture

_TABLE = Path(nature_module.__file__).parent / "nature.json"
_RIDGES = (
    1.0,
    3.0,
    10.0,
    30.0,
)  # what holds the weights back; which is best on families left out is taken
_ROUNDS = 60


def measure_picture(number: int) -> tuple[str, str, str, str, tuple[float, ...]]:
    """Return family, nature, ground, the ground it was told for, and the measures of a picture."""
    made = make_picture(number)
    found = measure_sheet(Picture(made.rgb))
    return made.family, made.nature, made.ground, found.ground.kind, found.measures


def fit(
    values: NDArray[np.float64], is_ink: NDArray[np.bool_], held_back: float
) -> tuple[NDArray[np.float64], float]:
    """Return the weights and the constant of a logistic regression with a ridge, by Newton's method.

    Both natures weigh alike, however many there are of each.
    """
    each = np.where(is_ink, 0.5 / is_ink.mean(), 0.5 / (1 - is_ink.mean()))
    rows = np.column_stack([values, np.ones(len(values))])
    weights = np.zeros(rows.shape[1])
    ridge = held_back * np.eye(len(weights))
    ridge[-1, -1] = 0
    for _ in range(_ROUNDS):
        p = 1 / (1 + np.exp(-np.clip(rows @ weights, -40, 40)))
        slope = rows.T @ (each * (p - is_ink)) + ridge @ weights
        bend = (rows * (each * p * (1 - p))[:, None]).T @ rows + ridge
        weights -= np.linalg.solve(bend, slope)
    return weights[:-1], float(weights[-1])


def main(count: int) -> None:
    """Measure, leave out one family after another, then fit on all and write the table."""
    with ProcessPoolExecutor(2) as pool:
        found = list(pool.map(measure_picture, range(count), chunksize=8))
    told = [one for one in found if one[2] == one[3] and one[4]]
    print(f"{count} pictures, ground told rightly in {100 * len(told) / len(found):.1f} %")
    write_table(
        np.array([one[0] for one in told]),
        np.array([one[1] == "ink" for one in told]),
        np.array([one[4] for one in told]),
    )


def write_table(
    families: NDArray[np.str_], is_ink: NDArray[np.bool_], values: NDArray[np.float64]
) -> None:
    """Choose what holds the weights back by families left out, say how well that does, fit on all and write."""
    middles, scales = values.mean(axis=0), values.std(axis=0) + 1e-6
    rows = expand((values - middles) / scales)

    def leave_out(held_back: float) -> NDArray[np.float64]:
        """Return each picture's own log odds, by weights that never saw its family."""
        odds = np.zeros(len(is_ink))
        for family in np.unique(families):
            out = families == family
            weights, constant = fit(rows[~out], is_ink[~out], held_back)
            odds[out] = rows[out] @ weights + constant
        return odds

    tried = {held_back: leave_out(held_back) for held_back in _RIDGES}
    best = min(
        tried, key=lambda r: float(np.log1p(np.exp(np.where(is_ink, -1, 1) * tried[r])).mean())
    )
    right = (tried[best] > 0) == is_ink
    for family in np.unique(families):
        of = families == family
        print(f"  left out {family:<24}{of.sum():>5} pictures, nature right in {100 * right[of].mean():.1f} %")  # fmt: skip
    print(f"  left out, all: {100 * right.mean():.1f} %, held back by {best:g}")
    weights, constant = fit(rows, is_ink, best)
    table = {
        "origin": f"fitted by benchmarks/fit_nature.py on {len(is_ink)} pictures of {len(np.unique(families))} families; "
        f"each left out in turn: {100 * right.mean():.1f} % right",
        "constant": round(constant, 4),
        "measures": {
            name: [round(float(middle), 5), round(float(scale), 5)]
            for name, middle, scale in zip(MEASURES, middles, scales, strict=True)
        },
        "weights": [round(float(weight), 4) for weight in weights],
    }
    _TABLE.write_text(json.dumps(table) + "\n")


if __name__ == "__main__":
    if sys.argv[1] == "fetch":
        fetch()
    else:
        main(int(sys.argv[1]))
