"""Cuts that are wrong and say nothing: what the engine really does with no hand on it, and how well its doubt tells.

`python -m benchmarks.silent fit COUNT` keys so many pictures of `wide`, fits the weights of `core/weights/doubt.json` on
them, and says how well each family is told by weights that never saw it; `python -m benchmarks.silent FOLDER` judges
truth folders, which nothing was fitted on.
"""

import sys
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from itertools import pairwise
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from benchmarks.elsewhere import MOST_PPM, MOST_RIM
from benchmarks.families import fetch
from benchmarks.fit_weights import Case, write_table
from benchmarks.score import score_cut
from benchmarks.wide import make_plain, make_wide
from tidymargin.core.base.errors import DomainError
from tidymargin.core.base.picture import Picture
from tidymargin.core.faults.doubt import TO_LOOK_AT, weigh_doubt
from tidymargin.core.faults.evidence import EVIDENCE, measure_evidence
from tidymargin.demo.truth import read_case
from tidymargin.formats.decode import decode_picture
from tidymargin.formats.recipe import Recipe
from tidymargin.services.picture.judging import judge_cut
from tidymargin.services.picture.keying import cut_by

_WRONG = 1 / 3
"""Of the pictures that people bring, what comes out wrong with no hand on it, as a set says that is kept apart; more of the families do."""

_RIDGES = (30.0, 100.0, 300.0)
"""What holds the weights back: there are many measures, and few families."""


@dataclass(frozen=True, slots=True)
class Keyed:
    """A picture keyed with no hand on it: whether the cut is usable, what it doubts, and its evidence, if it has any."""

    name: str
    family: str
    is_usable: bool
    doubt: float
    evidence: tuple[float, ...]
    told: str


def key(name: str, family: str, picture: Picture, true: NDArray[np.uint8]) -> Keyed | None:
    """Key a picture and compare with its true cut."""
    recipe = Recipe()
    try:
        cutter = cut_by(recipe, picture)
    except DomainError:
        return None
    score = score_cut(cutter.render_whole(), true)
    ppm = 1e6 / score.area * max(score.eaten, score.left)
    faults = judge_cut(cutter, recipe.proof)
    evidence = () if cutter.facts.is_busy else measure_evidence(cutter, faults)
    told = f"rim {score.rim:.1f}, {ppm:.0f} ppm"
    return Keyed(name, family, score.rim < MOST_RIM and ppm < MOST_PPM, weigh_doubt(cutter, list(faults)).score, evidence, told)  # fmt: skip


_PLAIN_EVERY = 8  # pictures of the rougher families, for one as a program draws it


def _key_made(number: int) -> Keyed | None:
    made = make_wide(number) if number >= 0 else make_plain(-number)
    return key(f"{made.family} {number}", made.family, Picture(made.rgb), made.true_rgba)


def _key_case(place: Path) -> Keyed | None:
    case = read_case(place)
    return key(case.name, case.name[0], decode_picture(case.encoded).picture, case.true_rgba)


def _area_under(doubt: NDArray[np.float64], is_wrong: NDArray[np.bool_]) -> float:
    """Return how often a wrong cut is doubted more than a usable one."""
    more = doubt[is_wrong][:, None] - doubt[~is_wrong]
    return float(np.mean((more > 0) + 0.5 * (more == 0)))


def report(
    title: str, doubt: NDArray[np.float64], is_wrong: NDArray[np.bool_], usual: float | None = None
) -> None:
    """Print how many wrong cuts say nothing, how many usable ones are flagged, and the reliability of probabilities.

    With `usual` cuts count as if so many of them were wrong.
    """
    wrong = float(is_wrong.mean()) if usual is None else usual
    counts = np.where(is_wrong, wrong / is_wrong.mean(), (1 - wrong) / (1 - is_wrong.mean()))
    clean = doubt < TO_LOOK_AT
    silent = 100 * float((counts * is_wrong)[clean].sum() / max(1e-9, counts[clean].sum()))
    print(f"{title}: {len(doubt)} keyed with no hand, counted as if {100 * (1 - wrong):.0f} % were usable; AUC {_area_under(doubt, is_wrong):.3f} (asked 0.90)")  # fmt: skip
    print(
        f"  called clean {clean.sum()}, of them not usable {(clean & is_wrong).sum()}: {silent:.1f} % (asked 4)"
    )
    print(f"  of the usable flagged {100 * np.mean(~clean[~is_wrong]):.1f} % (asked 20)")
    for low, high in pairwise(np.linspace(0, 1, 11)):
        of = (doubt >= low) & ((doubt < high) | (high == 1))
        if of.any():
            said, came = (
                np.average(values[of], weights=counts[of]) for values in (doubt, is_wrong)
            )
            print(
                f"  doubt {low:.1f} to {high:.1f}: {of.sum():>5} cuts, said {said:.2f}, wrong {came:.2f}"
            )


def fit(count: int, kept: Path) -> None:
    """Key made pictures, or take up those that were keyed, and fit."""
    fetch()
    with ProcessPoolExecutor(2) as pool:
        found = [
            k
            for k in pool.map(_key_made, range(-count // _PLAIN_EVERY, count), chunksize=4)
            if k is not None and k.evidence
        ]
    np.savez(kept, family=[k.family for k in found], wrong=[not k.is_usable for k in found], evidence=[k.evidence for k in found], doubt=[k.doubt for k in found])  # fmt: skip
    cases = [Case(k.family, not k.is_usable, 1.0, k.evidence) for k in found]
    odds, answers = write_table("doubt", EVIDENCE, cases, usual=_WRONG, ridges=_RIDGES)
    report("families left out", 1 / (1 + np.exp(-odds)), answers, _WRONG)


def main(word: str, count: str = "2000") -> None:
    """Fit, or judge a folder."""
    if word == "fit":
        fit(int(count), Path(".cache") / "silent.npz")
        return
    places = sorted(place.parent for place in Path(word).rglob("case.json"))
    with ProcessPoolExecutor(2) as pool:
        found = [k for k in pool.map(_key_case, places) if k is not None]
    doubt, wrong = np.array([k.doubt for k in found]), np.array([not k.is_usable for k in found])
    report(word, doubt, wrong)
    for one in sorted(found, key=lambda k: k.doubt):
        if not one.is_usable:
            print(f"    {one.doubt:.2f} {one.name}: {one.told}")


if __name__ == "__main__":
    main(*sys.argv[1:])
