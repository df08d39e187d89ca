"""The few places of a cut that could be either way: ranked by what an answer is likely to change, alike ones as one."""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.picture import Region
from tidymargin.core.base.weighing import find_apart
from tidymargin.core.cut import Cutter
from tidymargin.core.levels import find_regions
from tidymargin.core.questions.signs import RegionSigns, measure_regions
from tidymargin.core.reach.pockets import Pocket, PocketChoice, Pockets, group_alike
from tidymargin.core.reach.regions import RegionChoice, Regions

Verdict = Literal["clear", "keep"]

_BY_A_PERSON = ("rule", "yours", "split", "merged", "shut")  # reasons of pockets
MOST_QUESTIONS = 400
"""That a person could go through."""

_LEAST_PX, _LEAST_SHARE = 100, 2e-5  # that an answer changes, or of the picture; typed
# probability that it should be the other way; typed, judged on truth: see decision 0024
_ASKED_FROM = 0.5
_ALIKE = 0.3  # deviations apart in all that is measured, on the mean, within which regions are alike; typed
_ALIKE_CHANCE = 0.15  # apart, within which they are as likely ground; typed
# of CIELAB lightness, and chroma, that make a place look like shade; typed
_DARKER, _HUED = -4.0, 6.0


@dataclass(frozen=True, slots=True)
class Spot:
    """A place that is asked about.

    Parameters
    ----------
    row, col : int
        Well inside it, in px of the work area.
    area_px : int
        Its size.
    box : Region
        Around it.
    pocket : Pocket or None
        The pocket that it is; None for another region.
    regions : Regions or None
        Of the picture, where it is one of these.
    chance : float
        How likely it is that it should go, 0 to 1.
    signs : tuple of float
        What says so, in deviations.
    stays : bool
        Whether it does, unless somebody answers.
    """

    row: int
    col: int
    area_px: int
    box: Region
    pocket: Pocket | None = None
    regions: Regions | None = None
    chance: float = 0.5
    signs: tuple[float, ...] = ()
    stays: bool = True

    def is_like(self, other: "Spot") -> bool:
        """Whether what a person says of one holds for another, of this picture or of one of its kind."""
        if self.stays != other.stays:
            return False
        if self.pocket is not None and other.pocket is not None:
            return self.pocket.is_like(other.pocket)
        return (
            self.pocket is other.pocket
            and find_apart(self.signs, other.signs) <= _ALIKE
            and abs(self.chance - other.chance) <= _ALIKE_CHANCE
        )

    def holds(self, row: int, col: int) -> bool:
        """Whether a place of the picture lies in it."""
        if not self.box.holds(row, col):
            return False
        if self.regions is not None:
            return self.regions.at(row, col) == self.regions.at(self.row, self.col)
        if self.pocket is None:
            return True
        outline = np.array(self.pocket.outline, np.float32).reshape(-1, 1, 2)
        return cv2.pointPolygonTest(outline, (col + 0.5, row + 0.5), False) >= 0

    def to_choice(self, verdict: Verdict) -> PocketChoice | RegionChoice:
        """Return an answer as the cut takes it."""
        if self.pocket is not None:
            return PocketChoice(self.row, self.col, verdict, self.pocket.places)
        return RegionChoice(self.row, self.col, verdict, self.area_px)


@dataclass(frozen=True, slots=True)
class Question:
    """One place, or several that are alike, that could be ground or figure.

    Parameters
    ----------
    spots : tuple of Spot
        The largest first.
    now : str
        ``goes`` or ``stays``: what becomes of them unless somebody answers.
    chance : float
        How likely it is that they should go, 0 to 1.
    looks : str
        ``closed_in``, ``shade``, ``like_ground`` or ``like_figure``.
    """

    spots: tuple[Spot, ...]
    now: Literal["goes", "stays"]
    chance: float
    looks: Literal["closed_in", "shade", "like_ground", "like_figure"]

    @property
    def area_px(self) -> int:
        """How much an answer may change."""
        return sum(spot.area_px for spot in self.spots)

    @property
    def worth(self) -> float:
        """How much an answer is likely to change, in px."""
        return self.area_px * (self.chance if self.now == "stays" else 1 - self.chance)

    def holds(self, row: int, col: int) -> bool:
        """Whether a place lies in one of them."""
        return any(spot.holds(row, col) for spot in self.spots)


