"""Pockets: ground-coloured areas that the figure closes in, and what becomes of each."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.base.components import Pieces, find_pieces, measure_depth
from tidymargin.core.base.mask import PackedMask
from tidymargin.core.base.parallel import work_out, work_through
from tidymargin.core.base.picture import Region, whole
from tidymargin.core.base.weighing import IN_DOUBT, find_apart
from tidymargin.core.figure.parts import InkParts
from tidymargin.core.ground.checker import CheckerGround
from tidymargin.core.ground.kinds import Ground
from tidymargin.core.ground.surface import FilledGround
from tidymargin.core.reach.pocket_signs import (
    LEAST_PX,
    OPEN_FROM,
    Evidence,
    find_open_probability,
    is_of_one_colour,
)

Verdict = Literal["clear", "keep"]
PocketReason = Literal[
    "ink",
    "screen",
    "pattern",
    "even",
    "one_colour",
    "open",
    "closed",
    "undecided",
    "shut",
    "rule",
    "yours",
    "split",
    "merged",
]
_BAND_PX = 64  # rows that one core works on at once
_MOST_CORNERS = 200  # of an outline on the stage
_MOST_PLACES = 9  # by which a pocket is found again
_OUTLINE_PX = 250_000  # of a mask that an outline is drawn of: speed
_MOST_LISTED = 400  # that a person could go through
_PATTERN_SHARE = 0.12  # of tiles that change inside; typed, judged on printed-in patterns
_ALIKE = 4  # times the area of the smallest of a group that its largest may have
_ALIKE_CHANCE = 0.15  # apart, within which pockets are as likely ground; typed
_ALIKE_APART = 0.3  # deviations in all that is measured, within which pockets are alike; typed
_FULL_TONE = 0.6  # of a pattern's wave, from which a place is of one tone; typed
# that an outline may be off, and times more where it has too many corners
_OFF_PX, _COARSER = 1.5, 1.6


@dataclass(frozen=True, slots=True)
class PocketChoice:
    """What a person said of the pocket at a place.

    `also` are further places of that pocket as it was then: should it split, the parts that hold one
    of them inherit what was said.
    """

    row: int
    col: int
    verdict: Verdict
    also: tuple[tuple[int, int], ...] = ()


@dataclass(frozen=True, slots=True)
class PocketRule:
    """What becomes of all pockets of less than so many pixels, wherever they are."""

    under_px: int
    verdict: Verdict


@dataclass(frozen=True, slots=True)
class Pocket:
    """One pocket.

    Parameters
    ----------
    row, col : int
        A place well inside it, in full-size pixels.
    area_px : int
        Its size.
    box : Region
        Its bounding box.
    outline : tuple of (x, y)
        Its outer contour at pixel edges, within a pixel, clockwise; at most 200 corners.
    verdict : str
        ``clear`` or ``keep``.
    reason : str
        Why: the figure is ink, the ground a screen, the pattern goes on inside, it is even where a
        pattern would change, the figure has one colour and no whites of its own, all that is measured speaks for ground or for figure, nobody has decided, or a
        person has: by a rule, by shutting it off, of this pocket, of one that it was split from, or of two that are one now.
    places : tuple of (row, col)
        Up to nine of its pixels, spread over it.
    chance : float
        How likely it is ground, 0 to 1, where that is measured; a half where it is not.
    signs : tuple of float
        What says so, in deviations, where it is measured.
    """

    row: int
    col: int
    area_px: int
    box: Region
    outline: tuple[tuple[int, int], ...]
    verdict: Verdict
    reason: PocketReason
    places: tuple[tuple[int, int], ...] = ()
    chance: float = 0.5
    signs: tuple[float, ...] = ()

    def is_like(self, other: "Pocket") -> bool:
        """Whether another pocket, of this picture or of one of its kind, is alike: in size and in what speaks for it."""
        areas = sorted((self.area_px, other.area_px))
        return (
            areas[1] <= _ALIKE * areas[0]
            and abs(self.chance - other.chance) <= _ALIKE_CHANCE
            and len(self.signs) == len(other.signs)
            and find_apart(self.signs, other.signs) <= _ALIKE_APART
        )

    @property
    def is_decided(self) -> bool:
        """Whether nothing is left to a person."""
        return self.reason != "undecided"


@dataclass(frozen=True, slots=True, eq=False)
class Pockets:
    """All pockets of a sheet at a tolerance.

    Parameters
    ----------
    listed : tuple of Pocket
        The largest, by falling area.
    opened : PackedMask or None
        What is cleared of them; None when nothing is.
    """

    listed: tuple[Pocket, ...]
    opened: PackedMask | None

    @property
    def to_decide(self) -> int:
        """How many of the listed nobody has decided."""
        return sum(not pocket.is_decided for pocket in self.listed)

    @property
    def alike(self) -> tuple[tuple[Pocket, ...], ...]:
        """What nobody has decided, alike ones together, as the counters of a text are."""
        return group_alike([pocket for pocket in self.listed if not pocket.is_decided])

    def between_ink(self, closed: NDArray[np.bool_]) -> "Pockets":
        """Return them as they are where the figure is ink: all cleared.

        `closed`, (H, W) bool, is what `find_closed` found, the smallest ones that are not listed included.
        """
        listed = tuple(replace(p, verdict="clear", reason="ink") for p in self.listed)
        return Pockets(listed, PackedMask.of(closed) if closed.any() else None)


def group_alike(pockets: Sequence[Pocket]) -> tuple[tuple[Pocket, ...], ...]:
    """Return pockets, given by falling area, with alike ones together: each group's first is what the others are like."""
    area, chance = (np.array([getattr(p, name) for p in pockets]) for name in ("area_px", "chance"))  # fmt: skip
    signs = np.array([pocket.signs or (0.0,) for pocket in pockets]).reshape(
        len(pockets), -1 if pockets else 1
    )
    groups: list[tuple[Pocket, ...]] = []
    left = np.arange(len(pockets))
    while len(left):  # the largest that is left, and what is like it
        away = signs[left] - signs[left[0]]
        like = area[left[0]] <= _ALIKE * area[left]
        like &= np.abs(chance[left] - chance[left[0]]) <= _ALIKE_CHANCE
        like &= (away**2).sum(axis=1) <= _ALIKE_APART**2 * signs.shape[1]
        groups.append(tuple(pockets[n] for n in left[like]))
        left = left[~like]
    return tuple(groups)


