"""Fit the weights of `core/weights/nature.json` and `core/weights/pockets.json` on the families, and say how well they do on one left out.

`python -m benchmarks.fit_weights nature COUNT` measures so many pictures and writes the weights; `pockets` after it, as
what a figure's nature is measured by is evidence there too; `fetch` first.
"""

import json
import sys
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from benchmarks.families import fetch, make_picture
from tidymargin.core.base.components import find_pieces
from tidymargin.core.base.picture import Picture
from tidymargin.core.base.weighing import expand, table_of
from tidymargin.core.facts import measure_sheet
from tidymargin.core.figure.nature import MEASURES
from tidymargin.core.ground.plan import GroundPlan
from tidymargin.core.reach.clearing import to_step
from tidymargin.core.reach.pocket_signs import LEAST_PX, measure_pockets
from tidymargin.core.reach.pocket_signs import MEASURES as POCKET_MEASURES
from tidymargin.core.reach.pockets import find_closed

_RIDGES = (1.0, 3.0, 10.0, 30.0)
"""What holds the weights back; which is best on families left out is taken."""
_ROUNDS, _STILL = 60, 1e-6


@dataclass(frozen=True, slots=True)
class Case:
    """One thing that is to be told: its family, the answer, what it counts, and its measures."""

    family: str
    answer: bool
    share: float
    measures: tuple[float, ...]


def measure_natures(number: int) -> list[Case]:
    """Return whether a picture's figure is ink, and its measures, where its ground is told rightly."""
    made = make_picture(number)
    facts = measure_sheet(
        Picture(made.rgb), GroundPlan(nature="opaque")
    )  # no weights are asked yet
    if facts.ground.kind != made.ground or not facts.measures:
        return []
    return [Case(made.family, made.nature == "ink", 1.0, facts.measures)]


def measure_openings(number: int) -> list[Case]:
    """Return whether each pocket of an opaque figure on an even ground is ground; many of one figure count for less."""
    made = make_picture(number)
    if made.nature != "opaque" or made.ground not in ("flat", "paper"):
        return []
    facts = measure_sheet(Picture(made.rgb), GroundPlan(nature="opaque"))
    if facts.ground.kind != made.ground or facts.evidence is None:
        return []
    steps, step = facts.difference.steps, to_step(facts.calm.tolerance)
    cleared = facts.outside <= step
    pieces = find_pieces(find_closed(steps, cleared, step))
    measures = measure_pockets(steps, cleared, pieces, facts.ground, facts.evidence)
    listed = [n for n in range(1, len(pieces.areas)) if pieces.areas[n] >= LEAST_PX]
    alpha = made.true_rgba[..., 3]
    return [
        Case(made.family, bool(np.median(alpha[pieces.box(n).slices][pieces.inside(n)]) < 128), len(listed) ** -0.5, tuple(measures[n]))
        for n in listed
    ]  # fmt: skip


def fit(
    rows: NDArray[np.float64],
    answers: NDArray[np.bool_],
    shares: NDArray[np.float64],
    held_back: float,
    *,
    usual: float = 0.5,
) -> tuple[NDArray[np.float64], float]:
    """Return the weights and the constant of a logistic regression with a ridge, by Newton's method.

    Answers weigh as if `usual` of them were yes, however many are.
    """
    much = float(np.average(answers, weights=shares))
    each = shares * np.where(answers, usual / much, (1 - usual) / (1 - much))
    rows = np.column_stack([rows, np.ones(len(rows))])
    weights = np.zeros(rows.shape[1])
    ridge = held_back * np.eye(len(weights))
    ridge[-1, -1] = 0
    for _ in range(_ROUNDS):
        p = 1 / (1 + np.exp(-np.clip(rows @ weights, -40, 40)))
        slope = rows.T @ (each * (p - answers)) + ridge @ weights
        bend = (rows * (each * p * (1 - p))[:, None]).T @ rows + ridge
        step = np.linalg.solve(bend, slope)
        weights -= step
        if np.abs(step).max() < _STILL:
            break
    return weights[:-1], float(weights[-1])


def write_table(
    question: str,
    names: tuple[str, ...],
    cases: list[Case],
    *,
    usual: float = 0.5,
    ridges: tuple[float, ...] = _RIDGES,
) -> tuple[NDArray[np.float64], NDArray[np.bool_]]:
    """Choose what holds the weights back by families left out, say how well that does, fit on all and write.

    Returns each case's log odds by weights that never saw its family, and the answers.
    """
    families = np.array([case.family for case in cases])
    answers = np.array([case.answer for case in cases])
    shares = np.array([case.share for case in cases])
    values = np.array([case.measures for case in cases])
    middles = values.mean(axis=0)
    scales = np.maximum(values.std(axis=0), 1e-3)  # of what never varies nothing is learned
    rows = expand((values - middles) / scales)

    def leave_out(held_back: float) -> NDArray[np.float64]:
        """Return each case's own log odds, by weights that never saw its family."""
        odds = np.zeros(len(answers))
        for family in np.unique(families):
            out = families == family
            weights, constant = fit(rows[~out], answers[~out], shares[~out], held_back, usual=usual)
            odds[out] = rows[out] @ weights + constant
        return odds

    def lose(odds: NDArray[np.float64]) -> float:
        return float(np.average(np.log1p(np.exp(np.where(answers, -1, 1) * odds)), weights=shares))

    tried = {held_back: leave_out(held_back) for held_back in ridges}
    best = min(tried, key=lambda held_back: lose(tried[held_back]))
    is_right = (tried[best] > 0) == answers

    def share_right(of: NDArray[np.bool_]) -> float:
        return 100 * float(np.average(is_right[of], weights=shares[of]))

    for family in np.unique(families):
        of = families == family
        print(f"  left out {family:<24}{of.sum():>5} cases, right in {share_right(of):.1f} %")
    right = share_right(np.ones(len(answers), bool))
    print(f"  {question}, left out, all: {right:.1f} %, held back by {best:g}")
    weights, constant = fit(rows, answers, shares, best, usual=usual)
    table = {
        "origin": f"fitted by benchmarks/fit_weights.py on {len(answers)} cases of {len(np.unique(families))} families; "
        f"each left out in turn: {right:.1f} % right",
        "constant": round(constant, 4),
        "measures": {
            name: [round(float(middle), 5), round(float(scale), 5)]
            for name, middle, scale in zip(names, middles, scales, strict=True)
        },
        "weights": [round(float(weight), 4) for weight in weights],
    }
    table_of(question).write_text(json.dumps(table) + "\n")
    return tried[best], answers


def _make_even(question: str, names: tuple[str, ...]) -> None:
    """Write weights that tell nothing where those that stand are of other measures, so that pictures can be measured."""
    table = table_of(question)
    if table.exists() and tuple(json.loads(table.read_text())["measures"]) == names:
        return
    count = len(names) + len(names) * (len(names) + 1) // 2
    even = {"constant": 0, "measures": {name: [0, 1] for name in names}, "weights": [0] * count}
    table.write_text(json.dumps(even) + "\n")


def main(question: str, count: int) -> None:
    """Measure so many pictures, and fit the weights of a question on them."""
    measure, names = {
        "nature": (measure_natures, MEASURES),
        "pockets": (measure_openings, POCKET_MEASURES),
    }[question]
    _make_even(question, names)
    with ProcessPoolExecutor(2) as pool:
        found = list(pool.map(measure, range(count), chunksize=8))
    write_table(question, names, [case for cases in found for case in cases])


if __name__ == "__main__":
    if sys.argv[1] == "fetch":
        fetch()
    else:
        main(sys.argv[1], int(sys.argv[2]))