def find_questions(cutter: Cutter) -> tuple[Question, ...]:
    """Return what could be either way in a sheet's cut and nobody has decided, the likeliest to change much first."""
    if cutter.facts.is_busy or cutter.facts.ground.border_share == 0:
        return ()
    if not _has_regions(cutter):
        asked = [_ask_pockets(group) for group in cutter.pockets.alike]
    else:
        signs = measure_regions(cutter)
        asked = [_ask_pockets(group) for group in _find_open_pockets(cutter.pockets, signs)]
        asked += _ask_regions(cutter, signs)
    return tuple(sorted(asked, key=lambda question: -question.worth)[:MOST_QUESTIONS])


def find_spots(cutter: Cutter) -> tuple[Spot, ...]:
    """Return every place that an answer would change and that nobody has answered, whether it is asked about or not.

    They do not keep the picture's regions, so that those of many pictures can be at hand; a place lies in one by its box alone.
    """
    if cutter.facts.is_busy or cutter.facts.ground.border_share == 0:
        return ()
    spots = [_of_pocket(p) for p in cutter.pockets.listed if p.reason not in _BY_A_PERSON]
    if _has_regions(cutter):
        listed = _list_regions(cutter, measure_regions(cutter), 0.0)
        spots += [replace(spot, regions=None) for _, spot in listed]
    return tuple(spots)


def _has_regions(cutter: Cutter) -> bool:
    """Whether parts of a figure are one or the other: ink is as solid as it differs."""
    return cutter.facts.nature == "opaque"


def find_resting(cutter: Cutter) -> tuple[RegionChoice, ...]:
    """Return the answers that are not followed, since what is at their place now is another area."""
    said = cutter.plan.reach.regions
    regions = find_regions(cutter.picture, cutter.facts) if said else None
    return tuple(choice for choice in said if regions is not None and not regions.has(choice))


def _find_open_pockets(pockets: Pockets, signs: RegionSigns) -> tuple[tuple[Pocket, ...], ...]:
    """Return pockets that nobody has decided, those told closed that as regions of the picture would go, and what is like these."""
    chance = signs.find_probability()

    def is_open(pocket: Pocket) -> bool:
        as_region = chance[signs.regions.at(pocket.row, pocket.col)]
        return not pocket.is_decided or (pocket.reason == "closed" and as_region >= _ASKED_FROM)

    asked = [pocket for pocket in pockets.listed if is_open(pocket)]
    closed = [
        pocket
        for pocket in pockets.listed
        if pocket.reason == "closed" and pocket.area_px >= _LEAST_PX and pocket not in asked
    ]
    asked += [pocket for pocket in closed if any(pocket.is_like(other) for other in asked)]
    return group_alike(sorted(asked, key=lambda pocket: -pocket.area_px))


def _ask_pockets(group: tuple[Pocket, ...]) -> Question:
    spots = tuple(map(_of_pocket, group))
    chance = float(np.average([p.chance for p in group], weights=[p.area_px for p in group]))
    return Question(spots, "stays", chance, "closed_in")


def _of_pocket(pocket: Pocket) -> Spot:
    stays = pocket.verdict == "keep"
    return Spot(pocket.row, pocket.col, pocket.area_px, pocket.box, pocket, None, pocket.chance, pocket.signs, stays)  # fmt: skip