def find_closed(
    steps: NDArray[np.uint8], cleared: NDArray[np.bool_], tolerance_step: int
) -> NDArray[np.bool_]:
    """Return what looks like ground and is not reached, (H, W) bool."""
    closed = np.empty(cleared.shape, np.bool_)

    def find(band: Region) -> None:
        np.greater(
            steps[band.slices] <= tolerance_step, cleared[band.slices], out=closed[band.slices]
        )

    work_through(find, whole(*cleared.shape).bands(_BAND_PX))
    return closed


@njit(cache=True, nogil=True)
def _count_tiles_kernel(first_of, cols, piece_of, down, across, counts):  # type: ignore[no-untyped-def]
    """Count, by piece, pixels well inside light tiles and well inside dark ones."""
    for row in range(len(first_of) - 1):
        for run in range(first_of[row], first_of[row + 1]):
            for col in range(cols[run, 0], cols[run, 1]):
                wave = down[row] * across[col]
                if wave > _FULL_TONE:
                    counts[piece_of[run], 0] += 1
                elif wave < -_FULL_TONE:
                    counts[piece_of[run], 1] += 1


def _judge(
    steps: NDArray[np.uint8],
    cleared: NDArray[np.bool_],
    ground: Ground,
    nature: str,
    pieces: Pieces,
    evidence: Evidence | None,
) -> tuple[NDArray[np.bool_], list[PocketReason], NDArray[np.float64], NDArray[np.float64]]:
    """Return which pockets are cleared unless somebody says otherwise, why, how likely each is ground, and by what signs."""
    count, large = len(pieces.areas), pieces.areas >= LEAST_PX
    even = np.full(count, 0.5), np.empty((count, 0))
    if nature == "ink":
        return np.ones(count, bool), ["ink"] * count, *even
    if isinstance(ground, CheckerGround):
        tiles = np.zeros((count, 2), np.int64)
        _count_tiles_kernel(*pieces.runs, ground.down, ground.across, tiles)
        least = np.maximum(4, _PATTERN_SHARE * tiles.sum(axis=1))
        changes = (tiles.min(axis=1) >= least) & large
        return changes, ["pattern" if c else "even" for c in changes], *even
    if ground.kind == "screen":
        return large, ["screen"] * count, *even
    if evidence is None or count == 1:
        return np.zeros(count, bool), ["undecided"] * count, *even
    if isinstance(ground, FilledGround) or is_of_one_colour(evidence):
        return np.ones(count, bool), ["one_colour"] * count, *even
    open_is, signs = find_open_probability(steps, cleared, pieces, ground, evidence)
    reasons: list[PocketReason] = [
        "open" if p >= OPEN_FROM else "closed" if p < IN_DOUBT[0] else "undecided" for p in open_is
    ]
    opens = open_is >= OPEN_FROM
    large[0] = False
    if (
        large.any() and opens[large].mean() < 0.5
    ):  # the smallest, that nobody sees listed, go with the others
        opens &= large
    return opens, reasons, open_is, signs


