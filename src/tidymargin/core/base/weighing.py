"""Evidence weighed by a logistic regression, whose weights are fitted on families of pictures and stand in a JSON file.

The files are written by `benchmarks/fit_weights.py` and say what they were fitted on, and how well that does on a
family that was left out.
"""

import json
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

_MOST_SCALED = 4.0  # deviations from the middle, beyond which a measure says no more
_MOST_ODDS = 50.0  # beyond which exp would overflow

IN_DOUBT = (0.2, 0.8)
"""Probabilities between which a person is asked; typed, not fitted: see decision 0012."""


def expand(scaled: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return scaled measures, (..., n), with the products of every two of them, (..., n + n (n + 1) / 2).

    What a measure tells depends on others: half densities speak for ink in broad strokes, and for nothing in thin ones.
    """
    held = np.clip(scaled, -_MOST_SCALED, _MOST_SCALED)
    first, second = np.triu_indices(held.shape[-1])
    return np.concatenate([held, held[..., first] * held[..., second]], axis=-1)


@dataclass(frozen=True, slots=True, eq=False)
class Weights:
    """What the measures of one question weigh.

    Parameters
    ----------
    middles, scales : (n,) ndarray of float64
        What a measure is usually, and how far it varies.
    weights : (n + n (n + 1) / 2,) ndarray of float64
        Of the scaled measures and of their products, see `expand`.
    constant : float
        The log odds where every measure is in its middle.
    """

    middles: NDArray[np.float64]
    scales: NDArray[np.float64]
    weights: NDArray[np.float64]
    constant: float

    def scale(self, measures: NDArray[np.float64]) -> NDArray[np.float64]:
        """Return measures, (..., n), as deviations from what they usually are."""
        return (measures - self.middles) / self.scales

    def find_probability(self, measures: NDArray[np.float64]) -> NDArray[np.float64]:
        """Return how likely it is, 0 to 1, by measures, (..., n)."""
        odds = self.constant + expand(self.scale(measures)) @ self.weights
        return np.asarray(1.0 / (1.0 + np.exp(-np.clip(odds, -_MOST_ODDS, _MOST_ODDS))))


def find_apart(one: Sequence[float], other: Sequence[float]) -> float:
    """Return how far two things lie apart in all that is measured of them: the root of the mean square, in deviations."""
    away = np.subtract(one, other)
    return float(np.sqrt(np.mean(away * away))) if len(away) else 0.0


def table_of(question: str) -> Path:
    """Return the file that holds the weights of a question, such as ``nature``."""
    return Path(__file__).parents[1] / "weights" / f"{question}.json"


@cache
def load_weights(question: str, measures: tuple[str, ...]) -> Weights:
    """Return the weights of a question whose measures are named so, in their order."""
    said = json.loads(table_of(question).read_text())
    rows = np.array([said["measures"][name] for name in measures], np.float64)
    return Weights(
        rows[:, 0], rows[:, 1], np.array(said["weights"], np.float64), float(said["constant"])
    )