def _list_regions(
    cutter: Cutter, signs: RegionSigns, asked_from: float
) -> Iterator[tuple[int, Spot]]:
    """Yield what nobody has answered and an answer surely changes, by falling size: its number, and what is known of it."""
    chance = signs.find_probability()
    stays = signs.stays > 0.5
    other_way = np.where(stays, chance, 1 - chance)
    least = max(_LEAST_PX, _LEAST_SHARE * cutter.picture.area_px)
    # what lies in the rim is solved, whatever is said
    changes = signs.regions.measure_insides(cutter.facts.rim.width_px / 2)
    changes *= np.where(stays, signs.stays, 1 - signs.stays)
    listed = (changes >= least) & (other_way >= asked_from) & ~signs.is_pocket
    answered = filter(signs.regions.has, cutter.plan.reach.regions)
    decided = [(choice.row, choice.col) for choice in answered]
    for pocket in cutter.plan.reach.choices:
        decided += [(pocket.row, pocket.col), *pocket.also]
    for row, col in decided:
        listed[signs.regions.at(row, col)] = False
    kept = replace(signs, regions=signs.regions.bare)
    deviations = signs.find_deviations()
    labels = signs.regions.labels.ravel()
    # one region's places after the other's: each is looked at once
    places, sizes = np.argsort(labels, kind="stable"), np.bincount(labels)
    ends = np.cumsum(sizes)
    parts = cutter.facts.ink_parts
    for number in np.flatnonzero(listed)[np.argsort(-signs.area_px[listed], kind="stable")]:
        spot = _to_spot(kept, number, places[ends[number] - sizes[number] : ends[number]])
        if parts is not None and parts.hold(np.array([[spot.row, spot.col]], np.int32))[0]:
            continue  # ink is as solid as it differs
        yield (
            int(number),
            replace(
                spot,
                chance=float(chance[number]),
                signs=tuple(deviations[number].tolist()),
                stays=bool(stays[number]),
            ),
        )


def _ask_regions(cutter: Cutter, signs: RegionSigns) -> list[Question]:
    groups: list[list[Spot]] = []
    first: list[int] = []  # regions of the groups
    for number, spot in _list_regions(cutter, signs, _ASKED_FROM):
        like = next((group for group in groups if group[0].is_like(spot)), None)
        if like is None:
            groups.append([spot])
            first.append(number)
        else:
            like.append(spot)
    return [
        _to_question(tuple(group), signs.colour[n]) for group, n in zip(groups, first, strict=True)
    ]


def _to_question(spots: tuple[Spot, ...], colour: NDArray[np.float64]) -> Question:
    chances, areas = zip(*((spot.chance, spot.area_px) for spot in spots), strict=True)
    mean = float(np.average(chances, weights=areas))
    now: Literal["goes", "stays"] = "stays" if spots[0].stays else "goes"
    lighter, *hue = colour
    if lighter < _DARKER and np.hypot(*hue) < _HUED:
        return Question(spots, now, mean, "shade")
    return Question(spots, now, mean, "like_ground" if now == "stays" else "like_figure")


def _to_spot(signs: RegionSigns, number: int, places: NDArray[np.intp]) -> Spot:
    """Return a region as a place to answer; `places` are its own, counted through the rows of the labels."""
    regions = signs.regions
    rows, cols = np.divmod(places, regions.labels.shape[1])
    top, left = int(rows.min()), int(cols.min())
    inside = np.zeros((int(rows.max()) - top + 3, int(cols.max()) - left + 3), np.uint8)
    inside[rows - top + 1, cols - left + 1] = 1
    depth = np.asarray(cv2.distanceTransform(inside, cv2.DIST_L2, 3))
    down, right = np.unravel_index(int(depth.argmax()), depth.shape)
    tall, wide = (full / small for full, small in zip((regions.height, regions.width), regions.labels.shape, strict=True))  # fmt: skip
    box = Region(int(top * tall), int(left * wide), int(-(-(rows.max() + 1) * tall // 1)), int(-(-(cols.max() + 1) * wide // 1)))  # fmt: skip
    row, col = ((first + int(at) - 1 + 0.5) * by for first, at, by in ((top, down, tall), (left, right, wide)))  # fmt: skip
    return Spot(int(row), int(col), round(float(signs.area_px[number])), box, regions=regions)