def find_pockets(
    steps: NDArray[np.uint8],
    outside: NDArray[np.uint8],
    tolerance_step: int,
    ground: Ground,
    nature: str,
    evidence: Evidence | None = None,
    choices: tuple[PocketChoice, ...] = (),
    cleared: NDArray[np.bool_] | None = None,
    rules: tuple[PocketRule, ...] = (),
    ink_parts: InkParts | None = None,
) -> Pockets:
    """Find what looks like ground and is not reached, and decide each by default or as was said.

    Parameters
    ----------
    steps : (H, W) ndarray of uint8
        Quantised difference.
    outside : (H, W) ndarray of uint8
        Levels from the border, with nothing said. What they reach, and is a pocket all the same, a person has
        shut off: by a fence, by a guard or by where clearing starts. It stays, whatever else speaks for clearing it.
    tolerance_step : int
        The sheet's tolerance, in steps.
    ground : Ground
        Its kind decides the defaults.
    nature : str
        ``opaque`` or ``ink``.
    evidence : tuple of float, optional
        What the figure says of its pockets; without it those of an opaque figure on an even ground are undecided.
    cleared : (H, W) ndarray of bool, optional
        What reach clears already; what `outside` reaches where nothing is said.
    choices : tuple of PocketChoice
        The later over the earlier; one that no longer lies in a pocket waits until there is one.
    rules : tuple of PocketRule
        The later over the earlier, and choices over all of them.
    ink_parts : InkParts, optional
        What of an opaque figure is ink all the same, between whose strokes all is ground.
    """
    if cleared is None:
        cleared = outside <= tolerance_step
    pieces = find_pieces(find_closed(steps, cleared, tolerance_step))
    areas = pieces.areas
    opens, reasons, chances, signs = _judge(steps, cleared, ground, nature, pieces, evidence)
    if ink_parts is not None:
        for inked in np.flatnonzero(ink_parts.hold(pieces.starts)):
            opens[inked], reasons[inked] = True, "ink"
    for rule in rules:
        for number in np.flatnonzero(areas < rule.under_px):
            opens[number], reasons[number] = rule.verdict == "clear", "rule"
    for number in np.flatnonzero(outside[tuple(pieces.starts.T)] <= tolerance_step):
        opens[number], reasons[number] = False, "shut"
    _apply_choices(pieces, choices, opens, reasons)
    opens[0] = False
    order = [int(n) for n in np.argsort(-areas, kind="stable") if n and areas[n] >= LEAST_PX]
    listed = work_out(
        lambda n: replace(
            _to_pocket(pieces, n, bool(opens[n]), reasons[n]),
            chance=float(chances[n]),
            signs=tuple(signs[n].tolist()),
        ),
        order[:_MOST_LISTED],
    )
    if not opens.any():
        return Pockets(tuple(listed), None)
    opened = np.zeros(pieces.shape, np.bool_)
    pieces.mark(opens, opened)
    return Pockets(tuple(listed), PackedMask.of(opened))


