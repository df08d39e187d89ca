"""Pictures made elsewhere, as somebody sees them first: what was recognised, and whether the cut is usable.

No hand is on a control but one pick in each see-through pocket. A cut is *usable* with a mean rim below 3 and under
1,000 ppm of its pixels eaten and left behind. Photos and scans have points instead, that must be clear or solid.
"""

import json
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from benchmarks.score import digest_all, digest_cut, score_cut
from tidymargin.core.cut import cut_out
from tidymargin.core.facts import measure_sheet
from tidymargin.core.plan import Plan
from tidymargin.core.reach.clearing import Pick
from tidymargin.core.reach.plan import ReachPlan
from tidymargin.demo.truth import read_case
from tidymargin.formats.decode import decode_picture

MOST_RIM = 3.0
MOST_PPM = 1000.0
_CLEAR, _SOLID, _SOLID_INK = 0.1, 0.9, 0.4  # alpha at points
_WORKERS = 2


@dataclass(frozen=True, slots=True)
class Seen:
    """What came of one picture with a true cut."""

    name: str
    ground: str
    nature: str
    found_ground: str
    found_nature: str
    rim: float
    eaten_ppm: float
    left_ppm: float
    digest: str

    @property
    def is_recognised(self) -> bool:
        """Whether ground and nature were told rightly."""
        return (self.found_ground, self.found_nature) == (self.ground, self.nature)

    @property
    def is_usable(self) -> bool:
        """Whether the cut can be used as it is."""
        return self.rim < MOST_RIM and max(self.eaten_ppm, self.left_ppm) < MOST_PPM


def see_case(place: Path) -> Seen:
    """Cut one truth folder's picture and score it."""
    case = read_case(place)
    picture = decode_picture(case.encoded).picture
    picks = tuple(Pick(y, x) for x, y in case.picks)
    facts = measure_sheet(picture)
    cut = cut_out(picture, facts, Plan(reach=ReachPlan(picks=picks))).render_whole()
    score = score_cut(cut, case.true_rgba)
    area = 1e6 / score.area
    return Seen(
        case.name, case.ground, case.nature, facts.ground.kind, facts.nature,
        score.rim, area * score.eaten, area * score.left, digest_cut(cut),
    )  # fmt: skip


def see_points(place: Path, said: dict[str, list[list[int]]]) -> tuple[str, int, int, str]:
    """Cut one picture with points: its name, how many are right, of how many, and what it was told for."""
    picture = decode_picture(place.read_bytes()).picture
    facts = measure_sheet(picture)
    alpha = cut_out(picture, facts).render_whole()[..., 3] / 255
    solid = _SOLID_INK if said["nature"] == "ink" else _SOLID  # type: ignore[comparison-overlap]
    right = sum(float(alpha[y, x]) <= _CLEAR for x, y in said["clear"])
    right += sum(float(alpha[y, x]) >= solid for x, y in said["solid"])
    told = "busy" if facts.is_busy else f"{facts.ground.kind} {facts.nature}"
    return place.name, right, len(said["clear"]) + len(said["solid"]), told


def _print_shares(seen: list[Seen], by: str, key: Callable[[Seen], str]) -> None:
    for name in sorted({key(one) for one in seen}):
        of = [one for one in seen if key(one) == name]
        known = 100 * np.mean([one.is_recognised for one in of])
        usable = 100 * np.mean([one.is_usable for one in of])
        rim = np.median([one.rim for one in of])
        print(f"  {by} {name:<16}{len(of):>4}{known:>11.0f} %{usable:>9.0f} %{rim:>10.2f}")


def _see_folder(folder: Path) -> Iterator[Seen]:
    places = sorted(place.parent for place in folder.rglob("case.json"))
    with ProcessPoolExecutor(_WORKERS) as pool:
        yield from pool.map(see_case, places)


def print_truth(folder: Path) -> None:
    """Print what came of a folder of truth folders, by kind of figure and by ground."""
    seen = list(_see_folder(folder))
    if not seen:
        raise SystemExit(f"there is no case.json below {folder}")
    print(f"{'':<23}pictures recognised    usable  rim, median")
    _print_shares(seen, "all", lambda _: "")
    _print_shares(seen, "figure", lambda one: one.name[0])
    _print_shares(seen, "ground", lambda one: f"{one.ground}, {one.nature}")
    print(f"digest of the {len(seen)} cuts: {digest_all(one.digest for one in seen)}")
    print("not recognised or not usable:")
    for one in seen:
        if not (one.is_recognised and one.is_usable):
            told = f"told {one.found_ground} {one.found_nature}, is {one.ground} {one.nature}"
            print(f"  {one.name:<32}rim {one.rim:>6.2f}  eaten {one.eaten_ppm:>8.0f}  left {one.left_ppm:>8.0f}  {'' if one.is_recognised else told}")  # fmt: skip


def print_points(folder: Path) -> None:
    """Print how many points of photos and scans are right."""
    said = json.loads((folder / "points.json").read_text())
    total = np.zeros(2, int)
    for name, points in said.items():
        name, right, count, told = see_points(folder / name, points)
        total += (right, count)
        print(f"  {name:<28}{right:>4} of {count:<4}{100 * right / count:>5.0f} %  told {told}")
    print(f"  {100 * total[0] / total[1]:.1f} % of {total[1]} points right")
