"""How early planted wrong cuts are named in a tray, on made pictures and on pictures made elsewhere.

Every picture is cut as it comes and with each way of spoiling it that shows; trays are then drawn at random out of
them, a seventh of their sheets spoilt, and the share of spoilt ones among the first 15 % is averaged. The doubt of
each cut is worked out once, so that many trays cost no more than one.
"""

import sys
import zlib
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from benchmarks.families import fetch, make_picture
from tidymargin.core.base.errors import DomainError
from tidymargin.core.base.picture import Picture
from tidymargin.core.facts import measure_sheet
from tidymargin.demo.truth import read_case
from tidymargin.formats.decode import decode_picture
from tidymargin.formats.recipe import Recipe, change_recipe
from tidymargin.services.picture.keying import cut_by
from tidymargin.services.picture.keyjob import report_on

_MADE = range(1, 600, 4)  # none of those that faults are judged on
_TRAYS, _SPOILT, _FIRST = 2000, 0.13, 0.15
_RIGHT = (
    0.02  # of a picture's matte: what is cut worse without being spoilt is no sheet that is right
)
_WORSE = 0.02  # of it, by which a planted cut has to be worse than the untouched one


@dataclass(frozen=True, slots=True)
class Doubted:
    """A picture's error and doubt as it is cut by itself, and its doubt by each way it can be spoilt."""

    name: str
    error: float
    doubt: float
    reasons: str
    spoilt: dict[str, tuple[float, str]] = field(default_factory=dict)


def _judge(picture: Picture, recipe: Recipe, true: NDArray[np.uint8]) -> tuple[float, float, str]:
    """Return the mean error of the matte, the doubt, and what it is for."""
    cutter = cut_by(recipe, picture)
    alpha = cutter.render_whole()[..., 3]
    report = report_on(cutter, recipe, recipe.to_area(picture.height, picture.width))
    error = float(np.abs(alpha.astype(np.float64) - true[..., 3]).mean() / 255)
    return error, report.doubt, "; ".join(report.reasons[:2])


def _doubt(name: str, picture: Picture, true: NDArray[np.uint8]) -> Doubted:
    random = np.random.default_rng(zlib.crc32(name.encode()))
    facts = measure_sheet(picture)
    error, doubt, reasons = _judge(picture, Recipe(), true)
    seen = Doubted(name, error, doubt, reasons)
    for way, step, values in (
        ("too far", "reach", {"tolerance": round(float(random.uniform(12, 30)), 1)}),
        ("not far enough", "reach", {"tolerance": 0.2}),
        ("other nature", "ground", {"figure": "ink" if facts.nature == "opaque" else "opaque"}),
        ("everywhere", "reach", {"start": "everywhere", "tolerance": 12.0}),
        ("other colour", "ground", {"kind": "flat", "colour": "#3060A0"}),
    ):
        try:
            worse, doubt, reasons = _judge(picture, change_recipe(Recipe(), step, **values), true)
        except DomainError:
            continue
        if worse > error + _WORSE:
            seen.spoilt[way] = doubt, reasons
    return seen


def _doubt_made(number: int) -> Doubted:
    made = make_picture(number)
    return _doubt(f"{made.family} {number}", Picture(made.rgb), made.true_rgba)


def _doubt_case(place: Path) -> Doubted:
    case = read_case(place)
    return _doubt(case.name, decode_picture(case.encoded).picture, case.true_rgba)


def _draw_trays(seen: list[Doubted]) -> Iterator[float]:
    """Yield of each tray the share of its spoilt sheets that stand among its first."""
    random = np.random.default_rng(3)
    can_be = [number for number, each in enumerate(seen) if each.spoilt]
    first, count = round(_FIRST * len(seen)), round(_SPOILT * len(seen))
    for _ in range(_TRAYS):
        doubts = np.array([each.doubt for each in seen])
        chosen = random.choice(can_be, count, replace=False)
        for number in chosen:
            ways = sorted(seen[number].spoilt)
            doubts[number] = seen[number].spoilt[ways[random.integers(len(ways))]][0]
        order = np.lexsort((random.random(len(seen)), -doubts))  # equals come as they like
        yield float(np.isin(order[:first], chosen).sum() / count)


def report_doubt(title: str, seen: list[Doubted], *, is_telling: bool) -> None:
    """Print how early what is spoilt is named, with the engine's own wrong cuts in the tray and without them."""
    right = [each for each in seen if each.error <= _RIGHT]
    print(f"{title}: {len(seen)} pictures, {len(seen) - len(right)} cut wrong as they come")
    for each in sorted(seen, key=lambda one: -one.doubt) if is_telling else ():
        print(f"  {each.name:32} error {each.error:.3f} doubt {each.doubt:.3f} {each.reasons[:70]}")
        for way, (doubt, reasons) in each.spoilt.items():
            print(f"    {way:18} {doubt:.3f} {reasons[:90]}")
    for name, tray in (("all", seen), ("those cut rightly", right)):
        shares = list(_draw_trays(tray))
        print(f"  {name}: {100 * np.mean(shares):.1f} % of the spoilt among the first 15 % (asked 90); "
              f"one tray in ten below {100 * np.quantile(shares, 0.1):.0f} %")  # fmt: skip
    for way in sorted({way for each in seen for way in each.spoilt}):
        at_it = [each.spoilt[way][0] for each in seen if way in each.spoilt]
        print(f"    {way:18} {len(at_it):3} times, least and middle doubt {min(at_it):.2f} {np.median(at_it):.2f}")  # fmt: skip


def main(truth: Path | None, *, is_telling: bool) -> None:
    """Judge made pictures, and those of a folder with true cuts when one is given."""
    with ProcessPoolExecutor(2) as pool:
        if truth is None:
            fetch()
            seen = list(pool.map(_doubt_made, _MADE))
        else:
            cases = sorted(place.parent for place in truth.rglob("case.json"))
            seen = list(pool.map(_doubt_case, cases))
    report_doubt("Made by families" if truth is None else str(truth), seen, is_telling=is_telling)


if __name__ == "__main__":
    folders = [Path(word) for word in sys.argv[1:] if not word.startswith("--")]
    main(folders[0] if folders else None, is_telling="--each" in sys.argv)