def _apply_choices(
    pieces: Pieces,
    choices: tuple[PocketChoice, ...],
    opens: NDArray[np.bool_],
    reasons: list[PocketReason],
) -> None:
    """Decide pockets as was said, in place; parts of a split one inherit, of merged ones the later wins."""
    for choice in choices:
        for row, col in choice.also:
            number = pieces.at(row, col)
            opens[number] = choice.verdict == "clear"
            reasons[number] = "split"
    said: dict[int, Verdict] = {}
    for choice in choices:
        number = pieces.at(choice.row, choice.col)
        opens[number] = choice.verdict == "clear"
        differs = said.get(number, choice.verdict) != choice.verdict
        reasons[number] = "merged" if differs else "yours"
        said[number] = choice.verdict


def _to_pocket(pieces: Pieces, number: int, opens: bool, reason: PocketReason) -> Pocket:  # fmt: skip
    box, inside = pieces.box(number), pieces.inside(number)
    top, left = box.top, box.left
    depth, every = measure_depth(inside)
    if not depth.any():  # thinner than what was looked at
        depth, every = inside.astype(np.float32), 1
    row, col = (every * int(v) for v in np.unravel_index(int(depth.argmax()), depth.shape))
    outline = _trace_outline(inside.view(np.uint8), left, top)
    within = np.flatnonzero(every * depth > min(2.0, 0.5 * every * float(depth.max())))
    spread = within[np.linspace(0, len(within) - 1, min(_MOST_PLACES, len(within))).astype(int)]
    down, right = np.unravel_index(spread, depth.shape)
    places = tuple(
        (top + every * int(y), left + every * int(x)) for y, x in zip(down, right, strict=True)
    )
    verdict: Verdict = "clear" if opens else "keep"
    return Pocket(
        top + row,
        left + col,
        int(pieces.areas[number]),
        box,
        outline,
        verdict,
        reason,
        places,
    )


def _trace_outline(inside: NDArray[np.uint8], left: int, top: int) -> tuple[tuple[int, int], ...]:
    coarse = max(1, round((inside.size / _OUTLINE_PX) ** 0.5))
    thinned = inside[::coarse, ::coarse] if coarse > 1 else inside
    # twice as large, so that the contour runs along pixel edges and not through pixel centres
    doubled = np.pad(np.repeat(np.repeat(thinned, 2, axis=0), 2, axis=1), 1)
    outlines, _ = cv2.findContours(doubled, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)
    if not outlines:  # so thin that nothing of it is left at that scale
        return ((left, top), (left + inside.shape[1], top), (left + inside.shape[1], top + inside.shape[0]), (left, top + inside.shape[0]))  # fmt: skip
    outline = max(outlines, key=len)
    near = _OFF_PX
    corners = cv2.approxPolyDP(outline, near, True)
    while len(corners) > _MOST_CORNERS:
        near *= _COARSER
        corners = cv2.approxPolyDP(outline, near, True)
    return tuple(
        (left + coarse * round((int(x) - 0.5) / 2), top + coarse * round((int(y) - 0.5) / 2))
        for x, y in corners[::-1, 0]
    )
